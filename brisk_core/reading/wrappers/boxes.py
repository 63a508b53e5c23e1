"""Boxes of the ISO base media file format (ISO/IEC 14496-12, 4.2), walked with bounds that no file can widen."""

from __future__ import annotations

import struct
from collections.abc import Iterator
from dataclasses import dataclass
from typing import BinaryIO

from brisk_core.errors import UnreadableFile

_MOST_BOXES = 500_000  # in one walk; a real movie has thousands, a hostile one may have millions
LARGEST_MOVIE_BOX = 512 << 20  # bytes of a moov box read into memory; two hours of tables take about 10 MB


@dataclass(frozen=True, slots=True, kw_only=True)
class Box:
    """A box and where it lies."""

    kind: str  #: four-character code
    start: int  #: offset of its header
    body: int  #: offset of its contents
    end: int  #: offset of the first byte after, by its own claim
    cut: bool  #: does its claim reach past its parent or the end of the file?


def _four_characters(raw: bytes) -> str:
    return raw.decode("latin-1")


def walk_file(file: BinaryIO, size: int) -> Iterator[Box]:
    """Yield the top-level boxes of a file, reading their headers only; raises ``UnreadableFile`` for too many."""
    position = 0
    for _ in range(_MOST_BOXES):
        if position + 8 > size:
            return
        file.seek(position)
        header = file.read(16)
        if len(header) < 8:
            return
        box = _box_at(header, 0, position, size)
        if box is None:
            return
        yield box
        if box.end <= position:
            return
        position = box.end
    raise UnreadableFile(f"the file holds more than {_MOST_BOXES:,} boxes side by side; expected those of a movie")


def walk(data: bytes, start: int, end: int) -> Iterator[Box]:
    """Yield the boxes that stand side by side in ``data[start:end]``; stops where the bytes stop making sense."""
    position = start
    for _ in range(_MOST_BOXES):
        if position + 8 > end:
            return
        box = _box_at(data[position : position + 16], 0, position, end)
        if box is None:
            return
        yield box
        position = box.end


def _box_at(header: bytes, at: int, position: int, limit: int) -> Box | None:
    size, raw = struct.unpack_from(">I4s", header, at)
    length = 8
    if size == 1:
        if len(header) < at + 16:
            return None
        size = struct.unpack_from(">Q", header, at + 8)[0]
        length = 16
    elif size == 0:
        size = limit - position
    if size < length:
        return None
    end = position + size
    return Box(kind=_four_characters(raw), start=position, body=position + length, end=min(end, limit), cut=end > limit)
