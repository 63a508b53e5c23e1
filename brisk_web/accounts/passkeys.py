"""Signing in by a device that proves who holds it: passkeys (Web Authentication level 3), by ``fido2``.

A device asks its owner for a finger, a face or a number before it signs, so one of them stands for password and code.
"""

from __future__ import annotations

import ipaddress
import json
import secrets
import struct
from collections.abc import Callable, Mapping
from typing import Any, TypeVar

from django.contrib.auth.models import User
from django.db import transaction
from django.http import HttpRequest
from django.utils import timezone
from django.utils.crypto import constant_time_compare
from fido2.cose import CoseKey
from fido2.server import Fido2Server
from fido2.utils import websafe_encode
from fido2.webauthn import (
    AttestedCredentialData,
    AuthenticationResponse,
    AuthenticatorData,
    CollectedClientData,
    PublicKeyCredentialRpEntity,
    PublicKeyCredentialUserEntity,
    RegistrationResponse,
    ResidentKeyRequirement,
    UserVerificationRequirement,
)

from brisk_web.accounts.models import Passkey

MOST = 10  #: passkeys of one person
_LONGEST_ANSWER = 20_000  # letters of what a device answers
_HANDLE_BYTES = 32
_ENOUGH = f"You have {MOST} passkeys, which is as many as one may have; remove one first."
#: Whatever a stranger's bytes may do to those who read them.
_UNREADABLE = (
    ValueError,
    KeyError,
    TypeError,
    AttributeError,
    IndexError,
    AssertionError,
    RecursionError,
    struct.error,
)
_Read = TypeVar("_Read")


class PasskeyRefused(Exception):
    """A passkey that is not taken, with a sentence; ``owner`` where it is one of theirs."""

    def __init__(self, says: str, owner: User | None = None) -> None:
        super().__init__(says)
        self.owner = owner


def house_of(request: HttpRequest) -> str:
    """Return the name by which the house is opened here, without a port: what passkeys are made for."""
    host = request.get_host().lower()
    return host if host.endswith("]") else host.rpartition(":")[0] or host


def are_known_here(request: HttpRequest) -> bool:
    """Has anybody a passkey for the name by which the house is opened here?"""
    return bool(Passkey.objects.filter(house=house_of(request)).exists())


def why_none_here(request: HttpRequest) -> str:
    """Return a sentence where browsers make no passkeys for the address that is open, else nothing."""
    house = house_of(request)
    if _is_number(house):
        return f"This house is open at {house}, and passkeys are made for a name; open it by its name."
    if not request.is_secure() and house != "localhost" and not house.endswith(".localhost"):
        return f"This house is open at http://{house}; browsers make passkeys over https only."
    return ""


def begin_adding(request: HttpRequest, person: User) -> tuple[dict[str, Any], dict[str, Any]]:
    """Return what a browser is asked to make (``PublicKeyCredentialCreationOptionsJSON``), and what is kept until then.

    Raises ``PasskeyRefused``.
    """
    if said := why_none_here(request):
        raise PasskeyRefused(said)
    of_person = list(person.passkeys.all())
    if len(of_person) >= MOST:
        raise PasskeyRefused(_ENOUGH)
    handle = bytes(of_person[0].handle) if of_person else secrets.token_bytes(_HANDLE_BYTES)
    name = person.get_username()
    options, state = _server(request).register_begin(
        PublicKeyCredentialUserEntity(id=handle, name=name, display_name=person.get_full_name() or name),
        [AttestedCredentialData(bytes(one.credential)) for one in of_person],
        resident_key_requirement=ResidentKeyRequirement.REQUIRED,
        user_verification=UserVerificationRequirement.REQUIRED,
    )
    return dict(options.public_key), {"handle": handle.hex(), **state}


