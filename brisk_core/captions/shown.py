"""What a decoder of captions showed, and captions made of it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from fractions import Fraction

from brisk_core.captions.document import Caption


@dataclass(slots=True, kw_only=True)
class Shown:
    """What stood on the screen without a change of caption."""

    start: int  #: on the clock of what the decoder is fed with
    end: int | None  #: ``None`` while nothing has taken it away
    lines: tuple[str, ...]  #: from top to bottom
    place: int  #: of what brought its first character
    kept: int  #: of its lines, from the top, that stood there before it


def captions_of(
    shown: Iterable[Shown], tick: Fraction, region: str = "", origin: Fraction = Fraction(0)
) -> list[Caption]:
    """Return captions of what was shown; its clock counts in ``tick`` and begins at ``origin``, in seconds."""
    return [
        Caption(
            start=one.start * tick - origin,
            end=(one.start if one.end is None else one.end) * tick - origin,
            lines=one.lines,
            place=one.place,
            region=region,
            stays=one.end is None,
            kept=one.kept,
        )
        for one in shown
    ]
