"""Pages: to the provider that people of the house sign in by, back from it, and without it."""

from __future__ import annotations

import time
from collections.abc import Mapping
from typing import Any

from django.contrib import messages
from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.models import User
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.cache import never_cache
from django.views.decorators.debug import sensitive_post_parameters
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from brisk_web.accounts import provider
from brisk_web.accounts.models import ProviderAccount
from brisk_web.accounts.people import NOT_YOUR_PASSWORD, is_own_password, signed_in
from brisk_web.accounts.provider import ProviderRefused
from brisk_web.accounts.signing_in import Way, known, wanted_next
from brisk_web.house.services import record

_GONE = "gone-to-provider"  # in a session: where to go afterwards
_MAY_JOIN, _MAY_JOIN_S = "may-join-provider", 600  # in a session: when the password was given, and how long it counts


def _may_join(request: HttpRequest) -> bool:
    """Has whoever is signed in asked, with their password, that an account be joined to theirs?"""
    return bool(time.time() - request.session.get(_MAY_JOIN, 0) < _MAY_JOIN_S)


@login_not_required
@never_cache
@require_GET
def begin(request: HttpRequest) -> HttpResponse:
    """Go to the provider: to sign in, or, for whoever is signed in and gave the password, to join the two accounts."""
    provider.of_house()
    if request.user.is_authenticated and not _may_join(request):
        return redirect("join-provider")
    to = wanted_next(request)
    try:
        answer = provider.go_to(request, request.build_absolute_uri(reverse("provider-back")))
    except ProviderRefused as error:
        return _refused(request, error)
    request.session[_GONE] = to
    return answer


@login_not_required
@never_cache
@require_GET
def back(request: HttpRequest) -> HttpResponse:
    """Come back from the provider: sign in, or join the account there with that of here."""
    name, to = provider.of_house().name, request.session.pop(_GONE, None)
    if to is None:
        return _refused(request, "Nobody went to sign in from here; begin again.")
    try:
        claims = provider.claims_of(request)
        if isinstance(request.user, User):
            return _joined(request, request.user, claims)
        person, joined = provider.person_of(claims)
    except ProviderRefused as error:
        return _refused(request, error)
    if person is None:
        says = f"Nobody here signs in by this account of {name}."
        return _refused(request, f"{says} Sign in with your password, then join the two on your own page.")
    if joined:
        record("person.joined-provider", person, f"Signs in by an account of {name}, known by its name", by=person)
    return known(request, person, to, Way.PROVIDER)


def _joined(request: HttpRequest, person: User, claims: Mapping[str, Any]) -> HttpResponse:
    if not _may_join(request):
        raise ProviderRefused("That was too long ago; begin again.")
    name = provider.of_house().name
    provider.join(person, claims)
    del request.session[_MAY_JOIN]
    record("person.joined-provider", person, f"Signs in by an account of {name} from now on", by=person)
    messages.success(request, f"From now on you can sign in with {name}.")
    return redirect("you")


@require_http_methods(["GET", "POST"])
@sensitive_post_parameters()
def join(request: HttpRequest) -> HttpResponse:
    """Join an account at the provider to one's own, with the password; else how it stands."""
    at, person = provider.of_house(), signed_in(request)
    is_wrong = request.method == "POST" and not is_own_password(request)
    if request.method == "POST" and not is_wrong:
        request.session[_MAY_JOIN] = time.time()
    context = {
        "provider": at,
        "joined": ProviderAccount.objects.filter(user=person).first(),
        "goes_on": request.method == "POST" and not is_wrong,
        "mistake": NOT_YOUR_PASSWORD if is_wrong else "",
    }
    return render(request, "pages/provider.html", context, status=422 if is_wrong else 200)


@require_POST
def part(request: HttpRequest) -> HttpResponse:
    """Sign in here alone from now on."""
    person = signed_in(request)
    if provider.part(person):
        record("person.parted-provider", person, "Signs in here alone from now on", by=person)
        messages.success(request, "You sign in here alone from now on.")
    return redirect("you")


def _refused(request: HttpRequest, why: object) -> HttpResponse:
    messages.error(request, str(why))
    return redirect("you" if request.user.is_authenticated else "sign-in")
