"""Views of a frame for the bench: the picture, its fields, levels, active area, difference to the previous frame,
alpha.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from brisk_core.errors import UnreadableFile
from brisk_core.frames.find import exact_frames
from brisk_core.meters import Picture
from brisk_core.meters.planes import PlaneReader
from brisk_core.reading import Source
from brisk_core.reading.shown import frame_aspect, frame_path, shown_size, to_image
from brisk_core.whole_file import written_whole

_QUALITY = 88
_SCOPE = 360  # samples across of waveform and histogram beside the picture
_GROUND, _INK, _LINE = (24, 26, 28), (94, 196, 182), (150, 152, 148)
_BELOW, _ABOVE = (70, 140, 235), (235, 96, 60)  # marks of samples outside narrow range
_AREA, _SAFE = (255, 200, 90), (170, 205, 255)
_ACTION, _GRAPHICS = 0.93, 0.90  # of width and height: safe areas of EBU R 95
_GAIN = 4  # differences are shown so many times as large

Rgb = NDArray[np.uint8]  #: (height, width, 3)


@dataclass(frozen=True, slots=True, kw_only=True)
class Shown:
    """What a view needs beside the frame."""

    frame: Any
    previous: Any  #: the frame before, None for the first
    widest: int  #: samples
    pixel_aspect: Fraction
    full: bool  #: full range by the file's own word
    area: tuple[int, int, int, int] | None  #: measured active area in luma samples

    def picture(self, frame: Any = None) -> Picture:
        """The planes of the frame, or of another one."""
        return PlaneReader(full=self.full).picture(frame or self.frame, 0)


def write_frames(
    source: Source,
    series_path: Path,
    folder: Path,
    first: int,
    count: int,
    widest: int,
    *,
    view: str = "picture",
    full: bool = False,
    area: tuple[int, int, int, int] | None = None,
) -> list[int]:
    """Decode frames ``first`` to ``first + count`` in presentation order and write a view of each as JPEG.

    Returns the numbers written. Views wider than ``widest`` are scaled down. Raises ``UnreadableFile`` when not even
    the first can be decoded, or when the file has nothing of what the view shows.
    """
    from brisk_core.packets import load_series

    have = len(load_series(series_path))
    if not 0 <= first < have:
        raise UnreadableFile(f"there is no frame {first}; the file has {have} frames")
    folder.mkdir(parents=True, exist_ok=True)
    begin = first - 1 if view == "difference" and first else first
    written: list[int] = []
    previous = None
    for number, frame in exact_frames(source, series_path, range(begin, min(first + count, have))):
        if number >= first:
            aspect = frame_aspect(frame)
            shown = Shown(frame=frame, previous=previous, widest=widest, pixel_aspect=aspect, full=full, area=area)
            _save(VIEWS[view](shown), frame_path(folder, number))
            written.append(number)
        previous = frame
    if first not in written:
        raise UnreadableFile(f"frame {first} cannot be decoded")
    return written


def _save(picture: Image.Image, path: Path) -> None:
    """Write a picture that is seen coarsely before all of it has come over a slow line."""
    with written_whole(path) as unfinished:
        picture.save(unfinished, format="JPEG", quality=_QUALITY, subsampling=0, progressive=True)


def _picture(shown: Shown) -> Image.Image:
    frame = shown.frame
    return to_image(frame, shown_size(frame.width, frame.height, shown.pixel_aspect, shown.widest))


def _fields(shown: Shown) -> Image.Image:
    """The top field on the left, the bottom field on the right, each at its own lines."""
    frame = shown.frame
    width, height = shown_size(frame.width, frame.height, shown.pixel_aspect, shown.widest)
    whole = np.asarray(to_image(frame, (width // 2 * 2, frame.height // 2 * 2)))
    half = (width // 2, height // 2)
    fields = [cv2.resize(whole[at::2], half, interpolation=cv2.INTER_AREA) for at in (0, 1)]
    gap = np.full((half[1], 6, 3), _GROUND, np.uint8)
    return Image.fromarray(np.concatenate([fields[0], gap, fields[1]], axis=1))


def _one_field(which: int) -> Callable[[Shown], Image.Image]:
    """Return the view of one field alone, its lines doubled: the moment that it shows."""

    def view(shown: Shown) -> Image.Image:
        frame = shown.frame
        size = shown_size(frame.width, frame.height, shown.pixel_aspect, shown.widest)
        whole = np.asarray(to_image(frame, (size[0], frame.height // 2 * 2)))
        return Image.fromarray(cv2.resize(whole[which::2], size, interpolation=cv2.INTER_LINEAR))

    return view


def _eight(picture: Picture) -> NDArray[np.uint8]:
    luma, bits = picture.luma, picture.samples.bits
    return luma if luma.dtype == np.uint8 else (luma >> (bits - 8)).astype(np.uint8)


def _grey(shown: Shown, plane: NDArray[np.uint8]) -> Rgb:
    size = shown_size(shown.frame.width, shown.frame.height, shown.pixel_aspect, shown.widest)
    scaled = cv2.resize(plane, size, interpolation=cv2.INTER_AREA)
    return np.repeat(np.asarray(scaled, np.uint8)[:, :, None], 3, axis=2)


def _levels(shown: Shown) -> Image.Image:
    """Luma with what lies outside narrow range marked; waveform and histogram beside it."""
    picture = shown.picture()
    luma, bits = picture.luma, picture.samples.bits
    eight = _eight(picture)
    wide = max(shown.widest - _SCOPE - 8, 320)
    inner = Shown(
        frame=shown.frame, previous=None, widest=wide, pixel_aspect=shown.pixel_aspect, full=shown.full, area=None
    )
    grey = _grey(inner, eight)
    height, width = grey.shape[:2]
    floor, ceiling = 16 << (bits - 8), 235 << (bits - 8)
    for outside, colour in ((luma < floor, _BELOW), (luma > ceiling, _ABOVE)):
        marks = cv2.resize(outside.astype(np.uint8) * 255, (width, height), interpolation=cv2.INTER_AREA) > 0
        grey[marks] = colour
    upper = height // 2
    scopes = np.concatenate(
        [_waveform(eight, upper), np.full((4, _SCOPE, 3), _GROUND, np.uint8), _histogram(eight, height - upper - 4)]
    )
    return Image.fromarray(np.concatenate([grey, np.full((height, 8, 3), _GROUND, np.uint8), scopes], axis=1))


def _waveform(luma: NDArray[np.uint8], height: int) -> Rgb:
    """How many samples of each column have each value; lines at 16 and 235."""
    columns = np.arange(luma.shape[1]) * _SCOPE // luma.shape[1]
    counts = np.zeros((256, _SCOPE), np.float32)
    lines = luma[:: max(1, luma.shape[0] // 270)]
    np.add.at(counts, (lines, np.broadcast_to(columns, lines.shape)), 1)
    strength = (
        np.clip(counts / max(float(np.quantile(counts[counts > 0], 0.95)) if counts.any() else 1, 1), 0, 1) ** 0.5
    )
    picture = np.asarray(_GROUND, np.float32) + strength[::-1, :, None] * (np.asarray(_INK, np.float32) - _GROUND)
    picture[[255 - 16, 255 - 235]] = np.maximum(picture[[255 - 16, 255 - 235]], np.asarray(_LINE, np.float32) * 0.7)
    return np.asarray(cv2.resize(picture.astype(np.uint8), (_SCOPE, height), interpolation=cv2.INTER_AREA), np.uint8)


def _histogram(luma: NDArray[np.uint8], height: int) -> Rgb:
    """Shares of the values, the smallest on the left; lines at 16 and 235."""
    counts = np.bincount(luma.ravel(), minlength=256).astype(np.float64)
    shares = np.sqrt(counts / max(float(np.sort(counts)[-3]), 1)).clip(0, 1)
    picture = np.full((height, 256, 3), _GROUND, np.uint8)
    for value, share in enumerate(shares):
        colour = _BELOW if value < 16 else _ABOVE if value > 235 else _INK
        picture[height - round(share * (height - 6)) :, value] = colour
    for value in (16, 235):
        picture[:8, value] = _LINE
    return np.asarray(cv2.resize(picture, (_SCOPE, height), interpolation=cv2.INTER_NEAREST), np.uint8)


def _active_area(shown: Shown) -> Image.Image:
    """The picture with the edges of the measured active area, and the safe areas of EBU R 95."""
    image = _picture(shown)
    draw = ImageDraw.Draw(image)
    across, down = image.width / shown.frame.width, image.height / shown.frame.height
    for share in (_ACTION, _GRAPHICS):
        left, top = image.width * (1 - share) / 2, image.height * (1 - share) / 2
        draw.rectangle((left, top, image.width - left, image.height - top), outline=_SAFE)
    if shown.area:
        x, y, width, height = shown.area
        draw.rectangle(
            (x * across, y * down, (x + width) * across - 1, (y + height) * down - 1), outline=_AREA, width=3
        )
    return image


def _difference(shown: Shown) -> Image.Image:
    """What changed since the previous frame, four times as large."""
    now = _eight(shown.picture())
    if shown.previous is None or (shown.previous.width, shown.previous.height) != (
        shown.frame.width,
        shown.frame.height,
    ):
        return Image.fromarray(_grey(shown, np.zeros_like(now)))
    previous = _eight(shown.picture(shown.previous))
    change = cv2.convertScaleAbs(cv2.absdiff(now, previous), alpha=_GAIN)
    return Image.fromarray(_grey(shown, np.asarray(change, np.uint8)))


def _alpha(shown: Shown) -> Image.Image:
    """The alpha plane: white covers, black lets through."""
    picture = shown.picture()
    if picture.alpha is None:
        raise UnreadableFile("the picture has no alpha")
    alpha, bits = picture.alpha, picture.samples.bits
    eight = alpha if alpha.dtype == np.uint8 else (alpha >> (bits - 8)).astype(np.uint8)
    return Image.fromarray(_grey(shown, np.asarray(eight, np.uint8)))


#: Views by name.
VIEWS: dict[str, Callable[[Shown], Image.Image]] = {
    "picture": _picture,
    "fields": _fields,
    "top-field": _one_field(0),
    "bottom-field": _one_field(1),
    "levels": _levels,
    "area": _active_area,
    "difference": _difference,
    "alpha": _alpha,
}
