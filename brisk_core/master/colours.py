"""How the colours of a file are made of the master's: tint, saturation, hue, planes that changed places, its matrix.

Blue and red difference of the file are fitted as sums of both of the master's. A picture that was converted from one
colour matrix to another is such a mixing too, with coefficients that the luma coefficients of both give (ITU-R BT.709
item 3.3, BT.601 item 2.5.1); whether it ought to be is told by the matrices that both files have.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from brisk_core.facts import Inspection, keys
from brisk_core.frames import Grey
from brisk_core.master.geometry import Geometry, warp
from brisk_core.master.pairs import Pair

_TINT = 1.5  # code values of a shift of colour
_SATURATION, _HUE = 0.06, 3.0  # share and degrees, from which colours are others
_NO_COLOUR = 0.2  # saturation below which hues say nothing
_LEAST_COLOUR = 2.0  # code values of colour in the master, below which saturation says nothing
_LEAST_SPREAD = 3.0  # code values by which colours must differ along each way, that their mixing can be told
_PLACES = (96, 54)  # across and down, of a picture, at which colours are looked at
_FEWEST = 200  # places, from which a mixing is told
_MIXING = 0.04  # of a coefficient, within which a mixing is the one that is named
_HIGH, _STANDARD = "BT.709", "BT.601"
_OF_709, _OF_601 = ("BT.709",), ("SMPTE 170M", "BT.470 B/G")  # names by ITU-T H.273, table 4
_STANDARD_LINES = 576  # up to which pictures have the matrix of standard definition where no file says it
_TO_601 = np.array([[0.98985, -0.11065], [-0.07245, 0.98340]])
_MIXINGS = {(_HIGH, _STANDARD): _TO_601, (_STANDARD, _HIGH): np.linalg.inv(_TO_601)}  # by matrix of master and file
_LUMA_OFF, _LUMA_GAIN = 3.0, 0.03  # code values and gain of luma beside what colours bring into it

Matrix = tuple[str, bool]  #: BT.709, BT.601 or another; does the file say so?


def matrix_of(facts: Inspection) -> Matrix:
    """Return the colour matrix of a file as it says, else as its lines make likely."""
    said = next(iter(facts.witnessed(keys.PICTURE_MATRIX).spoken().values()), None)
    if said is not None and said != "unspecified":
        return (_HIGH if said in _OF_709 else _STANDARD if said in _OF_601 else str(said)), True
    size = facts[keys.PICTURE_SIZE]
    return (_STANDARD if size and size[1] <= _STANDARD_LINES else _HIGH), False


def colours_of(pair: Pair, geometry: Geometry) -> NDArray[np.float32] | None:
    """Rows of file blue, file red, master blue, master red, at a few thousand places; ``None`` where that is no use."""
    if pair.own.chroma is None or pair.other.chroma is None:
        return None
    own, other = [], []
    for plane, laid_from in zip(pair.own.chroma, pair.other.chroma, strict=True):
        laid, inside = warp(laid_from, geometry, (plane.shape[0], plane.shape[1]))
        if inside.mean() < 0.5:
            return None
        laid = np.where(inside, laid, plane)
        own.append(at_places(plane))
        other.append(at_places(laid))
    return np.stack([*own, *other], axis=1)


def at_places(plane: Grey) -> NDArray[np.float32]:
    """Means of a plane around the places of ``colours_of``, in their order."""
    return cv2.resize(plane, _PLACES, interpolation=cv2.INTER_AREA).ravel().astype(np.float32)


@dataclass(frozen=True, slots=True, kw_only=True)
class Colours:
    """Colours of a file over those of the master."""

    blue: float = 0.0  #: shift of blue difference, code values
    red: float = 0.0  #: shift of red difference
    saturation: float = 1.0
    mixing: NDArray[np.float64] | None = None  #: file blue and red difference by those of the master, 2 by 2
    luma: tuple[float, float] = (1.0, 0.0)  #: gain and offset of luma beside what colours bring into it
    matrices: tuple[Matrix, Matrix] | None = None  #: of file and master

    @classmethod
    def of(cls, rows: NDArray[np.float32], matrices: tuple[Matrix, Matrix] | None) -> Colours:
        """Return those of rows of file blue, file red, master blue, master red, file luma, master luma."""
        blue, red = (float(np.median(rows[:, at] - rows[:, at + 2])) for at in (0, 1))
        spread = rows[:, 2:4] - 128
        saturation = 1.0
        if float(np.abs(spread).mean()) > _LEAST_COLOUR:
            saturation = float(np.sum((rows[:, :2] - 128) * spread) / np.sum(np.square(spread)))
        found = cls(blue=blue, red=red, saturation=saturation, matrices=matrices)
        mixing = _mixing(rows)
        return found if mixing is None else replace(found, mixing=mixing, luma=_luma(rows))

    @property
    def converted(self) -> tuple[str, str] | None:
        """From which matrix to which the picture was converted, ``None`` where it was not or that cannot be told."""
        if self.mixing is None:
            return None
        near = (pair for pair, known in _MIXINGS.items() if (np.abs(self.mixing - known) <= _MIXING).all())
        return next(near, None)

    @property
    def is_right_conversion(self) -> bool:
        """Was the picture converted from the master's matrix to the file's own?"""
        if self.converted is None or self.matrices is None:
            return False
        (own, said), (other, known) = self.matrices
        asked = (
            {(other, own)} if said and known else {(_HIGH, _STANDARD), (_STANDARD, _HIGH)} if own != other else set()
        )
        return self.converted in asked

    @property
    def is_of_matrix(self) -> bool:
        """Is it a matter of colour matrices, converted or kept?"""
        return self.converted is not None or bool(self._kept())

    @property
    def is_exchanged(self) -> bool:
        """Has the file the master's red difference as its blue one, and the other way round?"""
        if self.mixing is None:
            return False
        (blue, red_in_blue), (blue_in_red, red) = self.mixing
        return bool(min(red_in_blue, blue_in_red) > 0.5 and max(abs(blue), abs(red)) < 0.4)

    @property
    def hue(self) -> float:
        """Degrees by which hues are turned against the master's, 0 where it cannot be told."""
        if self.mixing is None or self.saturation < _NO_COLOUR:
            return 0.0
        (blue, red_in_blue), (blue_in_red, red) = self.mixing
        return float(np.degrees(np.arctan2(blue_in_red - red_in_blue, blue + red)))

    @property
    def is_tinted(self) -> bool:
        """Is blue or red shifted?"""
        return max(abs(self.blue), abs(self.red)) > _TINT

    @property
    def is_turned(self) -> bool:
        """Are hues turned?"""
        return abs(self.hue) > _HUE

    @property
    def is_other(self) -> bool:
        """Are tint, saturation or hue others than the master's?"""
        return self.is_tinted or self.is_turned or abs(self.saturation - 1) > _SATURATION

    @property
    def explains_luma(self) -> bool:
        """Is luma what comes of these colours, by another matrix or order of the primaries?"""
        gain, offset = self.luma
        near = abs(gain * 126 + offset - 126) <= _LUMA_OFF and abs(gain - 1) <= _LUMA_GAIN
        return near and (self.is_exchanged or self.converted is not None)

    def known_fault(self, *, with_luma: bool) -> str:
        """Return a sentence where it is known what became of the colours as a whole; else nothing.

        ``with_luma``: are levels of luma others too?
        """
        if self.mixing is None or self.is_right_conversion:
            return ""
        if self.converted is not None:
            before, after = self.converted
            return (
                f"The picture was converted from the colour matrix of {before} to that of {after}, which "
                "the file does not have: colours are off, reds and greens most."
            )
        if self.is_exchanged:
            what = "red, green and blue" if with_luma else "the planes of colour difference"
            return f"Blue and red are exchanged, as by {what} in the wrong order."
        if max(self.mixing[0, 0], self.mixing[1, 1]) < -0.5:
            return "Colours are negative: each is its opposite."
        return self._kept()

    def _kept(self) -> str:
        """Say that a file which has another matrix than the master has its colours as they were."""
        if self.matrices is None or self.mixing is None or not (np.abs(self.mixing - np.eye(2)) <= _MIXING).all():
            return ""
        (own, said), (other, known) = self.matrices
        if not (said and known and (other, own) in _MIXINGS):
            return ""
        return (
            f"The file says that it has the colour matrix of {own}, and its colours are as in the master, which has "
            f"that of {other}: they will be shown off, reds and greens most."
        )

    def says(self) -> str:
        """Return a sentence of tint, saturation and hue."""
        turned = f", hues turned by {abs(self.hue):.0f}°" if self.is_turned else ""
        return (
            f"Colour differs from the master: blue difference {self.blue:+.1f}, red difference {self.red:+.1f}, "
            f"saturation {max(self.saturation, 0) * 100:.0f} %{turned}."
        )

    def to_json(self) -> dict[str, Any]:
        """Its part of ``master.level_curve``."""
        return {
            "blue": round(self.blue, 2),
            "red": round(self.red, 2),
            "colour_gain": round(self.saturation, 3),
            "mixing": None if self.mixing is None else self.mixing.round(3).tolist(),
        }


