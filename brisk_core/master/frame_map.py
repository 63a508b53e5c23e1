"""What a map is made of: the frames of a file, the stretches along which they run, and what each of them shows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

_STEPS = 128.0  # of a wave, a code value
LEAST_NOISE = 0.04  #: code values; two codings of the same picture never agree better

#: What a frame of the file is: kinds of ``FrameMap.kinds``.
IN_PLACE, REPEATED, OTHER, BLENDED, DIFFERS, FOREIGN = range(6)


@dataclass(frozen=True, slots=True, kw_only=True)
class Stretch:
    """Frames of the file that run along the master without a break."""

    start: int  #: first frame of the file
    end: int  #: first frame after
    offset: float  #: master frame less ``slope`` times ``speed`` times file frame
    speed: float = 1.0  #: of its motion against the master's; below nothing when it runs backwards
    certain: bool = False  #: its waves fit clearly worse a few frames away

    def place(self, frame: float, slope: float) -> float:
        """The master frame that a file frame shows."""
        return slope * self.speed * frame + self.offset

    def places(self, frames: NDArray[np.intp] | NDArray[np.float64], slope: float) -> NDArray[np.float64]:
        """The master frames that some file frames show."""
        return np.asarray(slope * self.speed * frames + self.offset, np.float64)


@dataclass(frozen=True, slots=True, kw_only=True)
class FrameMap:
    """Where the frames of a file are in a master."""

    slope: Fraction  #: master frames a file frame
    places: NDArray[np.float64]  #: master frame of each file frame; NaN for one that is not in the master
    kinds: NDArray[np.uint8]  #: ``IN_PLACE`` ... of each file frame
    shares: NDArray[np.float32]  #: of the next master frame, for blended frames
    single: NDArray[np.int64]  #: the one master frame that each file frame shows, -1 where it shows none alone
    stretches: tuple[Stretch, ...]
    gain: float  #: of the waves, file against master
    noise: float  #: code values
    moving: float  #: share of the frames whose neighbours can be told apart
    ways: tuple[float, float]  #: among moving frames between two of the master: shares that show one, that mix two

    def laid(self, run: Stretch, kind: int = IN_PLACE, *, compared: bool = True) -> FrameMap:
        """Return the map with the frames of a run on its line, whatever it said of them, of a kind of ``kinds``.

        ``compared`` says whether each shows one frame of the master as the rest does.
        """
        numbers = np.arange(run.start, run.end)
        places, single, kinds = self.places.copy(), self.single.copy(), self.kinds.copy()
        places[numbers], kinds[numbers] = run.places(numbers, float(self.slope)), kind
        single[numbers] = np.rint(places[numbers]) if compared else -1
        rest = [one for one in self.stretches if one.end <= run.start or one.start >= run.end]
        rest += [replace(one, end=run.start) for one in self.stretches if one.start < run.start < one.end]
        rest += [replace(one, start=run.end) for one in self.stretches if one.start < run.end < one.end]
        joined: list[Stretch] = []
        for one in sorted([*rest, run], key=lambda one: one.start):
            if joined and (joined[-1].end, joined[-1].offset, joined[-1].speed) == (one.start, one.offset, one.speed):
                joined[-1] = replace(joined[-1], end=one.end)
            else:
                joined.append(one)
        return replace(self, places=places, single=single, kinds=kinds, stretches=tuple(joined))


@dataclass(slots=True)
class Seen:
    """The rows of one file that the map needs."""

    bits: NDArray[np.uint64]
    waves: NDArray[np.float32]  # (frames, waves) in code values, the mean first
    rate: Fraction

    @classmethod
    def of(cls, pictures: NDArray[np.void], rate: Fraction) -> Seen:
        """Take them out of a scan series."""
        return cls(
            bits=np.ascontiguousarray(pictures["signature"]),
            waves=(pictures["waves"].astype(np.float32) / _STEPS),
            rate=rate,
        )

    def __len__(self) -> int:
        return len(self.bits)


def in_order(stretches: Sequence[Stretch], slope: Fraction) -> list[Stretch]:
    """Return the stretches that follow each other in the master as they do in the file: of all such choices the one
    with the most frames. Shots that changed places are left out; one that comes twice goes on.
    """
    best: list[tuple[int, list[Stretch]]] = []
    spans = [(one.place(one.start, float(slope)), one.place(one.end, float(slope))) for one in stretches]
    for at, one in enumerate(stretches):
        before = [
            kept
            for other, kept in zip(spans[:at], best, strict=True)
            if other[0] < spans[at][0] and other[1] < spans[at][1]
        ]
        frames, chosen = max(before, key=lambda kept: kept[0], default=(0, []))
        best.append((frames + one.end - one.start, [*chosen, one]))
    return max(best, key=lambda kept: kept[0], default=(0, []))[1]


def distance(one: NDArray[np.float32], other: NDArray[np.float32]) -> NDArray[np.float64]:
    """How far waves of pictures lie apart, in code values (root of the mean square over the last axis)."""
    return np.asarray(np.sqrt(np.mean(np.square((one - other).astype(np.float64)), axis=-1)), np.float64)


def runs_of(mask: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """First and first after the last of every run of true values."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], mask.astype(np.int8), [0]])))
    return [(int(start), int(end)) for start, end in zip(edges[::2], edges[1::2], strict=True)]
