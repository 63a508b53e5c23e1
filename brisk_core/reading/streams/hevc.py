"""HEVC parameter sets, slice heads and light metadata (ITU-T H.265 | ISO/IEC 23008-2)."""

from __future__ import annotations

from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

from brisk_core.facts import Scan
from brisk_core.reading.bit_reader import BitReader, BitsEnded
from brisk_core.reading.streams.avc import SAMPLE_ASPECTS, Clock, Hrd, read_clock, sei_messages, unescape

_PROFILES = {1: "Main", 2: "Main 10", 3: "Main Still Picture"}  # annex A.3
_RANGE_EXTENSIONS = 4
_CHROMA = ("4:0:0", "4:2:0", "4:2:2", "4:4:4")
_CROP_UNITS = ((1, 1), (2, 2), (2, 1), (1, 1))  # SubWidthC, SubHeightC (table 6-1)
_EXTENDED_ASPECT = 255
_MOST_SETS = 64  # short-term reference picture sets (7.4.3.2.1)
_FIRST_RANDOM, _LAST_RANDOM = 16, 23  # NAL unit types whose slice head has one flag more (7.3.6.1)

NAL_VPS, NAL_SPS, NAL_PPS, NAL_PREFIX_SEI = 32, 33, 34, 39
#: SEI payload types (D.2.3, D.2.27, D.2.28, D.2.35).
_PICTURE_TIMING, _TIME_CODE, _MASTERING, _CONTENT_LIGHT = 1, 136, 137, 144


def unit_type(unit: bytes | memoryview) -> int:
    """Return nal_unit_type (7.3.1.2)."""
    return unit[0] >> 1 & 0x3F


def profile_name(profile_idc: int, chroma: str, bit_depth: int) -> str:
    """Return the profile's name; those of the range extensions are told by chroma and depth (A.3.5)."""
    if profile_idc != _RANGE_EXTENSIONS:
        return _PROFILES.get(profile_idc, f"profile {profile_idc}")
    if chroma == "4:2:0":
        return f"Main {bit_depth}"
    if chroma == "4:0:0":
        return "Monochrome" if bit_depth == 8 else f"Monochrome {bit_depth}"
    return f"Main {chroma}" if chroma == "4:4:4" and bit_depth == 8 else f"Main {chroma} {bit_depth}"


def level_name(level_idc: int) -> str:
    """Return the level's name: thirty times its number (A.4.1)."""
    return f"{level_idc / 30:g}"


@dataclass(frozen=True, slots=True, kw_only=True)
class SequenceParameters:
    """What a sequence parameter set says."""

    set_id: int
    profile_idc: int
    high_tier: bool
    level_idc: int
    progressive_source: bool
    interlaced_source: bool
    chroma: str
    bit_depth: int
    coded_size: tuple[int, int]
    size: tuple[int, int]
    reference_frames: int  #: sps_max_dec_pic_buffering of the highest sub-layer, less the current picture
    pixel_aspect: Fraction | None = None
    full_range: bool | None = None
    primaries: int | None = None
    transfer: int | None = None
    matrix: int | None = None
    fields: bool = False  #: field_seq_flag: every picture is a field
    structures_coded: bool = False  #: frame_field_info_present_flag
    frame_rate: Fraction | None = None
    hrd: Hrd | None = None

    @property
    def profile(self) -> str:
        """The profile's name."""
        return profile_name(self.profile_idc, self.chroma, self.bit_depth)

    @property
    def level(self) -> str:
        """The level's name."""
        return level_name(self.level_idc)

    @property
    def scan(self) -> str:
        """Progressive or interlaced, by field_seq_flag and the source flags of the profile (7.4.4, E.3.1)."""
        return (
            Scan.INTERLACED
            if self.fields or (self.interlaced_source and not self.progressive_source)
            else Scan.PROGRESSIVE
        )


def _profile_tier_level(reader: BitReader, sub_layers: int) -> tuple[bool, int, bool, bool, int]:
    """Read 7.3.3; return high tier, profile, progressive and interlaced source, level."""
    reader.skip(2)
    high, profile = reader.flag(), reader.bits(5)
    reader.skip(32)
    progressive, interlaced = reader.flag(), reader.flag()
    reader.skip(2 + 43 + 1)
    level = reader.bits(8)
    present = [(reader.flag(), reader.flag()) for _ in range(sub_layers)]
    if sub_layers:
        reader.skip(2 * (8 - sub_layers))
    for has_profile, has_level in present:
        reader.skip((88 if has_profile else 0) + (8 if has_level else 0))
    return high, profile, progressive, interlaced, level


