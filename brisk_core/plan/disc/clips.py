"""Clips on a disc: what the tables of the disc's specs allow, and chapters on pictures that a player can enter."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from brisk_core.exact import spell_rate, spell_seconds
from brisk_core.facts import keys
from brisk_core.plan.disc.items import Chapter, Clip, Disc
from brisk_core.plan.disc.kinds import FAMILY_OF_RATE
from brisk_core.plan.order import Picture, Row, nearest_rows
from brisk_core.spec import Finding, Outcome, Spec, judge

#: What an authoring step refuses: the format of picture and sound, not how they were rendered.
_FORMAT = (
    keys.PICTURE_CODEC.id, keys.PICTURE_SIZE.id, keys.PICTURE_FRAME_RATE.id, keys.PICTURE_SCAN.id,
    keys.PICTURE_CHROMA.id, keys.PICTURE_DISPLAY_ASPECT.id, keys.PICTURE_BIT_DEPTH.id, keys.SOUND_CODEC.id,
    keys.SOUND_SAMPLE_RATE.id,
)  # fmt: skip
_LEAST_APART = 1  # seconds between chapters


@dataclass(frozen=True, slots=True, kw_only=True)
class Allowed:
    """What the tables of a disc say of a clip."""

    clip: Clip
    spec: Spec | None  #: the one that it comes nearest to; None where no spec is at hand
    refused: tuple[Finding, ...]  #: lines that it does not meet
    unknown: tuple[Finding, ...]  #: lines of which the plan says nothing
    nearest: Row | None  #: the least harmful row that is allowed, where it is refused


def allowed(disc: Disc, clip: Clip, specs: Sequence[Spec]) -> Allowed:
    """Return what a disc's specs say of a clip: it is allowed when one of them refuses nothing."""
    best: Allowed | None = None
    for spec in specs:
        asked = {line.id for line in spec.lines if line.characteristic.id in _FORMAT}
        of_format = list(judge(spec, clip.planned, integrity=False, only=asked).findings)
        silent = keys.SOUND_CODEC.id, keys.SOUND_SAMPLE_RATE.id
        if clip.planned[keys.SOUND_TRACKS] == 0:  # no sound is no sound of a wrong kind
            of_format = [one for one in of_format if one.line.characteristic.id not in silent]
        found = Allowed(
            clip=clip,
            spec=spec,
            refused=tuple(one for one in of_format if one.outcome is Outcome.FAIL),
            unknown=tuple(one for one in of_format if one.outcome is Outcome.NOT_MEASURED),
            nearest=None,
        )
        if best is None or len(found.refused) < len(best.refused):
            best = found
    if best is None:
        return Allowed(clip=clip, spec=None, refused=(), unknown=(), nearest=None)
    if not best.refused:
        return best
    source = Picture(
        size=clip.size,
        rate=clip.rate,
        interlaced=clip.planned.best(keys.PICTURE_SCAN.id) == "interlaced",
        shape=clip.planned.best(keys.PICTURE_DISPLAY_ASPECT.id),
    )
    rows = nearest_rows(source, specs)
    return Allowed(
        clip=clip, spec=best.spec, refused=best.refused, unknown=best.unknown, nearest=rows[0] if rows else None
    )


def mixed_families(disc: Disc) -> Iterator[tuple[Clip, str]]:
    """Yield the clips whose rate belongs to the other television family, with a sentence each."""
    for clip in disc.clips:
        family = FAMILY_OF_RATE.get(clip.rate)
        if family and family != disc.family:
            ours = "30/1.001" if disc.family == "30" else disc.family
            yield clip, f"{clip.name} has {spell_rate(clip.rate)} frames a second; the disc is of the {ours} family"


def chapter_troubles(disc: Disc, clip: Clip) -> Iterator[tuple[Chapter, str]]:
    """Yield the chapters that a player cannot enter exactly, or that are too near to each other, and say so."""
    before: Chapter | None = None
    for number, chapter in enumerate(clip.chapters, 1):
        name = f"chapter {number}" + (f" “{chapter.name}”" if chapter.name else "")
        if before is not None and (chapter.frame - before.frame) < _LEAST_APART * clip.rate:
            apart = spell_seconds((chapter.frame - before.frame) / clip.rate)
            yield chapter, f"{clip.name}: {name} is {apart} after the one before it; chapters are at least 1 s apart"
        before = chapter
        if clip.entries is None:
            continue
        near = nearest_entries(clip, chapter.frame)
        if chapter.frame not in near:
            places = " and ".join(f"frame {one}" for one in near)
            says = f"is no picture that a player can enter; the nearest are {places}"
            yield chapter, f"{clip.name}: {name} at frame {chapter.frame} {says}"
        elif clip.open_groups and chapter.frame:
            says = "enters an open group: the pictures before its first whole one are lost on a jump"
            yield chapter, f"{clip.name}: {name} at frame {chapter.frame} {says}"


def nearest_entries(clip: Clip, frame: int) -> list[int]:
    """Return the frame itself where a player can enter it, or the last such frame before it and the first one after."""
    entries = clip.entries or ()
    at = bisect_left(entries, frame)
    if at < len(entries) and entries[at] == frame:
        return [frame]
    return [entries[one] for one in (at - 1, at) if 0 <= one < len(entries)]
