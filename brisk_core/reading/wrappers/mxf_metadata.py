"""Header metadata of MXF (SMPTE ST 377-1, clauses 9 to 11, annexes A to G): packages, timecode, descriptors."""

from __future__ import annotations

import struct
from collections.abc import Iterator
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any, BinaryIO

from brisk_core.errors import ValueRefused
from brisk_core.exact import Timecode
from brisk_core.facts import FactsBuilder, FieldOrder, Scan, keys
from brisk_core.reading.streams.mpeg2 import name_profile_and_level
from brisk_core.reading.wrappers.mxf import HeaderPartition

_LARGEST_HEADER = 64 << 20  # bytes of header metadata read
_MOST_SETS = 50_000
_SET = bytes.fromhex("060e2b34025301010d0101010101")  # first 14 bytes of a structural set's key (annex A)
_PRIMER = bytes.fromhex("060e2b34020501010d01020101050100")

# Byte 15 of a set's key.
_SEQUENCE, _TIMECODE = 0x0F, 0x14
_CDCI, _RGBA, _MPEG2 = 0x28, 0x29, 0x51
_SOUND = {0x42, 0x47, 0x48}  # generic sound, AES3, wave
_MATERIAL, _SOURCE = 0x36, 0x37

# Local tags (annexes B, F and G).
_INSTANCE, _TRACKS, _TRACK_SEQUENCE, _COMPONENTS = 0x3C0A, 0x4403, 0x4803, 0x1001
_START, _DROP, _EDIT_RATE, _LENGTH = 0x1501, 0x1503, 0x4B01, 0x0202
_UNKNOWN_LENGTH = 1 << 63  # negative numbers say that a length is not known yet
_SAMPLE_RATE, _LINKED_TRACK = 0x3001, 0x3006
_CODING, _STORED_HEIGHT, _STORED_WIDTH = 0x3201, 0x3202, 0x3203
_DISPLAY_HEIGHT, _DISPLAY_WIDTH, _LAYOUT, _LINE_MAP = 0x3208, 0x3209, 0x320C, 0x320D
_ASPECT, _TRANSFER, _DOMINANCE, _PRIMARIES, _EQUATIONS = 0x320E, 0x3210, 0x3212, 0x3219, 0x321A
_DEPTH, _ACROSS, _BLACK, _WHITE, _DOWN = 0x3301, 0x3302, 0x3304, 0x3305, 0x3308
_BITS, _SOUND_RATE, _CHANNELS = 0x3D01, 0x3D03, 0x3D07

#: Bytes 9 on of picture coding labels (ST 381-1, ST 381-3, ST 422, ST 2019-4, RDD 44, RFC 9043), with the codec.
_CODINGS = tuple(
    (bytes.fromhex(start), codec)
    for start, codec in (
        ("040102020131", "avc"),
        ("040102020132", "avc"),
        ("040102020110", "mpeg1"),
        ("0401020201", "mpeg2"),
        ("040102020301", "jpeg2000"),
        ("040102020306", "prores"),
        ("040102020309", "ffv1"),
        ("0401020271", "vc3"),
    )
)

# Items with dynamic tags, by their labels' item designator (ST 381-1, annex B).
_PROFILE_LEVEL, _BIT_RATE = "04010602010a", "04010602010b"

_SCAN = {
    0: Scan.PROGRESSIVE,
    1: Scan.INTERLACED,
    2: Scan.INTERLACED,
    3: Scan.INTERLACED,
    4: "progressive-as-fields",
}  # FrameLayout, annex G
_FIELD_LAYOUTS = {1, 2}  # heights are those of one field
_CHROMA = {(1, 1): "4:4:4", (2, 1): "4:2:2", (2, 2): "4:2:0", (4, 1): "4:1:1"}
#: Last telling byte of the labels of colour (SMPTE ST 2067-21, annex, and RP 224), as names of H.273.
_TRANSFER_NAMES = {
    1: "BT.470 M", 2: "BT.709", 3: "SMPTE 240M", 5: "BT.1361", 6: "linear", 8: "IEC 61966-2-4", 9: "BT.2020 10 bit",
    10: "SMPTE ST 2084", 11: "BT.2100 HLG",
}  # fmt: skip
_EQUATION_NAMES = {1: "SMPTE 170M", 2: "BT.709", 3: "SMPTE 240M", 4: "YCgCo", 5: "identity", 6: "BT.2020"}
_PRIMARY_NAMES = {1: "SMPTE 170M", 2: "BT.470 B/G", 3: "BT.709", 4: "BT.2020", 6: "SMPTE EG 432"}