def _mixing(rows: NDArray[np.float32]) -> NDArray[np.float64] | None:
    """Return how file blue and red difference are made of the master's, ``None`` where colours differ too little."""
    own, other = rows[:, :2].astype(np.float64) - 128, rows[:, 2:4].astype(np.float64) - 128
    if len(rows) < _FEWEST or np.linalg.eigvalsh(np.cov(other.T))[0] < _LEAST_SPREAD**2:
        return None
    found = np.linalg.lstsq(np.column_stack([other, np.ones(len(other))]), own, rcond=None)[0]
    return np.asarray(found[:2].T, np.float64)


def _luma(rows: NDArray[np.float32]) -> tuple[float, float]:
    """Return gain and offset of luma where what the master's colours bring into it is taken out."""
    seen = np.column_stack([rows[:, 5], rows[:, 2:4] - 128, np.ones(len(rows))]).astype(np.float64)
    gain, _, _, offset = np.linalg.lstsq(seen, rows[:, 4].astype(np.float64), rcond=None)[0]
    return float(gain), float(offset)


def gathered(rows: Sequence[NDArray[np.float32]], matrices: tuple[Matrix, Matrix] | None) -> Colours:
    """Return the colours over some pictures; as they were where none has colour."""
    return Colours.of(np.concatenate(rows), matrices) if rows else Colours(matrices=matrices)
