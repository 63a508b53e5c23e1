"""The frame header of ProRes (SMPTE RDD 36, 5.1 and 6.1)."""

from __future__ import annotations

import struct
from dataclasses import dataclass

from brisk_core.reading.bit_reader import BitsEnded

#: The flavour is told by the sample entry only.
FLAVOURS = {
    "apco": "422 Proxy",
    "apcs": "422 LT",
    "apcn": "422",
    "apch": "422 HQ",
    "ap4h": "4444",
    "ap4x": "4444 XQ",
}
_SCAN = {0: ("progressive", None), 1: ("interlaced", "top"), 2: ("interlaced", "bottom")}


@dataclass(frozen=True, slots=True, kw_only=True)
class ProResFrame:
    """What a frame header says."""

    size: tuple[int, int]
    chroma: str
    scan: str | None
    field_order: str | None
    primaries: int
    transfer: int
    matrix: int
    alpha: bool


def parse_frame(data: bytes) -> ProResFrame:
    """Read the header at the start of a packet; raises ``BitsEnded`` when it is none."""
    if len(data) < 28 or data[4:8] != b"icpf":
        raise BitsEnded(f"met {data[4:8].hex()} at byte 4 of a ProRes packet; expected the mark 69637066")
    width, height = struct.unpack_from(">HH", data, 16)
    scan, order = _SCAN.get((data[20] >> 2) & 3, (None, None))
    return ProResFrame(
        size=(width, height),
        chroma="4:4:4" if data[20] >> 6 == 3 else "4:2:2",
        scan=scan,
        field_order=order,
        primaries=data[22],
        transfer=data[23],
        matrix=data[24],
        alpha=bool(data[25] & 15),
    )
