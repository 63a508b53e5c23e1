"""How the pictures of a render are drawn: one moment a frame, two, or with a planted fault."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction

import numpy as np

from brisk_core.exact import Timecode
from brisk_core.samples.picture import Drawn, draw, weave
from brisk_core.samples.programme import LENGTH, SHOTS, START_TIMECODE

Size = tuple[int, int]
_SOURCE_RATE = Fraction(30)  # of the blended drawing
_GAP = range(121, 127)  # black frames in the middle of a shot
_BLACK = 16


def _label(number: int, rate: Fraction) -> str:
    return f"{Timecode.parse(START_TIMECODE, rate).plus(number)}   {number}"


def _frame(number: int, rate: Fraction, size: Size) -> Drawn:
    return draw(number / rate, size, _label(number, rate))


def _later(number: int, rate: Fraction, size: Size) -> Drawn:
    """The moment half a frame later."""
    return draw(number / rate + 1 / (2 * rate), size, _label(number, rate))


def _fields(number: int, rate: Fraction, size: Size) -> Drawn:
    return weave(_frame(number, rate, size), _later(number, rate, size))


def _fields_turned(number: int, rate: Fraction, size: Size) -> Drawn:
    """The bottom field shows the earlier moment."""
    return weave(_later(number, rate, size), _frame(number, rate, size))


def _fields_with_gap(number: int, rate: Fraction, size: Size) -> Drawn:
    drawn = _fields(number, rate, size)
    if number not in _GAP:
        return drawn
    return Drawn(np.full_like(drawn.luma, _BLACK), np.full_like(drawn.blue, 128), np.full_like(drawn.red, 128))


def _blended(number: int, rate: Fraction, size: Size) -> Drawn:
    """A picture blended from the two that lie around its moment at another rate, as frame blending does."""
    place = number * _SOURCE_RATE / rate
    share = float(place % 1)
    first = draw(int(place) / _SOURCE_RATE, size, _label(number, rate))
    if not share:
        return first
    second = draw((int(place) + 1) / _SOURCE_RATE, size, _label(number, rate))
    planes = (
        np.round((1 - share) * getattr(first, name) + share * getattr(second, name).astype(np.float32)).astype(np.uint8)
        for name in ("luma", "blue", "red")
    )
    return Drawn(*planes)


def _squeezed(number: int, rate: Fraction, size: Size) -> Drawn:
    """Code values taken for full range and mapped into narrow range once more."""
    drawn = _frame(number, rate, size)
    luma = np.round(16 + drawn.luma.astype(np.float32) * (219 / 255)).astype(np.uint8)
    blue, red = (
        np.round(128 + (plane.astype(np.float32) - 128) * (224 / 255)).astype(np.uint8)
        for plane in (drawn.blue, drawn.red)
    )
    return Drawn(luma, blue, red)


def _boxed(number: int, rate: Fraction, size: Size) -> Drawn:
    """A wide picture set into the middle of the frame, with bars above and below."""
    width, height = size
    inner = width * 9 // 16 // 4 * 4
    top = (height - inner) // 4 * 2
    small = _frame(number, rate, (width, inner))
    luma = np.full((height, width), _BLACK, np.uint8)
    blue, red = (np.full((height, width // 2), 128, np.uint8) for _ in range(2))
    for whole, part in ((luma, small.luma), (blue, small.blue), (red, small.red)):
        whole[top : top + inner] = part
    return Drawn(luma, blue, red)


def _edited_anew(number: int, rate: Fraction, size: Size) -> Drawn:
    """Another version of the edit: the rope is gone, the match and the flare have changed places."""
    bounds = [shot.start for shot in SHOTS] + [LENGTH]
    spans = [(bounds[at], bounds[at + 1]) for at in (0, 1, 2, 4, 6, 5, 7)]
    time = number / rate
    for start, end in spans:
        if time < end - start:
            return draw(start + time, size, _label(number, rate))
        time -= end - start
    return draw(bounds[-1], size, _label(number, rate))


#: Drawings by name; each draws picture ``number`` at a rate and a size.
DRAWINGS: dict[str, Callable[[int, Fraction, Size], Drawn]] = {
    "frames": _frame,
    "fields": _fields,
    "fields-turned": _fields_turned,
    "fields-with-gap": _fields_with_gap,
    "blended-from-30": _blended,
    "squeezed": _squeezed,
    "boxed": _boxed,
    "edited-anew": _edited_anew,
}
