"""Two attempts at one deliverable: what was asked to change, did it, and did anything else?

What was asked are the lines that the earlier attempt did not pass, at their places. What changed is told by the map of
one attempt to the other: shots that moved, are missing, or have frames of their own; the similarity of their pictures;
and the lowest waves of every picture, which coding leaves alone and a change of light, shape or content does not.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from brisk_core.facts import Group, keys
from brisk_core.scan import ScanSeries

_OPEN = ("fail", "caution")
_OF_PICTURES = (Group.PICTURE.value, Group.SCAN.value, Group.LEVELS.value)
_WHOLE = 0.9  # share of the file from which a place is all of it
_WAVES = 128.0  # steps of a code value that waves are kept in
_OTHER_LIGHT = 0.8  # code values by which the lowest waves of a shot may differ (coding leaves 0.1 to 0.4)
_OTHER_PICTURE = 0.9  # SSIM below which a shot is another picture
_MOST_NAMED = 6


@dataclass(frozen=True, slots=True, kw_only=True)
class JudgedLine:
    """How a line was judged in one attempt."""

    id: str
    label: str
    group: str
    outcome: str
    spans: tuple[tuple[int, int], ...]  #: frames of that attempt


@dataclass(frozen=True, slots=True, kw_only=True)
class ShotChange:
    """One shot of the attempt that serves as the master of the comparison."""

    number: int
    name: str
    asked: bool  #: did the earlier attempt fail in it?
    changed: str  #: how, in words; "" for an identical one

    def __str__(self) -> str:
        return f"{self.number} “{self.name}”" if self.name else str(self.number)


@dataclass(frozen=True, slots=True, kw_only=True)
class AttemptsTold:
    """What two attempts say together."""

    sentence: str
    mended: tuple[str, ...]  #: labels of lines
    still: tuple[str, ...]
    broken: tuple[str, ...]  #: passed before and do not pass any more
    shots: tuple[ShotChange, ...]

    @property
    def right(self) -> bool:
        """Is everything mended, and nothing else changed?"""
        return not self.still and not self.broken and not any(one.changed and not one.asked for one in self.shots)


def tell_attempts(
    later_number: int,
    earlier: Sequence[JudgedLine],
    later: Sequence[JudgedLine],
    document: Mapping[str, Any],
    scans: tuple[ScanSeries | None, ScanSeries | None],
    *,
    earlier_is_master: bool,
) -> AttemptsTold:
    """Return what changed from one attempt to a later one.

    ``document`` is their comparison (``brisk-sentry/against/1``), whose master is the earlier or the later of the two;
    ``scans`` are those of its file and of its master.
    """
    before = {line.id: line for line in earlier}
    after = {line.id: line for line in later}
    asked = [line for line in earlier if line.outcome in _OPEN]
    mended = [line for line in asked if line.id in after and after[line.id].outcome == "pass"]
    still = [line for line in asked if line.id in after and after[line.id].outcome in _OPEN]
    broken = [
        line for line in later if line.outcome in _OPEN and line.id in before and before[line.id].outcome == "pass"
    ]
    frames = document["frames"][1 if earlier_is_master else 0]
    rows = (document["held"][keys.MASTER_MAP.id]["document"] or {}).get("shots", [])
    distances = _distances(rows, scans)
    likes = document.get("shot_similarity") or [None] * len(rows)
    shots = tuple(
        ShotChange(
            number=row["number"],
            name=row["name"],
            asked=any(_asks(line, row, frames, earlier_is_master=earlier_is_master) for line in asked),
            changed=_change(row, like, distance),
        )
        for row, like, distance in zip(rows, likes, distances, strict=True)
        if not row["outside"]
    )
    sentence = _sentence(
        later_number, mended, still, broken, shots, document, asked, earlier_is_master=earlier_is_master
    )
    return AttemptsTold(
        sentence=sentence,
        mended=tuple(line.label for line in mended),
        still=tuple(line.label for line in still),
        broken=tuple(line.label for line in broken),
        shots=shots,
    )


def _place(row: Mapping[str, Any], *, earlier_is_master: bool) -> tuple[int, int] | None:
    """Where a shot lies in the earlier attempt, in its frames."""
    if earlier_is_master:
        return row["start"], row["end"]
    if row["file_start"] is None or row["file_end"] is None:
        return None
    return row["file_start"], row["file_end"]


def _asks(line: JudgedLine, row: Mapping[str, Any], frames: int, *, earlier_is_master: bool) -> bool:
    """Does a line that was not passed ask for a change of this shot's pictures?"""
    covered = sum(end - start for start, end in line.spans)
    if not line.spans or covered >= _WHOLE * frames:
        return line.group in _OF_PICTURES
    place = _place(row, earlier_is_master=earlier_is_master)
    return place is not None and any(start < place[1] and end > place[0] for start, end in line.spans)


