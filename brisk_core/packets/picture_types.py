"""The type of the picture in a packet, from the first bytes of its first slice or picture header."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from brisk_core.reading import avc, mpeg2

INTRA_ONLY = {"prores", "vc3", "mjpeg", "v210", "raw", "jpeg2000"}
_SLICES = {1, 2, 5}  # NAL unit types that carry a slice head (H.264, table 7-1)
_TYPE_OF_CODE = {  # slice_type as ue(v) after first_mb_in_slice = 0, which is the single bit 1
    code: "PBIPI"[code % 5] for code in range(10)
}


@dataclass(frozen=True, slots=True, kw_only=True)
class PictureHead:
    """What is read of each picture."""

    type: str  #: I, P, B or ?
    closed_group: bool | None = None  #: closed_gop of an MPEG-2 group header before it


_UNKNOWN = PictureHead(type="?")


def _slice_type(head: bytes) -> str:
    """Return the type in a slice's first bytes: ue(first_mb), ue(slice_type); ``?`` when they make no sense."""
    value, length = int.from_bytes(head, "big"), len(head) * 8
    position = 0
    for field in range(2):
        zeros = 0
        while position < length and not value >> (length - 1 - position) & 1:
            position += 1
            zeros += 1
        if position + zeros >= length:
            return "?"
        code = (value >> (length - position - 1 - zeros) & ((1 << (zeros + 1)) - 1)) - 1
        position += zeros + 1
        if field == 1:
            return _TYPE_OF_CODE.get(code, "?")
    return "?"


def _avc_by_length(length_size: int) -> Callable[[memoryview], PictureHead]:
    def head(data: memoryview) -> PictureHead:
        position, end = 0, len(data)
        while position + length_size < end:
            start = position + length_size
            if data[start] & 0x1F in _SLICES:
                return PictureHead(type=_slice_type(bytes(data[start + 1 : start + 9])))
            position = start + int.from_bytes(data[position:start], "big")
        return _UNKNOWN

    return head


def _avc_by_start_code(data: memoryview) -> PictureHead:
    window = 1 << 12
    while True:
        raw = bytes(data[:window])
        at = raw.find(b"\x00\x00\x01")
        while 0 <= at < len(raw) - 12:
            if raw[at + 3] & 0x1F in _SLICES:
                return PictureHead(type=_slice_type(raw[at + 4 : at + 12]))
            at = raw.find(b"\x00\x00\x01", at + 3)
        if window >= len(data):
            return _UNKNOWN
        window <<= 4


def _mpeg2_head(data: memoryview) -> PictureHead:
    found = mpeg2.picture_type(bytes(data[:1024]))
    return PictureHead(type=found[0], closed_group=found[1]) if found else _UNKNOWN


def _intra(_: memoryview) -> PictureHead:
    return PictureHead(type="I")


def head_reader(codec: str, length_size: int | None) -> Callable[[memoryview], PictureHead]:
    """Return the function that reads the picture head of a packet of this codec."""
    if codec == "avc":
        return _avc_by_length(length_size) if length_size else _avc_by_start_code
    if codec in ("mpeg2", "mpeg1"):
        return _mpeg2_head
    return _intra if codec in INTRA_ONLY else lambda _: _UNKNOWN


def count_slices(data: bytes, codec: str, length_size: int | None) -> int:
    """Return how many slices a packet's picture has, 0 where this codec's slices are not counted."""
    if codec == "avc":
        return sum(unit[0] & 0x1F in _SLICES for unit in avc.split_units(data, length_size))
    return 0
