"""Which small pictures of a scanned file are kept: of its head and tail, its shots, its faults, and some between."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterable, Iterator, Sequence
from contextlib import suppress
from itertools import pairwise
from pathlib import Path

from brisk_core.errors import UnreadableFile
from brisk_core.facts import REGISTRY, Inspection, Kind, keys
from brisk_core.frames.find import exact_frames, frames_to_decode
from brisk_core.packets import PacketSeries
from brisk_core.reading import Source
from brisk_core.reading.shown import frame_path
from brisk_core.scan.small_pictures import INTO, evenly, write_small

_MOST_SHOTS = 2000
_NEAR = 12  # frames after the head of a shot within which a picture may stand for it
_MOST_PLACES = 8  # of one characteristic
_DECODED, _DECODED_SHARE = 100, 0.03  # frames, or share of the file, that are decoded once more for what is missing


def shot_bounds(cuts: Iterable[int], frames: int) -> list[tuple[int, int]]:
    """Return first frame and end of each shot."""
    return list(pairwise([0, *cuts, frames]))


def of_shot(kept: Sequence[int], start: int, end: int) -> int | None:
    """Return the number of the picture that stands for a shot: of those kept (ascending), the nearest to its head."""
    inside = kept[bisect_left(kept, start) : bisect_left(kept, end)]
    return min(inside, key=lambda number: abs(number - start - INTO), default=None)


def kept_numbers(folder: Path) -> list[int]:
    """Return the numbers of the small pictures in a folder, in ascending order."""
    return sorted(int(path.stem) for path in folder.glob("*.jpg") if path.stem.isdigit()) if folder.is_dir() else []


def settle_small_pictures(
    source: Source, series: PacketSeries, series_path: Path, folder: Path, facts: Inspection
) -> None:
    """Leave the small pictures that matter, and make those that the scan could not foresee.

    Few frames are decoded for it, the faults' before the shots'; what would cost more is left to whoever asks.
    """
    frames = len(series)
    kept = kept_numbers(folder)
    wanted = [0, *_first_of_faults(facts, frames), frames - 1]  # what matters more stands before what matters less
    for start, end in shot_bounds([span.start for span in facts[keys.CONTENT_CUTS] or ()], frames)[:_MOST_SHOTS]:
        there = of_shot(kept, start, end)
        wanted.append(there if there is not None and there - start < _NEAR else min(start + INTO, end - 1))
    wanted += evenly(frames)
    for number in set(kept) - set(wanted):
        frame_path(folder, number).unlink(missing_ok=True)
    missing = [number for number in dict.fromkeys(wanted) if number not in set(kept)]
    affordable = _affordable(series, missing)
    if affordable:
        with suppress(UnreadableFile):  # then nothing more can be shown of it, and the facts say why
            for number, frame in exact_frames(source, series_path, affordable):
                write_small(frame, folder, number)


def _affordable(series: PacketSeries, missing: Sequence[int]) -> list[int]:
    """Those of some frames that the allowed decoding suffices for, the first ones before the later; ascending."""
    left = _DECODED + int(_DECODED_SHARE * len(series))
    chosen: list[int] = []
    for number, away in zip(missing, frames_to_decode(series, missing), strict=True):
        at = bisect_left(chosen, number)
        cost = min(int(away), number - chosen[at - 1] if at else number) + 1
        if cost <= left:
            left -= cost
            chosen.insert(at, number)
    return chosen


def _first_of_faults(facts: Inspection, frames: int) -> Iterator[int]:
    """The first frame of each place that the facts name."""
    for characteristic in REGISTRY.values():
        if characteristic.kind is Kind.SPANS and characteristic.id != keys.CONTENT_CUTS.id:
            spans = facts.best(characteristic.id) or ()
            yield from (span.start for span in spans[:_MOST_PLACES] if 0 <= span.start < frames)
