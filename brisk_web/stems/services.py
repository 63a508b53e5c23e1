"""Verbs of stem checks: begin, cancel."""

from __future__ import annotations

from collections.abc import Sequence

from django.contrib.auth.models import User
from django.db import transaction

from brisk_core.stems import MOST_STEMS
from brisk_web.house.services import record
from brisk_web.stems.adding_up import add_up
from brisk_web.stems.models import StemCheck, StemPart
from brisk_web.storage.models import MediaFile
from brisk_web.work import kernel

Chosen = tuple[MediaFile, int | None]  #: a file, and one of its tracks from 0 or None


class StemsRefused(Exception):
    """Stems that cannot be held against a mix, with a sentence."""


@transaction.atomic
def begin(mix: Chosen, stems: Sequence[Chosen], *, by: User | None) -> StemCheck:
    """Queue a stem check; raises ``StemsRefused`` for no stems, too many, or the mix itself among them."""
    if not 1 <= len(stems) <= MOST_STEMS:
        raise StemsRefused(f"met {len(stems)} stems; expected 1 to {MOST_STEMS}")
    if mix in stems:
        raise StemsRefused(f"{mix[0].name} is the mix; expected other sounds as its stems")
    check = StemCheck.objects.create(mix=mix[0], mix_track=mix[1])
    StemPart.objects.bulk_create(StemPart(stem_check=check, media_file=file, track=track) for file, track in stems)
    record("stems.begun", check, f"Held {len(stems)} stems against {mix[0].name}", by=by)
    add_up.knock(check.pk)
    return check


@transaction.atomic
def cancel(check: StemCheck, *, by: User | None) -> bool:
    """Stop a check that waits or runs; return whether there was anything to stop."""
    stopped = kernel.cancel(check)
    if stopped:
        record("stems.cancelled", check, f"Cancelled the {check}", by=by)
    return stopped
