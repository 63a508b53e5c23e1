"""The second step of signing in: a code of six digits by time (RFC 6238), or one of ten recovery codes."""

from __future__ import annotations

import math
import re
import secrets
from base64 import b32encode
from dataclasses import dataclass
from urllib.parse import quote, urlencode

import segno
from django.conf import settings
from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone
from django.utils.crypto import salted_hmac
from django_otp.models import Device
from django_otp.plugins.otp_static.models import StaticDevice, StaticToken
from django_otp.plugins.otp_totp.models import TOTPDevice, default_key

from brisk_web.accounts.roles import LEAD

RECOVERY_CODES = 10
_LETTERS = "abcdefghjkmnpqrstuvwxyz23456789"  # none that is taken for another
_DIGITS = re.compile(r"\d{6}")
_CODE_LETTERS = 10
_ISSUER = "Brisk Sentry"


class CodeRefused(Exception):
    """A code that does not let in, with a sentence."""


@dataclass(frozen=True, slots=True)
class Secret:
    """What a house and an authenticator app share, before it is proven that the app has it."""

    key: str  #: hexadecimal, 20 bytes

    @classmethod
    def new(cls) -> Secret:
        """Return a fresh one."""
        return cls(default_key())

    @property
    def in_words(self) -> str:
        """To be typed into an app: base 32, in groups of four."""
        text = b32encode(bytes.fromhex(self.key)).decode()
        return " ".join(text[at : at + 4] for at in range(0, len(text), 4))

    def picture(self, person: User) -> str:
        """To be photographed by an app: a QR code, as a ``data:`` address of an SVG."""
        named = quote(f"{_ISSUER}:{person.get_username()}")
        asked = urlencode({"secret": self.in_words.replace(" ", ""), "issuer": _ISSUER}, quote_via=quote)
        code = segno.make(f"otpauth://totp/{named}?{asked}", error="m")
        return str(code.svg_data_uri(scale=5, border=4, light="#fff"))


def has_second_step(person: User) -> bool:
    """Does this person sign in with a code beside the password?"""
    return bool(TOTPDevice.objects.filter(user=person, confirmed=True).exists())


def is_wanted_of(person: User) -> bool:
    """Does this house want a code of this person, whether they like it or not?"""
    if settings.SECOND_STEP_OF == "leads":
        return person.is_superuser or bool(person.groups.filter(name=LEAD).exists())
    return bool(settings.SECOND_STEP_OF == "everybody")


def codes_left(person: User) -> int:
    """How many recovery codes have not been used."""
    return int(StaticToken.objects.filter(device__user=person).count())


def check_code(person: User, text: str) -> bool:
    """Let in whoever knows a code, which is worth nothing afterwards; return whether it was a recovery code.

    Each wrong one doubles the time until the next is looked at. Raises ``CodeRefused``.
    """
    code = re.sub(r"[\s-]", "", text).lower()
    is_digits = bool(_DIGITS.fullmatch(code))
    with transaction.atomic():
        kind = TOTPDevice if is_digits else StaticDevice
        device = kind.objects.select_for_update().filter(user=person, confirmed=True).first()
        waits = _waits(device)
        right = device is not None and not waits and device.verify_token(code if is_digits else _kept(code))
    if waits:
        raise CodeRefused(f"Too many wrong codes; try again in {waits} second{'' if waits == 1 else 's'}.")
    if not right:
        raise CodeRefused(
            "That code is not right, or was used before. Wait for the next one that your app shows."
            if is_digits
            else "That is no code of six digits, and none of your recovery codes."
        )
    return not is_digits


def _waits(device: Device | None) -> int:
    """Whole seconds until a code is looked at again."""
    if device is None:
        return 0
    allowed, told = device.verify_is_allowed()
    if allowed or not told:
        return 0
    left: float = (told["locked_until"] - timezone.now()).total_seconds()
    return max(1, math.ceil(left))


@transaction.atomic
def begin(person: User, secret: Secret, code: str) -> list[str]:
    """Ask this person for a code from now on, once a first one proves that their app has the secret.

    Returns the recovery codes, which are shown once. Raises ``CodeRefused``.
    """
    User.objects.select_for_update().get(pk=person.pk)
    if has_second_step(person):
        raise CodeRefused("You sign in with a code already.")
    device = TOTPDevice(user=person, name=_ISSUER, key=secret.key)
    if not _DIGITS.fullmatch(code.replace(" ", "")) or not device.verify_token(code.replace(" ", "")):
        raise CodeRefused("That is not the code which your app should show now. Is its clock right?")
    return new_recovery_codes(person)


@transaction.atomic
def new_recovery_codes(person: User) -> list[str]:
    """Make ten recovery codes, which are shown once; earlier ones are worth nothing from now on."""
    StaticDevice.objects.filter(user=person).delete()
    device = StaticDevice.objects.create(user=person, name=_ISSUER)
    codes = ["".join(secrets.choice(_LETTERS) for _ in range(_CODE_LETTERS)) for _ in range(RECOVERY_CODES)]
    StaticToken.objects.bulk_create([StaticToken(device=device, token=_kept(code)) for code in codes])
    return [f"{code[:5]}-{code[5:]}" for code in codes]


@transaction.atomic
def remove(person: User) -> bool:
    """Ask this person for the password alone from now on; return whether they were asked for more."""
    removed = TOTPDevice.objects.filter(user=person).delete()[0]
    StaticDevice.objects.filter(user=person).delete()
    return bool(removed)


def _kept(code: str) -> str:
    """What is kept of a recovery code: enough to know it again, and nothing to sign in with."""
    return salted_hmac("recovery code", code, algorithm="sha256").hexdigest()[:16]