def _skip_scaling_lists(reader: BitReader) -> None:
    """Pass over scaling_list_data (7.3.4)."""
    for size in range(4):
        for _ in range(0, 6, 3 if size == 3 else 1):
            if not reader.flag():
                reader.unsigned()
                continue
            if size > 1:
                reader.signed()
            for _ in range(min(64, 1 << (4 + (size << 1)))):
                reader.signed()


def _reference_set(reader: BitReader, index: int, counts: list[int]) -> int:
    """Read st_ref_pic_set (7.3.7) and return how many pictures it names."""
    if index and reader.flag():
        reader.skip(1)
        reader.unsigned()
        named = 0
        for _ in range(counts[index - 1] + 1):
            named += reader.flag() or reader.flag()
        return named
    negative, positive = reader.unsigned(), reader.unsigned()
    if negative + positive > 32:
        raise BitsEnded(f"met a reference picture set of {negative + positive} pictures; expected at most 16")
    for _ in range(negative + positive):
        reader.unsigned()
        reader.skip(1)
    return negative + positive


def _usability(reader: BitReader) -> dict[str, Any]:
    """Read the first part of vui_parameters (E.2.1), up to the timing."""
    found: dict[str, Any] = {}
    if reader.flag():
        indicator = reader.bits(8)
        pair = (reader.bits(16), reader.bits(16)) if indicator == _EXTENDED_ASPECT else SAMPLE_ASPECTS.get(indicator)
        if pair and all(pair):
            found["pixel_aspect"] = Fraction(*pair)
    if reader.flag():
        reader.skip(1)
    if reader.flag():
        reader.skip(3)
        found["full_range"] = reader.flag()
        if reader.flag():
            found |= {name: reader.bits(8) for name in ("primaries", "transfer", "matrix")}
    if reader.flag():
        reader.unsigned()
        reader.unsigned()
    reader.skip(1)
    found["fields"] = reader.flag()
    found["structures_coded"] = reader.flag()
    if reader.flag():
        for _ in range(4):
            reader.unsigned()
    if reader.flag():
        units, scale = reader.bits(32), reader.bits(32)
        if units and scale:
            found["frame_rate"] = Fraction(scale, units) / (2 if found["fields"] else 1)
        if reader.flag():
            reader.unsigned()
        if reader.flag():
            found["hrd"] = _schedule(reader)
    return found


def _schedule(reader: BitReader) -> Hrd | None:
    """Read hrd_parameters with its common part (E.2.2) as far as the first schedule of the lowest sub-layer."""
    network, video = reader.flag(), reader.flag()
    if not network and not video:
        return None
    sub_pictures = reader.flag()
    if sub_pictures:
        reader.skip(8 + 5 + 1 + 5)
    rate_scale, size_scale = reader.bits(4), reader.bits(4)
    if sub_pictures:
        reader.skip(4)
    reader.skip(5)
    removal, output = reader.bits(5) + 1, reader.bits(5) + 1
    fixed = reader.flag() or reader.flag()
    low_delay = False
    if fixed:
        reader.unsigned()
    else:
        low_delay = reader.flag()
    if not low_delay:
        reader.unsigned()
    rate, size = reader.unsigned() + 1, reader.unsigned() + 1
    if sub_pictures:
        reader.unsigned()
        reader.unsigned()
    return Hrd(
        bits_per_second=rate << (6 + rate_scale),
        buffer_bits=size << (4 + size_scale),
        constant=reader.flag(),
        cpb_delay_length=removal,
        dpb_delay_length=output,
    )


def rate_of_video_parameters(unit: bytes) -> Fraction | None:
    """Return the picture rate in a video parameter set (7.3.2.1), ``None`` where it codes none."""
    reader = BitReader(unescape(unit[2:]))
    reader.skip(4 + 2 + 6)
    sub_layers = reader.bits(3)
    reader.skip(1 + 16)
    _profile_tier_level(reader, sub_layers)
    every = reader.flag()
    for _ in range(3 * (sub_layers + 1 if every else 1)):
        reader.unsigned()
    layers = reader.bits(6) + 1
    reader.skip(reader.unsigned() * layers)
    if not reader.flag():
        return None
    units, scale = reader.bits(32), reader.bits(32)
    return Fraction(scale, units) if units and scale else None


