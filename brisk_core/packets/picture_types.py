"""The type of the picture in a packet, from the first bytes of its first slice or picture header."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field

from brisk_core.reading.bit_reader import BitsEnded
from brisk_core.reading.streams import av1, avc, hevc, mpeg2

INTRA_ONLY = {"prores", "vc3", "mjpeg", "v210", "raw", "jpeg2000", "ffv1"}
_MPEG2_SLICES = re.compile(rb"\x00\x00\x01[\x01-\xaf]")  # slice_start_code (H.262, table 6-1)
_SLICES = {1, 2, 5}  # NAL unit types that carry a slice head (H.264, table 7-1)
_AV1_FRAMES = {3, 6}  # obu_type of a frame header and of a frame
_TYPES = "PBIPI"  # slice_type modulo 5 (H.264, table 7-6); SP as P, SI as I


@dataclass(frozen=True, slots=True, kw_only=True)
class PictureHead:
    """What is read of each picture."""

    type: str  #: I, P, B or ?
    closed_group: bool | None = None  #: closed_gop of an MPEG-2 group header before it
    letter: int = field(init=False)  #: the type as an ASCII code

    def __post_init__(self) -> None:
        object.__setattr__(self, "letter", ord(self.type))


_HEADS = {type_: PictureHead(type=type_) for type_ in "IPB?"}  # one object a type: a long file has a million pictures
_UNKNOWN, _INTRA = _HEADS["?"], _HEADS["I"]


def _after_macroblock_zero() -> list[PictureHead]:
    """Heads by the first byte of slices that begin at macroblock 0: the bit 1, then ue(slice_type) in up to 7 bits."""
    heads = []
    for byte in range(256):
        zeros = 0
        while zeros < 4 and not byte >> (6 - zeros) & 1:
            zeros += 1
        code = (byte >> max(6 - 2 * zeros, 0) & ((2 << zeros) - 1)) - 1
        known = byte & 0x80 and zeros < 4 and code < 10
        heads.append(_HEADS[_TYPES[code % 5]] if known else _UNKNOWN)
    return heads


_BY_FIRST_BYTE = _after_macroblock_zero()


def _slice_head(start: memoryview | bytes) -> PictureHead:
    """Return the head by a slice's first byte, or by more of it where that is not enough."""
    head = _BY_FIRST_BYTE[start[0]] if start else _UNKNOWN
    return head if head is not _UNKNOWN else _HEADS[_slice_type(bytes(start))]


def _slice_type(head: bytes) -> str:
    """Return the type in a slice's first bytes: ue(first_mb), ue(slice_type); ``?`` when they make no sense."""
    value, length = int.from_bytes(head, "big"), len(head) * 8
    position = 0
    for turn in range(2):
        zeros = 0
        while position < length and not value >> (length - 1 - position) & 1:
            position += 1
            zeros += 1
        if position + zeros >= length:
            return "?"
        code = (value >> (length - position - 1 - zeros) & ((1 << (zeros + 1)) - 1)) - 1
        position += zeros + 1
        if turn == 1:
            return _TYPES[code % 5] if code < 10 else "?"
    return "?"


def _avc_by_length(length_size: int) -> Callable[[memoryview], PictureHead]:
    def head(data: memoryview) -> PictureHead:
        position, end = 0, len(data)
        while position + length_size < end:
            start = position + length_size
            if data[start] & 0x1F in _SLICES:
                head = _BY_FIRST_BYTE[data[start + 1]] if start + 1 < end else _UNKNOWN
                return head if head is not _UNKNOWN else _slice_head(data[start + 1 : start + 9])
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
                return _slice_head(raw[at + 4 : at + 12])
            at = raw.find(b"\x00\x00\x01", at + 3)
        if window >= len(data):
            return _UNKNOWN
        window <<= 4


def _mpeg2_head(data: memoryview) -> PictureHead:
    found = mpeg2.picture_type(bytes(data[:1024]))
    if found is None:
        return _UNKNOWN
    return _HEADS.get(found[0], _UNKNOWN) if found[1] is None else PictureHead(type=found[0], closed_group=found[1])


def _vp9_head(data: memoryview) -> PictureHead:
    """By show_existing_frame and frame_type, which stand after marker and profile (VP9, 6.2)."""
    if not data or data[0] >> 6 != 2:
        return _UNKNOWN
    shift = 2 if data[0] & 0x30 == 0x30 else 3  # profile 3 has a reserved bit
    if data[0] >> shift & 1:
        return _HEADS["P"]
    return _HEADS["P"] if data[0] >> (shift - 1) & 1 else _INTRA


def _vp8_head(data: memoryview) -> PictureHead:
    return (_HEADS["P"] if data[0] & 1 else _INTRA) if data else _UNKNOWN


def _av1_head(data: memoryview) -> PictureHead:
    """By frame_type of the first frame header (AV1, 5.9.2): key or intra-only, or leaning on others."""
    for kind, body in av1.units(bytes(data[:4096])):
        if kind in _AV1_FRAMES and body:
            if body[0] & 0x80:
                return _HEADS["P"]
            return _INTRA if body[0] >> 5 & 3 in (0, 2) else _HEADS["P"]
    return _UNKNOWN


def _mpeg4_head(data: memoryview) -> PictureHead:
    """By vop_coding_type after the start code of a plane (ISO/IEC 14496-2, 6.2.5)."""
    raw = bytes(data[:4096])
    at = raw.find(b"\x00\x00\x01\xb6")
    return _HEADS["IPBP"[raw[at + 4] >> 6]] if 0 <= at < len(raw) - 4 else _UNKNOWN


def _intra(_: memoryview) -> PictureHead:
    return _INTRA


def _hevc_head(length_size: int | None, extra_bits: dict[int, int]) -> Callable[[memoryview], PictureHead]:
    def head(data: memoryview) -> PictureHead:
        for unit in avc.split_units(bytes(data), length_size):
            if len(unit) > 2 and hevc.unit_type(unit) < hevc.NAL_VPS:
                try:
                    return _HEADS[hevc.slice_type(unit, extra_bits) or "?"]
                except BitsEnded:
                    return _UNKNOWN
        return _UNKNOWN

    return head


_BY_CODEC = {"vp9": _vp9_head, "vp8": _vp8_head, "av1": _av1_head, "mpeg4": _mpeg4_head}


def head_reader(
    codec: str, length_size: int | None, extra_bits: dict[int, int] | None = None
) -> Callable[[memoryview], PictureHead]:
    """Return the function that reads the picture head of a packet of this codec.

    ``extra_bits`` is num_extra_slice_header_bits by picture parameter set, for HEVC.
    """
    if codec == "hevc":
        return _hevc_head(length_size, extra_bits or {})
    if codec == "avc":
        return _avc_by_length(length_size) if length_size else _avc_by_start_code
    if codec in ("mpeg2", "mpeg1"):
        return _mpeg2_head
    return _intra if codec in INTRA_ONLY else _BY_CODEC.get(codec, lambda _: _UNKNOWN)


def count_slices(data: bytes, codec: str, length_size: int | None) -> int:
    """Return how many slices a packet's picture has, 0 where this codec's slices are not counted."""
    if codec == "avc":
        return sum(unit[0] & 0x1F in _SLICES for unit in avc.split_units(data, length_size))
    if codec in ("mpeg2", "mpeg1"):
        return len(_MPEG2_SLICES.findall(data))
    if codec == "hevc":
        return sum(hevc.unit_type(unit) < hevc.NAL_VPS for unit in avc.split_units(data, length_size))
    return 0
