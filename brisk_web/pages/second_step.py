"""Page: a code beside the password, asked of the person who is signed in."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.contrib.auth.models import User
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.debug import sensitive_post_parameters
from django.views.decorators.http import require_http_methods, require_POST

from brisk_web.accounts import second_step as steps
from brisk_web.accounts.people import NOT_YOUR_PASSWORD, is_own_password, signed_in
from brisk_web.accounts.second_step import CodeRefused, Secret
from brisk_web.house.services import record
from brisk_web.house.sessions import end_other_sessions
from brisk_web.ui.asking import words

_SECRET = "second-step-secret"  # noqa: S105 - in a session: the one that is shown until a code proves it


def _show(request: HttpRequest, *, status: int = 200, **more: Any) -> HttpResponse:
    person = signed_in(request)
    context: dict[str, Any] = {
        "has": steps.has_second_step(person),
        "left": steps.codes_left(person),
        "wanted": steps.is_wanted_of(person),
        **more,
    }
    if not context["has"]:
        key = request.session.get(_SECRET)
        secret = Secret(key) if key else Secret.new()
        request.session[_SECRET] = secret.key
        context |= {"secret": secret.in_words, "picture": secret.picture(person)}
    answer = render(request, "pages/second_step.html", context, status=status)
    answer["Cache-Control"] = "no-store"
    return answer


def _why_not_change(request: HttpRequest, person: User) -> HttpResponse | None:
    """The answer to whoever has no second step to change, or does not give the password."""
    if not steps.has_second_step(person):
        return redirect("second-step")
    return None if is_own_password(request) else _show(request, status=422, mistake=NOT_YOUR_PASSWORD)


@require_http_methods(["GET", "POST"])
@sensitive_post_parameters()
def second_step(request: HttpRequest) -> HttpResponse:
    """Ask for a code from now on, once one proves that an app has the secret; else how it stands."""
    person, key = signed_in(request), request.session.get(_SECRET)
    if request.method != "POST" or not key:
        return _show(request)
    if not is_own_password(request):
        return _show(request, status=422, mistake=NOT_YOUR_PASSWORD)
    try:
        codes = steps.begin(person, Secret(key), words(request.POST, "code"))
    except CodeRefused as error:
        return _show(request, status=422, mistake=error)
    del request.session[_SECRET]
    record("person.second-step", person, "Signs in with a code beside the password from now on", by=person)
    end_other_sessions(person, request.session.session_key)
    return _show(request, codes=codes, begun=True)


@require_POST
@sensitive_post_parameters()
def recovery_codes(request: HttpRequest) -> HttpResponse:
    """Make new recovery codes, shown once."""
    person = signed_in(request)
    if refusal := _why_not_change(request, person):
        return refusal
    codes = steps.new_recovery_codes(person)
    record("person.recovery-codes", person, "Made new recovery codes; earlier ones no longer count", by=person)
    return _show(request, codes=codes)


@require_POST
@sensitive_post_parameters()
def remove(request: HttpRequest) -> HttpResponse:
    """Ask for the password alone from now on."""
    person = signed_in(request)
    if refusal := _why_not_change(request, person):
        return refusal
    if steps.is_wanted_of(person):
        return _show(request, status=409, mistake="This house wants a code of you; it stays on.")
    steps.remove(person)
    record("person.second-step-removed", person, "Signs in with the password alone from now on", by=person)
    messages.success(request, "You sign in with your password alone from now on.")
    return redirect("second-step")