def parse_sequence_parameters(unit: bytes) -> SequenceParameters:
    """Read a sequence parameter set NAL unit (7.3.2.2); raises ``BitsEnded`` when it is cut or senseless."""
    reader = BitReader(unescape(unit[2:]))
    reader.skip(4)
    sub_layers = reader.bits(3)
    reader.skip(1)
    high, profile, progressive, interlaced, level = _profile_tier_level(reader, sub_layers)
    set_id, chroma = reader.unsigned(), reader.unsigned()
    if chroma > 3:
        raise BitsEnded(f"met chroma format {chroma} in a sequence parameter set; expected 0 to 3")
    separate = chroma == 3 and reader.flag()
    width, height = reader.unsigned(), reader.unsigned()
    size = (width, height)
    if reader.flag():
        across, down = _CROP_UNITS[0 if separate else chroma]
        left, right, top, bottom = (reader.unsigned() for _ in range(4))
        size = (width - across * (left + right), height - down * (top + bottom))
    if min(size) <= 0:
        raise BitsEnded(f"a sequence parameter set leaves {size[0]} × {size[1]} of {width} × {height}")
    depth = reader.unsigned() + 8
    reader.unsigned()
    order_bits = reader.unsigned() + 4
    every = reader.flag()
    buffering = 0
    for _ in range(sub_layers + 1 if every else 1):
        buffering = reader.unsigned()
        reader.unsigned()
        reader.unsigned()
    _pass_to_usability(reader, order_bits)
    usability = _usability(reader) if reader.flag() else {}
    return SequenceParameters(
        set_id=set_id,
        profile_idc=profile,
        high_tier=high,
        level_idc=level,
        progressive_source=progressive,
        interlaced_source=interlaced,
        chroma=_CHROMA[chroma],
        bit_depth=depth,
        coded_size=(width, height),
        size=size,
        reference_frames=buffering,
        **usability,
    )


def _pass_to_usability(reader: BitReader, order_bits: int) -> None:
    """Pass over the coding tools of a sequence parameter set, from block sizes to strong intra smoothing."""
    for _ in range(6):
        reader.unsigned()
    if reader.flag() and reader.flag():
        _skip_scaling_lists(reader)
    reader.skip(2)
    if reader.flag():
        reader.skip(8)
        reader.unsigned()
        reader.unsigned()
        reader.skip(1)
    sets = reader.unsigned()
    if sets > _MOST_SETS:
        raise BitsEnded(f"met {sets} reference picture sets; expected at most {_MOST_SETS}")
    counts: list[int] = []
    for index in range(sets):
        counts.append(_reference_set(reader, index, counts))
    if reader.flag():
        for _ in range(min(reader.unsigned(), 32)):
            reader.skip(order_bits + 1)
    reader.skip(2)


def extra_slice_bits(unit: bytes) -> tuple[int, int]:
    """Return the id of a picture parameter set and its num_extra_slice_header_bits (7.3.2.3.1)."""
    reader = BitReader(unescape(unit[2:32]))
    set_id = reader.unsigned()
    reader.unsigned()
    reader.skip(2)
    return set_id, reader.bits(3)


def slice_type(unit: bytes | memoryview, extra_bits: dict[int, int]) -> str | None:
    """Return I, P or B by a picture's first slice, ``None`` for a later one (7.3.6.1)."""
    reader = BitReader(unescape(bytes(unit[2:24])))
    if not reader.flag():
        return None
    if _FIRST_RANDOM <= unit_type(unit) <= _LAST_RANDOM:
        reader.skip(1)
    reader.skip(extra_bits.get(reader.unsigned(), 0))
    kind = reader.unsigned()
    return "BPI"[kind] if kind < 3 else "?"


