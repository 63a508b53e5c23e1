"""The destinations of the demonstration: the stand-ins that ``./start`` runs, at the ports it gave them."""

from __future__ import annotations

import os
from pathlib import Path

from django.conf import settings
from django.contrib.auth.models import User

from brisk_standins.intake import public_key_of
from brisk_standins.site import TOKEN
from brisk_web.handoff.models import Destination
from brisk_web.handoff.services import keep_destination

_SITE, _PLAYER = "Pebbleview", "Visitor desk player"
_DECK = ("deck", "canal-lock")  # who the deck lets in, as brisk_standins has it


def load_destinations(lead: User) -> None:
    """Keep Channel Merrow's intake, the deck of Wherry House and others; a later start gives them new ports."""
    outside = Path(settings.DATA_FOLDER) / "outside"
    for name in ("merrow", "wherry", "discs"):
        (outside / name).mkdir(parents=True, exist_ok=True)
    ftp, line = os.environ.get("BRISK_FTP_PORT", "8868"), os.environ.get("BRISK_LINE_PORT", "8869")
    site_at = f"http://127.0.0.1:{os.environ.get('BRISK_SITE_PORT', '8870')}/api"
    deck_at = {"address": f"ftp://127.0.0.1:{ftp}/", "asked_at": f"127.0.0.1:{line}"}
    _load_newer(site_at, outside / "discs", lead)
    if Destination.objects.exclude(name__in=(_SITE, _PLAYER)).exists():
        Destination.objects.filter(name="Wherry House deck").update(**deck_at)
        return
    keep_destination(
        Destination(
            name="Channel Merrow intake",
            kind=Destination.Kind.FOLDER,
            address=str(outside / "merrow"),
            answers=Destination.Answers.RECEIPT,
            receipt_key=public_key_of(outside / "keys"),
            package="mhl md5",
            name_rule="OLP_{title}_{size}_{rate}{scan}_V{attempt:2}",
            name_case="upper",
            name_signs="A-Za-z0-9_",
            name_length=60,
        ),
        secret="",
        by=lead,
    )
    user, password = _DECK
    keep_destination(
        Destination(
            name="Wherry House deck",
            kind=Destination.Kind.FTP,
            user=user,
            answers=Destination.Answers.DECK,
            brings_along=False,
            **deck_at,
        ),
        secret=password,
        by=lead,
    )


def _load_newer(address: str, discs: Path, lead: User) -> None:
    """Keep Pebbleview and the disc player, or give them their new ports."""
    player_at = f"http://127.0.0.1:{os.environ.get('BRISK_PLAYER_PORT', '8871')}/"
    if not Destination.objects.filter(name=_PLAYER).update(asked_at=player_at):
        folder = {"kind": Destination.Kind.FOLDER, "address": str(discs), "answers": Destination.Answers.PLAYER}
        keep_destination(Destination(name=_PLAYER, asked_at=player_at, **folder), secret="", by=lead)
    if not Destination.objects.filter(name=_SITE).update(address=address):
        kinds = {"kind": Destination.Kind.SITE, "answers": Destination.Answers.COPIES}
        keep_destination(Destination(name=_SITE, address=address, **kinds), secret=TOKEN, by=lead)
