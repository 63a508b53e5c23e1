"""Sizes: what each codec would weigh, for a picture size, a rate and a length.

Uncompressed layouts and VC-3 are exact: their pictures all have one size. The RDD 36 family has target rates, which
its writers keep within a tenth. AVC, HEVC, VP9, AV1 and MPEG-2 are told as a band of bits a pixel, from little motion
to much, which the house's own measured renders move. A lossless codec weighs what its pictures ask: that is told from
measured renders, or not known.
"""

from __future__ import annotations

import enum
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from math import ceil

from brisk_core.exact import spell_bit_rate, spell_bytes
from brisk_core.plan.bits import Coding, Programme, file_size

_LEAST_MEASURED = 3  # renders of a codec, from which its band is the house's own


class Sureness(enum.Enum):
    """How sure a predicted size is."""

    EXACT = "exact"
    TARGET = "within a tenth"
    BAND = "by motion"
    MEASURED = "by the house's renders"
    UNKNOWN = "not known"


@dataclass(frozen=True, slots=True, kw_only=True)
class Weighed:
    """What one codec would weigh."""

    codec: str  #: as the registry names it
    name: str
    sureness: Sureness
    least: int | None  #: bytes of the whole file, None where it is not known
    most: int | None
    says: str  #: what it is computed from

    @property
    def middle(self) -> int | None:
        """Bytes halfway between the least and the most."""
        return None if self.least is None or self.most is None else (self.least + self.most) // 2


@dataclass(frozen=True, slots=True, kw_only=True)
class Layout:
    """A layout of plain samples."""

    name: str
    packing: str  #: what takes how many bytes
    picture: Callable[[int, int], int]  #: bytes of a picture of a width and a height


def _plain(name: str, bits: int, packing: str = "") -> Layout:
    """A layout without padding: bits of a pixel."""
    packing = packing or f"{bits} bits a pixel"
    return Layout(name=name, packing=packing, picture=lambda width, height: ceil(width * height * Fraction(bits, 8)))


#: Plain samples, from the fewest bytes on; chroma subsampling by ITU-R BT.601 and BT.709.
LAYOUTS = (
    _plain("4:2:0, 8 bit", 12),
    _plain("4:2:2, 8 bit", 16),
    _plain("RGB, 8 bit", 24),
    Layout(
        name="4:2:2, 10 bit, v210",
        packing="6 pixels in 16 bytes, lines filled to 128",
        picture=lambda width, height: ceil(width / 48) * 128 * height,
    ),
    _plain("RGB with alpha, 8 bit", 32),
    _plain("RGB, 10 bit", 32, "3 samples in 4 bytes (SMPTE ST 268-1)"),
    _plain("RGB, 12 bit", 48, "a sample in 2 bytes (SMPTE ST 268-1)"),
    _plain("RGB with alpha, 16 bit", 64),
)

#: Bytes of a VC-3 picture of the sizes that have a compression id of their own: SMPTE ST 2019-1, table of frame sizes.
#: (width, height, interlaced) -> (compression id, what it carries, bytes).
VC3_PICTURES: Mapping[tuple[int, int, bool], tuple[tuple[int, str, int], ...]] = {
    (1920, 1080, False): (
        (1253, "4:2:2, 8 bit, low rate", 188_416),
        (1237, "4:2:2, 8 bit", 606_208),
        (1238, "4:2:2, 8 bit, high rate", 917_504),
        (1235, "4:2:2, 10 bit", 917_504),
        (1256, "4:4:4, 10 bit", 1_835_008),
    ),
    (1920, 1080, True): (
        (1242, "4:2:2, 8 bit", 606_208),
        (1243, "4:2:2, 8 bit, high rate", 917_504),
        (1241, "4:2:2, 10 bit", 917_504),
    ),
    (1440, 1080, False): ((1259, "4:2:2, 8 bit", 417_792),),
    (1440, 1080, True): ((1260, "4:2:2, 8 bit", 417_792),),
    (1280, 720, False): (
        (1252, "4:2:2, 8 bit", 303_104),
        (1251, "4:2:2, 8 bit, high rate", 458_752),
        (1250, "4:2:2, 10 bit", 458_752),
    ),
    (960, 720, False): ((1258, "4:2:2, 8 bit", 212_992),),
}
#: The compression ids of any size, with the bytes of 255 blocks of 16 by 16: SMPTE ST 2019-1, resolution independence.
VC3_ANY = (
    (1274, "4:2:2, 8 bit, low rate", 5_888),
    (1273, "4:2:2, 8 bit", 18_944),
    (1272, "4:2:2, 8 bit, high rate", 28_672),
    (1271, "4:2:2, 10 or 12 bit", 28_672),
    (1270, "4:4:4", 57_344),
)
_VC3_UNIT, _VC3_LEAST, _VC3_BLOCKS = 4_096, 8_192, 255

