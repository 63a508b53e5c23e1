"""Matroska and WebM: the segment's head, its tracks, its index (RFC 8794; RFC 9559)."""

from __future__ import annotations

import math
import struct
from collections.abc import Iterator
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any, BinaryIO

from brisk_core.exact import rate_of_steps
from brisk_core.facts import FactsBuilder, FieldOrder, Scan, Track, Witness, keys
from brisk_core.reading.streams.coded_header import say_colour
from brisk_core.reading.wrappers.structure import Structure, say_completeness

_EBML, _SEGMENT = 0x1A45DFA3, 0x18538067
_SEEK_HEAD, _INFO, _TRACKS, _CUES, _CLUSTER = 0x114D9B74, 0x1549A966, 0x1654AE6B, 0x1C53BB6B, 0x1F43B675
_DOC_TYPE, _SCALE, _DURATION = 0x4282, 0x2AD7B1, 0x4489
_SEEK, _SEEK_ID, _SEEK_POSITION = 0x4DBB, 0x53AB, 0x53AC
_ENTRY, _TYPE, _DEFAULT, _CODEC, _PRIVATE, _PERIOD = 0xAE, 0x83, 0x88, 0x86, 0x63A2, 0x23E383
_LANGUAGE, _LANGUAGE_TAG = 0x22B59C, 0x22B59D
_VIDEO, _WIDTH, _HEIGHT, _SHOWN_WIDTH, _SHOWN_HEIGHT, _SHOWN_UNIT = 0xE0, 0xB0, 0xBA, 0x54B0, 0x54BA, 0x54B2
_CROP = {"bottom": 0x54AA, "top": 0x54BB, "left": 0x54CC, "right": 0x54DD}
_INTERLACED, _FIELD_ORDER, _ALPHA, _PROJECTION, _ROLL = 0x9A, 0x9D, 0x53C0, 0x7670, 0x7675
_COLOUR, _MATRIX, _BITS, _ACROSS, _DOWN, _RANGE = 0x55B0, 0x55B1, 0x55B2, 0x55B3, 0x55B4, 0x55B9
_TRANSFER, _PRIMARIES, _MAX_CLL, _MAX_FALL, _MASTERING = 0x55BA, 0x55BB, 0x55BC, 0x55BD, 0x55D0
_SOUND, _FREQUENCY, _HEARD_FREQUENCY, _CHANNELS, _DEPTH = 0xE1, 0xB5, 0x78B5, 0x9F, 0x6264
_MASTERS = {_SEEK_HEAD, _INFO, _TRACKS, _SEEK, _ENTRY, _VIDEO, _COLOUR, _MASTERING, _PROJECTION, _SOUND, _EBML}
_LARGEST_HEAD = 16 << 20  # bytes of one element before the first cluster that are read
_MOST_ELEMENTS = 10_000
_NANO = 1_000_000_000

_KINDS = {1: "picture", 2: "sound", 17: "text"}
_PICTURE_CODECS = {
    "V_MPEG4/ISO/AVC": "avc", "V_MPEGH/ISO/HEVC": "hevc", "V_MPEG2": "mpeg2", "V_MPEG1": "mpeg1", "V_AV1": "av1",
    "V_MPEG4/ISO/ASP": "mpeg4", "V_MPEG4/ISO/SP": "mpeg4", "V_PRORES": "prores", "V_VP8": "vp8", "V_VP9": "vp9",
    "V_FFV1": "ffv1", "V_MJPEG": "mjpeg", "V_UNCOMPRESSED": "raw", "V_JPEG2000": "jpeg2000",
}  # fmt: skip
_VFW_CODECS = {
    "FFV1": "ffv1",
    "H264": "avc",
    "avc1": "avc",
    "v210": "v210",
    "UYVY": "raw",
    "MJPG": "mjpeg",
    "VP80": "vp8",
}
_SOUND_CODECS = {
    "A_AAC": "aac", "A_AC3": "ac3", "A_EAC3": "eac3", "A_MPEG/L3": "mp3", "A_MPEG/L2": "mp2", "A_FLAC": "flac",
    "A_OPUS": "opus", "A_VORBIS": "vorbis", "A_PCM/INT/LIT": "pcm", "A_PCM/INT/BIG": "pcm", "A_PCM/FLOAT/IEEE": "pcm",
    "A_DTS": "dts", "A_TRUEHD": "truehd",
}  # fmt: skip
_SCANS = {1: Scan.INTERLACED, 2: Scan.PROGRESSIVE}  # FlagInterlaced; 0 is undetermined
_ORDERS = {1: FieldOrder.TOP, 6: FieldOrder.BOTTOM, 9: FieldOrder.BOTTOM, 14: FieldOrder.TOP}  # FieldOrder
_CHROMA = {(0, 0): "4:4:4", (1, 0): "4:2:2", (1, 1): "4:2:0", (2, 0): "4:1:1"}
_RANGES = {1: "narrow", 2: "full"}


