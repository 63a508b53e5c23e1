"""Kinds of disc: their bytes, how fast they are read, how much of everything a player knows."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction

SECTOR = 2_048  #: bytes; files begin on whole sectors


@dataclass(frozen=True, slots=True, kw_only=True)
class DiscKind:
    """A kind of disc."""

    id: str
    name: str
    bytes: int
    source: str
    picture_ceiling: int  #: bits a second of the picture
    whole_ceiling: int  #: bits a second of all streams together
    wrapper: str  #: as ``brisk_core.plan.overhead`` knows it
    codec: str  #: of the picture, where a clip does not say
    group: Fraction  #: seconds between random access points
    packet: Fraction  #: bytes on the disc for a byte of the wrapper
    titles: int
    chapters: int  #: of a title
    buttons: int  #: of a screen
    sounds: int  #: tracks
    texts: int
    still: int  #: bytes of a still picture: the buffer that must hold it
    specs: Mapping[str, tuple[str, ...]]  #: specs of the shelf whose tables say what is allowed, by television family

    @property
    def is_high(self) -> bool:
        """Is it a high definition disc?"""
        return self.wrapper == "mpeg-ts"


def _standard(id_: str, name: str, size: int, source: str) -> DiscKind:
    return DiscKind(
        id=id_,
        name=name,
        bytes=size,
        source=source,
        picture_ceiling=9_800_000,
        whole_ceiling=10_080_000,
        wrapper="mpeg-ps-disc",
        codec="mpeg2",
        group=Fraction(1, 2),
        packet=Fraction(1),
        titles=99,
        chapters=99,
        buttons=36,
        sounds=8,
        texts=32,
        still=1_835_008 // 8,  # ISO/IEC 13818-2, table 8-14: the buffer of Main profile at Main level
        specs={"25": ("disc-sd-mpeg2-25",), "30": ("disc-sd-mpeg2-30",)},
    )


def _high(id_: str, name: str, size: int, source: str) -> DiscKind:
    return DiscKind(
        id=id_,
        name=name,
        bytes=size,
        source=source,
        picture_ceiling=40_000_000,
        whole_ceiling=48_000_000,
        wrapper="mpeg-ts",
        codec="avc",
        group=Fraction(1),
        packet=Fraction(192, 188),  # four bytes of arrival time before each packet
        titles=999,
        chapters=999,
        buttons=255,
        sounds=32,
        texts=255,
        still=2_000_000,
        specs={"25": ("disc-hd-avc-25", "disc-hd-mpeg2-25"), "30": ("disc-hd-avc-30",)},
    )


#: Sizes are those of recordable discs of 120 mm, which hold the least of their kind.
KINDS: Mapping[str, DiscKind] = {
    kind.id: kind
    for kind in (
        _standard("sd-single", "Standard definition, one layer", 4_700_372_992, "ECMA-349"),
        _standard("sd-double", "Standard definition, two layers", 8_547_991_552, "ECMA-364"),
        _high("hd-single", "High definition, one layer", 25_025_314_816, "ISO/IEC 30190"),
        _high("hd-double", "High definition, two layers", 50_050_629_632, "ISO/IEC 30191"),
    )
}
FAMILIES = ("25", "30")  #: of television: 25 frames, or 30/1.001
#: The family that a rate belongs to; rates of film belong to both.
FAMILY_OF_RATE: Mapping[Fraction, str] = {
    Fraction(25): "25",
    Fraction(50): "25",
    Fraction(30_000, 1001): "30",
    Fraction(60_000, 1001): "30",
}