#: Mb/s at 29.97 frames a second (30/1.001) of a size, by profile: the target rates that were published with RDD 36.
#: Sizes between them take the bits a pixel of the nearest.
RDD36_RATES: Mapping[tuple[int, int], Mapping[str, int]] = {
    (720, 486): {"422 Proxy": 12, "422 LT": 29, "422": 42, "422 HQ": 63},
    (1280, 720): {"422 Proxy": 23, "422 LT": 51, "422": 73, "422 HQ": 110, "4444": 165, "4444 XQ": 250},
    (1920, 1080): {"422 Proxy": 45, "422 LT": 102, "422": 147, "422 HQ": 220, "4444": 330, "4444 XQ": 500},
    (3840, 2160): {"422 Proxy": 182, "422 LT": 410, "422": 589, "422 HQ": 884, "4444": 1326, "4444 XQ": 1989},
}
_RDD36_AT = Fraction(30_000, 1001)
_TENTH = Fraction(1, 10)

#: Bits a pixel from still to lively pictures without faults to see, at 1080 lines and 25 frames: house practice.
BANDS: Mapping[str, tuple[str, Fraction, Fraction]] = {
    "mpeg2": ("MPEG-2", Fraction(15, 100), Fraction(50, 100)),
    "avc": ("AVC", Fraction(6, 100), Fraction(20, 100)),
    "hevc": ("HEVC", Fraction(3, 100), Fraction(12, 100)),
    "vp9": ("VP9", Fraction(3, 100), Fraction(12, 100)),
    "av1": ("AV1", Fraction(2, 100), Fraction(9, 100)),
}
_CLEARLY_FEWER = Fraction(2, 3)  # of the bits that a band begins with, which is no sharp edge
LOSSLESS = {"ffv1": "FFV1", "jpeg2000": "JPEG 2000, lossless"}


def too_few(codec: str, picture_rate: int, size: tuple[int, int], rate: Fraction) -> tuple[str, int] | None:
    """Return what to expect where a picture has clearly fewer bits than its codec takes even for pictures in which
    little moves, and the bits a second that it takes; ``None`` for enough, and for codecs without a band.
    """
    if codec not in BANDS:
        return None
    name, little, _ = BANDS[codec]
    samples = size[0] * size[1] * rate
    bits = picture_rate / samples
    if bits >= little * _CLEARLY_FEWER:
        return None
    enough = ceil(little * samples)
    says = (
        f"with {float(bits):.2g} bits a pixel, expect blocks: {name} takes about {float(little):g} where little "
        f"moves, {spell_bit_rate(enough)} here"
    )
    return says, enough