@dataclass(frozen=True, slots=True)
class Element:
    """An EBML element and where it lies (RFC 8794, 6)."""

    id: int
    start: int
    body: int
    end: int | None  #: None for an unknown size


def element_at(data: bytes, at: int, base: int = 0) -> Element | None:
    """Return the element whose head begins at ``data[at]``, ``None`` where the bytes make no head.

    Places are counted from ``base``, the offset of ``data`` in the file.
    """
    if at >= len(data) or not data[at]:
        return None
    id_length = 9 - data[at].bit_length()
    size_at = at + id_length
    if id_length > 4 or size_at >= len(data) or not data[size_at]:
        return None
    length = 9 - data[size_at].bit_length()
    body = size_at + length
    if body > len(data):
        return None
    raw = int.from_bytes(data[size_at:body], "big")
    ones = (1 << (7 * length)) - 1
    size = raw & ones
    return Element(
        int.from_bytes(data[at:size_at], "big"), base + at, base + body, None if size == ones else base + body + size
    )


@dataclass(slots=True)
class Node:
    """A master element read into memory: values by id, and masters inside."""

    start: int  #: offset in the file
    values: dict[int, bytes] = field(default_factory=dict)
    inside: list[tuple[int, Node]] = field(default_factory=list)

    def number(self, id_: int) -> int | None:
        """Return an unsigned number, ``None`` when it is not there."""
        raw = self.values.get(id_)
        return int.from_bytes(raw, "big") if raw is not None else None

    def real(self, id_: int) -> float | None:
        """Return a floating point number, ``None`` when it is not there or none."""
        raw = self.values.get(id_, b"")
        if len(raw) not in (4, 8):
            return None
        value: float = struct.unpack(">f" if len(raw) == 4 else ">d", raw)[0]
        return value if math.isfinite(value) else None

    def text(self, id_: int) -> str | None:
        """Return a text, ``None`` when it is not there."""
        raw = self.values.get(id_)
        return raw.rstrip(b"\0").decode("utf-8", "replace") if raw is not None else None

    def of(self, id_: int) -> list[Node]:
        """Return the masters inside with an id."""
        return [node for known, node in self.inside if known == id_]

    def one(self, id_: int) -> Node:
        """Return the first master inside with an id, an empty one for none."""
        return next(iter(self.of(id_)), Node(0))


def read_node(data: bytes, base: int, depth: int = 0) -> Node:
    """Read the contents of a master element; stops where the bytes stop making sense."""
    node = Node(base)
    at = 0
    for _ in range(_MOST_ELEMENTS):
        element = element_at(data, at)
        if element is None or element.end is None:
            break
        body = data[element.body : element.end]
        if element.id in _MASTERS and depth < 8:
            node.inside.append((element.id, read_node(body, base + element.body, depth + 1)))
        else:
            node.values.setdefault(element.id, body)
        at = element.end
    return node


@dataclass(slots=True)
class Segment:
    """The head of a segment."""

    body: int = 0  #: offset of the segment's contents
    info: Node = field(default_factory=lambda: Node(0))
    tracks: list[Node] = field(default_factory=list)
    index_at: int | None = None  #: offset of the Cues
    media_at: int | None = None  #: offset of the first cluster
    damage: list[str] = field(default_factory=list)

    @property
    def duration(self) -> Fraction | None:
        """Seconds, by Duration and TimestampScale."""
        ticks = self.info.real(_DURATION)
        scale = self.info.number(_SCALE) or 1_000_000
        return Fraction(ticks).limit_denominator(1000) * scale / _NANO if ticks and ticks > 0 else None


