"""Are captions burned into the picture? Something like text must come and go with them.

A picture inside a caption is held against one just before it and one just after it: what is new and thin and bright, or
thin and dark, lying in one band of lines and made of many small parts, is text. Two pictures inside the same caption
show how much of that the scene makes by itself.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from brisk_core.captions.placing import Placed
from brisk_core.frames import Film, Grey, stills

MOST_LOOKED = 12  #: captions looked at, spread over the file
_LEAST_LOOKED = 3
_WIDE = 640  # samples across at which is looked
_ASIDE = 4  # frames between a moment and the edge of the caption, where decoders and fades have settled
_STROKE = 9  # samples; strokes are thinner
_CONTRAST = 36  # code values by which a stroke stands out
_BAND = 0.14  # of the height, that a line or two of text fill
_LEAST_SHARE = 0.0012  # of the picture that strokes of a short text cover
_GATHERED = 0.7  # share of the new strokes that lie in the band
_LEAST_PARTS = 6  # letters
_OVER_SCENE = 3.0  # times more than the scene makes by itself
_BURNED, _APART = 0.7, 0.25


Strokes = NDArray[np.int8]
Mask = NDArray[np.bool_]


@dataclass(frozen=True, slots=True, kw_only=True)
class Burned:
    """What looking at the pictures gave."""

    looked: int  #: captions
    seen: int  #: captions with which something like text came and went
    frames: tuple[int, ...] = ()  #: where it was seen

    @property
    def verdict(self) -> bool | None:
        """Are they burned in? ``None`` when the pictures do not tell."""
        if self.looked < _LEAST_LOOKED:
            return None
        share = self.seen / self.looked
        return True if share >= _BURNED else False if share <= _APART else None

    @property
    def reason(self) -> str:
        """Why there is no verdict."""
        if self.looked < _LEAST_LOOKED:
            return "too few captions stand apart from others and from cuts to look at the picture before and after"
        return f"something like text comes and goes with {self.seen} of {self.looked} captions, which may be chance"


@dataclass(frozen=True, slots=True)
class _Moment:
    """Frames to look at for one caption."""

    inside: tuple[int, int]
    outside: tuple[int, ...]  #: before, after, or both


def look_for_burned(film: Film, placed: Sequence[Placed], frames: int, cuts: Sequence[int]) -> Burned:
    """Look at the pictures around captions; ``cuts`` are first frames of shots. Raises ``UnreadableFile``."""
    moments = _choose(placed, frames, cuts)
    wanted = sorted({number for one in moments for number in (*one.inside, *one.outside)})
    strokes = {still.number: _strokes(still.luma) for still in stills(film, wanted, _WIDE, colour=False)}
    looked, seen = 0, []
    for one in moments:
        if not all(number in strokes for number in (*one.inside, *one.outside)):
            continue
        looked += 1
        if all(_shows(strokes, one.inside, outside) for outside in one.outside):
            seen.append(one.inside[0])
    return Burned(looked=looked, seen=len(seen), frames=tuple(seen))


def _choose(placed: Sequence[Placed], frames: int, cuts: Sequence[int]) -> list[_Moment]:
    """Return moments of captions with a bare picture of the same shot before or after them."""
    edges = np.asarray(sorted(cuts))

    def same_shot(first: int, last: int) -> bool:
        return bool(np.searchsorted(edges, first, "right") == np.searchsorted(edges, last, "right"))

    inside_file = [one for one in placed if one.start >= 0 and one.end <= frames and one.caption.lines]
    busy = [(-1, 0), *((one.start, one.end) for one in inside_file), (frames, frames + 1)]
    found = []
    for (_, before), (start, end), (after, _) in zip(busy, busy[1:], busy[2:], strict=False):
        inside = (start + _ASIDE, min(start + 2 * _ASIDE, end - _ASIDE))
        if end - start < 3 * _ASIDE:
            continue
        outside = []
        if start - before >= _ASIDE + 1 and same_shot(start - _ASIDE, inside[1]):
            outside.append(max(start - _ASIDE, 0))
        if after - end >= _ASIDE + 1 and same_shot(end - _ASIDE, end + _ASIDE):
            if not outside:
                inside = (end - 2 * _ASIDE, end - _ASIDE)
            if same_shot(inside[0], end + _ASIDE):
                outside.append(min(end + _ASIDE, frames - 1))
        if outside:
            found.append(_Moment(inside, tuple(outside)))
    if len(found) <= MOST_LOOKED:
        return found
    return [found[round(at)] for at in np.linspace(0, len(found) - 1, MOST_LOOKED)]


def _strokes(luma: Grey) -> Strokes:
    """Return where the picture has thin bright strokes (1) and thin dark ones (-1)."""
    kernel = cv2.getStructuringElement(cv2.MORPH_RECT, (_STROKE, _STROKE))
    bright = cv2.morphologyEx(luma, cv2.MORPH_TOPHAT, kernel)
    dark = cv2.morphologyEx(luma, cv2.MORPH_BLACKHAT, kernel)
    found = np.zeros(luma.shape, np.int8)
    found[bright > _CONTRAST] = 1
    found[dark > _CONTRAST] = -1
    return found


def _near(strokes: Strokes) -> Mask:
    """Return the strokes and the samples around them."""
    return np.asarray(cv2.dilate((strokes != 0).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0)


def _shows(strokes: dict[int, Strokes], inside: tuple[int, int], outside: int) -> bool:
    """Is there text in both pictures of a caption that a picture outside it has not?"""
    shown, still_there = strokes[inside[0]], _near(strokes[inside[1]])
    steady = (shown != 0) & ~_near(strokes[outside]) & still_there
    band = _band(steady)
    if band is None:
        return False
    first, last = band
    by_itself = ((shown != 0) & ~still_there)[first:last]
    if steady[first:last].sum() < _OVER_SCENE * by_itself.sum():
        return False
    signs = [(steady & (shown == sign))[first:last].astype(np.uint8) for sign in (1, -1)]
    return bool(max(cv2.connectedComponents(one)[0] - 1 for one in signs) >= _LEAST_PARTS)


def _band(new: Mask) -> tuple[int, int] | None:
    """Return the band of lines that holds most of the new strokes, ``None`` where they do not gather."""
    height = new.shape[0]
    rows = new.sum(axis=1).astype(np.float64)
    total = rows.sum()
    if total < _LEAST_SHARE * new.size:
        return None
    tall = max(round(_BAND * height), 4)
    summed = np.concatenate([[0.0], np.cumsum(rows)])
    windows = summed[tall:] - summed[:-tall]
    first = int(windows.argmax())
    return (first, first + tall) if windows[first] >= _GATHERED * total else None


def burned_to_json(found: Burned) -> dict[str, object]:
    """Return the JSON form."""
    return {"looked": found.looked, "seen": found.seen, "frames": list(found.frames)}


def burned_from_json(value: dict[str, list[int] | int]) -> Burned:
    """Return what ``burned_to_json`` wrote."""
    looked, seen, frames = value["looked"], value["seen"], value["frames"]
    if not (isinstance(looked, int) and isinstance(seen, int) and isinstance(frames, list)):
        raise ValueError(f"met {value!r}; expected looked, seen and frames")
    return Burned(looked=looked, seen=seen, frames=tuple(frames))
