"""What one header of a coded picture says, in the same words for every codec that keeps all of it in one place."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from brisk_core.facts import FactsBuilder, FieldOrder, Scan, Witness
from brisk_core.reading.streams import colour

_SAME_NAME = (
    "profile", "level", "tier", "size", "coded_size", "pixel_aspect", "frame_rate", "chroma", "bit_depth", "alpha",
    "scan", "field_order", "range",
)  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class CodedHeader:
    """What a header says; ``None`` where this codec's header has no word for it, or the word is "unknown"."""

    place: str  #: the header's name and clause
    size: tuple[int, int] | None = None
    coded_size: tuple[int, int] | None = None
    chroma: str | None = None
    bit_depth: int | None = None
    profile: str | None = None
    level: str | None = None
    tier: str | None = None
    pixel_aspect: Fraction | None = None
    frame_rate: Fraction | None = None
    scan: Scan | None = None
    field_order: FieldOrder | None = None
    range: str | None = None
    alpha: str | None = None
    primaries: int | None = None
    transfer: int | None = None
    matrix: int | None = None
    slices: int | None = None  #: of a picture, where the header tells

    def say(self, builder: FactsBuilder) -> None:
        """Record all of it as coded."""
        with builder.at(self.place):
            for name in _SAME_NAME:
                builder.coded(f"picture.{name}", getattr(self, name))
            say_colour(builder, Witness.CODED, self.primaries, self.transfer, self.matrix)


def say_colour(
    builder: FactsBuilder, witness: Witness, primaries: int | None, transfer: int | None, matrix: int | None
) -> None:
    """Record a colour description by H.273 codes; codes without a meaning say nothing."""
    for id_, names, code in (
        ("picture.primaries", colour.PRIMARIES, primaries),
        ("picture.transfer", colour.TRANSFER, transfer),
        ("picture.matrix", colour.MATRIX, matrix),
    ):
        builder.say(witness, id_, names.get(code) if code is not None else None)
