"""What is other than in the master in a part of the picture, or in some shots alone: a logo, a cover, another grade.

Means of the whole file hide it. Every pair of pictures is held against each other in coarse cells; what is other in
nearly all pictures of a shot, or of the file, is told with its place.
"""

from __future__ import annotations

from collections.abc import Callable, Container, Iterator, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from itertools import groupby
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from brisk_core.facts import Sentence
from brisk_core.frames import Grey
from brisk_core.master.colours import colours_of
from brisk_core.master.geometry import Geometry, covered_part
from brisk_core.master.pairs import Pair
from brisk_core.master.shots import MasterShot

_ACROSS, _DOWN = 40, 24  # cells of a picture
_OTHER, _OF_DETAIL, _OF_ALL = 8.0, 0.6, 4.0  # code values, share of a cell's detail, times the usual: what is other
_LASTS, _FEWEST = 0.85, 4  # share of the pictures of a shot, and number of them
_MOST = 0.6  # of the picture; more of it is another picture
_WHITE = 215.0  # code values from which a part is nearly white
_COVERED = 20.0  # code values up to which a part is black
_EDGES, _SOFT = 0.02, 0.7  # share of the samples that are the steepest, and their steepness that is left, below which
_FINE = 1.5  # samples: what is finer is fine detail
_STRONG = 0.01  # of the samples: those that have most of it
_FAINT, _SAMPLES = 4.0, 100  # code values from which it counts, in so many samples
_SHARP = 1.06  # times the master's fine detail, from which it is sharpened: coders and scaling leave 0.7 to 1
_STEEP = 8.0  # code values from a sample to the next, from which there are edges
_MOST_EDGES = 24  # pictures whose edges are looked at
_DETAIL = 6.0  # code values of a picture's cells, below which its levels say nothing
_GAIN, _CONTRAST, _OFFSET = 0.05, 2.0, 4.0  # of a shot against the rest of the file, the last two in code values
_COLOURED = 2.0  # code values of colour, below which a picture has hardly any
_SATURATION, _TINT = 0.15, 3.0  # of a shot against the rest of the file; code values
_SOFTENED = 2.0  # samples over which pictures are softened before they are held against each other
_MOST_TOLD = 4

Cells = NDArray[np.float32]


@dataclass(frozen=True, slots=True, kw_only=True)
class _Seen:
    """One pair of pictures."""

    frame: int
    master_frame: int
    other: NDArray[np.bool_]  #: cells
    black: NDArray[np.bool_]  #: cells of the file that are black
    both_black: NDArray[np.bool_]  #: cells that are black in both, which say nothing of a cover
    more: Cells  #: by how much more detail there is in the cells of the file than in the master's, code values
    gain: float  #: of the cells, NaN where they say nothing
    middle: float  #: file less master, at the mean of the master
    spread: float  #: of the master's cells, code values
    colour: tuple[float, float, float]  #: saturation over the master's, shift of blue and of red difference, or NaN


class PatchKind(StrEnum):
    """How a part of the picture differs."""

    BLACK = "black"
    ADDED = "added"  #: more stands there than in the master
    GONE = "gone"  #: less stands there


