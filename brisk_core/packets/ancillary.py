"""Ancillary packets of MXF (ST 436-1)."""

from __future__ import annotations

import struct
from collections.abc import Iterator

_TEN_BITS = (7, 8, 9)  # payload sample codings of ST 436-1 that pack three samples in four bytes


def ancillary_packets(packets: bytes) -> Iterator[tuple[int, int, bytes]]:
    """Yield DID, SDID and user data words of every ancillary packet of a frame (ST 436-1, 7)."""
    if len(packets) < 2:
        return
    at = 2
    for _ in range(struct.unpack_from(">H", packets)[0]):
        if at + 14 > len(packets):
            return
        coding = packets[at + 3]
        count, size = struct.unpack_from(">II", packets, at + 6)
        end = at + 14 + count * size
        words = packets[at + 14 : end]
        if coding in _TEN_BITS:
            packed = struct.unpack(f">{len(words) // 4}I", words[: len(words) // 4 * 4])
            words = bytes(word >> shift & 0xFF for word in packed for shift in (22, 12, 2))
        if len(words) >= 3:
            yield words[0], words[1], words[3 : 3 + words[2]]
        at = end