def add(request: HttpRequest, person: User, name: str, kept: Mapping[str, Any], answer: str) -> Passkey:
    """Keep the passkey that a browser made. Raises ``PasskeyRefused``."""
    server = _server(request)
    told = _read(lambda: RegistrationResponse.from_dict(_parsed(answer)))
    _refuse_frames(told.response.client_data)
    made: AuthenticatorData = _read(lambda: server.register_complete(kept, told))
    credential: AttestedCredentialData | None = made.credential_data
    if credential is None or credential.public_key.ALGORITHM not in CoseKey.supported_algorithms():
        raise PasskeyRefused("Your device made a key of a kind that this house cannot hold it to.")
    with transaction.atomic():
        User.objects.select_for_update().get(pk=person.pk)
        if person.passkeys.count() >= MOST:
            raise PasskeyRefused(_ENOUGH)
        added, is_new = Passkey.objects.get_or_create(
            credential_id=websafe_encode(credential.credential_id),
            defaults={
                "user": person,
                "name": name,
                "house": house_of(request),
                "handle": bytes.fromhex(kept["handle"]),
                "credential": bytes(credential),
                "sign_count": made.counter,
            },
        )
    if not is_new:
        raise PasskeyRefused("This house knows that passkey already.")
    return added


def begin_signing_in(request: HttpRequest) -> tuple[dict[str, Any], dict[str, Any]]:
    """Return what a browser is asked to sign (``PublicKeyCredentialRequestOptionsJSON``), and what is kept."""
    options, state = _server(request).authenticate_begin(user_verification=UserVerificationRequirement.REQUIRED)
    return dict(options.public_key), dict(state)


def owner_of(request: HttpRequest, kept: Mapping[str, Any], answer: str) -> Passkey:
    """Return the passkey that signed, and note that it did. Raises ``PasskeyRefused``."""
    told = _read(lambda: AuthenticationResponse.from_dict(_parsed(answer)))
    _refuse_frames(told.response.client_data)
    server = _server(request)
    with transaction.atomic():
        passkeys = Passkey.objects.select_for_update(of=("self",)).select_related("user")
        passkey = passkeys.filter(
            credential_id=websafe_encode(told.raw_id), house=house_of(request), user__is_active=True
        ).first()
        if passkey is None:
            raise PasskeyRefused("This house does not know that passkey. Sign in with your password, then add it.")
        credential = AttestedCredentialData(bytes(passkey.credential))
        _read(lambda: server.authenticate_complete(kept, [credential], told), passkey.user)
        if told.response.user_handle and not constant_time_compare(told.response.user_handle, bytes(passkey.handle)):
            raise PasskeyRefused("That passkey was made for somebody else.", passkey.user)
        counted = told.response.authenticator_data.counter
        if (counted or passkey.sign_count) and counted <= passkey.sign_count:
            says = "That passkey has counted backwards, as a copy of it does; sign in with your password and remove it."
            raise PasskeyRefused(says, passkey.user)
        passkey.sign_count, passkey.used_at = counted, timezone.now()
        passkey.save(update_fields=["sign_count", "used_at"])
    return passkey


def _refuse_frames(told: CollectedClientData) -> None:
    """Raise ``PasskeyRefused`` where the page that asked stood inside one of another house."""
    if told.cross_origin:
        raise PasskeyRefused("Passkeys are not taken from inside another page.")


def _server(request: HttpRequest) -> Fido2Server:
    """The side of the house, as it is opened here: no other origin is heard."""
    here = f"{request.scheme}://{request.get_host()}".lower()
    house = PublicKeyCredentialRpEntity(id=house_of(request), name="Brisk Sentry")
    return Fido2Server(house, verify_origin=lambda origin: constant_time_compare(origin.lower(), here))


def _parsed(answer: str) -> dict[str, Any]:
    """What a browser sent, in JSON; raises what ``_read`` hears."""
    if len(answer) > _LONGEST_ANSWER:
        raise ValueError(f"{len(answer)} letters")
    return dict(json.loads(answer))


def _read(reading: Callable[[], _Read], owner: User | None = None) -> _Read:
    """Return what is read of a stranger's bytes. Raises ``PasskeyRefused`` for whatever it is not."""
    try:
        return reading()
    except _UNREADABLE as error:
        says = "The answer of your device is not right for this house, or came too late; begin again."
        raise PasskeyRefused(says, owner) from error


def _is_number(house: str) -> bool:
    try:
        ipaddress.ip_address(house.strip("[]"))
    except ValueError:
        return False
    return True
