"""One decoded picture as the meters see it: planes without copies, and reduced forms made once for all of them.

Full resolution is kept where exact counts are asked (levels). Everything else looks at *bands* (some twenty of six full
lines, in 8 bits) and at the *small* picture (cells of about 1/160 of the longer side).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from brisk_core.meters.kernels import BAND, Compared, compare_bands, detail_of_bands

cv2.setNumThreads(1)  # workers share a machine; the decoder's threads are enough

Plane = NDArray[Any]  #: (height, width) of uint8 or uint16
Small = NDArray[np.float32]  #: (cells down, cells across), 8-bit code values

_BANDS = 22  # kept of a picture
_DARK = 24  # mean 8-bit steps above black below which the percentile matters
_NEARLY_BLACK = 16  # 8-bit steps above black below which every sample is counted, not only the bands'
_PERCENTILE = 0.999
_CELLS = 160  # cells along the longer side of the small picture
_COARSER = 6
_PREDICTED = 16  # samples of a block that coders predict as one
_ROWS_A_CELL = 2  # lines looked at in each cell of the small picture
_TILES_ACROSS, _TILES_DOWN = 3, 2


@dataclass(frozen=True, slots=True, kw_only=True)
class Samples:
    """What a sample of the picture's planes means."""

    bits: int  #: depth of the code values, 8 to 16
    full: bool = False  #: full range by what the stream or the wrapper says

    @property
    def black(self) -> float:
        """Code value of black in 8 bits."""
        return 0.0 if self.full else 16.0

    @property
    def white(self) -> float:
        """Code value of white in 8 bits."""
        return 255.0 if self.full else 235.0


def _as_8_bits(plane: Plane, bits: int) -> NDArray[np.uint8]:
    if plane.dtype == np.uint8:
        return plane
    narrow: NDArray[np.uint8] = (plane >> (bits - 8)).astype(np.uint8)
    return narrow


