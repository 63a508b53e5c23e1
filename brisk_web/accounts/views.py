"""What scripts ask about the person at the page, and the way to the one page to sign in."""

from __future__ import annotations

from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.views import redirect_to_login
from django.core.exceptions import PermissionDenied
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.middleware.csrf import get_token
from django.urls import reverse
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_GET


@login_not_required
def to_sign_in(request: HttpRequest) -> HttpResponse:
    """The administration's own page to sign in: there is one for all. Whoever is signed in comes here refused."""
    if request.user.is_authenticated:
        raise PermissionDenied
    return redirect_to_login(request.GET.get("next") or reverse("admin:index"))


@login_not_required
@never_cache
@require_GET
def session(request: HttpRequest) -> HttpResponse:
    """Is anybody signed in, and what is the token that forms are sent with now?"""
    return JsonResponse({"signedIn": request.user.is_authenticated, "token": get_token(request)})