_WHAT = {
    PatchKind.BLACK: "the picture is covered with black",
    PatchKind.ADDED: "something stands in the picture that the master does not have",
    PatchKind.GONE: "something that stands in the master's picture is not there",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Patch:
    """A part of the picture that is other than in the master."""

    shot: MasterShot | None  #: None where it is so from end to end
    start: int  #: frames of the file
    end: int
    box: tuple[int, int, int, int]  #: left, top, width, height in samples of the file
    kind: PatchKind

    def to_json(self) -> list[Any]:
        """A row of ``patches`` in the value of ``master.similarity``: frames, box and kind."""
        return [self.start, self.end, *self.box, self.kind.value]


@dataclass(frozen=True, slots=True, kw_only=True)
class OtherLevels:
    """A shot whose levels lie otherwise to the master's than those of the file."""

    shot: MasterShot
    start: int  #: frames of the file
    end: int
    gain: float
    offset: float  #: code values at mid grey

    def to_json(self) -> dict[str, Any]:
        """A row of ``shots`` in the value of ``master.level_curve``."""
        return {"start": self.start, "end": self.end, "gain": round(self.gain, 3), "offset": round(self.offset, 1)}


@dataclass(frozen=True, slots=True, kw_only=True)
class OtherColour:
    """A shot whose colour lies otherwise to the master's than that of the file."""

    shot: MasterShot
    start: int  #: frames of the file
    end: int
    saturation: float | None  #: over the master's, ``None`` where the master has hardly any
    blue: float  #: shift of blue difference, code values
    red: float

    def to_json(self) -> dict[str, Any]:
        """A row of ``shots`` in the value of ``master.level_curve``."""
        saturation = None if self.saturation is None else round(self.saturation, 3)
        shifts = {"blue": round(self.blue, 1), "red": round(self.red, 1)}
        return {"start": self.start, "end": self.end, "saturation": saturation, **shifts}


@dataclass(slots=True)
class Shotwise:
    """Takes pairs of pictures, laid and levelled, in the order of the file."""

    geometry: Geometry
    levelled: bool = False  #: does the file have other levels than the master?
    shapes: tuple[tuple[int, int], tuple[int, int]] = ((1, 1), (1, 1))  #: of both pictures as they are compared
    seen: list[_Seen] = field(default_factory=list)
    steepness: list[float] = field(default_factory=list)
    fineness: list[float] = field(default_factory=list)

    def take(self, pair: Pair, own: Grey, laid: Grey) -> None:
        """Hold one pair against each other, as it was laid: where the master covers the file."""
        self.shapes = (
            (pair.own.luma.shape[0], pair.own.luma.shape[1]),
            (pair.other.luma.shape[0], pair.other.luma.shape[1]),
        )
        cells, others = _cells(own), _cells(laid)
        # A picture that is softer as a whole has nothing in it that should not be there.
        apart = _cells(np.abs(np.asarray(cv2.GaussianBlur(own - laid, (0, 0), _SOFTENED), np.float32)))
        detail = _detail(laid, others)
        limit = np.maximum(_OTHER, np.maximum(_OF_DETAIL * detail, _OF_ALL * float(np.median(apart))))
        gain = middle = np.nan
        same = apart <= limit
        if self.levelled:  # levels that were pulled apart end in black and white
            same |= np.minimum(cells, others) >= _WHITE
            same |= np.maximum(cells, others) <= _COVERED
        spread = float(others[same].std()) if same.any() else 0.0
        if np.count_nonzero(same) > same.size / 2 and spread >= _DETAIL:
            gain, offset = np.polyfit(others[same], cells[same], 1)
            middle = float(gain * others[same].mean() + offset - others[same].mean())
        self.seen.append(
            _Seen(
                frame=pair.own.number, master_frame=pair.other.number, other=~same, black=cells <= _COVERED,
                both_black=np.maximum(cells, others) <= _COVERED + _OTHER,
                more=_detail(own, cells) - detail, gain=float(gain), middle=middle, spread=spread,
                colour=_colour(pair, self.geometry),
            )
        )  # fmt: skip
        if len(self.steepness) < _MOST_EDGES and len(self.seen) % 3 == 1:
            self.steepness += [left] if (left := _edges_left(own, laid)) is not None else []
            fine = _fine_detail(own, laid)
            self.fineness += [fine / gain if np.isfinite(gain) else fine] if fine is not None else []

    def leave_out(self, frames: Container[int]) -> None:
        """Forget frames that do not show their place."""
        self.seen = [one for one in self.seen if one.frame not in frames]

    @property
    def softness(self) -> float | None:
        """The steepness of the master's edges that is left, where it is clearly less; else ``None``."""
        left = float(np.median(self.steepness)) if len(self.steepness) >= _FEWEST else 1.0
        return left if left < _SOFT else None

    @property
    def sharpness(self) -> float | None:
        """The file's fine detail over the master's, where it is clearly more; else ``None``."""
        over = float(np.median(self.fineness)) if len(self.fineness) >= _FEWEST else 1.0
        return over if over > _SHARP else None

    def patches(self, shots: Sequence[MasterShot]) -> list[Patch]:
        """Return the parts of the picture that are other from end to end, then those of single shots."""
        always = self._lasting(self.seen)
        if self.levelled:
            shots = ()  # other levels leave something over in some shots
        found = list(self._boxes(always, self.seen, None))
        beside = cv2.dilate(always.astype(np.uint8), np.ones((3, 3), np.uint8)).astype(np.bool_)
        for shot, rows in self._by_shot(shots):
            found += self._boxes(self._lasting(rows) & ~beside, rows, shot)
        return found

    def levels(self, shots: Sequence[MasterShot]) -> list[OtherLevels]:
        """Return the shots whose levels lie otherwise than the file's do, where most of the file lies as the master."""
        if self.levelled:
            return []
        gains = np.array([one.gain for one in self.seen])
        middles = np.array([one.middle for one in self.seen])
        if np.count_nonzero(np.isfinite(gains)) < _FEWEST:
            return []
        usual = float(np.nanmedian(gains)), float(np.nanmedian(middles))
        found = []
        for shot, rows in self._by_shot(shots):
            known = [one for one in rows if np.isfinite(one.gain)]
            if len(known) < _FEWEST:
                continue
            gain = float(np.median([one.gain for one in known])) / usual[0]
            middle = float(np.median([one.middle for one in known])) - usual[1]
            spread = float(np.median([one.spread for one in known]))
            if (abs(gain - 1) > _GAIN and abs(gain - 1) * spread > _CONTRAST) or abs(middle) > _OFFSET:
                found.append(
                    OtherLevels(shot=shot, start=rows[0].frame, end=rows[-1].frame + 1, gain=gain, offset=middle)
                )
        return found if len(found) <= len(shots) / 2 else []

    def colours(self, shots: Sequence[MasterShot]) -> list[OtherColour]:
        """Return the shots whose colour lies otherwise than the file's does."""
        if not self.seen or self.levelled:
            return []
        usual = _medians([one.colour for one in self.seen])
        found = []
        for shot, rows in self._by_shot(shots):
            own = _medians([one.colour for one in rows])
            saturation = own[0] / usual[0] if usual[0] and np.isfinite(own[0]) and np.isfinite(usual[0]) else None
            blue, red = (float(np.nan_to_num(own[at] - usual[at])) for at in (1, 2))
            if (saturation is not None and abs(saturation - 1) > _SATURATION) or max(abs(blue), abs(red)) > _TINT:
                found.append(
                    OtherColour(
                        shot=shot,
                        start=rows[0].frame,
                        end=rows[-1].frame + 1,
                        saturation=saturation,
                        blue=blue,
                        red=red,
                    )
                )
        return found if len(found) <= len(shots) / 2 else []

    def _by_shot(self, shots: Sequence[MasterShot]) -> Iterator[tuple[MasterShot, list[_Seen]]]:
        starts = np.array([shot.start for shot in shots])
        for at, rows in groupby(self.seen, lambda one: int(np.searchsorted(starts, one.master_frame, "right")) - 1):
            listed = list(rows)
            if at >= 0 and len(listed) >= _FEWEST:
                yield shots[at], listed

    def _lasting(self, rows: Sequence[_Seen]) -> NDArray[np.bool_]:
        if len(rows) < _FEWEST:
            return np.zeros((_DOWN, _ACROSS), np.bool_)
        other = np.sum([one.other for one in rows], axis=0)
        tells = np.sum([one.other | ~one.both_black for one in rows], axis=0)
        lasting = (other >= _LASTS * tells) & (other >= max(_FEWEST, len(rows) / 2))
        return np.asarray(lasting & (lasting.mean() <= _MOST), np.bool_)

    def _boxes(self, cells: NDArray[np.bool_], rows: Sequence[_Seen], shot: MasterShot | None) -> Iterator[Patch]:
        closed = cv2.morphologyEx(cells.astype(np.uint8), cv2.MORPH_CLOSE, np.ones((1, 3), np.uint8))
        _, _, stats, _ = cv2.connectedComponentsWithStats(closed, connectivity=8)
        shape, size = self.shapes[0], self.geometry.file_size
        part = covered_part(self.geometry, *self.shapes)
        if part is None:
            return
        down, across = size[1] / shape[0], size[0] / shape[1]
        high, wide = (part[0].stop - part[0].start) * down / _DOWN, (part[1].stop - part[1].start) * across / _ACROSS
        for left, top, width, height, area in stats[1:].tolist():
            if area < 2:
                continue  # one cell may be the coder's
            inside = slice(top, top + height), slice(left, left + width)
            # Of the pictures in which most of it is other: in a dark one nothing can be told.
            told = [one for one in rows if one.other[inside][cells[inside]].mean() > 1 / 2] or rows
            black = float(np.mean([one.black[inside][cells[inside]].mean() for one in told])) > _LASTS
            more = float(np.mean([one.more[inside][cells[inside]].mean() for one in told]))
            kind = PatchKind.BLACK if black else PatchKind.ADDED if more >= 0 else PatchKind.GONE
            box = (
                round(part[1].start * across + left * wide), round(part[0].start * down + top * high),
                round(width * wide), round(height * high),
            )  # fmt: skip
            yield Patch(shot=shot, start=rows[0].frame, end=rows[-1].frame + 1, box=box, kind=kind)


def _colour(pair: Pair, geometry: Geometry) -> tuple[float, float, float]:
    rows = colours_of(pair, geometry)
    if rows is None:
        return (np.nan,) * 3
    own, other = rows[:, :2] - 128, rows[:, 2:] - 128
    blue, red = (float(np.median(rows[:, at] - rows[:, at + 2])) for at in (0, 1))
    if float(np.abs(other).mean()) < _COLOURED:
        return np.nan, blue, red
    return float(np.sum(own * other) / np.sum(np.square(other))), blue, red


def _cells(picture: Grey) -> Cells:
    return np.asarray(cv2.resize(picture, (_ACROSS, _DOWN), interpolation=cv2.INTER_AREA), np.float32)


def _detail(picture: Grey, cells: Cells) -> Cells:
    """Standard deviation of the samples of each cell, code values; ``cells`` are their means."""
    return np.asarray(np.sqrt(np.maximum(_cells(np.square(picture)) - np.square(cells), 0)), np.float32)


def _medians(rows: Sequence[tuple[float, float, float]]) -> list[float]:
    """Medians of the known values of each column, NaN where none is known."""
    columns = [[value for value in column if np.isfinite(value)] for column in zip(*rows, strict=True)]
    return [float(np.median(column)) if column else np.nan for column in columns]


def _edges_left(own: Grey, laid: Grey) -> float | None:
    """Steepness of the file where the master is steepest, over the master's; ``None`` where it has no edges.

    Coders of few bits take grain and weak texture away; the steepest edges they keep.
    """
    steep, there = _steepness(laid), _steepness(own)
    least = float(np.quantile(steep, 1 - _EDGES))
    if least < _STEEP:
        return None
    near = np.asarray(cv2.dilate(there, np.ones((3, 3), np.uint8)), np.float32)
    return float(np.median(near[steep >= least] / steep[steep >= least]))


def _fine_detail(own: Grey, laid: Grey) -> float | None:
    """How much of the master's fine detail the file has, 1 for as much, where it is strongest; ``None`` for too little.

    Noise of either is nothing to the other: it takes nothing away and adds nothing.
    """
    fine, there = (one - np.asarray(cv2.GaussianBlur(one, (0, 0), _FINE), np.float32) for one in (laid, own))
    size = np.abs(fine)
    strong = size >= max(float(np.quantile(size, 1 - _STRONG)), _FAINT)
    if np.count_nonzero(strong) < _SAMPLES:
        return None
    return float(np.sum(fine[strong] * there[strong]) / np.sum(np.square(fine[strong])))


def _steepness(picture: Grey) -> Cells:
    """Difference of each sample to the next, across and down, code values."""
    across, down = np.diff(picture, axis=1)[:-1], np.diff(picture, axis=0)[:, :-1]
    return np.asarray(cv2.magnitude(np.ascontiguousarray(across), np.ascontiguousarray(down)), np.float32)


def tell_patches(patches: Sequence[Patch], name: Callable[[MasterShot], str]) -> list[Sentence]:
    """Return the sentences of parts that are other."""
    told = []
    for one in patches[:_MOST_TOLD]:
        left, top, width, height = one.box
        where = "From end to end" if one.shot is None else f"In shot {name(one.shot)}"
        says = f"{where} {_WHAT[one.kind]}: {width} × {height} samples from {left}, {top}."
        told.append(Sentence(says=says, frame=one.start, end=one.end, fault=True))
    if len(patches) > _MOST_TOLD:
        says = f"In {len(patches) - _MOST_TOLD} more places a part of the picture is other than in the master."
        told.append(Sentence(says=says, frame=patches[_MOST_TOLD].start, fault=True))
    return told


def tell_sharpness(softness: float | None, sharpness: float | None) -> list[Sentence]:
    """Return the sentences of a picture that is softer than the master's, or sharper."""
    told = []
    if softness is not None:
        says = f"The picture is softer than the master's: {softness * 100:.0f} % of the steepness of its edges is left."
        told.append(Sentence(says=says, frame=0, fault=False))
    if sharpness is not None:
        says = f"The picture is sharper than the master's: its fine detail is {(sharpness - 1) * 100:.0f} % stronger."
        told.append(Sentence(says=says, frame=0, fault=False))
    return told


def tell_shot_levels(found: Sequence[OtherLevels], name: Callable[[MasterShot], str]) -> list[Sentence]:
    """Return a sentence for every shot whose levels lie otherwise."""
    told = []
    for one in found[:_MOST_TOLD]:
        says = (
            f"In shot {name(one.shot)} levels differ from the master where the rest does not: contrast "
            f"{one.gain * 100:.0f} %, {one.offset:+.0f} code values at mid grey."
        )
        told.append(Sentence(says=says, frame=one.start, end=one.end, fault=True))
    return told


def tell_shot_colours(found: Sequence[OtherColour], name: Callable[[MasterShot], str]) -> list[Sentence]:
    """Return a sentence for every shot whose colour lies otherwise."""
    told = []
    for one in found[:_MOST_TOLD]:
        saturation = f"saturation {one.saturation * 100:.0f} %, " if one.saturation is not None else ""
        says = (
            f"In shot {name(one.shot)} colour differs from the master where the rest does not: {saturation}blue "
            f"difference {one.blue:+.1f}, red difference {one.red:+.1f}."
        )
        told.append(Sentence(says=says, frame=one.start, end=one.end, fault=True))
    return told
