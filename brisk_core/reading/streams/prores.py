"""The frame header of ProRes (SMPTE RDD 36, 5.1 and 6.1)."""

from __future__ import annotations

import struct
from fractions import Fraction

from brisk_core.facts import FieldOrder, Scan
from brisk_core.reading.bit_reader import BitsEnded
from brisk_core.reading.streams.coded_header import CodedHeader

#: The flavour is told by the sample entry only.
FLAVOURS = {
    "apco": "422 Proxy",
    "apcs": "422 LT",
    "apcn": "422",
    "apch": "422 HQ",
    "ap4h": "4444",
    "ap4x": "4444 XQ",
}
_SCAN = {
    0: (Scan.PROGRESSIVE, None),
    1: (Scan.INTERLACED, FieldOrder.TOP),
    2: (Scan.INTERLACED, FieldOrder.BOTTOM),
}  # interlace_mode, table 6
_DISPLAY = {2: Fraction(4, 3), 3: Fraction(16, 9)}  # aspect_ratio_information, table 3; 1 is square samples
#: frame_rate_code, table 4.
_RATES = {
    1: Fraction(24000, 1001), 2: Fraction(24), 3: Fraction(25), 4: Fraction(30000, 1001), 5: Fraction(30),
    6: Fraction(50), 7: Fraction(60000, 1001), 8: Fraction(60), 9: Fraction(100), 10: Fraction(120000, 1001),
    11: Fraction(120),
}  # fmt: skip


def parse_frame(data: bytes) -> CodedHeader:
    """Read the header at the start of a packet; raises ``BitsEnded`` when it is none."""
    if len(data) < 28 or data[4:8] != b"icpf":
        raise BitsEnded(f"met {data[4:8].hex()} at byte 4 of a ProRes packet; expected the mark 69637066")
    size: tuple[int, int] = struct.unpack_from(">HH", data, 16)
    if not all(size):
        raise BitsEnded(f"met a ProRes picture of {size[0]} × {size[1]}; expected at least 1 × 1")
    scan, order = _SCAN.get((data[20] >> 2) & 3, (None, None))
    aspect = data[21] >> 4
    shape = _DISPLAY[aspect] / Fraction(*size) if aspect in _DISPLAY else Fraction(1) if aspect == 1 else None
    return CodedHeader(
        place="frame header of the first picture (RDD 36, 5.1.1)",
        size=size,
        coded_size=size,
        chroma="4:4:4" if data[20] >> 6 == 3 else "4:2:2",
        scan=scan,
        field_order=order,
        pixel_aspect=shape,
        frame_rate=_RATES.get(data[21] & 15),
        primaries=data[22],
        transfer=data[23],
        matrix=data[24],
        alpha="present" if data[25] & 15 else "none",
    )