def parse_configuration(record: bytes) -> tuple[int, list[bytes]]:
    """Return the size of lengths and the units of an hvcC record (ISO/IEC 14496-15, 8.3.3.1)."""
    if len(record) < 23 or record[0] != 1:
        raise BitsEnded(f"met {record[:1].hex() or 'nothing'} as the version of an HEVC configuration; expected 01")
    units, at = [], 23
    for _ in range(record[22]):
        count = int.from_bytes(record[at + 1 : at + 3], "big")
        at += 3
        for _ in range(count):
            length = int.from_bytes(record[at : at + 2], "big")
            unit = record[at + 2 : at + 2 + length]
            if len(unit) < length or length < 2:
                raise BitsEnded(f"a unit at byte {at} of the HEVC configuration is cut")
            units.append(unit)
            at += 2 + length
    return (record[21] & 3) + 1, units


def light_metadata(unit: bytes) -> dict[str, Any]:
    """Return mastering display and content light level of an SEI unit: cd/m² and CIE 1931 coordinates."""
    found: dict[str, Any] = {}
    for kind, body in sei_messages(unescape(unit[2:])):
        if kind == _MASTERING and len(body) >= 24:
            found |= mastering_display(body)
        if kind == _CONTENT_LIGHT and len(body) >= 4:
            found |= content_light(body)
    return found


def first_clock(unit: bytes) -> Clock | None:
    """Return the first timestamp of a time code message in an SEI unit (D.2.27), ``None`` for none."""
    for kind, body in sei_messages(unescape(unit[2:])):
        if kind == _TIME_CODE:
            reader = BitReader(body)
            for _ in range(reader.bits(2)):
                if reader.flag():
                    reader.skip(1)
                    return read_clock(reader, 9)
    return None


def picture_structures(unit: bytes) -> list[int]:
    """Return pic_struct of the picture timing messages in an SEI unit (D.2.3), of streams that code it."""
    return [body[0] >> 4 for kind, body in sei_messages(unescape(unit[2:])) if kind == _PICTURE_TIMING and body]


def mastering_display(body: bytes) -> dict[str, Any]:
    """Return a mastering display colour volume (SMPTE ST 2086): steps of 0.00002 and of 0.0001 cd/m²."""
    points = [int.from_bytes(body[at : at + 2], "big") / 50_000 for at in range(0, 16, 2)]
    names = ("green", "blue", "red", "white")
    colours = {name: [points[2 * index], points[2 * index + 1]] for index, name in enumerate(names)}
    luminance = [int.from_bytes(body[at : at + 4], "big") / 10_000 for at in (16, 20)]
    return colours | {"max_luminance": luminance[0], "min_luminance": luminance[1]}


def content_light(body: bytes) -> dict[str, int]:
    """Return the largest content and frame-average light level (CTA-861), in cd/m²."""
    return {"max_cll": int.from_bytes(body[:2], "big"), "max_fall": int.from_bytes(body[2:4], "big")}


@dataclass(slots=True)
class ParameterSets:
    """Parameter sets met so far, and what the first SEI units say of light."""

    length_size: int | None = None
    sequences: dict[int, SequenceParameters] = field(default_factory=dict)
    extra_bits: dict[int, int] = field(default_factory=dict)  #: by picture parameter set
    light: dict[str, Any] = field(default_factory=dict)
    structures: list[int] = field(default_factory=list)  #: pic_struct of the first pictures
    clock: Clock | None = None  #: the first timestamp
    rate: Fraction | None = None  #: pictures a second by the video parameter set

    def take(self, unit: bytes) -> None:
        """Keep a parameter set or light metadata; other units and damaged ones change nothing."""
        if len(unit) < 3:
            return
        try:
            if unit_type(unit) == NAL_SPS:
                sequence = parse_sequence_parameters(unit)
                self.sequences[sequence.set_id] = sequence
            elif unit_type(unit) == NAL_PPS:
                set_id, bits = extra_slice_bits(unit)
                self.extra_bits[set_id] = bits
            elif unit_type(unit) == NAL_PREFIX_SEI:
                self.light |= light_metadata(unit)
                self.clock = self.clock or first_clock(unit)
                if self.first and self.first.structures_coded:
                    self.structures += picture_structures(unit)
            elif unit_type(unit) == NAL_VPS:
                self.rate = self.rate or rate_of_video_parameters(unit)
        except BitsEnded:
            return

    @property
    def first(self) -> SequenceParameters | None:
        """The sequence parameter set with the lowest id."""
        return self.sequences[min(self.sequences)] if self.sequences else None
