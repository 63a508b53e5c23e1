"""AVC parameter sets, slice headers and picture timing (ITU-T H.264 | ISO/IEC 14496-10)."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from fractions import Fraction

from brisk_core.errors import ValueRefused
from brisk_core.exact import Timecode
from brisk_core.facts import FieldOrder, Scan
from brisk_core.reading.bit_reader import BitReader, BitsEnded

_PROFILES = {
    44: "CAVLC 4:4:4 Intra",
    66: "Baseline",
    77: "Main",
    88: "Extended",
    100: "High",
    110: "High 10",
    122: "High 4:2:2",
    244: "High 4:4:4 Predictive",
}
_CHROMA = ("4:0:0", "4:2:0", "4:2:2", "4:4:4")
_PROFILES_WITH_CHROMA = {100, 110, 122, 244, 44, 83, 86, 118, 128, 138, 139, 134, 135}  # 7.3.2.1.1
#: Table E-1, sample aspect ratio by indicator; H.265 has the same.
SAMPLE_ASPECTS = {
    1: (1, 1), 2: (12, 11), 3: (10, 11), 4: (16, 11), 5: (40, 33), 6: (24, 11), 7: (20, 11), 8: (32, 11), 9: (80, 33),
    10: (18, 11), 11: (15, 11), 12: (64, 33), 13: (160, 99), 14: (4, 3), 15: (3, 2), 16: (2, 1),
}  # fmt: skip
_EXTENDED_ASPECT = 255
_SLICE_TYPES = "PBIPI"  # table 7-6, modulo 5; SP as P, SI as I

NAL_SLICE, NAL_IDR, NAL_SEI, NAL_SPS, NAL_PPS = 1, 5, 6, 7, 8


def profile_name(profile_idc: int, constraint_flags: int) -> str:
    """Return the profile's name (Annex A.2)."""
    name = _PROFILES.get(profile_idc, f"profile {profile_idc}")
    set1, set3 = constraint_flags & 0x40, constraint_flags & 0x10
    set4, set5 = constraint_flags & 0x08, constraint_flags & 0x04
    if profile_idc == 66 and set1:
        return "Constrained Baseline"
    if profile_idc == 100 and set4:
        return "Constrained High" if set5 else "Progressive High"
    if profile_idc in (110, 122) and set3:
        return f"{name} Intra"
    return name


def level_name(profile_idc: int, constraint_flags: int, level_idc: int) -> str:
    """Return the level's name (Annex A.3); 1b is told by constraint_set3 in the older profiles."""
    if level_idc == 9 or (level_idc == 11 and profile_idc in (66, 77, 88) and constraint_flags & 0x10):
        return "1b"
    whole, tenth = divmod(level_idc, 10)
    return f"{whole}.{tenth}" if tenth else str(whole)


@dataclass(frozen=True, slots=True, kw_only=True)
class Hrd:
    """Rate and size of the first schedule of a hypothetical reference decoder (E.1.2)."""

    bits_per_second: int
    buffer_bits: int
    constant: bool  #: cbr_flag
    cpb_delay_length: int  #: bits of cpb_removal_delay
    dpb_delay_length: int  #: bits of dpb_output_delay


