"""The frame header of VC-3 (SMPTE ST 2019-1, 7.2)."""

from __future__ import annotations

from brisk_core.facts import Scan
from brisk_core.reading.bit_reader import BitsEnded
from brisk_core.reading.streams.coded_header import CodedHeader

_PREFIXES = (b"\x00\x00\x02\x80\x01", b"\x00\x00\x02\x80\x02", b"\x00\x00\x02\x80\x03")
_DEPTHS = {1: 8, 2: 10, 3: 12}  # sample bit depth
_HEADER_BYTES = 640


def parse_frame(data: bytes) -> CodedHeader:
    """Read the header at the start of a packet; raises ``BitsEnded`` when it is none."""
    if data[:5] not in _PREFIXES or len(data) < _HEADER_BYTES:
        raise BitsEnded(f"met {data[:5].hex()} at the start of a VC-3 packet; expected the prefix 0000028001 to 03")
    fields = bool(data[5] & 2)
    height, width = int.from_bytes(data[0x18:0x1A], "big"), int.from_bytes(data[0x1A:0x1C], "big")
    if not width or not height:
        raise BitsEnded(f"met a VC-3 picture of {width} × {height}; expected at least 1 × 1")
    size = (width, height * 2 if fields else height)  # active lines of a field where a picture is coded as two
    return CodedHeader(
        place="frame header of the first picture (ST 2019-1, 7.2)",
        size=size,
        coded_size=size,
        profile=f"compression ID {int.from_bytes(data[0x28:0x2C], 'big')}",
        chroma="4:4:4" if data[0x2C] >> 6 & 1 else "4:2:2",
        bit_depth=_DEPTHS.get(data[0x21] >> 5),
        scan=Scan.INTERLACED if fields else Scan.PROGRESSIVE,
        alpha="present" if data[7] & 1 else "none",
    )
