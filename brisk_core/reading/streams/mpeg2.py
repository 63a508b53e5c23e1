"""MPEG-2 video headers (ITU-T H.262 | ISO/IEC 13818-2, 6.2 and 6.3)."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from fractions import Fraction

from brisk_core.errors import ValueRefused
from brisk_core.exact import Timecode
from brisk_core.facts import FieldOrder, Scan
from brisk_core.reading.bit_reader import BitReader, BitsEnded

#: Table 6-4, frame_rate_code.
_RATES = {
    1: Fraction(24000, 1001),
    2: Fraction(24),
    3: Fraction(25),
    4: Fraction(30000, 1001),
    5: Fraction(30),
    6: Fraction(50),
    7: Fraction(60000, 1001),
    8: Fraction(60),
}
_OPEN_DELAY = 0xFFFF  # vbv_delay of a variable bit rate (6.3.9)
_ASPECTS = {2: Fraction(4, 3), 3: Fraction(16, 9), 4: Fraction(221, 100)}  # table 6-3; 1 is square samples
_PROFILES = {1: "High", 2: "Spatially Scalable", 3: "SNR Scalable", 4: "Main", 5: "Simple"}  # table 8-2
_LEVELS = {4: "High", 6: "High 1440", 8: "Main", 10: "Low"}  # table 8-3
_ESCAPED = {  # profile_and_level_indication with the escape bit, table 8-4 and amendments
    0x82: ("4:2:2", "High"),
    0x85: ("4:2:2", "Main"),
    0x8A: ("Multi-view", "High"),
    0x8B: ("Multi-view", "High 1440"),
    0x8D: ("Multi-view", "Main"),
    0x8E: ("Multi-view", "Low"),
}
_CHROMA = {1: "4:2:0", 2: "4:2:2", 3: "4:4:4"}
_PICTURE, _SEQUENCE, _EXTENSION, _GROUP = 0x00, 0xB3, 0xB5, 0xB8
_START = re.compile(rb"\x00\x00\x01([\x00\xb3\xb5\xb8])")


@dataclass(slots=True, kw_only=True)
class PictureHead:
    """One coded picture's header and coding extension."""

    type: str  #: I, P or B (D as D)
    structure: int = 3  #: 1 top field, 2 bottom field, 3 frame
    top_field_first: bool = False
    repeat_first_field: bool = False
    progressive: bool = True
    buffer_delay: int | None = None  #: vbv_delay, in ticks of 90 kHz


@dataclass(slots=True, kw_only=True)
class Mpeg2Headers:
    """What the headers at the start of a stream say."""

    size: tuple[int, int] | None = None
    aspect_code: int = 0
    frame_rate: Fraction | None = None
    bits_per_second: int | None = None  #: None where 18 bits of ones say variable
    buffer_bits: int | None = None
    extended: bool = False  #: a sequence extension was met, so it is MPEG-2 and not MPEG-1
    progressive_sequence: bool = True
    chroma: str = "4:2:0"
    profile: str | None = None
    level: str | None = None
    primaries: int | None = None
    transfer: int | None = None
    matrix: int | None = None
    timecode: tuple[str, bool] | None = None  #: text and drop flag of the first group header
    pictures: list[PictureHead] = field(default_factory=list)

    @property
    def display_aspect(self) -> Fraction | None:
        """Shape of the whole picture; square samples give the size's own ratio (6.3.3)."""
        if self.size is None:
            return None
        return Fraction(*self.size) if self.aspect_code == 1 else _ASPECTS.get(self.aspect_code)

    @property
    def pixel_aspect(self) -> Fraction | None:
        """Width of a sample over its height."""
        display = self.display_aspect
        return display / Fraction(*self.size) if display and self.size else None

    @property
    def scan(self) -> str | None:
        """Progressive, interlaced, progressive-as-fields or pulldown-3:2, by the flags of sequence and pictures."""
        if self.size is None:
            return None
        if self.progressive_sequence:
            return Scan.PROGRESSIVE
        frames = [picture for picture in self.pictures if picture.structure == 3]
        repeats = sum(picture.repeat_first_field for picture in frames)
        if frames and len(frames) == len(self.pictures) and all(picture.progressive for picture in frames):
            return "pulldown-3:2" if repeats >= len(frames) // 3 and repeats else "progressive-as-fields"
        return Scan.INTERLACED

    @property
    def field_order(self) -> str | None:
        """Which field of the first picture is earlier; nothing for progressive sequences."""
        if self.progressive_sequence or not self.pictures:
            return None
        first = self.pictures[0]
        if first.structure != 3:
            return FieldOrder.TOP if first.structure == 1 else FieldOrder.BOTTOM
        return FieldOrder.TOP if first.top_field_first else FieldOrder.BOTTOM

    @property
    def bit_rate_mode(self) -> str | None:
        """Constant where the first picture says when it leaves the buffer, variable where it leaves it open (C.3)."""
        if not self.pictures or self.pictures[0].buffer_delay is None:
            return None
        return "variable" if self.pictures[0].buffer_delay == _OPEN_DELAY else "constant"

    @property
    def start_timecode(self) -> Timecode | None:
        """The time code of the first group of pictures (6.3.8)."""
        if self.timecode is None or self.frame_rate is None:
            return None
        text, drop = self.timecode
        try:
            return Timecode.parse(text, self.frame_rate, drop=drop)
        except ValueRefused:
            return None