@dataclass(frozen=True, slots=True, kw_only=True)
class SequenceParameters:
    """What a sequence parameter set says."""

    set_id: int
    profile_idc: int
    constraint_flags: int  #: the six flags and two reserved bits as one byte
    level_idc: int
    chroma: str
    bit_depth: int
    coded_size: tuple[int, int]
    size: tuple[int, int]
    reference_frames: int
    frames_only: bool  #: frame_mbs_only_flag
    frame_number_bits: int
    order_count_type: int
    order_count_bits: int
    separate_planes: bool
    pixel_aspect: Fraction | None
    full_range: bool | None
    primaries: int | None
    transfer: int | None
    matrix: int | None
    ticks: tuple[int, int] | None  #: num_units_in_tick, time_scale
    fixed_rate: bool | None
    hrd: Hrd | None
    picture_structure_coded: bool  #: pic_struct_present_flag

    @property
    def profile(self) -> str:
        """The profile's name."""
        return profile_name(self.profile_idc, self.constraint_flags)

    @property
    def level(self) -> str:
        """The level's name."""
        return level_name(self.profile_idc, self.constraint_flags, self.level_idc)

    @property
    def scan(self) -> str:
        """Interlaced where the set allows fields (frame_mbs_only_flag 0), whatever the pictures then are."""
        return Scan.PROGRESSIVE if self.frames_only else Scan.INTERLACED

    @property
    def frame_rate(self) -> Fraction | None:
        """Frames a second by the timing of the VUI: two ticks a frame (E.2.1)."""
        if self.ticks is None or not all(self.ticks):
            return None
        units, scale = self.ticks
        return Fraction(scale, 2 * units)


@dataclass(frozen=True, slots=True, kw_only=True)
class PictureParameters:
    """What a picture parameter set says, as far as it is used."""

    set_id: int
    sequence_id: int
    cabac: bool
    field_order_counts: bool  #: bottom_field_pic_order_in_frame_present_flag


@dataclass(frozen=True, slots=True, kw_only=True)
class Slice:
    """The head of a slice."""

    first_macroblock: int
    type: str  #: I, P or B
    picture_set_id: int
    parity: str | None  #: top or bottom for a coded field, None for a frame
    idr: bool
    bottom_after_top: int | None  #: delta_pic_order_cnt_bottom of a frame, None where not coded


def unescape(data: bytes) -> bytes:
    """Return the payload without emulation prevention bytes (7.4.1)."""
    return re.sub(rb"\x00\x00\x03(?=[\x00-\x03]|$)", b"\x00\x00", data)


def split_start_codes(data: bytes) -> Iterator[bytes]:
    """Yield NAL units of a byte stream (Annex B)."""
    starts = [match.end() for match in re.finditer(rb"\x00\x00\x01", data)]
    for index, start in enumerate(starts):
        end = starts[index + 1] - 3 if index + 1 < len(starts) else len(data)
        unit = data[start:end].rstrip(b"\x00") if index + 1 < len(starts) else data[start:end]
        if unit:
            yield unit


def split_lengths(data: bytes, length_size: int) -> Iterator[bytes]:
    """Yield NAL units that carry their length before them (ISO/IEC 14496-15, 5.3); a cut unit is given as it is."""
    position = 0
    while position + length_size < len(data):
        length = int.from_bytes(data[position : position + length_size], "big")
        position += length_size
        if length == 0:
            continue
        yield data[position : position + length]
        position += length


def split_units(data: bytes, length_size: int | None) -> Iterator[bytes]:
    """Yield NAL units, by lengths when a size of length is known, else by start codes."""
    return split_lengths(data, length_size) if length_size else split_start_codes(data)


def parse_configuration(record: bytes) -> tuple[int, list[bytes]]:
    """Return the size of lengths and the parameter sets of an avcC record (ISO/IEC 14496-15, 5.3.3.1).

    Raises ``BitsEnded`` for a record that is cut.
    """
    if len(record) < 7 or record[0] != 1:
        raise BitsEnded(f"met {record[:1].hex() or 'nothing'} as the version of an AVC configuration; expected 01")
    length_size = (record[4] & 3) + 1
    units: list[bytes] = []
    position = 5
    for mask in (0x1F, 0xFF):
        if position >= len(record):
            break
        count = record[position] & mask
        position += 1
        for _ in range(count):
            length = int.from_bytes(record[position : position + 2], "big")
            unit = record[position + 2 : position + 2 + length]
            if len(unit) < length or not length:
                raise BitsEnded(f"a parameter set at byte {position} of the AVC configuration is cut")
            units.append(unit)
            position += 2 + length
    return length_size, units


def _skip_scaling_lists(reader: BitReader, count: int) -> None:
    for index in range(count):
        if reader.flag():
            last = following = 8
            for _ in range(16 if index < 6 else 64):
                if following:
                    following = (last + reader.signed()) % 256
                last = following or last