@dataclass(frozen=True, slots=True, kw_only=True)
class LocalSet:
    """One set of header metadata: its kind and its items by local tag."""

    kind: int  #: byte 15 of the key
    items: dict[int, bytes]
    start: int = 0  #: offset of its key in the file

    def number(self, tag: int) -> int | None:
        """Return an item as an unsigned number, ``None`` when it is not there."""
        raw = self.items.get(tag)
        return int.from_bytes(raw, "big") if raw else None

    def rational(self, tag: int) -> Fraction | None:
        """Return an item of two signed 32-bit numbers, ``None`` when it is not there or not positive."""
        raw = self.items.get(tag, b"")
        if len(raw) != 8:
            return None
        up, down = struct.unpack(">ii", raw)
        return Fraction(up, down) if up > 0 and down > 0 else None

    def references(self, tag: int) -> list[bytes]:
        """Return the instance identifiers in an array or in a single reference."""
        raw = self.items.get(tag, b"")
        if len(raw) == 16:
            return [raw]
        return [raw[at : at + 16] for at in range(8, len(raw) - 15, 16)]


@dataclass(slots=True)
class MxfMetadata:
    """The sets of a header partition."""

    sets: list[LocalSet] = field(default_factory=list)
    dynamic: dict[int, str] = field(default_factory=dict)  #: item designator of the label, in hexadecimal, by local tag

    def of(self, *kinds: int) -> list[LocalSet]:
        """Return the sets of some kinds, in file order."""
        return [one for one in self.sets if one.kind in kinds]

    @property
    def picture(self) -> LocalSet | None:
        """The first picture descriptor."""
        return next(iter(self.of(_CDCI, _RGBA, _MPEG2)), None)

    @property
    def sounds(self) -> list[LocalSet]:
        """The sound descriptors, by the track they describe."""
        return sorted(self.of(*_SOUND), key=lambda one: one.number(_LINKED_TRACK) or 0)

    def labelled(self, one: LocalSet, label: str) -> int | None:
        """Return an item with a dynamic tag as a number."""
        for tag, known in self.dynamic.items():
            if known.startswith(label):
                return one.number(tag)
        return None

    def duration(self, rate: Fraction) -> int | None:
        """Edit units of the material package's first track at this rate (B.5), ``None`` while they are not known."""
        by_instance = {one.items.get(_INSTANCE, b""): one for one in self.sets}
        for package in self.of(_MATERIAL):
            for track in map(by_instance.get, package.references(_TRACKS)):
                if track is None or track.rational(_EDIT_RATE) != rate:
                    continue
                for sequence in map(by_instance.get, track.references(_TRACK_SEQUENCE)):
                    units = sequence.number(_LENGTH) if sequence else None
                    if units and units < _UNKNOWN_LENGTH:
                        return units
        return None

    def start_timecode(self, rate: Fraction | None) -> Timecode | None:
        """The timecode of the material package, else of a source package (ST 377-1, 9.5.2.2 and B.17)."""
        by_instance = {one.items.get(_INSTANCE, b""): one for one in self.sets}
        for package in self.of(_MATERIAL) + self.of(_SOURCE):
            for component in self._components(package, by_instance):
                if component.kind != _TIMECODE or rate is None:
                    continue
                start, drop = component.number(_START), bool(component.number(_DROP))
                try:
                    return Timecode(frames=start or 0, rate=rate, drop=drop)
                except ValueRefused:
                    return None
        return None

    def _components(self, package: LocalSet, by_instance: dict[bytes, LocalSet]) -> Iterator[LocalSet]:
        for track in package.references(_TRACKS):
            for sequence in by_instance[track].references(_TRACK_SEQUENCE) if track in by_instance else []:
                found = by_instance.get(sequence)
                if found and found.kind == _SEQUENCE:
                    yield from (by_instance[one] for one in found.references(_COMPONENTS) if one in by_instance)
                elif found:
                    yield found


