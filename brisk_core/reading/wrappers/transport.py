"""MPEG transport streams: tables, stream types, lost packets (ITU-T H.222.0 | ISO/IEC 13818-1)."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import BinaryIO

import numpy as np

from brisk_core.errors import UnreadableFile
from brisk_core.facts import FactsBuilder, Track, keys
from brisk_core.reading.wrappers.structure import Structure, say_completeness

SYNC = 0x47
TELETEXT = "teletext"  #: as a codec of text
_PACKET = 188
_TABLES_WITHIN = 2 << 20  # bytes in which the tables must come
_NULL_PID = 0x1FFF
_MOST_PROGRAMMES = 500  # a multiplex of a broadcaster has up to thirty
_CHUNK_PACKETS = 1 << 14
_MOST_NAMED = 20  # places of loss that are named

#: stream_type (table 2-34) to kind and codec.
_TYPES = {
    0x01: ("picture", "mpeg1"), 0x02: ("picture", "mpeg2"), 0x10: ("picture", "mpeg4"), 0x1B: ("picture", "avc"),
    0x24: ("picture", "hevc"), 0x21: ("picture", "jpeg2000"), 0x03: ("sound", "mp2"), 0x04: ("sound", "mp2"),
    0x0F: ("sound", "aac"), 0x11: ("sound", "aac"), 0x80: ("sound", "pcm"), 0x81: ("sound", "ac3"),
    0x87: ("sound", "eac3"), 0x83: ("sound", "truehd"), 0x82: ("sound", "dts"), 0x90: ("text", "pgs"),
}  # fmt: skip
_BY_REGISTRATION = {
    b"AC-3": ("sound", "ac3"), b"EAC3": ("sound", "eac3"), b"BSSD": ("sound", "pcm"), b"HEVC": ("picture", "hevc"),
    b"AV01": ("picture", "av1"), b"Opus": ("sound", "opus"),
}  # fmt: skip
_REGISTRATION, _LANGUAGE, _SUBTITLES, _AC3, _E_AC3, _TELETEXT = 0x05, 0x0A, 0x59, 0x6A, 0x7A, 0x56


@dataclass(slots=True)
class ProgramStream:
    """An elementary stream of the program map."""

    pid: int
    stream_type: int
    kind: str
    codec: str
    language: str | None = None


@dataclass(slots=True)
class Tables:
    """What the program association and program map tables say."""

    streams: list[ProgramStream] = field(default_factory=list)
    association: bool = False
    programmes: int = 0  #: that the association announces
    map_pid: int | None = None
    map_at: int = 0  #: offset of the packet with the first program map


def packet_layout(head: bytes) -> tuple[int, int] | None:
    """Return the size of packets and the offset of the first sync byte: 188, 192 with a time stamp, 204 with parity."""
    for size, first in ((188, 0), (192, 4), (204, 0)):
        marks = range(first, min(len(head), size * 5), size)
        if len(head) >= size * 3 and all(head[at] == SYNC for at in marks):
            return size, first
    return None


def read_tables(data: bytes, size: int, first: int) -> Tables:
    """Find the first program association and program map (2.4.4) in whole packets at the start of a stream."""
    tables = Tables()
    sections: dict[int, bytearray] = {}
    parts: set[int] = set()
    for at in range(first, len(data) - _PACKET + 1, size):
        packet = data[at : at + _PACKET]
        if packet[0] != SYNC or not packet[3] & 0x10:
            continue
        pid = (packet[1] & 0x1F) << 8 | packet[2]
        if pid not in (0, tables.map_pid):
            continue
        body = packet[4 + (1 + packet[4] if packet[3] & 0x20 else 0) :]
        if packet[1] & 0x40 and body:
            sections[pid] = bytearray(body[1 + body[0] :])
        elif pid in sections:
            sections[pid] += body
        section = sections.get(pid, b"")
        if len(section) < 3 or len(section) < 3 + ((section[1] & 15) << 8 | section[2]):
            continue
        whole = bytes(section[: 3 + ((section[1] & 15) << 8 | section[2])])
        if pid == 0:
            tables.association = True
            if (
                len(whole) > 8 and whole[6] not in parts
            ):  # the association may be cut into up to 256 sections, which come again and again
                parts.add(whole[6])
                places = [at for at in range(8, len(whole) - 7, 4) if whole[at] << 8 | whole[at + 1]]
                tables.programmes += len(places)
                if places and tables.map_pid is None:
                    tables.map_pid = (whole[places[0] + 2] & 0x1F) << 8 | whole[places[0] + 3]
            if tables.programmes > _MOST_PROGRAMMES:
                return tables
            sections.pop(0)
        elif whole[0] == 2:
            tables.streams, tables.map_at = _map_streams(whole), at
            return tables
    return tables


def _map_streams(section: bytes) -> list[ProgramStream]:
    found = []
    at = 12 + ((section[10] & 15) << 8 | section[11]) if len(section) > 12 else len(section)
    while at + 5 <= len(section) - 4:
        kind = section[at]
        pid = (section[at + 1] & 0x1F) << 8 | section[at + 2]
        length = (section[at + 3] & 15) << 8 | section[at + 4]
        found.append(_stream(pid, kind, section[at + 5 : at + 5 + length]))
        at += 5 + length
    return found


def _stream(pid: int, stream_type: int, descriptors: bytes) -> ProgramStream:
    kind, codec = _TYPES.get(stream_type, ("data", f"type {stream_type:#04x}"))
    stream = ProgramStream(pid, stream_type, kind, codec)
    at = 0
    while at + 2 <= len(descriptors):
        tag, length = descriptors[at], descriptors[at + 1]
        body = descriptors[at + 2 : at + 2 + length]
        if tag == _REGISTRATION and body[:4] in _BY_REGISTRATION and stream_type not in _TYPES:
            stream.kind, stream.codec = _BY_REGISTRATION[body[:4]]
        elif tag in (_AC3, _E_AC3) and stream_type == 0x06:
            stream.kind, stream.codec = "sound", "ac3" if tag == _AC3 else "eac3"
        elif tag in (_SUBTITLES, _TELETEXT):
            stream.kind, stream.codec = "text", "dvb subtitles" if tag == _SUBTITLES else TELETEXT
        if tag in (_LANGUAGE, _SUBTITLES, _TELETEXT) and len(body) >= 3:
            code = body[:3].decode("latin-1")
            stream.language = code if code.isalpha() and code != "und" else None
        at += 2 + length
    return stream


def read_transport(builder: FactsBuilder, file: BinaryIO, head: bytes) -> Structure:
    """Read the tables at the start of a transport stream and record what they declare.

    Raises ``UnreadableFile`` for one that announces more programmes than any multiplex has.
    """
    layout = packet_layout(head)
    if layout is None:
        return Structure(format="mpeg-ts")
    size, first = layout
    file.seek(0)
    tables = read_tables(file.read(_TABLES_WITHIN), size, first)
    if tables.programmes > _MOST_PROGRAMMES:
        raise UnreadableFile(
            f"the stream announces more than {_MOST_PROGRAMMES} programmes; expected one, or those of a multiplex"
        )
    if not tables.streams:
        lacking = "program map" if tables.association else "program association"
        say_completeness(builder, [f"there is no {lacking} in the first {_TABLES_WITHIN >> 20} MiB"])
        return Structure(format="mpeg-ts", packet_size=size)
    place = f"program map on PID {tables.map_pid:#x} at byte {tables.map_at:,} (H.222.0, 2.4.4.8)"
    picture = next((stream for stream in tables.streams if stream.kind == "picture"), None)
    if picture:
        with builder.at(place):
            builder.declared(keys.PICTURE_CODEC, picture.codec)
            builder.declared(keys.PICTURE_CODEC_LABEL, f"stream type {picture.stream_type:#04x}")
    return Structure(
        format="mpeg-ts",
        packet_size=size,
        declares_picture=picture is not None,
        tracks=tuple(
            Track(kind=stream.kind, codec=stream.codec, language=stream.language, default=True)
            for stream in tables.streams
        ),
        sounds=[{"codec": stream.codec, "place": place} for stream in tables.streams if stream.kind == "sound"],
    )


def find_losses(file: BinaryIO, packet_size: int) -> list[str]:
    """Return the places of a transport stream where packets are lost, damaged or cut, a sentence each.

    The continuity counter of each PID rises by one with every packet that has a payload; a packet may come twice, and
    an adaptation field may announce a break (2.4.3.3). Read in chunks, whatever the file's length.
    """
    first = 4 if packet_size == 192 else 0
    lost: list[str] = []
    total = 0
    last: dict[int, int] = {}
    offset = 0
    file.seek(0)
    while block := file.read(_CHUNK_PACKETS * packet_size):
        whole = len(block) // packet_size
        if whole:
            rows = np.frombuffer(block, np.uint8, whole * packet_size).reshape(whole, packet_size)[:, first : first + 6]
            for at, says in _losses_in(rows, last):
                total += 1
                if len(lost) < _MOST_NAMED:
                    lost.append(f"byte {offset + at * packet_size:,}: {says}")
        if len(block) % packet_size:
            lost.append(f"the last packet is cut: {len(block) % packet_size} of {packet_size} bytes at the end")
            total += 1
        offset += len(block)
    if total > len(lost):
        lost.append(f"{total - len(lost)} more places")
    return lost


def _losses_in(rows: np.ndarray, last: dict[int, int]) -> list[tuple[int, str]]:
    """Return (packet, sentence) of each loss in some packets' first six bytes; ``last`` is carried between chunks."""
    found: list[tuple[int, str]] = []
    synced = rows[:, 0] == SYNC
    found += [(int(at), "a packet does not begin with the sync byte 47") for at in np.flatnonzero(~synced)]
    found += [(int(at), "a packet is marked as damaged") for at in np.flatnonzero(synced & (rows[:, 1] & 0x80 > 0))]
    pids = (rows[:, 1].astype(np.int32) & 0x1F) << 8 | rows[:, 2]
    has_field = rows[:, 3] & 0x20 > 0
    announced = has_field & (rows[:, 4] > 0) & (rows[:, 5] & 0x80 > 0)
    counted = synced & (rows[:, 3] & 0x10 > 0) & (pids != _NULL_PID)
    counters = rows[:, 3] & 15
    for pid in np.unique(pids[counted]).tolist():
        places = np.flatnonzero(counted & (pids == pid))
        values = counters[places].astype(np.int32)
        before = last.get(pid, (int(values[0]) - 1) & 15)
        steps = np.diff(values, prepend=before) & 15
        broken = np.flatnonzero((steps > 1) & ~announced[places])
        for index in broken.tolist():
            found.append((int(places[index]), f"{int(steps[index]) - 1} or more packets of PID {pid:#x} are lost"))
        last[pid] = int(values[-1])
    return sorted(found)