def _parse_hrd(reader: BitReader) -> Hrd:
    schedules = reader.unsigned() + 1
    if schedules > 32:
        raise BitsEnded(f"met {schedules} buffer schedules; expected at most 32")
    rate_scale, size_scale = reader.bits(4), reader.bits(4)
    rows = [
        ((reader.unsigned() + 1) << (6 + rate_scale), (reader.unsigned() + 1) << (4 + size_scale), reader.flag())
        for _ in range(schedules)
    ]
    reader.skip(5)
    cpb, dpb = reader.bits(5) + 1, reader.bits(5) + 1
    reader.skip(5)
    rate, size, constant = rows[0]
    return Hrd(bits_per_second=rate, buffer_bits=size, constant=constant, cpb_delay_length=cpb, dpb_delay_length=dpb)


@dataclass(slots=True, kw_only=True)
class _Usability:
    """Video usability information (E.1.1) while it is read."""

    pixel_aspect: Fraction | None = None
    full_range: bool | None = None
    primaries: int | None = None
    transfer: int | None = None
    matrix: int | None = None
    ticks: tuple[int, int] | None = None
    fixed_rate: bool | None = None
    hrd: Hrd | None = None
    picture_structure_coded: bool = False


def _parse_usability(reader: BitReader) -> _Usability:
    vui = _Usability()
    if reader.flag():
        indicator = reader.bits(8)
        pair = (reader.bits(16), reader.bits(16)) if indicator == _EXTENDED_ASPECT else SAMPLE_ASPECTS.get(indicator)
        if pair and all(pair):
            vui.pixel_aspect = Fraction(*pair)
    if reader.flag():
        reader.skip(1)
    if reader.flag():
        reader.skip(3)
        vui.full_range = reader.flag()
        if reader.flag():
            vui.primaries, vui.transfer, vui.matrix = reader.bits(8), reader.bits(8), reader.bits(8)
    if reader.flag():
        reader.unsigned()
        reader.unsigned()
    if reader.flag():
        vui.ticks = (reader.bits(32), reader.bits(32))
        vui.fixed_rate = reader.flag()
    network = _parse_hrd(reader) if reader.flag() else None
    video = _parse_hrd(reader) if reader.flag() else None
    vui.hrd = network or video
    if vui.hrd:
        reader.skip(1)
    vui.picture_structure_coded = reader.flag()
    return vui


def _parse_order_count(reader: BitReader) -> tuple[int, int]:
    """Return pic_order_cnt_type and, for type 0, the bits of pic_order_cnt_lsb (7.4.2.1.1)."""
    kind = reader.unsigned()
    if kind == 0:
        return kind, reader.unsigned() + 4
    if kind == 1:
        reader.skip(1)
        reader.signed()
        reader.signed()
        for _ in range(min(reader.unsigned(), 255)):
            reader.signed()
    return kind, 0


