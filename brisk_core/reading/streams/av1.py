"""The sequence header of AV1 (bitstream and decoding process specification, 5.5 and 6.4)."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from typing import Any

from brisk_core.facts import Scan
from brisk_core.reading.bit_reader import BitReader, BitsEnded
from brisk_core.reading.streams.coded_header import CodedHeader

_SEQUENCE = 1  # obu_type
_PROFILES = ("Main", "High", "Professional")
_CHOSEN = 2  # seq_force_screen_content_tools: by each frame
_SRGB = (1, 13, 0)  # primaries, transfer and matrix that mean RGB


def level_name(index: int) -> str | None:
    """Return the name of seq_level_idx (annex A.3); 31 stands for no limits."""
    return f"{2 + (index >> 2)}.{index & 3}" if index < 31 else None


def _leb128(data: bytes, at: int) -> tuple[int, int]:
    value = 0
    for index in range(8):
        if at >= len(data):
            raise BitsEnded("an AV1 unit ends inside its size")
        byte = data[at]
        value |= (byte & 0x7F) << (index * 7)
        at += 1
        if not byte & 0x80:
            return value, at
    raise BitsEnded("met an AV1 size of more than 8 bytes")


def units(data: bytes) -> Iterator[tuple[int, bytes]]:
    """Yield (obu_type, payload) of the units in a packet (5.3); stops where they make no sense."""
    at = 0
    while at < len(data):
        head = data[at]
        if head & 0x80:
            return
        at += 2 if head & 4 else 1
        try:
            size, at = _leb128(data, at) if head & 2 else (len(data) - at, at)
        except BitsEnded:
            return
        yield head >> 3 & 15, data[at : at + size]
        at += size


def parse_sequence(data: bytes) -> CodedHeader:
    """Read the first sequence header in a packet; raises ``BitsEnded`` when there is none or it is cut."""
    payload = next((body for kind, body in units(data) if kind == _SEQUENCE), None)
    if payload is None:
        raise BitsEnded("there is no AV1 sequence header in the packet")
    reader = BitReader(payload)
    profile = reader.bits(3)
    reader.skip(1)
    reduced = reader.flag()
    level, high, rate = (reader.bits(5), False, None) if reduced else _operating_point(reader)
    across, down = reader.bits(4) + 1, reader.bits(4) + 1
    size = (reader.bits(across) + 1, reader.bits(down) + 1)
    _pass_over_tools(reader, reduced)
    return CodedHeader(
        place="sequence header OBU (AV1, 5.5.1)",
        size=size,
        coded_size=size,
        profile=_PROFILES[profile] if profile < len(_PROFILES) else None,
        level=level_name(level),
        tier="High" if high else "Main",
        frame_rate=rate,
        scan=Scan.PROGRESSIVE,
        **_colour(reader, profile),
    )


def _operating_point(reader: BitReader) -> tuple[int, bool, Fraction | None]:
    """Read timing and operating points (5.5.1, 5.5.3 to 5.5.5); return level and tier of the first, and the rate."""
    rate, delay_bits = None, 0
    decoder_model = False
    if reader.flag():
        tick, scale = reader.bits(32), reader.bits(32)
        equal = reader.flag()
        ticks = reader.unsigned() + 1 if equal else None
        rate = Fraction(scale, tick * ticks) if ticks and tick and scale else None
        decoder_model = reader.flag()
        if decoder_model:
            delay_bits = reader.bits(5) + 1
            reader.skip(32 + 5 + 5)
    initial_delay = reader.flag()
    points = reader.bits(5) + 1
    found: tuple[int, bool] | None = None
    for _ in range(points):
        reader.skip(12)
        level = reader.bits(5)
        high = level > 7 and reader.flag()
        if decoder_model and reader.flag():
            reader.skip(2 * delay_bits + 1)
        if initial_delay and reader.flag():
            reader.skip(4)
        found = found or (level, high)
    level, high = found or (31, False)
    return level, high, rate


def _pass_over_tools(reader: BitReader, reduced: bool) -> None:
    """Pass over the coding tools between size and colour (5.5.1)."""
    if not reduced and reader.flag():
        reader.skip(4 + 3)
    reader.skip(3)
    if not reduced:
        reader.skip(4)
        order_hint = reader.flag()
        if order_hint:
            reader.skip(2)
        screen = _CHOSEN if reader.flag() else reader.bits(1)
        if screen > 0 and not reader.flag():
            reader.skip(1)
        if order_hint:
            reader.skip(3)
    reader.skip(3)


def _colour(reader: BitReader, profile: int) -> dict[str, Any]:
    """Read color_config (5.5.2)."""
    high = reader.flag()
    depth = (12 if reader.flag() else 10) if profile == 2 and high else 10 if high else 8
    mono = reader.flag() if profile != 1 else False
    codes = (reader.bits(8), reader.bits(8), reader.bits(8)) if reader.flag() else (2, 2, 2)
    found: dict[str, Any] = {
        "bit_depth": depth,
        "primaries": codes[0],
        "transfer": codes[1],
        "matrix": codes[2],
        "range": "full",
        "chroma": "4:4:4",
    }
    if mono:
        return found | {"range": "full" if reader.flag() else "narrow", "chroma": "4:0:0"}
    if codes == _SRGB:
        return found
    found["range"] = "full" if reader.flag() else "narrow"
    if profile == 0:
        across, down = True, True
    elif profile == 1:
        across, down = False, False
    elif depth == 12:
        across = reader.flag()
        down = across and reader.flag()
    else:
        across, down = True, False
    return found | {"chroma": "4:2:0" if across and down else "4:2:2" if across else "4:4:4"}
