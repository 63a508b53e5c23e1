"""Frame headers of VP8 (RFC 6386, 9.1) and VP9 (bitstream specification, 6.2 and 7.2)."""

from __future__ import annotations

from brisk_core.facts import Scan
from brisk_core.reading.bit_reader import BitReader, BitsEnded
from brisk_core.reading.streams.coded_header import CodedHeader

_VP8_SYNC, _VP9_SYNC = b"\x9d\x01\x2a", 0x498342
_RGB = 7
#: color_space (VP9, table in 7.2.2) as H.273 matrix codes.
_MATRIX = {1: 6, 2: 1, 3: 6, 4: 7, 5: 9, _RGB: 0}
_CHROMA = {(True, True): "4:2:0", (True, False): "4:2:2", (False, False): "4:4:4"}


def parse_vp8(data: bytes) -> CodedHeader:
    """Read the header of a key frame; raises ``BitsEnded`` for any other packet."""
    if len(data) < 10 or data[0] & 1 or data[3:6] != _VP8_SYNC:
        raise BitsEnded(
            f"met {data[3:6].hex()} at byte 3 of a VP8 packet; expected the start code 9d012a of a key frame"
        )
    size = (int.from_bytes(data[6:8], "little") & 0x3FFF, int.from_bytes(data[8:10], "little") & 0x3FFF)
    return CodedHeader(
        place="frame header of the first key frame (RFC 6386, 9.1)",
        size=size,
        coded_size=size,
        chroma="4:2:0",
        bit_depth=8,
        profile=str(data[0] >> 1 & 7),
        scan=Scan.PROGRESSIVE,
    )


def parse_vp9(data: bytes) -> CodedHeader:
    """Read the uncompressed header of a key frame; raises ``BitsEnded`` for any other packet."""
    reader = BitReader(data[:32])
    if reader.bits(2) != 2:
        raise BitsEnded(f"met {data[:1].hex()} at the start of a VP9 packet; expected frame marker 2")
    profile = reader.bits(1) | reader.bits(1) << 1
    if profile == 3:
        reader.skip(1)
    if reader.flag() or reader.flag():
        raise BitsEnded("met a VP9 frame that is shown again or predicted; expected a key frame")
    reader.skip(2)
    if (sync := reader.bits(24)) != _VP9_SYNC:
        raise BitsEnded(f"met {sync:06x} in a VP9 key frame; expected the sync code 498342")
    depth = (12 if reader.flag() else 10) if profile >= 2 else 8
    space, across, down, full = reader.bits(3), True, True, True
    if space != _RGB:
        full = reader.flag()
        if profile in (1, 3):
            across, down = reader.flag(), reader.flag()
            reader.skip(1)
    else:
        across = down = False
        if profile in (1, 3):
            reader.skip(1)
    size = (reader.bits(16) + 1, reader.bits(16) + 1)
    return CodedHeader(
        place="uncompressed header of the first key frame (VP9, 6.2)",
        size=size,
        coded_size=size,
        chroma=_CHROMA.get((across, down)),
        bit_depth=depth,
        profile=f"Profile {profile}",
        scan=Scan.PROGRESSIVE,
        range="full" if full else "narrow",
        matrix=_MATRIX.get(space),
    )
