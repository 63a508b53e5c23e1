"""Signing in: throttled by name and by address, known devices keep their way in, a code after the password where a
person asked for it, sessions end when nobody acts.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from datetime import timedelta
from enum import StrEnum
from typing import Any

from axes.helpers import get_client_ip_address
from axes.models import AccessAttempt
from django.conf import settings
from django.contrib import messages
from django.contrib.auth import get_user_model, login, logout, user_login_failed
from django.contrib.auth.forms import AuthenticationForm
from django.contrib.auth.models import User
from django.contrib.auth.views import LoginView
from django.core import signing
from django.db.models import Sum
from django.http import HttpRequest, HttpResponse, HttpResponseBase, HttpResponseRedirect
from django.shortcuts import redirect, render, resolve_url
from django.utils import timezone
from django.utils.crypto import constant_time_compare
from django.utils.decorators import method_decorator
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.cache import never_cache
from django.views.decorators.debug import sensitive_post_parameters
from django.views.generic import View

from brisk_web.accounts import passkeys, second_step
from brisk_web.accounts.models import Preference
from brisk_web.accounts.second_step import CodeRefused

MOST_FROM_AN_ADDRESS = 40  #: sign-ins that may fail from one address within an hour, whatever the names
_WITHIN = timedelta(hours=1)
_DEVICE, _DEVICE_S = "brisk-device", 90 * 86_400  # a cookie by which a device is known, and how long
_LONGEST_AGENT = 300  # letters of what a browser says of itself
_LONGEST_NAME = 150  # letters of a name, as Django keeps it
#: In a session of somebody whose password was given by another person.
OWES_PASSWORD = "owes-password"  # noqa: S105 - a key, no password
_STEPS_OF_ITS_OWN = "by-provider"  # in a session: it was begun by a provider or a passkey, which ask enough themselves
_STEP_TAKEN = "step-taken"  # in a session: its person is asked for a code at every sign-in
SEEN = "seen"  #: in a session: the second at which its person acted last
SIGNED_IN_FROM = "signed-in-from"  #: in a session: browser, address and second at which it was begun
_SEEN_EVERY_S = 60
_PENDING, _PENDING_S = "second-step", 600  # in a session: who is known and owes a code, and for how long
_LONGEST_CODE = 40  # letters
_BACKEND = "django.contrib.auth.backends.ModelBackend"  # of whoever is known by now
#: What somebody can reach who has not chosen a password of their own yet.
_WITHOUT_PASSWORD = ("/you/password", "/sign-out", "/session", "/notices/unread.json")
#: What somebody can reach of whom the house wants a second step that is not switched on yet.
_WITHOUT_STEP = ("/you/second-step", *_WITHOUT_PASSWORD)
#: Addresses that pages ask by themselves, which are no sign of a person.
_BY_ITSELF = ("/session", "/notices/unread.json")


class Way(StrEnum):
    """By what somebody is known."""

    PASSWORD = "password"  # noqa: S105 - a kind, no password
    PROVIDER = "provider"
    PASSKEY = "passkey"


def failed_from(address: str | None) -> int:
    """How many sign-ins have failed from an address within the last hour."""
    lately = AccessAttempt.objects.filter(ip_address=address, attempt_time__gt=timezone.now() - _WITHIN)
    return int(lately.aggregate(all=Sum("failures_since_start"))["all"] or 0)


def is_known_device(request: HttpRequest, name: str) -> bool:
    """Has this person signed in from this device before? Others who guess cannot shut such a one out."""
    try:
        known = signing.loads(request.COOKIES.get(_DEVICE, ""), salt=_DEVICE, max_age=_DEVICE_S)
    except signing.BadSignature:
        return False
    return bool(get_user_model().objects.filter(pk=known, username=name).exists())


class SignIn(LoginView):
    """The page to sign in; from an address where too many have failed nobody gets in but who is known there."""

    template_name = "accounts/sign_in.html"
    redirect_authenticated_user = True

    def post(self, request: HttpRequest, *args: Any, **more: Any) -> HttpResponse:
        name = request.POST.get("username", "").replace("\x00", "")[:_LONGEST_NAME]
        sent = request.POST.copy()
        sent["username"] = name  # no longer one could be anybody's
        request.POST = sent  # type: ignore[assignment]
        if failed_from(get_client_ip_address(request)) >= MOST_FROM_AN_ADDRESS and not is_known_device(request, name):
            return render(request, "accounts/locked_out.html", {"by_address": True}, status=429)
        answer: HttpResponse = super().post(request, *args, **more)
        return answer

    def get_context_data(self, **more: Any) -> dict[str, Any]:
        return super().get_context_data(**more) | {
            "provider": settings.SIGN_IN_PROVIDER,
            "passkeys": passkeys.are_known_here(self.request),
        }

    def form_valid(self, form: AuthenticationForm) -> HttpResponse:
        return known(self.request, form.get_user(), self.get_success_url())


def wanted_next(request: HttpRequest) -> str:
    """Return the address of this house that ``next`` names, or where everybody begins."""
    to: str = request.GET.get("next", "")
    if url_has_allowed_host_and_scheme(to, {request.get_host()}, require_https=request.is_secure()):
        return to
    return resolve_url(settings.LOGIN_REDIRECT_URL)


def known(request: HttpRequest, person: User, to: str, way: Way = Way.PASSWORD) -> HttpResponse:
    """Sign a person in who is known by now, or ask for their code first; then they go to an address of this house.

    A passkey is asked for no code: its device has asked who holds it.
    """
    if way is Way.PASSKEY or not second_step.has_second_step(person):
        return _let_in(request, person, to, way)
    request.session[_PENDING] = {
        "person": person.pk,
        "way": way,
        "password": person.get_session_auth_hash(),
        "at": time.time(),
        "next": to,
    }
    return redirect("sign-in-code")


def _let_in(request: HttpRequest, person: User, to: str, way: Way) -> HttpResponse:
    """Sign a person in, note from where, and know their device from now on."""
    login(request, person, _BACKEND)
    if way is Way.PASSWORD and Preference.objects.filter(user=person, password_given=True).exists():
        request.session[OWES_PASSWORD] = True
    request.session[_STEPS_OF_ITS_OWN] = way is not Way.PASSWORD
    request.session[SIGNED_IN_FROM] = {
        "agent": request.headers.get("User-Agent", "")[:_LONGEST_AGENT],
        "address": get_client_ip_address(request) or "",
        "at": time.time(),
    }
    answer = HttpResponseRedirect(to)  # an address, not the name of one
    answer.set_cookie(
        _DEVICE,
        signing.dumps(person.pk, salt=_DEVICE),
        max_age=_DEVICE_S,
        httponly=True,
        secure=settings.SESSION_COOKIE_SECURE,
        samesite="Lax",
        path="/sign-in",
    )
    return answer


@method_decorator([never_cache, sensitive_post_parameters()], name="dispatch")
class SignInCode(View):
    """The page that asks for a code, of those whom the step before has made known within the last ten minutes."""

    template_name = "accounts/code.html"

    def get(self, request: HttpRequest) -> HttpResponse:
        if _pending(request) is None:
            return redirect("sign-in")
        return render(request, self.template_name)

    def post(self, request: HttpRequest) -> HttpResponse:
        person, pending = _pending(request), request.session.get(_PENDING, {})
        if person is None:
            messages.error(request, "That was too long ago; begin again.")
            return redirect("sign-in")
        try:
            was_recovery = second_step.check_code(person, request.POST.get("code", "")[:_LONGEST_CODE])
        except CodeRefused as error:
            # As a wrong password is: the throttles count it, and the trail tells.
            user_login_failed.send(__name__, credentials={"username": person.get_username()}, request=request)
            return render(request, self.template_name, {"mistake": error}, status=422)
        del request.session[_PENDING]
        answer = _let_in(request, person, pending["next"], Way(pending["way"]))
        if was_recovery:
            left = second_step.codes_left(person)
            says = f"That was one of your recovery codes; {left} {'is' if left == 1 else 'are'} left."
            messages.warning(request, f"{says} You can make new ones on your own page.")
        return answer


def _pending(request: HttpRequest) -> User | None:
    """Who is known by the step before and owes a code; ``None`` after ten minutes, or a changed password."""
    told = request.session.get(_PENDING)
    if not isinstance(told, dict) or time.time() - told["at"] > _PENDING_S:
        return None
    person = User.objects.filter(pk=told["person"], is_active=True).first()
    if person is None or not constant_time_compare(person.get_session_auth_hash(), told["password"]):
        return None
    return person


class IdleSession:
    """Ends a session in which nobody has acted for a while; what pages ask by themselves does not count."""

    def __init__(self, answer: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.answer = answer

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        if request.user.is_authenticated:
            now, seen = time.time(), request.session.get(SEEN)
            if isinstance(seen, int | float) and now - seen > settings.IDLE_S:
                logout(request)
            elif seen is None or (now - seen > _SEEN_EVERY_S and _is_an_act(request)):
                request.session[SEEN] = now
            if request.session.get(OWES_PASSWORD) and request.path not in _WITHOUT_PASSWORD:
                return redirect("password")
            if request.path not in _WITHOUT_STEP and _owes_step(request):
                return redirect("second-step")
        return self.answer(request)


def _owes_step(request: HttpRequest) -> bool:
    """Does the house want a second step of this person, who has none? Providers and passkeys have their own."""
    person, session = request.user, request.session
    if not settings.SECOND_STEP_OF or not isinstance(person, User):
        return False
    if session.get(_STEP_TAKEN) or session.get(_STEPS_OF_ITS_OWN) or not second_step.is_wanted_of(person):
        return False
    if second_step.has_second_step(person):
        session[_STEP_TAKEN] = True
        return False
    return True


def _is_an_act(request: HttpRequest) -> bool:
    """Does a person do this, and not a page that looks how far things are?"""
    by_itself = request.path in _BY_ITSELF or request.path.endswith("/state") or "X-Part" in request.headers
    return request.method not in ("GET", "HEAD") or not by_itself
