"""What one header of a coded picture says, in the same words for every codec that keeps all of it in one place."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from brisk_core.facts import FactsBuilder, FieldOrder, Scan, Witness, keys
from brisk_core.facts.keys import Key
from brisk_core.reading.streams import colour

#: Said as the header has it, each under the name of its characteristic.
_SAID: dict[str, Key[Any]] = {
    key.id.removeprefix("picture."): key
    for key in (
        keys.PICTURE_PROFILE, keys.PICTURE_LEVEL, keys.PICTURE_TIER, keys.PICTURE_SIZE, keys.PICTURE_CODED_SIZE,
        keys.PICTURE_PIXEL_ASPECT, keys.PICTURE_FRAME_RATE, keys.PICTURE_CHROMA, keys.PICTURE_BIT_DEPTH,
        keys.PICTURE_ALPHA, keys.PICTURE_SCAN, keys.PICTURE_FIELD_ORDER, keys.PICTURE_RANGE,
    )
}  # fmt: skip


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
            for name, key in _SAID.items():
                builder.coded(key, getattr(self, name))
            say_colour(builder, Witness.CODED, self.primaries, self.transfer, self.matrix)


def say_colour(
    builder: FactsBuilder, witness: Witness, primaries: int | None, transfer: int | None, matrix: int | None
) -> None:
    """Record a colour description by H.273 codes; codes without a meaning say nothing."""
    for id_, names, code in (
        (keys.PICTURE_PRIMARIES, colour.PRIMARIES, primaries),
        (keys.PICTURE_TRANSFER, colour.TRANSFER, transfer),
        (keys.PICTURE_MATRIX, colour.MATRIX, matrix),
    ):
        builder.say(witness, id_, names.get(code) if code is not None else None)