def _children(file: BinaryIO, start: int, end: int) -> Iterator[Element]:
    at = start
    for _ in range(_MOST_ELEMENTS):
        if at >= end:
            return
        file.seek(at)
        element = element_at(file.read(12), 0, at)
        if element is None:
            return
        yield element
        if element.end is None:
            return
        at = element.end


def read_segment(file: BinaryIO, size: int) -> Segment:
    """Read the segment's head: what stands before the first cluster, and where the index is."""
    segment = Segment()
    top = next((one for one in _children(file, 0, size) if one.id == _SEGMENT), None)
    if top is None:
        segment.damage.append("there is no segment")
        return segment
    segment.body = top.body
    if top.end is None:
        segment.damage.append("the segment's size was never written, as when a recording is broken off")
    elif top.end > size:
        segment.damage.append(f"the segment claims to reach byte {top.end:,}, the file ends at byte {size:,}")
    seeks: dict[int, int] = {}
    for element in _children(file, top.body, min(top.end or size, size)):
        if element.id == _CLUSTER:
            segment.media_at = element.start
            break
        if element.id == _CUES:
            segment.index_at = element.start
        if element.id in (_INFO, _TRACKS, _SEEK_HEAD) and element.end and element.end - element.body <= _LARGEST_HEAD:
            file.seek(element.body)
            node = read_node(file.read(element.end - element.body), element.body)
            if element.id == _INFO:
                segment.info = node
            elif element.id == _TRACKS:
                segment.tracks = node.of(_ENTRY)
            else:
                seeks |= {one.number(_SEEK_ID) or 0: one.number(_SEEK_POSITION) or 0 for one in node.of(_SEEK)}
    if segment.index_at is None and _CUES in seeks:
        at = top.body + seeks[_CUES]
        file.seek(min(at, size))
        found = element_at(file.read(12), 0, at)
        if found and found.id == _CUES and (found.end or 0) <= size:
            segment.index_at = at
        else:
            segment.damage.append(f"the index (Cues) should stand at byte {at:,} and is not there")
    elif segment.index_at is None:
        segment.damage.append("there is no index (Cues)")
    return segment


def read_matroska(builder: FactsBuilder, file: BinaryIO, size: int, wrapper_format: str) -> Structure:
    """Read a Matroska or WebM file's head and record what it declares; damage is noted, never raised."""
    segment = read_segment(file, size)
    say_completeness(builder, segment.damage)
    if segment.index_at is not None and segment.media_at is not None:
        builder.observed(keys.WRAPPER_INDEX_FIRST, segment.index_at < segment.media_at)
    with builder.at(f"Segment/Info at byte {segment.info.start:,} (RFC 9559, 5.1.2)"):
        builder.declared(keys.WRAPPER_DURATION, segment.duration)
    pictures = [track for track in segment.tracks if track.number(_TYPE) == 1]
    if pictures:
        _declare_picture(builder, pictures[0])
    sounds = [track for track in segment.tracks if track.number(_TYPE) == 2]
    return Structure(
        format=wrapper_format,
        sounds=[_sound_row(track) for track in sounds],
        tracks=tuple(_track(track) for track in segment.tracks) or None,
        declares_picture=bool(pictures),
    )


def _track(track: Node) -> Track:
    language = track.text(_LANGUAGE_TAG) or track.text(_LANGUAGE) or "eng"  # the format's own default
    return Track(
        kind=_KINDS.get(track.number(_TYPE) or 0, "data"),
        codec=track.text(_CODEC) or "",
        language=None if language == "und" else language,
        default=track.number(_DEFAULT) != 0,
    )


