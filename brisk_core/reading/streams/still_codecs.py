"""Headers of codecs that code each picture as a still: JPEG (ITU-T T.81, B.2) and JPEG 2000 (ITU-T T.800, A.5.1)."""

from __future__ import annotations

import struct

from brisk_core.reading.bit_reader import BitsEnded
from brisk_core.reading.streams.coded_header import CodedHeader

_CHROMA = {(1, 1): "4:4:4", (2, 1): "4:2:2", (2, 2): "4:2:0", (4, 1): "4:1:1"}
_FRAME_MARKERS = {0xC0, 0xC1, 0xC2, 0xC3}


def parse_jpeg(data: bytes) -> CodedHeader:
    """Read the first frame header; raises ``BitsEnded`` when there is none."""
    at = 2
    while data[:2] == b"\xff\xd8" and at + 10 <= len(data) and data[at] == 0xFF:
        marker, length = data[at + 1], int.from_bytes(data[at + 2 : at + 4], "big")
        if marker in _FRAME_MARKERS:
            depth, height, width, parts = struct.unpack_from(">BHHB", data, at + 4)
            luma, blue = (data[at + 11 + 3 * index] if at + 11 + 3 * index < len(data) else 0x11 for index in (0, 1))
            ratios = ((luma >> 4) // max(blue >> 4, 1), (luma & 15) // max(blue & 15, 1))
            chroma = "4:0:0" if parts == 1 else _CHROMA.get(ratios)
            return CodedHeader(
                place="frame header SOF (T.81, B.2.2)",
                size=(width, height),
                coded_size=(width, height),
                chroma=chroma,
                bit_depth=depth,
                profile="Baseline" if marker == 0xC0 else None,
            )
        at += 2 + length
    raise BitsEnded("there is no JPEG frame header in the packet")


def parse_jpeg2000(data: bytes) -> CodedHeader:
    """Read the SIZ marker segment; raises ``BitsEnded`` when there is none."""
    at = data.find(b"\xff\x4f\xff\x51", 0, 1024)
    if at < 0 or len(data) < at + 48:
        raise BitsEnded("there is no JPEG 2000 size segment at the start of the packet")
    _, rights, x, y, left, top = struct.unpack_from(">HHIIII", data, at + 4)
    parts = int.from_bytes(data[at + 40 : at + 42], "big")
    table = data[at + 42 : at + 42 + 3 * min(parts, 4)]
    rows = [table[index : index + 3] for index in range(0, len(table) - 2, 3)]
    size = (x - left, y - top)
    if min(size) <= 0 or not rows:
        raise BitsEnded(f"met a JPEG 2000 picture of {size[0]} × {size[1]}; expected at least 1 × 1")
    across, down = (rows[1][1], rows[1][2]) if len(rows) > 2 else (1, 1)
    return CodedHeader(
        place="SIZ marker segment (T.800, A.5.1)",
        size=size,
        coded_size=size,
        chroma="4:0:0" if len(rows) < 3 else _CHROMA.get((across, down)),
        bit_depth=(rows[0][0] & 0x7F) + 1,
        alpha="present" if len(rows) in (2, 4) else "none",
        profile=f"capabilities {rights}" if rights else None,
    )