def parse_sequence_parameters(unit: bytes) -> SequenceParameters:
    """Read a sequence parameter set NAL unit (7.3.2.1.1); raises ``BitsEnded`` when it is cut or senseless."""
    reader = BitReader(unescape(unit[1:]))
    profile, flags, level = reader.bits(8), reader.bits(8), reader.bits(8)
    set_id = reader.unsigned()
    chroma, depth, separate = 1, 8, False
    if profile in _PROFILES_WITH_CHROMA:
        chroma = reader.unsigned()
        if chroma > 3:
            raise BitsEnded(f"met chroma format {chroma} in a sequence parameter set; expected 0 to 3")
        if chroma == 3:
            separate = reader.flag()
        depth = reader.unsigned() + 8
        reader.unsigned()
        reader.skip(1)
        if reader.flag():
            _skip_scaling_lists(reader, 8 if chroma != 3 else 12)
    frame_number_bits = reader.unsigned() + 4
    order_type, order_bits = _parse_order_count(reader)
    references = reader.unsigned()
    reader.skip(1)
    width = (reader.unsigned() + 1) * 16
    map_units = reader.unsigned() + 1
    frames_only = reader.flag()
    if not frames_only:
        reader.skip(1)
    height = map_units * 16 * (1 if frames_only else 2)
    reader.skip(1)
    size = (
        _cropped(reader, (width, height), 0 if separate else chroma, frames_only) if reader.flag() else (width, height)
    )
    vui = _parse_usability(reader) if reader.flag() else _Usability()
    return SequenceParameters(
        set_id=set_id,
        profile_idc=profile,
        constraint_flags=flags,
        level_idc=level,
        chroma=_CHROMA[chroma],
        bit_depth=depth,
        coded_size=(width, height),
        size=size,
        reference_frames=references,
        frames_only=frames_only,
        frame_number_bits=frame_number_bits,
        order_count_type=order_type,
        order_count_bits=order_bits,
        separate_planes=separate,
        pixel_aspect=vui.pixel_aspect,
        full_range=vui.full_range,
        primaries=vui.primaries,
        transfer=vui.transfer,
        matrix=vui.matrix,
        ticks=vui.ticks,
        fixed_rate=vui.fixed_rate,
        hrd=vui.hrd,
        picture_structure_coded=vui.picture_structure_coded,
    )


def _cropped(reader: BitReader, size: tuple[int, int], chroma: int, frames_only: bool) -> tuple[int, int]:
    """Apply the cropping rectangle, whose unit depends on chroma and fields (7.4.2.1.1)."""
    across = 2 if chroma in (1, 2) else 1
    down = (2 if chroma == 1 else 1) * (1 if frames_only else 2)
    left, right, top, bottom = (reader.unsigned() for _ in range(4))
    width, height = size[0] - across * (left + right), size[1] - down * (top + bottom)
    if width <= 0 or height <= 0:
        raise BitsEnded(f"the cropping of a sequence parameter set leaves {width} × {height} of {size[0]} × {size[1]}")
    return width, height


def parse_picture_parameters(unit: bytes) -> PictureParameters:
    """Read the head of a picture parameter set NAL unit (7.3.2.2)."""
    reader = BitReader(unescape(unit[1:64]))
    return PictureParameters(
        set_id=reader.unsigned(),
        sequence_id=reader.unsigned(),
        cabac=reader.flag(),
        field_order_counts=reader.flag(),
    )


