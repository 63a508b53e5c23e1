"""Verbs of masters: find a comparison, ask for one, ask for it again, cancel it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction

from brisk_core.facts import Depth, keys
from brisk_core.master import ordered_frames
from brisk_core.version import ENGINE
from brisk_web.edits.models import Timeline
from brisk_web.house.services import record
from brisk_web.inspections.models import Inspection
from brisk_web.masters.comparing import compare
from brisk_web.masters.models import Comparison
from brisk_web.work import kernel


@dataclass(frozen=True, slots=True, kw_only=True)
class Pair:
    """A file, a master, and the part of the timeline that the file should hold."""

    own: Inspection
    master: Inspection
    timeline: Timeline | None = None  #: names the shots, and says which frames a range means
    start: int | None = None  #: first frame of the timeline that is ordered, ``None`` for all of it
    end: int | None = None  #: first frame after

    def key(self) -> dict[str, Any]:
        """Return what the comparison of this pair is kept by, with the frames of the master that are ordered."""
        start, end = self._ordered() or (None, None)
        return {
            "inspection": self.own, "master": self.master, "ordered_start": start, "ordered_end": end,
            "engine": ENGINE,
        }  # fmt: skip

    def _ordered(self) -> tuple[int, int] | None:
        facts = self.master.facts
        if self.timeline is None or self.start is None or facts is None:
            return None
        rate, frames = facts[keys.PICTURE_FRAME_RATE], facts[keys.PICTURE_FRAME_COUNT]
        if not rate or not frames:
            return None
        return ordered_frames(self.timeline.edit, self.timeline.covered(self.start, self.end), rate, frames)

    @property
    def can_be_compared(self) -> bool:
        """Are they two, with pictures and sound of both scanned?"""
        return self.own != self.master and _is_whole(self.own) and _is_whole(self.master)


def _is_whole(inspection: Inspection) -> bool:
    facts = inspection.facts if inspection.state == Inspection.State.DONE else None
    return bool(facts and facts.depth is Depth.FULL and inspection.load_scan())


def find(pair: Pair) -> Comparison | None:
    """Return the comparison of a pair by this engine, in whatever state it is; ``None`` when nobody asked for it."""
    return Comparison.objects.filter(**pair.key()).first()


@transaction.atomic
def ask(pair: Pair, *, by: User | None = None) -> Comparison | None:
    """Queue the comparison of a pair; return it, or ``None`` while either is not scanned.

    One that is known stays as it is: a failed or cancelled one waits until a person asks again.
    """
    if not pair.can_be_compared:
        return None
    comparison, new = Comparison.objects.get_or_create(**pair.key(), defaults={"timeline": pair.timeline})
    if new:
        record("comparison.asked", comparison, f"Asked to hold {comparison.in_words}", by=by)
        compare.knock(comparison.pk)
    return comparison


@transaction.atomic
def ask_again(pair: Pair, *, by: User | None) -> Comparison | None:
    """Queue the comparison of a pair because a person asks, also one that has failed or was cancelled."""
    comparison = ask(pair, by=by)
    if comparison and comparison.state in (Comparison.State.FAILED, Comparison.State.CANCELLED):
        compare.queue(comparison, document=None)
        record("comparison.asked", comparison, f"Asked again to hold {comparison.in_words}", by=by)
    return comparison


@transaction.atomic
def cancel(comparison: Comparison, *, by: User | None) -> bool:
    """Stop a comparison that waits or runs; return whether there was anything to stop."""
    stopped = kernel.cancel(comparison)
    if stopped:
        record("comparison.cancelled", comparison, f"Cancelled holding {comparison.in_words}", by=by)
    return stopped