def _length(data: bytes, at: int) -> tuple[int, int] | None:
    """Return a BER length and where its value begins (ST 336, 5.3)."""
    if at >= len(data):
        return None
    first = data[at]
    if first < 0x80:
        return first, at + 1
    count = first & 0x7F
    if count > 8 or at + 1 + count > len(data):
        return None
    return int.from_bytes(data[at + 1 : at + 1 + count], "big"), at + 1 + count


def read_metadata(file: BinaryIO, partition: HeaderPartition) -> MxfMetadata:
    """Read the sets that follow the header partition pack; stops where the bytes stop making sense."""
    file.seek(partition.start)
    data = file.read(min(partition.header_bytes + (1 << 16), _LARGEST_HEADER))
    metadata = MxfMetadata()
    at = 0
    for _ in range(_MOST_SETS):
        key = data[at : at + 16]
        found = _length(data, at + 16)
        if len(key) < 16 or key[:4] != b"\x06\x0e\x2b\x34" or found is None:
            break
        length, start = found
        value = data[start : start + length]
        if key == _PRIMER:
            for item in range(8, len(value) - 17, 18):
                label = value[item + 2 : item + 18].hex()
                metadata.dynamic[int.from_bytes(value[item : item + 2], "big")] = label[16:]
        elif key[:5] == _SET[:5] and key[6:14] == _SET[6:14]:
            metadata.sets.append(LocalSet(kind=key[14], items=dict(_items(value)), start=partition.start + at))
        elif metadata.sets and key[4:6] == b"\x01\x02":
            break  # essence begins
        at = start + length
    return metadata


def _items(value: bytes) -> Iterator[tuple[int, bytes]]:
    at = 0
    while at + 4 <= len(value):
        tag, length = struct.unpack_from(">HH", value, at)
        yield tag, value[at + 4 : at + 4 + length]
        at += 4 + length


def declare_from_metadata(builder: FactsBuilder, metadata: MxfMetadata) -> None:
    """Record what the packages and the picture descriptor declare."""
    picture = metadata.picture
    rate = picture.rational(_SAMPLE_RATE) if picture else None
    with builder.at("timecode component of the material package (ST 377-1, B.17)"):
        builder.declared(keys.WRAPPER_START_TIMECODE, metadata.start_timecode(rate))
    if picture is None:
        return
    duration = metadata.duration(rate) if rate else None
    if duration and rate:
        with builder.at("track sequence of the material package (ST 377-1, B.5)"):
            builder.declared(keys.PICTURE_FRAME_COUNT, duration)
            builder.declared(keys.WRAPPER_DURATION, duration / rate)
    with builder.at(
        f"picture descriptor, KLV key ...01{picture.kind:02x}00 at byte {picture.start:,} (ST 377-1, annex F)"
    ):
        _declare_descriptor(builder, metadata, picture, rate)


