"""Signing in by the account that people have at the provider of their house: OpenID Connect, with its code flow."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from typing import Any

import requests
from authlib.common.errors import AuthlibBaseError
from authlib.integrations.django_client import OAuth
from django.conf import settings
from django.contrib.auth.models import User
from django.db import IntegrityError, transaction
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseRedirect
from joserfc.errors import JoseError

from brisk_web.accounts.models import ProviderAccount
from brisk_web.config.environment import Provider

_ANSWERS_WITHIN_S = 10
_SIGNED_BY = ("RS", "PS", "ES", "Ed")  # begins of the names of algorithms with a key that the provider alone has
_LONGEST = 255  # letters of what is kept


class ProviderRefused(Exception):
    """Somebody who cannot be signed in by the provider, with a sentence."""


def of_house() -> Provider:
    """Return the provider of this house; raises ``Http404`` where it has none."""
    if settings.SIGN_IN_PROVIDER is None:
        raise Http404("this house has no provider to sign in by")
    return settings.SIGN_IN_PROVIDER


def go_to(request: HttpRequest, back: str) -> HttpResponse:
    """Send the browser to the provider, which sends it to ``back``. Raises ``ProviderRefused``."""
    provider = of_house()
    try:
        answer: HttpResponseRedirect = _client(provider).authorize_redirect(request, back)
    except (requests.RequestException, ValueError, AuthlibBaseError) as error:
        raise ProviderRefused(f"{provider.name} does not answer; sign in with your password.") from error
    return answer


def claims_of(request: HttpRequest) -> Mapping[str, Any]:
    """Return what the provider says of whoever it sent back, once it is proven. Raises ``ProviderRefused``."""
    provider = of_house()
    try:
        claims = _client(provider).authorize_access_token(request).get("userinfo")
    except requests.RequestException as error:
        raise ProviderRefused(f"{provider.name} does not answer; sign in with your password.") from error
    except (AuthlibBaseError, JoseError, ValueError, RuntimeError, KeyError, TypeError) as error:
        if getattr(error, "error", "") == "access_denied":
            raise ProviderRefused(f"{provider.name} did not let you in.") from error
        raise ProviderRefused(f"What {provider.name} sent does not fit what was asked; begin again.") from error
    if not claims or not isinstance(claims.get("sub"), str) or not 0 < len(claims["sub"]) <= _LONGEST:
        raise ProviderRefused(f"{provider.name} does not say who you are.")
    return dict(claims)


def person_of(claims: Mapping[str, Any]) -> tuple[User | None, bool]:
    """Return whose account it is, and whether it was joined to theirs just now, by the claim that the house named."""
    provider = of_house()
    known = ProviderAccount.objects.filter(issuer=provider.issuer, subject=claims["sub"]).select_related("user").first()
    if known is not None:
        return (known.user, False) if known.user.is_active else (None, False)
    name = claims.get(provider.match) if provider.match else None
    if not isinstance(name, str) or (provider.match == "email" and claims.get("email_verified") is not True):
        return None, False
    person = User.objects.filter(username=name.replace("\x00", ""), is_active=True, is_superuser=False).first()
    if person is None or hasattr(person, "provider_account"):
        return None, False
    join(person, claims)
    return person, True


def join(person: User, claims: Mapping[str, Any]) -> None:
    """Let a person sign in by this account of the provider. Raises ``ProviderRefused`` where it is somebody's."""
    provider = of_house()
    try:
        with transaction.atomic():
            ProviderAccount.objects.update_or_create(
                user=person, defaults={"issuer": provider.issuer, "subject": claims["sub"]}
            )
    except IntegrityError as error:
        raise ProviderRefused(f"Somebody else of this house signs in by that account of {provider.name}.") from error


def part(person: User) -> bool:
    """Let a person sign in here alone; return whether they could otherwise."""
    return bool(ProviderAccount.objects.filter(user=person).delete()[0])


@lru_cache(maxsize=2)
def _client(provider: Provider) -> Any:
    client = OAuth().register(
        "provider",
        client_id=provider.client,
        client_secret=provider.secret,
        server_metadata_url=f"{provider.issuer}/.well-known/openid-configuration",
        client_kwargs={
            "scope": "openid profile email",
            "code_challenge_method": "S256",
            "default_timeout": _ANSWERS_WITHIN_S,
        },
    )
    told = client.load_server_metadata()
    if str(told.get("issuer", "")).rstrip("/") != provider.issuer:
        raise ValueError(f"met {told.get('issuer')!r} as the issuer; expected {provider.issuer!r}")
    named = told.get("id_token_signing_alg_values_supported") or ["RS256"]
    told["id_token_signing_alg_values_supported"] = [one for one in named if str(one).startswith(_SIGNED_BY)]
    return client
