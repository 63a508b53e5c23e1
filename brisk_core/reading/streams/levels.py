"""Limits of profiles and levels (ITU-T H.264, table A-1; H.265, A.8 and A.9; H.262, 8-10 to 8-14; AV1, A.3).

A level promises a decoder how much it must bear: samples of a picture and of a second, reference pictures, bits.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction

from brisk_core.exact import spell_bit_rate, spell_size

_MACROBLOCK = 16


@dataclass(frozen=True, slots=True, kw_only=True)
class Demand:
    """What a stream asks of a decoder; ``None`` where it is not known."""

    coded_size: tuple[int, int]
    frame_rate: Fraction | None = None
    references: int | None = None
    bits_per_second: int | None = None  #: the most in any second
    buffer_bits: int | None = None  #: of the schedule that the stream codes
    bit_depth: int = 8
    chroma: str = "4:2:0"


@dataclass(frozen=True, slots=True, kw_only=True)
class Limits:
    """What a level allows; sizes and rates are counted in ``unit``."""

    name: str  #: of the level
    unit: str  #: macroblocks or luma samples
    picture: int  #: of a picture
    second: int  #: of a second
    width: int  #: luma samples
    height: int
    bits_per_second: int
    buffer_bits: int | None  #: None where the standard ties it to the rate
    storage: int | None = None  #: units that the decoded picture buffer holds, for AVC
    frame_rate: Fraction | None = None  #: frames a second, for MPEG-2

    def references(self, picture: int) -> int | None:
        """The most reference pictures of this size, in units; ``None`` where the level sets no such limit."""
        if self.unit == "macroblocks" and self.storage:
            return min(self.storage // picture, 16)
        if self.storage is None:
            return None
        for share, pictures in ((4, 16), (2, 12)):  # H.265, equation A-2, less the picture that is decoded
            if picture <= self.picture // share:
                return pictures - 1
        return 7 if picture <= self.picture * 3 // 4 else 5


#: Level: macroblocks a second, of a picture, of storage, kbit/s and kbit of buffer before the profile's factor.
_AVC = {
    "1": (1485, 99, 396, 64, 175), "1b": (1485, 99, 396, 128, 350), "1.1": (3000, 396, 900, 192, 500),
    "1.2": (6000, 396, 2376, 384, 1000), "1.3": (11880, 396, 2376, 768, 2000), "2": (11880, 396, 2376, 2000, 2000),
    "2.1": (19800, 792, 4752, 4000, 4000), "2.2": (20250, 1620, 8100, 4000, 4000),
    "3": (40500, 1620, 8100, 10000, 10000), "3.1": (108000, 3600, 18000, 14000, 14000),
    "3.2": (216000, 5120, 20480, 20000, 20000), "4": (245760, 8192, 32768, 20000, 25000),
    "4.1": (245760, 8192, 32768, 50000, 62500), "4.2": (522240, 8704, 34816, 50000, 62500),
    "5": (589824, 22080, 110400, 135000, 135000), "5.1": (983040, 36864, 184320, 240000, 240000),
    "5.2": (2073600, 36864, 184320, 240000, 240000), "6": (4177920, 139264, 696320, 240000, 240000),
    "6.1": (8355840, 139264, 696320, 480000, 480000), "6.2": (16711680, 139264, 696320, 800000, 800000),
}  # fmt: skip
#: cpbBrNalFactor by profile (table A-2); 1200 for the others.
_AVC_FACTORS = (("High 10", 3600), ("High 4:2:2", 4800), ("High 4:4:4", 4800), ("CAVLC 4:4:4", 4800), ("High", 1500))
#: Level: luma samples of a picture and of a second; kbit/s, equal to kbit of buffer, of the main and the high tier.
_HEVC = {
    "1": (36864, 552960, 128, 0), "2": (122880, 3686400, 1500, 0), "2.1": (245760, 7372800, 3000, 0),
    "3": (552960, 16588800, 6000, 0), "3.1": (983040, 33177600, 10000, 0), "4": (2228224, 66846720, 12000, 30000),
    "4.1": (2228224, 133693440, 20000, 50000), "5": (8912896, 267386880, 25000, 100000),
    "5.1": (8912896, 534773760, 40000, 160000), "5.2": (8912896, 1069547520, 60000, 240000),
    "6": (35651584, 1069547520, 60000, 240000), "6.1": (35651584, 2139095040, 120000, 480000),
    "6.2": (35651584, 4278190080, 240000, 800000),
}  # fmt: skip
#: CpbNalFactor and BrNalFactor (table A.10) by profile; 1100 for Main and Main 10.
_HEVC_FACTORS = {
    "Main 12": 1650, "Main 4:2:2 10": 1833, "Main 4:2:2 12": 2200, "Main 4:4:4": 2200, "Main 4:4:4 10": 2750,
    "Main 4:4:4 12": 3300,
}  # fmt: skip
_HEVC_FIRST_BUFFER = 350  # kbit at level 1, the only one where buffer and rate differ
#: (profile, level): width, height, frames a second, luma samples a second, bit/s, bits of buffer.
_MPEG2 = {
    ("Simple", "Main"): (720, 576, 30, 10_368_000, 15_000_000, 1_835_008),
    ("Main", "Low"): (352, 288, 30, 3_041_280, 4_000_000, 475_136),
    ("Main", "Main"): (720, 576, 30, 10_368_000, 15_000_000, 1_835_008),
    ("Main", "High 1440"): (1440, 1152, 60, 47_001_600, 60_000_000, 7_340_032),
    ("Main", "High"): (1920, 1152, 60, 62_668_800, 80_000_000, 9_781_248),
    ("4:2:2", "Main"): (720, 608, 30, 11_059_200, 50_000_000, 9_437_184),
    ("4:2:2", "High"): (1920, 1088, 60, 62_668_800, 300_000_000, 47_185_920),
    ("High", "Main"): (720, 576, 30, 14_745_600, 20_000_000, 2_441_216),
    ("High", "High 1440"): (1440, 1152, 60, 62_668_800, 80_000_000, 9_781_248),
    ("High", "High"): (1920, 1152, 60, 83_558_400, 100_000_000, 12_222_464),
}
_MPEG2_ORDER = ("Low", "Main", "High 1440", "High")
#: Level: luma samples of a picture, width, height, samples shown a second, kbit/s of the main and the high tier.
_AV1 = {
    "2.0": (147456, 2048, 1152, 4423680, 1500, 0), "2.1": (278784, 2816, 1584, 8363520, 3000, 0),
    "3.0": (665856, 4352, 2448, 19975680, 6000, 0), "3.1": (1065024, 5504, 3096, 31950720, 10000, 0),
    "4.0": (2359296, 6144, 3456, 70778880, 12000, 30000), "4.1": (2359296, 6144, 3456, 141557760, 20000, 50000),
    "5.0": (8912896, 8192, 4352, 267386880, 30000, 100000), "5.1": (8912896, 8192, 4352, 534773760, 40000, 160000),
    "5.2": (8912896, 8192, 4352, 1069547520, 60000, 240000), "5.3": (8912896, 8192, 4352, 1069547520, 60000, 240000),
    "6.0": (35651584, 16384, 8704, 1069547520, 60000, 240000),
    "6.1": (35651584, 16384, 8704, 2139095040, 100000, 480000),
    "6.2": (35651584, 16384, 8704, 4278190080, 160000, 800000),
    "6.3": (35651584, 16384, 8704, 4278190080, 160000, 800000),
}  # fmt: skip
_AV1_FACTORS = {"Main": 1000, "High": 2000, "Professional": 3000}


def limits_of(codec: str, profile: str, level: str, tier: str | None = None) -> Limits | None:
    """Return what a profile and level allow, ``None`` where the standard has no such pair."""
    return next((one for one in _levels(codec, profile, tier) if one.name == level), None)


def _levels(codec: str, profile: str, tier: str | None) -> Iterator[Limits]:
    """Yield the levels of a profile, lowest first."""
    high = tier == "High"
    if codec == "avc":
        factor = next((value for start, value in _AVC_FACTORS if start in profile), 1200)
        for name, (second, picture, storage, rate, size) in _AVC.items():
            side = int((picture * 8) ** 0.5) * _MACROBLOCK
            yield Limits(
                name=name, unit="macroblocks", picture=picture, second=second, width=side, height=side,
                bits_per_second=rate * factor, buffer_bits=size * factor, storage=storage,
            )  # fmt: skip
    elif codec == "hevc":
        factor = _HEVC_FACTORS.get(profile, 1100)
        for name, (picture, second, main, upper) in _HEVC.items():
            rate, side = upper if high and upper else main, int((picture * 8) ** 0.5)
            buffer = _HEVC_FIRST_BUFFER if name == "1" else rate
            yield Limits(
                name=name, unit="luma samples", picture=picture, second=second, width=side, height=side,
                bits_per_second=rate * factor, buffer_bits=buffer * factor, storage=picture,
            )  # fmt: skip
    elif codec == "mpeg2":
        for name in _MPEG2_ORDER:
            if row := _MPEG2.get((profile, name)):
                width, height, rate, second, bits, size = row
                yield Limits(
                    name=name, unit="luma samples", picture=width * height, second=second, width=width, height=height,
                    bits_per_second=bits, buffer_bits=size, frame_rate=Fraction(rate),
                )  # fmt: skip
    elif codec == "av1":
        for name, (picture, width, height, second, main, upper) in _AV1.items():
            yield Limits(
                name=name, unit="luma samples", picture=picture, second=second, width=width, height=height,
                bits_per_second=(upper if high and upper else main) * _AV1_FACTORS.get(profile, 1000), buffer_bits=None,
            )  # fmt: skip


def _units(unit: str, size: tuple[int, int]) -> int:
    width, height = size
    if unit == "macroblocks":
        return -(-width // _MACROBLOCK) * -(-height // _MACROBLOCK)
    return width * height


def excesses(limits: Limits, demand: Demand) -> list[str]:
    """Return a sentence for each limit of a level that a stream exceeds; an empty list for none."""
    width, height = demand.coded_size
    units, level, found = _units(limits.unit, demand.coded_size), f"level {limits.name} allows", []
    if units > limits.picture or width > limits.width or height > limits.height:
        found.append(
            f"a picture of {spell_size(demand.coded_size)} has {units:,} {limits.unit}; {level} {limits.picture:,}"
            f" and no side longer than {max(limits.width, limits.height):,}"
        )
    if demand.frame_rate:
        second = units * demand.frame_rate
        if second > limits.second:
            found.append(f"a second has {round(second):,} {limits.unit}; {level} {limits.second:,}")
        if limits.frame_rate and demand.frame_rate > limits.frame_rate:
            found.append(f"{float(demand.frame_rate):.5g} frames a second; {level} {float(limits.frame_rate):g}")
    most = limits.references(units)
    if demand.references is not None and most is not None and demand.references > most:
        found.append(f"{demand.references} reference frames of this size; {level} {most}")
    if demand.bits_per_second is not None and demand.bits_per_second > limits.bits_per_second:
        found.append(
            f"{spell_bit_rate(demand.bits_per_second)} in one second; {level} {spell_bit_rate(limits.bits_per_second)}"
        )
    if demand.buffer_bits and limits.buffer_bits and demand.buffer_bits > limits.buffer_bits:
        found.append(f"a buffer of {demand.buffer_bits:,} bit; {level} {limits.buffer_bits:,}")
    return found


def lowest_level(codec: str, profile: str, tier: str | None, demand: Demand) -> str | None:
    """Return the lowest level of a profile that a stream does not exceed, ``None`` when it exceeds them all."""
    return next((one.name for one in _levels(codec, profile, tier) if not excesses(one, demand)), None)
