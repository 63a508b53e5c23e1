"""What scripts ask about the person at the page."""

from __future__ import annotations

from django.contrib.auth.decorators import login_not_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.middleware.csrf import get_token
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_GET


@login_not_required
@never_cache
@require_GET
def session(request: HttpRequest) -> HttpResponse:
    """Is anybody signed in, and what is the token that forms are sent with now?"""
    return JsonResponse({"signedIn": request.user.is_authenticated, "token": get_token(request)})
