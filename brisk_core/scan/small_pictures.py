"""Small pictures that a scan keeps on its way, so that a page has something to show before any frame is decoded.

While pictures are decoded nobody knows yet which of them will matter. So the scan keeps the first, the last, some at
even distances, and one behind each jump that may be a cut; ``brisk_core.frames.wanted`` leaves those that matter.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

from brisk_core.meters import MeterRows
from brisk_core.reading.shown import frame_aspect, frame_path, shown_size, to_image
from brisk_core.whole_file import written_whole

WIDTH = 240  #: samples across, square pixels
EVENLY = 24  #: pictures at even distances over the whole length
INTO = 3  #: frames after a cut, so that the first frame of a dissolve does not stand for the shot
_QUALITY = 75
_LEVELS, _UNLIKE, _COLOUR = 0.12, 0.4, 8.0  # change of the histogram, loss of correlation, colour: may be a cut


def evenly(frames: int) -> list[int]:
    """Return the numbers of the pictures at even distances, each in the middle of its stretch."""
    count = min(EVENLY, frames)
    return sorted({(2 * at + 1) * frames // (2 * count) for at in range(count)})


def write_small(frame: Any, folder: Path, number: int) -> None:
    """Write a decoded frame as a small picture."""
    size = shown_size(frame.width, frame.height, frame_aspect(frame), WIDTH)
    with written_whole(frame_path(folder, number)) as unfinished:
        to_image(frame, size).save(unfinished, format="JPEG", quality=_QUALITY)


class SmallPictures:
    """Keeps small pictures of a file of ``frames`` pictures in a folder while they are scanned."""

    def __init__(self, folder: Path, frames: int) -> None:
        self.folder = folder
        self._wanted = {0, frames - 1, *evenly(frames)}
        self._frames = frames
        self._jumped: int | None = None  # the picture after the last jump
        folder.mkdir(parents=True, exist_ok=True)

    def take(self, frame: Any, number: int, rows: MeterRows) -> None:
        """Look at the picture that was measured last."""
        if _jumps(rows):
            self._jumped = number
        if number in self._wanted or (self._jumped is not None and number == self._jumped + INTO):
            write_small(frame, self.folder, number)


def _jumps(rows: MeterRows) -> bool:
    """May the picture that was measured last be the first of a shot?"""
    last = rows.last("change")
    return not last["likeness"] > 1 - _UNLIKE or last["levels"] > _LEVELS or last["colour"] > _COLOUR
