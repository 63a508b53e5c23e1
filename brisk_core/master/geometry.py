"""How the picture of a master lies in the picture of a file: scaled, cut, moved, stretched, flipped.

Points of detail are found in both pictures and paired; one upright map explains them all, for the whole file.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from brisk_core.facts import Sentence
from brisk_core.frames import Grey
from brisk_core.master.pairs import Pair

_MOST_POINTS = 600  # of one picture
_RATIO = 0.75  # of the distances to the nearest and the next point, above which a pair is not believed
_ROUNDS = 400  # of random sampling
_NEAR = 2.0  # samples at the compared size within which a pair agrees with the map
_FEWEST = 24  # pairs that must agree
_PLENTY, _SURELY = 400, 0.7  # points that agree, and their share of all, from which no more pictures are looked at
_FIRST = 3  # pictures that are looked at in any case
_UPRIGHT = 3.0  # times the pairs of points of the other way, from which that is not tried any more
_AGREE = 0.35  # of all pairs; fewer are the similarity of one house to another
_STRETCH = 0.01  # of the shape; less is rounding to whole samples
_MOVED = 0.75  # samples of the file
_CUT = 0.01  # of a side
_LEAST_COVERED = 0.05  # of the file's picture
_LIES = 0.25  # samples of a shift, and of the growth of 1000, below which the fit of points cannot tell it from none


#: Do some pairs plainly fit by a geometry?
BearsOut = Callable[["Geometry", Sequence[Pair]], bool]


@dataclass(frozen=True, slots=True, kw_only=True)
class Geometry:
    """File sample = scale × master sample + shift, across and down, in samples of full size."""

    scale: tuple[float, float]
    shift: tuple[float, float]
    mirrored: bool
    pairs: int  #: points that agree
    file_size: tuple[int, int]
    master_size: tuple[int, int]

    @property
    def is_identity(self) -> bool:
        """Does every sample lie where it was, for what can be told of it?"""
        lies = max(abs(one) for one in self.shift) < _LIES and max(abs(one - 1) for one in self.scale) < _LIES / 1000
        return lies and not self.mirrored and self.file_size == self.master_size

    @property
    def visible(self) -> tuple[float, float, float, float]:
        """The part of the master that is in the file: left, top, width, height in samples of the master."""
        found = []
        for axis in (0, 1):
            start = max(-self.shift[axis] / self.scale[axis], 0.0)
            end = min((self.file_size[axis] - self.shift[axis]) / self.scale[axis], float(self.master_size[axis]))
            found.append((start, max(end - start, 0.0)))
        (left, width), (top, height) = found
        return left, top, width, height

    def matrix(self, file_shape: tuple[int, int], master_shape: tuple[int, int]) -> NDArray[np.float64]:
        """The map from a master picture of a shape (height, width) to a file picture of another, for OpenCV."""
        across, down = file_shape[1] / self.file_size[0], file_shape[0] / self.file_size[1]
        wide, high = self.master_size[0] / master_shape[1], self.master_size[1] / master_shape[0]
        found = np.array(
            [[self.scale[0] * wide * across, 0, self.shift[0] * across],
             [0, self.scale[1] * high * down, self.shift[1] * down]]
        )  # fmt: skip
        if self.mirrored:
            found[0, 2] += found[0, 0] * (master_shape[1] - 1)
            found[0, 0] = -found[0, 0]
        # Samples stand for areas: their middles, not their edges, are mapped.
        found[0, 2] += (abs(found[0, 0]) - 1) / 2
        found[1, 2] += (found[1, 1] - 1) / 2
        return found

    def to_json(self) -> dict[str, Any]:
        """The value of ``master.geometry``."""
        return {
            "scale": [round(one, 5) for one in self.scale],
            "shift": [round(one, 2) for one in self.shift],
            "mirrored": self.mirrored,
            "visible": [round(one, 1) for one in self.visible],
            "points": self.pairs,
        }


def warp(other: Grey, geometry: Geometry, shape: tuple[int, int]) -> tuple[Grey, NDArray[np.bool_]]:
    """Return the master's picture as it should lie in the file's, and where it covers it."""
    if geometry.is_identity and shape == other.shape:
        return other, _covered(geometry, shape, shape)
    matrix = geometry.matrix(shape, (other.shape[0], other.shape[1]))
    if abs(matrix[0, 0]) < 0.9 or matrix[1, 1] < 0.9:  # making smaller needs its low-pass first
        soft = (max(0.0, 0.5 / abs(matrix[0, 0]) - 0.5), max(0.0, 0.5 / matrix[1, 1] - 0.5))
        other = np.asarray(cv2.GaussianBlur(other, (0, 0), max(soft[0], 0.01), sigmaY=max(soft[1], 0.01)), np.float32)
    size = (shape[1], shape[0])
    laid = cv2.warpAffine(other, matrix, size, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(laid, np.float32), _covered(geometry, shape, (other.shape[0], other.shape[1]))


@lru_cache(maxsize=4)
def covered_part(
    geometry: Geometry, shape: tuple[int, int], master_shape: tuple[int, int]
) -> tuple[slice, slice] | None:
    """Return the lines and columns of a file's picture that the master's covers, ``None`` where it hardly does."""
    inside = _covered(geometry, shape, master_shape)
    if inside.mean() < _LEAST_COVERED:
        return None
    down, across = np.flatnonzero(inside.any(axis=1)), np.flatnonzero(inside.any(axis=0))
    return slice(down[0], down[-1] + 1), slice(across[0], across[-1] + 1)


@lru_cache(maxsize=4)
def _covered(geometry: Geometry, shape: tuple[int, int], master_shape: tuple[int, int]) -> NDArray[np.bool_]:
    """Where the master's picture covers the file's."""
    ones = np.ones(master_shape, np.uint8)
    matrix = geometry.matrix(shape, master_shape)
    inside = cv2.warpAffine(ones, matrix, (shape[1], shape[0]), flags=cv2.INTER_NEAREST) > 0
    inside.setflags(write=False)
    return inside


def find_geometry(
    pairs: Iterable[Pair], file_size: tuple[int, int], master_size: tuple[int, int], bears_out: BearsOut | None = None
) -> Geometry | None:
    """Return how the master lies in the file, ``None`` where the pictures have too little detail to tell.

    Takes no more pairs than are needed: a few suffice where many points of theirs agree. ``bears_out`` says whether
    some pairs plainly fit by a geometry: where one picture is sure of it, the next ones need no points then.
    """
    pairs = [*pairs]
    points = _Points(file_size, master_size)
    if bears_out and (found := _at_once(pairs, points, bears_out)):
        return found
    matches: dict[bool, list[NDArray[np.float64]]] = {False: [], True: []}  # of the master upright, and mirrored
    ways = tuple(matches)
    for pair in pairs:
        for mirrored in ways:
            if (rows := points.matches(pair, mirrored=mirrored)) is not None:
                matches[mirrored].append(rows)
        ways = _ways(matches)
        if len(ways) == 1 and len(matches[ways[0]]) >= _FIRST:
            kept = matches[ways[0]]
            best = _best({ways[0]: kept}, file_size, master_size)
            if best is not None and _is_sure(best, kept):
                return best
    return _best(matches, file_size, master_size)


class _Points:
    """Points of detail of pairs, each picture looked at once."""

    def __init__(self, file_size: tuple[int, int], master_size: tuple[int, int]) -> None:
        self.file_size, self.master_size = file_size, master_size
        self._finder = cv2.SIFT.create(nfeatures=_MOST_POINTS)
        self._found: dict[tuple[int, str], Any] = {}

    def matches(self, pair: Pair, *, mirrored: bool) -> NDArray[np.float64] | None:
        """Return the points that pair, ``None`` where one of the pictures has too few."""
        own = self._of(pair, "own", pair.own.luma, self.file_size)
        if own is None:
            return None
        luma, way = (pair.other.luma[:, ::-1], "mirrored") if mirrored else (pair.other.luma, "upright")
        other = self._of(pair, way, np.ascontiguousarray(luma), self.master_size)
        return None if other is None else _match(own, other)

    def _of(self, pair: Pair, which: str, luma: Grey, size: tuple[int, int]) -> Any:
        key = (id(pair), which)
        if key not in self._found:
            self._found[key] = _points(self._finder, luma, size)
        return self._found[key]


def _at_once(pairs: Sequence[Pair], points: _Points, bears_out: BearsOut) -> Geometry | None:
    """The geometry that the first picture is sure of and the two others with the most contrast bear out."""
    rows = points.matches(pairs[0], mirrored=False) if pairs else None
    if rows is None or len(rows) < _PLENTY:
        return None
    best = _best({False: [rows]}, points.file_size, points.master_size)
    others = sorted(pairs[1:], key=lambda one: -float(one.own.luma.std()))[: _FIRST - 1]
    return best if best is not None and _is_sure(best, [rows]) and bears_out(best, others) else None


def _is_sure(best: Geometry, matches: Sequence[NDArray[np.float64]]) -> bool:
    """Do many points agree with a geometry, and most of all?"""
    return best.pairs >= max(_PLENTY, _SURELY * sum(map(len, matches)))


def _ways(matches: dict[bool, list[NDArray[np.float64]]]) -> tuple[bool, ...]:
    """The ways, upright and mirrored, in which a master may lie by the points that have paired so far."""
    counts = {way: sum(map(len, kept)) for way, kept in matches.items()}
    way = max(counts, key=lambda one: counts[one])
    clear = counts[way] >= max(4 * _FEWEST, _UPRIGHT * counts[not way])
    return (way,) if clear else tuple(matches)


def _best(
    matches: dict[bool, list[NDArray[np.float64]]], file_size: tuple[int, int], master_size: tuple[int, int]
) -> Geometry | None:
    best: Geometry | None = None
    for mirrored, kept in matches.items():
        if not kept:
            continue
        # Near is meant at the size that was compared.
        found = _fit(np.concatenate(kept), _NEAR * max(1.0, file_size[0] / 960))
        if found is not None and (best is None or found[2] > 1.5 * best.pairs):
            scale, shift, count = found
            best = Geometry(
                scale=scale, shift=shift, mirrored=mirrored, pairs=count, file_size=file_size, master_size=master_size
            )
    return best


def _points(finder: Any, luma: Grey, size: tuple[int, int]) -> tuple[NDArray[np.float64], NDArray[np.float32]] | None:
    """Points of detail in samples of full size, and their descriptions."""
    low, high = np.percentile(luma, (1, 99))
    if high - low < 8:
        return None
    eight = np.clip((luma - low) * (255 / (high - low)), 0, 255).astype(np.uint8)
    points, described = finder.detectAndCompute(eight, None)
    if described is None or len(points) < 8:
        return None
    factors = (size[0] / luma.shape[1], size[1] / luma.shape[0])
    places = np.array([[(point.pt[0] + 0.5) * factors[0], (point.pt[1] + 0.5) * factors[1]] for point in points])
    return places, described


def _match(
    own: tuple[NDArray[np.float64], NDArray[np.float32]], other: tuple[NDArray[np.float64], NDArray[np.float32]]
) -> NDArray[np.float64]:
    """Rows of file x, file y, master x, master y for points that pair."""
    pairs = cv2.BFMatcher(cv2.NORM_L2).knnMatch(own[1], other[1], k=2)
    kept = [two[0] for two in pairs if len(two) == 2 and two[0].distance < _RATIO * two[1].distance]
    return np.array([[*own[0][one.queryIdx], *other[0][one.trainIdx]] for one in kept]).reshape(-1, 4)


def _fit(rows: NDArray[np.float64], near: float) -> tuple[tuple[float, float], tuple[float, float], int] | None:
    """Scale and shift, across and down, that the most pairs agree with, and how many do."""
    if len(rows) < _FEWEST:
        return None
    generator = np.random.default_rng(1)
    best = np.zeros(len(rows), np.bool_)
    for _ in range(_ROUNDS):
        one, other = rows[generator.choice(len(rows), 2, replace=False)]
        apart = other - one
        if min(abs(apart[2]), abs(apart[3])) < 8:
            continue
        scale = apart[:2] / apart[2:]
        if not (0.05 < scale[0] < 20 and 0.05 < scale[1] < 20 and 0.4 < scale[0] / scale[1] < 2.5):
            continue
        off = np.abs(rows[:, :2] - (one[:2] + scale * (rows[:, 2:] - one[2:])))
        agree = (off < near).all(axis=1)
        if agree.sum() > best.sum():
            best = agree
    if best.sum() < max(_FEWEST, _AGREE * len(rows)):
        return None
    fits = [np.polyfit(rows[best, 2 + axis], rows[best, axis], 1) for axis in (0, 1)]
    return (float(fits[0][0]), float(fits[1][0])), (float(fits[0][1]), float(fits[1][1])), int(best.sum())


def tell_geometry(found: Geometry, file_aspect: Fraction, master_aspect: Fraction) -> tuple[tuple[Sentence, ...], str]:
    """Return the sentences and a short word; aspects are those of the samples (pixel aspect).

    Scaling to another size is no fault, nor is a cut where the shapes of the two differ; stretching, turning over and
    moving are.
    """
    sentences: list[Sentence] = []
    shape = found.scale[0] / found.scale[1] * float(file_aspect / master_aspect)
    words = []
    if abs(found.scale[0] - 1) > 0.002 or abs(found.scale[1] - 1) > 0.002:
        words.append(f"scaled to {found.scale[1] * 100:.1f} %")
    if found.mirrored:
        sentences.append(Sentence(says="The picture is mirrored, left is right.", frame=0, fault=True))
        words.append("mirrored")
    if abs(shape - 1) > _STRETCH:
        how, much = ("sideways", shape - 1) if shape > 1 else ("upwards", 1 / shape - 1)
        says = f"The picture is stretched {how} by {much * 100:.1f} % against the master."
        sentences.append(Sentence(says=says, frame=0, fault=True))
        words.append(f"stretched {how} {much * 100:.1f} %")
    left, top, width, height = found.visible
    lost = [1 - width / found.master_size[0], 1 - height / found.master_size[1]]
    own, other = _shape(found.file_size, file_aspect), _shape(found.master_size, master_aspect)
    for axis, (gone, where) in enumerate(zip(lost, ("at the sides", "above and below"), strict=True)):
        if gone <= _CUT or _fills(found, axis):
            continue
        kept = found.master_size[axis] * (1 - gone)
        ordered = abs(own / other - 1) > _STRETCH and (own < other) == (axis == 0)
        side = left if axis == 0 else top
        says = (
            f"{gone * 100:.0f} % of the master is cut off {where}: {kept:.0f} of {found.master_size[axis]} "
            f"samples from "
            f"{side:.0f} are left{', as its shape asks' if ordered else ''}."
        )
        sentences.append(Sentence(says=says, frame=0, fault=not ordered))
        words.append(f"cut {where} by {gone * 100:.0f} %")
    bare = [1 - found.scale[axis] * found.master_size[axis] / found.file_size[axis] for axis in (0, 1)]
    if min(bare) > _CUT:
        says = (
            f"The picture does not fill the frame: {(1 - bare[0]) * 100:.0f} % of its width and "
            f"{(1 - bare[1]) * 100:.0f} % of its height, with bars on all sides."
        )
        sentences.append(Sentence(says=says, frame=0, fault=True))
        words.append("bars on all sides")
    moved = _moved(found)
    if moved:
        sentences.append(Sentence(says=f"The picture is moved by {moved}.", frame=0, fault=True))
        words.append(f"moved {moved}")
    return tuple(sentences), ", ".join(words) or "as the master"


def _fills(found: Geometry, axis: int) -> bool:
    """Is the master as wide, or as high, in the file as the file itself? What is lost on one side is moved then."""
    return abs(found.scale[axis] * found.master_size[axis] / found.file_size[axis] - 1) <= _CUT


def _shape(size: tuple[int, int], aspect: Fraction) -> float:
    return size[0] * float(aspect) / size[1]


def _moved(found: Geometry) -> str:
    """How far the middle of the master is from where it should lie: in the middle of the file."""
    words = []
    for axis, (plus, minus) in enumerate((("right", "left"), ("down", "up"))):
        middle = found.scale[axis] * found.master_size[axis] / 2 + found.shift[axis]
        off = middle - found.file_size[axis] / 2
        cut = found.visible[2 + axis] < found.master_size[axis] * (1 - _CUT) and not _fills(found, axis)
        if abs(off) > _MOVED and not cut:
            words.append(f"{abs(off):.1f} samples {plus if off > 0 else minus}")
    return " and ".join(words)