def parse_slice(
    unit: bytes,
    sequences: dict[int, SequenceParameters],
    pictures: dict[int, PictureParameters],
) -> Slice:
    """Read the head of a slice NAL unit (7.3.3); raises ``BitsEnded`` when it is cut."""
    kind = unit[0] & 0x1F
    reader = BitReader(unescape(unit[1:48]))
    first, slice_type, set_id = reader.unsigned(), reader.unsigned(), reader.unsigned()
    if slice_type > 9:
        raise BitsEnded(f"met slice type {slice_type}; expected 0 to 9")
    parity: str | None = None
    delta: int | None = None
    picture = pictures.get(set_id)
    sequence = sequences.get(picture.sequence_id) if picture else None
    if sequence and picture:
        if sequence.separate_planes:
            reader.skip(2)
        reader.skip(sequence.frame_number_bits)
        if not sequence.frames_only and reader.flag():
            parity = FieldOrder.BOTTOM if reader.flag() else FieldOrder.TOP
        if kind == NAL_IDR:
            reader.unsigned()
        if sequence.order_count_type == 0:
            reader.skip(sequence.order_count_bits)
            if picture.field_order_counts and parity is None:
                delta = reader.signed()
    return Slice(
        first_macroblock=first,
        type=_SLICE_TYPES[slice_type % 5],
        picture_set_id=set_id,
        parity=parity,
        idr=kind == NAL_IDR,
        bottom_after_top=delta,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Clock:
    """A clock timestamp (H.264, D.1.3; H.265, D.2.27)."""

    hours: int
    minutes: int
    seconds: int
    frames: int
    drop: bool

    def timecode(self, rate: Fraction) -> Timecode | None:
        """Return it as a timecode at a frame rate, ``None`` when it is none."""
        text = f"{self.hours:02}:{self.minutes:02}:{self.seconds:02}:{self.frames:02}"
        try:
            return Timecode.parse(text, rate, drop=self.drop)
        except ValueRefused:
            return None


@dataclass(frozen=True, slots=True, kw_only=True)
class PictureTiming:
    """A picture timing message."""

    structure: int  #: pic_struct
    clock: Clock | None  #: the first timestamp, where one is coded in full


_TIMESTAMPS = {3: 2, 4: 2, 5: 3, 6: 3, 7: 2, 8: 3}  # NumClockTS by pic_struct (table D-1); 1 for the others
_DROP_FRAME = 4  # counting_type: two counts dropped at the start of a minute


def read_clock(reader: BitReader, frame_bits: int) -> Clock | None:
    """Read a timestamp from counting_type on; ``None`` where not all of it is coded."""
    counting = reader.bits(5)
    full = reader.flag()
    reader.skip(2)
    frames = reader.bits(frame_bits)
    if not full:
        return None
    seconds, minutes, hours = reader.bits(6), reader.bits(6), reader.bits(5)
    return Clock(hours=hours, minutes=minutes, seconds=seconds, frames=frames, drop=counting == _DROP_FRAME)


def sei_messages(data: bytes) -> Iterator[tuple[int, bytes]]:
    """Yield (payloadType, payload) of the messages in an unescaped SEI unit without its header (7.3.2.3.1)."""
    position = 0
    while position + 2 <= len(data) and data[position] != 0x80:
        numbers = []
        for _ in range(2):
            number = 0
            while position < len(data) and data[position] == 0xFF:
                number += 255
                position += 1
            if position >= len(data):
                return
            numbers.append(number + data[position])
            position += 1
        kind, size = numbers
        yield kind, data[position : position + size]
        position += size


def picture_timings(unit: bytes, sequence: SequenceParameters) -> list[PictureTiming]:
    """Return the picture timing messages in an SEI NAL unit (D.1.3)."""
    if not sequence.picture_structure_coded:
        return []
    found = []
    for kind, body in sei_messages(unescape(unit[1:])):
        if kind != 1:
            continue
        reader = BitReader(body)
        if sequence.hrd:
            reader.skip(sequence.hrd.cpb_delay_length + sequence.hrd.dpb_delay_length)
        structure, clock = reader.bits(4), None
        for _ in range(_TIMESTAMPS.get(structure, 1)):
            if reader.left and reader.flag():
                reader.skip(2 + 1)
                clock = read_clock(reader, 8)
                break
        found.append(PictureTiming(structure=structure, clock=clock))
    return found


@dataclass(slots=True)
class ParameterSets:
    """Parameter sets met so far, by id, and how units are split."""

    length_size: int | None = None  #: bytes of the length before each unit, None for start codes
    sequences: dict[int, SequenceParameters] = field(default_factory=dict)
    pictures: dict[int, PictureParameters] = field(default_factory=dict)

    def take(self, unit: bytes) -> None:
        """Keep a parameter set; other units and damaged sets change nothing."""
        kind = unit[0] & 0x1F
        try:
            if kind == NAL_SPS:
                sequence = parse_sequence_parameters(unit)
                self.sequences[sequence.set_id] = sequence
            elif kind == NAL_PPS:
                picture = parse_picture_parameters(unit)
                self.pictures[picture.set_id] = picture
        except BitsEnded:
            return

    @property
    def first(self) -> SequenceParameters | None:
        """The sequence parameter set with the lowest id."""
        return self.sequences[min(self.sequences)] if self.sequences else None

    def parse_slice(self, unit: bytes) -> Slice:
        """Read the head of a slice with the sets met so far."""
        return parse_slice(unit, self.sequences, self.pictures)
