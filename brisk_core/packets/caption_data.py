"""Caption data inside a media file: pairs of line 21 and packets of digital captions, wherever a wrapper keeps them.

Places: messages and user data of coded pictures (ATSC A/53 part 4, 6.2.3), user data of cable (ANSI/SCTE 20) and of
discs, a caption track of a movie (``c608``, ``c708``), and ancillary packets of MXF (ST 436-1), where CDPs (ST 334-2)
lie in them or line-21 pairs alone (ST 334-1). What is found is kept as triplets of CEA-708: a byte of flags and type,
and two bytes.
"""

from __future__ import annotations

import struct
from collections.abc import Callable
from dataclasses import dataclass, field
from fractions import Fraction
from functools import partial
from typing import Any

from brisk_core.packets.ancillary import ancillary_packets

_MARK = b"GA94"  # stands before caption data in coded pictures, whatever their codec
#: ITU-T T.35: United States, ATSC; "GA94"; cc_data.
_IN_MESSAGE = b"\xb5\x00\x31" + _MARK + b"\x03"
_IN_USER_DATA = _MARK + b"\x03"
_USER_DATA = b"\x00\x00\x01\xb2"  # user_data_start_code of ISO/IEC 13818-2
_START = b"\x00\x00\x01"
_PICTURE = _START + b"\x00"  # picture_start_code
_CABLE = b"\x03\x81"  # user_data_type_code, and that there is line 21 (ANSI/SCTE 20, 6)
_CABLE_PAIR = 26  # bits of a pair with what it says of it
_DISC = b"CC\x01\xf8"  # before the pairs of a group of pictures on a disc
_ESCAPED = ("avc", "hevc")  # codecs that put a 3 after two zeros
CODECS = (*_ESCAPED, "av1", "mpeg2")  #: whose pictures can carry caption data
_MOST_TRIPLETS = 31  # of a picture: a count of five bits
_FIELD_ONE, _FIELD_TWO = 0xFC, 0xFD  # flags of a valid pair of line 21, field 1 and 2
_DISC_FIELD_ONE, _DISC_FIELD_TWO = 0xFF, 0xFE
_LONGEST_USER_DATA = 1 << 10  # bytes that are looked at
PICTURES, CABLE, DISC = "pictures", "SCTE 20", "disc groups"  #: places of caption data in pictures
_CDP, _CAPTIONS_SECTION, _TIME_CODE_SECTION = b"\x96\x69", 0x72, 0x71
_CAPTIONS_DID, _CDP_SDID, _LINE_21_SDID = 0x61, 0x01, 0x02  # ST 291-1 registry
MOST_PICTURES = 1 << 20  #: with caption data that are kept: eleven hours at 25 a second


@dataclass(slots=True, kw_only=True)
class CaptionData:
    """What one place holds, in the order of the file."""

    place: str  #: "pictures", "SCTE 20", "disc groups" or "track 3"
    time_base: Fraction
    found: list[tuple[int, bytes]] = field(default_factory=list)  #: presentation time in ticks, and triplets
    teletext: bool = False  #: what is found is lines of teletext, ``teletext.KEPT`` bytes each
    language: str = ""  #: that the wrapper tells, ISO 639-2
    row: int | None = None  #: its place among the text tracks of the file, where it is one of them

    def in_order(self) -> list[tuple[int, bytes]]:
        """Return what was found in the order of presentation."""
        return sorted(self.found, key=lambda one: one[0])


_Found = list[tuple[str, int, bytes]]  # place in the picture, pictures after it, and triplets


def taker_of(data: CaptionData, found_in: Callable[[bytes], bytes]) -> Callable[[Any, int], None]:
    """Return the function that looks into one packet of a track."""

    def take(packet: Any, _: int) -> None:
        _keep(data, packet.pts, found_in(bytes(packet)))

    return take


def _keep(data: CaptionData, time: int | None, triplets: bytes) -> None:
    if triplets and time is not None and len(data.found) < MOST_PICTURES:
        data.found.append((time, triplets))


class PictureCaptions:
    """Takes the caption data of coded pictures, each way of keeping them apart: many carry the same in two."""

    def __init__(self, codec: str, time_base: Fraction, rate: Fraction | None) -> None:
        """Begin; ``rate`` in frames a second is that of the screen."""
        self.mark = _USER_DATA if codec == "mpeg2" else _MARK  #: without it a packet has none
        self.places: dict[str, CaptionData] = {}
        self._read = _in_user_data if codec == "mpeg2" else partial(_in_messages, escaped=codec in _ESCAPED)
        self._time_base = time_base
        self._ticks = 1 / (rate * time_base) if rate else Fraction(0)

    @property
    def data(self) -> list[CaptionData]:
        """What was found, place by place."""
        return [self.places[place] for place in (PICTURES, CABLE, DISC) if place in self.places]

    def take(self, packet: Any, _: int) -> None:
        """Look into one packet of pictures."""
        for place, later, triplets in self._read(bytes(packet)):
            data = self.places.setdefault(place, CaptionData(place=place, time_base=self._time_base))
            _keep(data, None if packet.pts is None else packet.pts + round(later * self._ticks), triplets)