def name_profile_and_level(indication: int) -> tuple[str | None, str | None]:
    """Return the names behind profile_and_level_indication (8.2), ``None`` for reserved values."""
    return _ESCAPED.get(indication, (_PROFILES.get((indication >> 4) & 7), _LEVELS.get(indication & 15)))


def picture_type(data: bytes) -> tuple[str, bool | None] | None:
    """Return the type of the first picture in ``data`` and the closed_gop flag of a group header before it."""
    closed: bool | None = None
    for match in _START.finditer(data):
        at = match.end()
        if data[at - 1] == _GROUP and at + 4 <= len(data):
            closed = bool(data[at + 3] & 0x40)
        if data[at - 1] == _PICTURE and at + 2 <= len(data):
            return "?IPBD???"[(data[at + 1] >> 3) & 7], closed
    return None


def read_headers(data: bytes, into: Mpeg2Headers | None = None) -> Mpeg2Headers:
    """Read all headers in ``data``, adding to ``into``; headers that are cut are left out."""
    headers = into or Mpeg2Headers()
    for match in _START.finditer(data):
        reader = BitReader(data[match.end() : match.end() + 32])
        try:
            _take(headers, data[match.end() - 1], reader)
        except BitsEnded:
            continue
    return headers


def _take(headers: Mpeg2Headers, code: int, reader: BitReader) -> None:
    if code == _SEQUENCE and headers.size is None:
        headers.size = (reader.bits(12), reader.bits(12))
        if not all(headers.size):
            headers.size = None
            return
        headers.aspect_code = reader.bits(4)
        headers.frame_rate = _RATES.get(reader.bits(4))
        rate = reader.bits(18)
        reader.skip(1)
        headers.bits_per_second = None if rate == 0x3FFFF else rate * 400
        headers.buffer_bits = reader.bits(10) * 16 * 1024
    elif code == _GROUP and headers.timecode is None:
        drop = reader.flag()
        hours, minutes = reader.bits(5), reader.bits(6)
        reader.skip(1)
        seconds, frames = reader.bits(6), reader.bits(6)
        headers.timecode = (f"{hours:02}:{minutes:02}:{seconds:02}:{frames:02}", drop)
    elif code == _PICTURE:
        reader.skip(10)
        headers.pictures.append(PictureHead(type="?IPBD???"[reader.bits(3)], buffer_delay=reader.bits(16)))
    elif code == _EXTENSION:
        _take_extension(headers, reader.bits(4), reader)


def _take_extension(headers: Mpeg2Headers, kind: int, reader: BitReader) -> None:
    if kind == 1 and headers.size and not headers.extended:  # sequence extension, 6.2.2.3
        headers.extended = True
        headers.profile, headers.level = name_profile_and_level(reader.bits(8))
        headers.progressive_sequence = reader.flag()
        headers.chroma = _CHROMA.get(reader.bits(2), "4:2:0")
        headers.size = (headers.size[0] | reader.bits(2) << 12, headers.size[1] | reader.bits(2) << 12)
        upper = reader.bits(12)
        if headers.bits_per_second is not None:
            headers.bits_per_second += (upper << 18) * 400
        reader.skip(1)
        if headers.buffer_bits is not None:
            headers.buffer_bits += (reader.bits(8) << 10) * 16 * 1024
        reader.skip(1)
        if headers.frame_rate:
            headers.frame_rate = headers.frame_rate * (reader.bits(2) + 1) / (reader.bits(5) + 1)
    elif kind == 2 and headers.primaries is None:  # sequence display extension, 6.2.2.4
        reader.skip(3)
        if reader.flag():
            headers.primaries, headers.transfer, headers.matrix = reader.bits(8), reader.bits(8), reader.bits(8)
    elif kind == 8 and headers.pictures:  # picture coding extension, 6.2.3.1
        picture = headers.pictures[-1]
        reader.skip(16 + 2)
        picture.structure = reader.bits(2)
        picture.top_field_first = reader.flag()
        reader.skip(5)
        picture.repeat_first_field = reader.flag()
        reader.skip(1)
        picture.progressive = reader.flag()
