"""Pages: one's passkeys, and signing in with one."""

from __future__ import annotations

import json
import time
from typing import Any

from django.contrib import messages
from django.contrib.auth import user_login_failed
from django.contrib.auth.decorators import login_not_required
from django.db import transaction
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.cache import never_cache
from django.views.decorators.debug import sensitive_post_parameters
from django.views.decorators.http import require_http_methods, require_POST

from brisk_web.accounts import passkeys
from brisk_web.accounts.passkeys import PasskeyRefused
from brisk_web.accounts.people import NOT_YOUR_PASSWORD, is_own_password, signed_in
from brisk_web.accounts.signing_in import Way, known, wanted_next
from brisk_web.house.services import record
from brisk_web.house.sessions import end_other_sessions
from brisk_web.ui.asking import words

_ADDS, _ASKED = "adds-passkey", "asked-passkey"  # in a session: what a browser was asked to make, and to sign
_ASKED_S = 600  # how long it may take
_LONGEST_NAME = 60


@login_not_required
@never_cache
@require_http_methods(["GET", "POST"])
def sign_in(request: HttpRequest) -> HttpResponse:
    """Ask a device to sign; sign in whoever it belongs to."""
    if request.user.is_authenticated:
        return HttpResponseRedirect(wanted_next(request))
    if request.method != "POST":
        options, kept = passkeys.begin_signing_in(request)
        request.session[_ASKED] = {"kept": kept, "at": time.time(), "next": wanted_next(request)}
        return render(request, "accounts/passkey.html", {"options": json.dumps(options)})
    asked = _taken(request, _ASKED)
    try:
        if asked is None:
            raise PasskeyRefused("That was too long ago; begin again.")
        passkey = passkeys.owner_of(request, asked["kept"], words(request.POST, "answer"))
    except PasskeyRefused as error:
        if error.owner:  # as a wrong password is: the throttles count it, and the trail tells
            user_login_failed.send(__name__, credentials={"username": error.owner.get_username()}, request=request)
        messages.error(request, str(error))
        return redirect("sign-in")
    return known(request, passkey.user, asked["next"], Way.PASSKEY)


def _taken(request: HttpRequest, name: str) -> dict[str, Any] | None:
    """What this session's browser was asked within the last minutes, once: an answer counts a single time."""
    asked = request.session.pop(name, None)
    return asked if isinstance(asked, dict) and time.time() - asked["at"] < _ASKED_S else None


def _show(request: HttpRequest, *, status: int = 200, **more: Any) -> HttpResponse:
    context = {
        "passkeys": signed_in(request).passkeys.order_by("-added_at"),
        "house": passkeys.house_of(request),
        "why_not": passkeys.why_none_here(request),
        **more,
    }
    answer = render(request, "pages/passkeys.html", context, status=status)
    answer["Cache-Control"] = "no-store"
    return answer


@require_http_methods(["GET", "POST"])
@sensitive_post_parameters()
def passkeys_of_one(request: HttpRequest) -> HttpResponse:
    """One's own passkeys; with the password and a name, the browser is asked to make another."""
    if request.method != "POST":
        return _show(request)
    name = " ".join(words(request.POST, "name").split())[:_LONGEST_NAME]
    if not name or signed_in(request).passkeys.filter(name=name).exists():
        says = "Give it a name by which you tell it from others."
        return _show(request, status=422, mistake=f"You have one called “{name}”. {says}" if name else says, name=name)
    if not is_own_password(request):
        return _show(request, status=422, mistake=NOT_YOUR_PASSWORD, name=name)
    try:
        options, kept = passkeys.begin_adding(request, signed_in(request))
    except PasskeyRefused as error:
        return _show(request, status=422, mistake=error, name=name)
    request.session[_ADDS] = {"kept": kept, "at": time.time(), "name": name}
    return _show(request, options=json.dumps(options), name=name)


@require_POST
def add(request: HttpRequest) -> HttpResponse:
    """Keep the passkey that the browser made."""
    person, asked = signed_in(request), _taken(request, _ADDS)
    if asked is None:
        return _show(request, status=422, mistake="That was too long ago; begin again.")
    try:
        with transaction.atomic():
            made = passkeys.add(request, person, asked["name"], asked["kept"], words(request.POST, "answer"))
            record("person.passkey-added", person, f"Added the passkey “{made.name}”", by=person)
    except PasskeyRefused as error:
        return _show(request, status=422, mistake=error, name=asked["name"])
    messages.success(request, f"“{made.name}” signs you in from now on; your password goes on working as well.")
    return redirect("passkeys")


@require_POST
@sensitive_post_parameters()
def remove(request: HttpRequest, passkey_id: int) -> HttpResponse:
    """Sign in no longer with one of one's passkeys; wherever else one is signed in, that ends."""
    person = signed_in(request)
    passkey = get_object_or_404(person.passkeys, pk=passkey_id)
    if not is_own_password(request):
        return _show(request, status=422, mistake=NOT_YOUR_PASSWORD)
    with transaction.atomic():
        record("person.passkey-removed", person, f"Removed the passkey “{passkey.name}”", by=person)
        passkey.delete()
        end_other_sessions(person, request.session.session_key)
    messages.success(
        request, f"“{passkey.name}” no longer signs you in. Wherever else you were signed in, you no longer are."
    )
    return redirect("passkeys")