def _in_messages(picture: bytes, *, escaped: bool) -> _Found:
    """Return the caption data in messages of AVC and HEVC, and in the metadata of AV1."""
    found, at = b"", picture.find(_IN_MESSAGE)
    while at >= 0:
        start = at + len(_IN_MESSAGE)
        raw = picture[start : start + 2 * (2 + 3 * _MOST_TRIPLETS)]
        found += _caption_data(raw.replace(b"\x00\x00\x03", b"\x00\x00") if escaped else raw)
        at = picture.find(_IN_MESSAGE, start)
    return [(PICTURES, 0, found)]


def _in_user_data(picture: bytes) -> _Found:
    """Return the caption data in user data of MPEG-2."""
    found: _Found = []
    at = picture.find(_USER_DATA)
    while at >= 0:
        start = at + len(_USER_DATA)
        raw = picture[start : start + _LONGEST_USER_DATA]
        if raw.startswith(_IN_USER_DATA):
            found.append((PICTURES, 0, _caption_data(raw[len(_IN_USER_DATA) :])))
        elif raw.startswith(_CABLE):
            found.append((CABLE, 0, _cable_triplets(raw[len(_CABLE) :])))
        elif raw.startswith(_DISC):
            found += _of_group(raw[: end if (end := raw.find(_START)) >= 0 else None], picture[start:])
        at = picture.find(_USER_DATA, start)
    return found


def _cable_triplets(raw: bytes) -> bytes:
    """Return the pairs of line 21 of a picture (ANSI/SCTE 20, 6); their bits stand the other way round."""
    bits = "".join(f"{byte:08b}" for byte in raw[: (5 + _CABLE_PAIR * _MOST_TRIPLETS) // 8 + 1])
    found = b""
    for at in range(5, 5 + _CABLE_PAIR * (raw[0] >> 3 if raw else 0), _CABLE_PAIR):
        if at + _CABLE_PAIR > len(bits):
            break
        field_number = int(bits[at + 2 : at + 4], 2)  # a third one is the first again, of a picture shown for three
        if field_number:
            first, second = (int(bits[at + by : at + by + 8][::-1], 2) for by in (9, 17))
            found += bytes([_FIELD_TWO if field_number == 2 else _FIELD_ONE, first, second])
    return found


def _of_group(raw: bytes, rest: bytes) -> _Found:
    """Return the pairs that a disc keeps before a group of pictures: two for each frame that it shows, field by field,
    counted from the first one shown.
    """
    header = rest.find(_PICTURE)
    reference = int.from_bytes(rest[header + 4 : header + 6].ljust(2, b"\0")) >> 6 if header >= 0 else 0
    found: _Found = []
    for number, at in enumerate(range(len(_DISC) + 1, len(raw) - 2, 3)):
        if raw[at] not in (_DISC_FIELD_ONE, _DISC_FIELD_TWO):
            break
        flags = _FIELD_ONE if raw[at] == _DISC_FIELD_ONE else _FIELD_TWO
        found.append((DISC, number // 2 - reference, bytes([flags]) + raw[at + 1 : at + 3]))
    return found


def track_triplets(sample: bytes) -> bytes:
    """Return the caption data of a sample of a caption track: boxes of line-21 pairs and CDPs (QTFF), or triplets."""
    found, at = b"", 0
    while at + 8 <= len(sample):
        size, kind = struct.unpack_from(">I4s", sample, at)
        if size < 8 or kind not in (b"cdat", b"cdt2", b"ccdp"):
            break
        body = sample[at + 8 : at + size]
        if kind == b"ccdp":
            found += cdp_triplets(body)
        else:
            flags = _FIELD_ONE if kind == b"cdat" else _FIELD_TWO
            found += b"".join(bytes([flags]) + body[pair : pair + 2] for pair in range(0, len(body) - 1, 2))
        at += size
    if not at and sample and len(sample) % 3 == 0 and all(flags & 0xF8 == 0xF8 for flags in sample[::3]):
        return sample
    return found


def ancillary_triplets(packets: bytes) -> bytes:
    """Return the caption data among the ancillary packets of a frame (ST 436-1, 7)."""
    found = b""
    for did, sdid, words in ancillary_packets(packets):
        if did == _CAPTIONS_DID and sdid == _CDP_SDID:
            found += cdp_triplets(words)
        elif did == _CAPTIONS_DID and sdid == _LINE_21_SDID and len(words) >= 3:
            found += bytes([_FIELD_ONE if words[0] & 0x80 else _FIELD_TWO]) + words[1:3]
    return found


def cdp_triplets(packet: bytes) -> bytes:
    """Return the triplets of a caption distribution packet (ST 334-2)."""
    if packet[:2] != _CDP or len(packet) < 7:
        return b""
    at, found = 7, b""
    while at < len(packet):
        if packet[at] == _TIME_CODE_SECTION:
            at += 5
        elif packet[at] == _CAPTIONS_SECTION and at + 2 <= len(packet):
            count = packet[at + 1] & 0x1F
            found += packet[at + 2 : at + 2 + 3 * count]
            break
        else:
            break
    return found[: len(found) // 3 * 3]


def _caption_data(raw: bytes) -> bytes:
    """Return the triplets of cc_data, none where it says that they are not to be processed."""
    if len(raw) < 2 or not raw[0] & 0x40:
        return b""
    found = raw[2 : 2 + 3 * (raw[0] & 0x1F)]
    return found[: len(found) // 3 * 3]