def vc3_picture(size: tuple[int, int], per_255_blocks: int) -> int:
    """Return the bytes of a VC-3 picture of any size: by blocks of 16 × 16, rounded to 4,096 bytes, at least 8,192."""
    blocks = ceil(size[0] / 16) * ceil(size[1] / 16)
    raw = blocks * per_255_blocks // _VC3_BLOCKS
    return max((raw + _VC3_UNIT // 2) // _VC3_UNIT * _VC3_UNIT, _VC3_LEAST)


def weigh(
    programme: Programme,
    wrapper: str,
    *,
    interlaced: bool = False,
    measured: Mapping[str, Sequence[float]] | None = None,
) -> list[Weighed]:
    """Return what each codec would weigh, the smallest first and those not known last.

    ``measured`` holds bits a pixel of renders of the house by codec; three of a codec make its band. Raises
    ``PlanRefused`` for an unknown wrapper.
    """
    known = {codec: sorted(values) for codec, values in (measured or {}).items() if len(values) >= _LEAST_MEASURED}
    found = [
        *_uncompressed(programme, wrapper),
        *_vc3(programme, wrapper, interlaced=interlaced),
        *_rdd36(programme, wrapper),
        *_banded(programme, wrapper, known),
        *_lossless(programme, wrapper, known),
    ]
    return sorted(found, key=lambda one: (one.middle is None, one.middle or 0, one.name))


def _file(programme: Programme, wrapper: str, codec: str, picture: Fraction | int) -> int:
    """Bytes of a file whose pictures take so many bytes on average."""
    rate = Fraction(picture) * 8 * programme.rate
    named = "uncompressed" if codec == "raw" else codec
    return file_size(programme, rate, Coding(wrapper=wrapper, codec=named, reorders=codec in BANDS))


def _exact(programme: Programme, wrapper: str, codec: str, name: str, picture: int, says: str) -> Weighed:
    """A codec whose every picture takes the same bytes."""
    size = _file(programme, wrapper, codec, picture)
    says = f"{picture:,} bytes a picture{says}"
    return Weighed(codec=codec, name=name, sureness=Sureness.EXACT, least=size, most=size, says=says)


def _uncompressed(programme: Programme, wrapper: str) -> list[Weighed]:
    return [
        _exact(
            programme,
            wrapper,
            "raw",
            f"Uncompressed {layout.name}",
            layout.picture(*programme.size),
            f": {layout.packing}",
        )
        for layout in LAYOUTS
    ]


def _vc3(programme: Programme, wrapper: str, *, interlaced: bool) -> list[Weighed]:
    rows = VC3_PICTURES.get((*programme.size, interlaced), ())
    if not rows and not interlaced:
        rows = tuple((id_, words, vc3_picture(programme.size, per)) for id_, words, per in VC3_ANY)
    return [
        _exact(programme, wrapper, "vc3", f"VC-3, {words}", picture, f", compression id {id_} (SMPTE ST 2019-1)")
        for id_, words, picture in rows
    ]


def _rdd36(programme: Programme, wrapper: str) -> list[Weighed]:
    """The RDD 36 family: target rates of the nearest size, scaled by pixels and rate."""
    pixels = programme.size[0] * programme.size[1]
    nearest = min(
        RDD36_RATES, key=lambda size: abs(size[0] * size[1] / pixels - 1) + abs(pixels / (size[0] * size[1]) - 1)
    )
    found = []
    for profile, rate in RDD36_RATES[nearest].items():
        picture = Fraction(rate * 10**6) / _RDD36_AT / 8 * pixels / (nearest[0] * nearest[1])
        least, most = (_file(programme, wrapper, "prores", picture * (1 + by)) for by in (-_TENTH, _TENTH))
        says = f"{rate} Mb/s at {nearest[0]} × {nearest[1]} and 29.97 (published with SMPTE RDD 36), by pixels and rate"
        found.append(
            Weighed(
                codec="prores",
                name=f"RDD 36, {profile}",
                sureness=Sureness.TARGET,
                least=least,
                most=most,
                says=says,
            )
        )
    return found


def _banded(programme: Programme, wrapper: str, measured: Mapping[str, Sequence[float]]) -> list[Weighed]:
    return [_band(programme, wrapper, codec, *BANDS[codec], measured.get(codec, ())) for codec in BANDS]


def _lossless(programme: Programme, wrapper: str, measured: Mapping[str, Sequence[float]]) -> list[Weighed]:
    found = []
    for codec, name in LOSSLESS.items():
        if codec in measured:
            found.append(_band(programme, wrapper, codec, name, Fraction(0), Fraction(0), measured[codec]))
        else:
            says = f"hangs on the pictures; {_LEAST_MEASURED} measured renders of the house would tell"
            found.append(Weighed(codec=codec, name=name, sureness=Sureness.UNKNOWN, least=None, most=None, says=says))
    return found


def _band(
    programme: Programme,
    wrapper: str,
    codec: str,
    name: str,
    low: Fraction,
    high: Fraction,
    measured: Sequence[float],
) -> Weighed:
    sureness, says = Sureness.BAND, f"{float(low):g} to {float(high):g} bits a pixel, from little motion to much"
    if measured:
        low, high = Fraction(measured[0]), Fraction(measured[-1])
        sureness = Sureness.MEASURED
        span = " to ".join(dict.fromkeys(f"{float(one):.2g}" for one in (low, high)))
        says = f"{span} bits a pixel in {len(measured)} renders of the house"
    pixels = programme.size[0] * programme.size[1]
    least, most = (_file(programme, wrapper, codec, bits * pixels / 8) for bits in (low, high))
    return Weighed(codec=codec, name=name, sureness=sureness, least=least, most=most, says=says)


def spelled(one: Weighed) -> str:
    """Return a size in words: one figure, or from and to."""
    if one.least is None or one.most is None:
        return "not known"
    least, most = spell_bytes(one.least), spell_bytes(one.most)
    return least if least == most else f"{least} to {most}"
