"""Decoded pictures as numbers: luma and chroma of some frames, 8 bit and narrow range whatever the file has."""

from __future__ import annotations

import importlib
from collections.abc import Generator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from brisk_core.frames.find import exact_frames
from brisk_core.meters.kernels import in_lines
from brisk_core.meters.planes import PlaneReader
from brisk_core.reading import Source

Grey = NDArray[np.float32]  #: (height, width) code values, 8-bit narrow range whatever the file's depth and range


@dataclass(frozen=True, slots=True, kw_only=True)
class Film:
    """A file that is decoded."""

    source: Source
    series_path: Path
    full: bool  #: full range by the file's own word
    size: tuple[int, int]


@dataclass(frozen=True, slots=True, kw_only=True)
class Still:
    """One decoded picture, brought to 8 bit and narrow range by the file's own word."""

    number: int
    luma: Grey
    chroma: tuple[Grey, Grey] | None  #: blue and red difference


def stills(
    film: Film, numbers: Sequence[int], widest: int, *, colour: bool, threads: int = 0
) -> Generator[Still, None, None]:
    """Yield the wanted pictures that can be decoded, in ascending order, their luma at most ``widest`` samples wide and
    their chroma at most half of that. ``threads`` decode, as many as the library likes by default.
    """
    reader = PlaneReader(full=film.full)
    for number, frame in exact_frames(film.source, film.series_path, sorted(set(numbers)), threads=threads):
        picture = reader.picture(frame, number)
        bits, full = picture.samples.bits, picture.samples.full
        planes = [
            _narrow(_no_wider(plane, widest // 2 if at else widest), bits, full=full, chroma=at > 0)
            for at, plane in enumerate(picture.planes[: 3 if colour else 1])
        ]
        chroma = (planes[1], planes[2]) if len(planes) == 3 else None
        yield Still(number=number, luma=planes[0], chroma=chroma)


def _narrow(plane: Grey, bits: int, *, full: bool, chroma: bool) -> Grey:
    if bits != 8:
        plane = np.asarray(plane / np.float32(1 << (bits - 8)), np.float32)
    if not full:
        return plane
    if chroma:
        return np.asarray((plane - 128) * np.float32(224 / 255) + 128, np.float32)
    return np.asarray(plane * np.float32(219 / 255) + 16, np.float32)


def _no_wider(plane: NDArray[Any], widest: int) -> Grey:
    """Return samples as they are, or means of areas so that a line has at most ``widest``."""
    height, width = plane.shape
    small = plane.astype(np.float32) if width % (2 * widest) or height % 2 else _halved(plane)
    if small.shape[1] <= widest:
        return small
    size = (widest, max(2, round(height * widest / width)))
    return np.asarray(cv2.resize(small, size, interpolation=cv2.INTER_AREA), np.float32)


def _halved(plane: NDArray[Any]) -> Grey:
    """Means of two by two samples of a plane of even sides."""
    lines = in_lines(plane)
    if lines.shape[1] % 2:  # the samples of a line stand in pairs
        lines = np.ascontiguousarray(plane)
    pairs = lines.view(np.uint16 if plane.itemsize == 1 else np.uint32)
    return np.asarray(_compiled().halve(pairs, plane.shape[1] // 2), np.float32)


@lru_cache(maxsize=1)
def _compiled() -> Any:
    return importlib.import_module("brisk_core.frames.compiled")
