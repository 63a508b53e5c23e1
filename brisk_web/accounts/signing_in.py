"""Signing in: throttled by name and by address, known devices keep their way in, sessions end when nobody acts."""

from __future__ import annotations

import time
from collections.abc import Callable
from datetime import timedelta
from typing import Any

from axes.helpers import get_client_ip_address
from axes.models import AccessAttempt
from django.conf import settings
from django.contrib.auth import get_user_model, logout
from django.contrib.auth.forms import AuthenticationForm
from django.contrib.auth.views import LoginView
from django.core import signing
from django.db.models import Sum
from django.http import HttpRequest, HttpResponse, HttpResponseBase
from django.shortcuts import redirect, render
from django.utils import timezone

from brisk_web.accounts.models import Preference

MOST_FROM_AN_ADDRESS = 40  #: sign-ins that may fail from one address within an hour, whatever the names
_WITHIN = timedelta(hours=1)
_DEVICE, _DEVICE_S = "brisk-device", 90 * 86_400  # a cookie by which a device is known, and how long
_LONGEST_AGENT = 300  # letters of what a browser says of itself
_LONGEST_NAME = 150  # letters of a name, as Django keeps it
#: In a session of somebody whose password was given by another person.
OWES_PASSWORD = "owes-password"  # noqa: S105 - a key, no password
SEEN = "seen"  #: in a session: the second at which its person acted last
SIGNED_IN_FROM = "signed-in-from"  #: in a session: browser, address and second at which it was begun
_SEEN_EVERY_S = 60
#: What somebody can reach who has not chosen a password of their own yet.
_WITHOUT_PASSWORD = ("/you/password", "/sign-out", "/session", "/notices/unread.json")
#: Addresses that pages ask by themselves, which are no sign of a person.
_BY_ITSELF = ("/session", "/notices/unread.json")


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

    def form_valid(self, form: AuthenticationForm) -> HttpResponse:
        answer = super().form_valid(form)
        if Preference.objects.filter(user=form.get_user(), password_given=True).exists():
            self.request.session[OWES_PASSWORD] = True
        self.request.session[SIGNED_IN_FROM] = {
            "agent": self.request.headers.get("User-Agent", "")[:_LONGEST_AGENT],
            "address": get_client_ip_address(self.request) or "",
            "at": time.time(),
        }
        answer.set_cookie(
            _DEVICE,
            signing.dumps(form.get_user().pk, salt=_DEVICE),
            max_age=_DEVICE_S,
            httponly=True,
            secure=settings.SESSION_COOKIE_SECURE,
            samesite="Lax",
            path="/sign-in",
        )
        return answer


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
        return self.answer(request)


def _is_an_act(request: HttpRequest) -> bool:
    """Does a person do this, and not a page that looks how far things are?"""
    by_itself = request.path in _BY_ITSELF or request.path.endswith("/state") or "X-Part" in request.headers
    return request.method not in ("GET", "HEAD") or not by_itself
