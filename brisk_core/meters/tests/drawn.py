"""Pictures with known truth for the tests of meters: a texture that moves, woven, blended, repeated, boxed."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from fractions import Fraction

import cv2
import numpy as np
from numpy.typing import NDArray

from brisk_core.meters import MeterRows, Picture, PictureMeter, Samples
from brisk_core.meters.change import ChangeMeter, Steadiness, find_cuts, judge_steadiness
from brisk_core.meters.fields import FieldMeter, FieldVerdict, judge_fields
from brisk_core.meters.motion import MotionMeter, MotionVerdict, judge_motion

Plane = NDArray[np.uint8]
WIDTH, HEIGHT = 352, 288
STEP = 6  # samples a frame


def texture(seed: int = 1, fineness: float = 2.0) -> Plane:
    """A patch of cloud, much wider than a picture, between black and white of narrow range."""
    noise = cv2.GaussianBlur(np.random.default_rng(seed).normal(0, 1, (420, 2600)), (0, 0), fineness)
    return np.asarray((noise / noise.std() * 40 + 120).clip(16, 235), np.uint8)


_TEXTURES = {seed: texture(seed) for seed in (1, 2, 3)}
_FINE = texture(4, fineness=0.8)


def moment(time: float, seed: int = 1, grain: float = 0, size: tuple[int, int] = (WIDTH, HEIGHT)) -> Plane:
    """The pan over a texture at a time in frames, with grain of its own."""
    at = round(time * STEP)
    picture = _TEXTURES[seed][60 : 60 + size[1], at : at + size[0]]
    if not grain:
        return picture.copy()
    noise = np.random.default_rng(round(time * 1000) + seed).normal(0, grain, picture.shape)
    return np.asarray((picture + noise).clip(0, 255), np.uint8)


def moved_still(down: float, across: float, by: int = cv2.INTER_CUBIC) -> Plane:
    """A place of a fine still picture, in samples and parts of them, made up between its samples."""
    still = _FINE[60 : 60 + HEIGHT + 40]
    place = np.array([[1, 0, across % 1], [0, 1, down % 1]], np.float64)
    left, top = int(across), int(down)
    part = still[top : top + HEIGHT + 4, left : left + WIDTH + 4]
    return cv2.warpAffine(part, place, (WIDTH, HEIGHT), flags=by | cv2.WARP_INVERSE_MAP)


def weave(top: Plane, bottom: Plane) -> Plane:
    """Two moments in one frame."""
    woven = top.copy()
    woven[1::2] = bottom[1::2]
    return woven


def mix(one: Plane, other: Plane, share: float) -> Plane:
    """A picture blended from two."""
    return np.asarray(np.round(one * (1 - share) + other.astype(np.float64) * share), np.uint8)


def converted(source: Fraction, rate: Fraction, count: int, grain: float = 0) -> list[Plane]:
    """A pan at 25 a second brought from ``source`` to ``rate`` by blending."""
    pictures = []
    for number in range(count):
        place = number * source / rate
        share = float(place % 1)
        first, second = (moment(float((int(place) + at) * 25 / source), grain=grain) for at in (0, 1))
        pictures.append(mix(first, second, share) if share else first)
    return pictures


def measure(meters: Sequence[PictureMeter], planes: Iterable[Plane], bits: int = 8, *, full: bool = False) -> MeterRows:
    """Return the rows of some meters over luma planes."""
    rows = MeterRows(meters)
    for number, plane in enumerate(planes):
        rows.take(Picture(number=number, planes=(plane,), samples=Samples(bits=bits, full=full)))
    return rows


def fields_of(planes: Iterable[Plane]) -> FieldVerdict:
    """What the fields of some pictures show."""
    rows = measure([FieldMeter(), ChangeMeter()], planes)
    return judge_fields(rows.rows("fields"), find_cuts(rows.rows("change")))


def steadiness_of(planes: Iterable[Plane], freeze: int = 12) -> Steadiness:
    """Repeats, freezes and cadence of some pictures."""
    rows = measure([ChangeMeter()], planes).rows("change")
    return judge_steadiness(rows, find_cuts(rows), freeze)


def motion_of(planes: Iterable[Plane], rate: Fraction = Fraction(25)) -> MotionVerdict:
    """Mixed and missing pictures among some."""
    rows = measure([ChangeMeter(), MotionMeter()], planes)
    change = rows.rows("change")
    cuts = find_cuts(change)
    return judge_motion(rows.rows("motion"), cuts, judge_steadiness(change, cuts, 12), rate)


def cuts_of(planes: Iterable[Plane]) -> list[int]:
    """First pictures of shots."""
    return [int(at) for at in find_cuts(measure([ChangeMeter()], planes).rows("change"))]