def _percentile(plane: Plane, bits: int) -> int:
    size = 1 << bits
    counts = cv2.calcHist([plane], [0], None, [min(size, 1024)], [0, size]).ravel()
    at = int(np.searchsorted(np.cumsum(counts), _PERCENTILE * plane.size))
    return int(at * 256 // len(counts))


@dataclass
class Picture:
    """A picture and its reduced forms.

    ``planes`` are luma, then blue and red difference where there are any; views into the decoder's memory, so a picture
    must ``let_go`` of them before the next one is decoded if it is kept.
    """

    number: int  #: in presentation order, from 0
    planes: tuple[Plane, ...]
    samples: Samples
    alpha: Plane | None = None
    frame: Any = None  #: what the planes' memory belongs to
    _compared: tuple[Picture, Compared] | None = None

    @property
    def luma(self) -> Plane:
        """The luma plane at full size."""
        return self.planes[0]

    @cached_property
    def size(self) -> tuple[int, int]:
        """Width and height in luma samples."""
        height, width = self.planes[0].shape
        return width, height

    @cached_property
    def coded_bands(self) -> Plane:
        """Lines of the bands, one band below the other, code values as coded; each band starts with a top line."""
        luma = self.luma
        height, width = luma.shape
        if height < BAND:  # it goes on as it ends
            return np.pad(luma, ((0, BAND - height), (0, 0)), mode="edge")
        every = band_distance(height)
        if every == BAND:
            return np.ascontiguousarray(luma[: height // BAND * BAND])
        bands, first = height // every, every // 4 * 2
        kept = luma[first:][: bands * every].reshape(-1) if luma.flags.c_contiguous else None
        if kept is None or len(luma) - first < bands * every:
            return np.concatenate([luma[first + at * every :][:BAND] for at in range(bands)])
        return np.ascontiguousarray(kept.reshape(bands, every, width)[:, :BAND]).reshape(bands * BAND, width)

    @cached_property
    def bands(self) -> NDArray[np.uint8]:
        """Lines of the bands in 8-bit code values."""
        return _as_8_bits(self.coded_bands, self.samples.bits)

    @cached_property
    def high(self) -> int:
        """The 99.9th percentile of luma in 8-bit steps, of every sample where the picture is nearly black; the highest
        of the bands where it is not dark.
        """
        if float(self.small.mean()) >= self.samples.black + _DARK:
            return int(cv2.minMaxLoc(self.bands)[1])
        seen = _percentile(self.bands, 8)
        return seen if seen > self.samples.black + _NEARLY_BLACK else _percentile(self.luma, self.samples.bits)

    @cached_property
    def tiles(self) -> NDArray[np.uint8]:
        """Tiles over the picture with every second line and column, ``(tiles, edge, edge)``; none of a tiny picture."""
        places = self._tile_places
        if not places:
            return np.zeros((0, 0, 0), np.uint8)
        return np.stack([_as_8_bits(self.luma[down, across][::2, ::2], self.samples.bits) for down, across in places])

    @cached_property
    def coarse_tiles(self) -> NDArray[np.uint8]:
        """The tiles in cells of four lines and columns: what lies between two samples blurs little of them."""
        cells = [
            cv2.resize(self.luma[down, across], None, fx=1 / 4, fy=1 / 4, interpolation=cv2.INTER_AREA)
            for down, across in self._tile_places
        ]
        return _as_8_bits(np.stack(cells), self.samples.bits) if cells else np.zeros((0, 0, 0), np.uint8)

    @cached_property
    def _tile_places(self) -> list[tuple[slice, slice]]:
        width, height = self.size
        edge = 2 * next((edge for edge in (64, 32) if edge * 2 <= min(width, height)), 0)
        if not edge:
            return []
        across, down = min(_TILES_ACROSS, width // edge), min(_TILES_DOWN, height // edge)
        lefts, tops = _spread(width - edge, across), _spread(height - edge, down)
        return [(slice(top, top + edge), slice(left, left + edge)) for top in tops for left in lefts]

    @cached_property
    def small(self) -> Small:
        """The whole picture in cells, from lines of one field where cells are high enough, 8-bit code values."""
        return self._reduced(self.luma, 1)

    @cached_property
    def small_chroma(self) -> tuple[Small, Small] | None:
        """Blue and red difference in cells of about four times the size of those of ``small``."""
        if len(self.planes) < 3:
            return None
        return self._reduced(self.planes[1], 4), self._reduced(self.planes[2], 4)

    @cached_property
    def coarse(self) -> Small:
        """The small picture in cells six times as large: its structure, whatever moves a little."""
        rows, columns = self.small.shape
        shape = max(1, columns // _COARSER), max(1, rows // _COARSER)
        return np.asarray(cv2.resize(self.small, shape, interpolation=cv2.INTER_AREA), np.float32)

    @cached_property
    def coding_cells(self) -> Small:
        """The small picture in cells of about the size of what coders predict, 16 samples, or of its own where they are
        larger.
        """
        rows, columns = self.small.shape
        factor = max(1, round(_PREDICTED * columns / self.size[0]))
        if factor == 1:
            return self.small
        shape = max(1, columns // factor), max(1, rows // factor)
        return np.asarray(cv2.resize(self.small, shape, interpolation=cv2.INTER_AREA), np.float32)

    @cached_property
    def histogram(self) -> NDArray[np.float32]:
        """Shares of the small picture's cells in 32 levels."""
        counted = cv2.calcHist([self.small.astype(np.uint8)], [0], None, [32], [0, 256])
        return np.asarray(counted, np.float32).ravel() / np.float32(self.small.size)

    @cached_property
    def detail_blocks(self) -> Small:
        """Mean step from sample to sample and from line to line of one field, in blocks of the bands, 8-bit steps.

        Lines of the other field may be of another moment.
        """
        return detail_of_bands(self.bands)

    def against(self, previous: Picture) -> Compared:
        """Return how the bands differ from those of another picture of the same size; kept for the next who asks."""
        if self._compared is None or self._compared[0] is not previous:
            self._compared = previous, compare_bands(self.bands, previous.bands)
        return self._compared[1]

    def _reduced(self, plane: Plane, coarser: int) -> Small:
        height, width = plane.shape
        factor = max(1, round(max(height, width) * coarser / _CELLS))
        step = max(1, factor // _ROWS_A_CELL)
        down = max(1, factor // step)
        lines = plane[: max(height // step, 1) * step : step]
        rows, columns = max(1, lines.shape[0] // down), max(1, width // factor)
        kept = lines[: rows * down, : columns * factor]
        reduced = cv2.resize(kept, (columns, rows), interpolation=cv2.INTER_AREA)
        scale = 1 / (1 << (self.samples.bits - 8))
        return np.asarray(reduced, np.float32) * np.float32(scale)

    def let_go(self) -> None:
        """Make the reduced forms and drop the planes, so that the decoder's memory is free."""
        _ = self.size, self.bands, self.high, self.tiles, self.coarse_tiles, self.small, self.small_chroma
        self.planes = ()
        self.alpha = self.frame = self._compared = None
        self.__dict__.pop("coded_bands", None)

    def to_arrays(self) -> dict[str, NDArray[Any]]:
        """Return the reduced forms as arrays by name; the planes are let go of."""
        self.let_go()
        blue, red = self.small_chroma or (_NO_CHROMA, _NO_CHROMA)
        samples = self.samples
        meant = np.array([self.number, *self.size, samples.bits, samples.full, self.high], np.int64)
        tiles = {"tiles": self.tiles, "coarse_tiles": self.coarse_tiles}
        return {"meant": meant, "bands": self.bands, **tiles, "small": self.small, "blue": blue, "red": red}

    @classmethod
    def from_arrays(cls, arrays: Mapping[str, NDArray[Any]]) -> Picture:
        """Return a picture of reduced forms that ``to_arrays`` gave."""
        number, width, height, bits, full, high = arrays["meant"].tolist()
        picture = cls(number=number, planes=(), samples=Samples(bits=bits, full=bool(full)))
        picture.__dict__ |= {
            "size": (width, height),
            "high": high,
            "bands": arrays["bands"],
            "tiles": arrays["tiles"],
            "coarse_tiles": arrays["coarse_tiles"],
            "small": arrays["small"],
            "small_chroma": (arrays["blue"], arrays["red"]) if arrays["blue"].size else None,
        }
        return picture


_NO_CHROMA = np.zeros((0, 0), np.float32)
#: Names of the arrays that ``Picture.to_arrays`` gives.
PICTURE_ARRAYS = ("meant", "bands", "tiles", "coarse_tiles", "small", "blue", "red")


def band_distance(height: int) -> int:
    """Return the lines from one band to the next, even numbers; a low picture is looked at whole."""
    return max(BAND, height // _BANDS // 2 * 2) if height >= 2 * _BANDS * BAND else BAND


def _spread(room: int, count: int) -> list[int]:
    """Return ``count`` places over ``room``, even numbers, so that a tile keeps to the lines of one field."""
    return [int(room * (at + 1) / (count + 1)) // 2 * 2 for at in range(count)]