def _declare_descriptor(builder: FactsBuilder, metadata: MxfMetadata, picture: LocalSet, rate: Fraction | None) -> None:
    coding = picture.items.get(_CODING, b"")
    builder.declared(keys.PICTURE_CODEC, _codec_by_label(coding))
    builder.declared(keys.PICTURE_CODEC_LABEL, coding.hex(".") or None)
    builder.declared(keys.PICTURE_FRAME_RATE, rate)
    layout = picture.number(_LAYOUT)
    if layout is not None:
        builder.declared(keys.PICTURE_SCAN, _SCAN.get(layout))
    _declare_shape(builder, picture, layout)
    if layout not in (None, 0):
        builder.declared(keys.PICTURE_FIELD_ORDER, _field_order(picture))
    builder.declared(keys.PICTURE_BIT_DEPTH, picture.number(_DEPTH))
    across, down = picture.number(_ACROSS), picture.number(_DOWN)
    if across:
        builder.declared(keys.PICTURE_CHROMA, _CHROMA.get((across, down or 1)))
    builder.declared(keys.PICTURE_RANGE, _range(picture))
    for id_, tag, names in (
        (keys.PICTURE_TRANSFER, _TRANSFER, _TRANSFER_NAMES),
        (keys.PICTURE_MATRIX, _EQUATIONS, _EQUATION_NAMES),
        (keys.PICTURE_PRIMARIES, _PRIMARIES, _PRIMARY_NAMES),
    ):
        label = picture.items.get(tag, b"")
        if len(label) == 16 and label[8:12] == b"\x04\x01\x01\x01":
            builder.declared(id_, names.get(label[13]))
    indication = metadata.labelled(picture, _PROFILE_LEVEL)
    if indication is not None:
        profile, level = name_profile_and_level(indication)
        builder.declared(keys.PICTURE_PROFILE, profile)
        builder.declared(keys.PICTURE_LEVEL, level)
    builder.declared(keys.BITRATE_AVERAGE, metadata.labelled(picture, _BIT_RATE) or None)


def _codec_by_label(label: bytes) -> str | None:
    """Return the codec behind a picture coding label, ``None`` for one that is not known."""
    return next((codec for start, codec in _CODINGS if label[8 : 8 + len(start)] == start), None)


def _declare_shape(builder: FactsBuilder, picture: LocalSet, layout: int | None) -> None:
    fields = 2 if layout in _FIELD_LAYOUTS else 1
    width = picture.number(_DISPLAY_WIDTH) or picture.number(_STORED_WIDTH)
    height = picture.number(_DISPLAY_HEIGHT) or picture.number(_STORED_HEIGHT)
    aspect = picture.rational(_ASPECT)
    if width and height:
        size = (width, height * fields)
        builder.declared(keys.PICTURE_SIZE, size)
        if aspect:
            builder.declared(keys.PICTURE_PIXEL_ASPECT, aspect / Fraction(*size))
    builder.declared(keys.PICTURE_DISPLAY_ASPECT, aspect)


def _field_order(picture: LocalSet) -> str | None:
    """Which field is shown first: coded order by the parity of the line map, turned by field dominance (annex G)."""
    raw = picture.items.get(_LINE_MAP, b"")
    if len(raw) < 16:
        return None
    first, second = struct.unpack_from(">ii", raw, 8)
    coded_first = FieldOrder.TOP if (first + second) % 2 else FieldOrder.BOTTOM
    if picture.number(_DOMINANCE) == 2:
        return FieldOrder.BOTTOM if coded_first == FieldOrder.TOP else FieldOrder.TOP
    return coded_first


def _range(picture: LocalSet) -> str | None:
    """Narrow or full by the reference levels of black and white, at any depth."""
    depth, black, white = picture.number(_DEPTH), picture.number(_BLACK), picture.number(_WHITE)
    if not depth or black is None or not white:
        return None
    if (black, white) == (16 << (depth - 8), 235 << (depth - 8)):
        return "narrow"
    return "full" if (black, white) == (0, (1 << depth) - 1) else None


def sound_rows(metadata: MxfMetadata) -> list[dict[str, Any]]:
    """Return what each sound descriptor declares, in track order: sample_rate, channels, bit_depth."""
    rows = []
    for one in metadata.sounds:
        rate = one.rational(_SOUND_RATE)
        rows.append(
            {
                "sample_rate": round(rate) if rate else None,
                "channels": one.number(_CHANNELS),
                "bit_depth": one.number(_BITS),
                "place": f"sound descriptor at byte {one.start:,} (ST 377-1, annex F; ST 382)",
            }
        )
    return rows