def _declare_picture(builder: FactsBuilder, track: Node) -> None:
    video = track.one(_VIDEO)
    label = track.text(_CODEC) or ""
    private = track.values.get(_PRIVATE, b"")
    codec = _PICTURE_CODECS.get(label, "other")
    if label == "V_MS/VFW/FOURCC" and len(private) >= 20:
        codec = _VFW_CODECS.get(private[16:20].decode("latin-1"), "other")
    with builder.at(f"TrackEntry at byte {track.start:,} (RFC 9559, 5.1.4)"):
        builder.declared(keys.PICTURE_CODEC, codec)
        builder.declared(keys.PICTURE_CODEC_LABEL, label or None)
        if period := track.number(_PERIOD):
            mean = Fraction(_NANO, period)
            builder.declared(keys.PICTURE_FRAME_RATE, rate_of_steps(mean, period, period, Fraction(1, _NANO)))
    with builder.at(f"Video at byte {video.start:,} (RFC 9559, 5.1.4.1.28)"):
        _declare_shape(builder, video)
        scan = _SCANS.get(video.number(_INTERLACED) or 0)
        builder.declared(keys.PICTURE_SCAN, scan)
        if scan == Scan.INTERLACED:
            builder.declared(keys.PICTURE_FIELD_ORDER, _ORDERS.get(video.number(_FIELD_ORDER) or 0))
        builder.declared(keys.PICTURE_ALPHA, {1: "present"}.get(video.number(_ALPHA) or 0))
        roll = video.one(_PROJECTION).real(_ROLL)
        if roll is not None:
            builder.declared(keys.PICTURE_ROTATION, round(-roll) % 360)
    if colours := video.of(_COLOUR):
        _declare_colour(builder, colours[0])


def _declare_shape(builder: FactsBuilder, video: Node) -> None:
    width, height = video.number(_WIDTH), video.number(_HEIGHT)
    if not width or not height:
        return
    cut = {side: video.number(id_) or 0 for side, id_ in _CROP.items()}
    size = (width - cut["left"] - cut["right"], height - cut["top"] - cut["bottom"])
    if min(size) <= 0:
        return
    builder.declared(keys.PICTURE_SIZE, size)
    shown = (video.number(_SHOWN_WIDTH) or size[0], video.number(_SHOWN_HEIGHT) or size[1])
    unit = video.number(_SHOWN_UNIT) or 0
    if unit in (0, 3):  # samples, or a ratio
        builder.declared(keys.PICTURE_PIXEL_ASPECT, (Fraction(*shown) / Fraction(*size)).limit_denominator(200))
        builder.declared(keys.PICTURE_DISPLAY_ASPECT, Fraction(*shown))


def _declare_colour(builder: FactsBuilder, colour: Node) -> None:
    with builder.at(f"Colour at byte {colour.start:,} (RFC 9559, 5.1.4.1.28.16)"):
        say_colour(
            builder,
            Witness.DECLARED,
            *(colour.number(id_) for id_ in (_PRIMARIES, _TRANSFER, _MATRIX)),
        )
        builder.declared(keys.PICTURE_RANGE, _RANGES.get(colour.number(_RANGE) or 0))
        builder.declared(keys.PICTURE_BIT_DEPTH, colour.number(_BITS) or None)
        across, down = colour.number(_ACROSS), colour.number(_DOWN)
        if across is not None and down is not None:
            builder.declared(keys.PICTURE_CHROMA, _CHROMA.get((across, down)))
        light: dict[str, Any] = {}
        for name, first in (("red", 0x55D1), ("green", 0x55D3), ("blue", 0x55D5), ("white", 0x55D7)):
            point = [colour.one(_MASTERING).real(first), colour.one(_MASTERING).real(first + 1)]
            if None not in point:
                light[name] = point
        for name, id_ in (("max_luminance", 0x55D9), ("min_luminance", 0x55DA)):
            if (value := colour.one(_MASTERING).real(id_)) is not None:
                light[name] = value
        for name, id_ in (("max_cll", _MAX_CLL), ("max_fall", _MAX_FALL)):
            if number := colour.number(id_):
                light[name] = number
        builder.declared(keys.PICTURE_HDR, light or None)


def _sound_row(track: Node) -> dict[str, Any]:
    sound = track.one(_SOUND)
    rate = sound.real(_HEARD_FREQUENCY) or sound.real(_FREQUENCY)
    label = (track.text(_CODEC) or "").split("/MPEG")[0]
    return {
        "codec": _SOUND_CODECS.get(label),
        "sample_rate": round(rate) if rate and rate < 1e7 else None,
        "channels": sound.number(_CHANNELS) or 1,
        "bit_depth": sound.number(_DEPTH),
        "place": f"Audio at byte {sound.start:,} (RFC 9559, 5.1.4.1.29)",
    }