def _distances(
    rows: Sequence[Mapping[str, Any]], scans: tuple[ScanSeries | None, ScanSeries | None]
) -> list[float | None]:
    """Return by how many code values the lowest waves of each shot differ, ``None`` where pictures do not pair up."""
    own, other = scans
    if own is None or other is None:
        return [None] * len(rows)
    found: list[float | None] = []
    for row in rows:
        first, end = row["file_start"], row["file_end"]
        if first is None or end is None or row["state"] in ("missing", "sped"):
            found.append(None)
            continue
        count = min(
            end - first, row["end"] - row["start"], len(own.pictures) - first, len(other.pictures) - row["start"]
        )
        found.append(_distance(own.pictures["waves"][first:], other.pictures["waves"][row["start"] :], count))
    return found


def _distance(own: NDArray[Any], other: NDArray[Any], count: int) -> float | None:
    if count < 1:
        return None
    difference = (own[:count].astype(np.float32) - other[:count].astype(np.float32)) / np.float32(_WAVES)
    return float(np.median(np.abs(difference).max(axis=1)))


def _change(row: Mapping[str, Any], like: float | None, distance: float | None) -> str:
    """Say how a shot changed, "" when it is the same picture for picture; one that only moved is the same."""
    if row["state"] in ("missing", "trimmed", "swapped", "sped"):
        return "is missing" if row["state"] == "missing" else row["says"]
    if row["alone"]:
        return f"{row['alone']} frame{'' if row['alone'] == 1 else 's'} of it differ"
    if distance is not None and distance > _OTHER_LIGHT:
        return f"its light or its picture differs by {distance:.1f} code values"
    if like is not None and like < _OTHER_PICTURE:
        return f"its pictures are alike by {like:.2f} only (SSIM)"
    return ""


def _sentence(
    number: int,
    mended: Sequence[JudgedLine],
    still: Sequence[JudgedLine],
    broken: Sequence[JudgedLine],
    shots: Sequence[ShotChange],
    document: Mapping[str, Any],
    asked: Sequence[JudgedLine],
    *,
    earlier_is_master: bool,
) -> str:
    rows = [
        row for row in (document["held"][keys.MASTER_MAP.id]["document"] or {}).get("shots", []) if not row["outside"]
    ]
    frames = document["frames"][1 if earlier_is_master else 0]
    parts = []
    if mended:
        told = [
            f"{_small(line.label)}{_where(line, rows, frames, earlier_is_master=earlier_is_master)}" for line in mended
        ]
        parts.append(f"Attempt {number} mends {_listed(told)}")
    elif asked:
        parts.append(f"Attempt {number} mends nothing that was asked")
    else:
        parts.append(f"Nothing was asked of attempt {number}")
    if still:
        parts.append(
            f"{_listed([_small(line.label) for line in still])} {'is' if len(still) == 1 else 'are'} not mended"
        )
    if broken:
        parts.append(f"{_listed([_small(line.label) for line in broken])} passed before and no longer")
    unasked = [one for one in shots if one.changed and not one.asked]
    same = [one for one in shots if not one.changed]
    other = "other " if any(one.asked for one in shots) and any(one.changed for one in shots) else ""
    if same and len(same) == len(shots):
        parts.append(f"all {len(shots)} shots are identical" if len(shots) > 1 else "its picture is identical")
    elif same:
        parts.append(f"{len(same)} {other}shot{' is' if len(same) == 1 else 's are'} identical")
    if len(unasked) == len(shots) > 1:
        parts.append(f"all {len(shots)} shots changed although nobody asked, the first: {unasked[0].changed}")
        unasked = []
    for one in unasked[:_MOST_NAMED]:
        parts.append(f"shot {one} changed although nobody asked: {one.changed}")
    if len(unasked) > _MOST_NAMED:
        parts.append(f"and {len(unasked) - _MOST_NAMED} more shots changed unasked")
    sound = document["held"].get(keys.MASTER_SOUND.id)
    if sound and sound["right"] is False and not any(line.group == Group.SOUND.value for line in asked):
        parts.append(f"the sound changed although nobody asked: {sound['found']}")
    return "; ".join(parts) + "."


def _where(line: JudgedLine, rows: Sequence[Mapping[str, Any]], frames: int, *, earlier_is_master: bool) -> str:
    """Name the shots in which a line was not passed, "" for all of the file."""
    if not line.spans or sum(end - start for start, end in line.spans) >= _WHOLE * frames:
        return ""
    met = [row["number"] for row in rows if _asks(line, row, frames, earlier_is_master=earlier_is_master)]
    if not met or len(met) == len(rows):
        return ""
    if len(met) > _MOST_NAMED:
        return f" in {len(met)} shots"
    return f" in shot {met[0]}" if len(met) == 1 else f" in shots {', '.join(map(str, met[:-1]))} and {met[-1]}"


def _small(label: str) -> str:
    return label[:1].lower() + label[1:]


def _listed(words: Sequence[str]) -> str:
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}"
