"""Text of captions without its marks of style, and captions that say nothing."""

from __future__ import annotations

import html
import re
from collections.abc import Iterable, Sequence
from itertools import pairwise

from brisk_core.captions.document import Caption, Oddity, Remark

_MARKS = re.compile(r"</?[a-zA-Z][^<>\n]*>|<\d[\d:.]*>|\{\\[^{}\n]*\}")


def plain(rows: Iterable[str]) -> tuple[str, ...]:
    """Return lines of text without marks such as ``<i>`` or ``{\\an8}``, empty ones left out."""
    stripped = (html.unescape(_MARKS.sub("", row)).strip() for row in rows)
    return tuple(row for row in stripped if row)


def flawed(caption: Caption) -> list[Remark]:
    """Return what makes a caption one that nobody can read: no time to show it, or no text."""
    found = []
    if caption.end <= caption.start and not caption.stays:
        says = f"ends {float(caption.start - caption.end):.2f} s before it begins; expected a later end"
        if caption.end == caption.start:
            says = "ends as it begins; expected a later end"
        found.append(Remark(line=caption.place, kind=Oddity.UNREADABLE, says=says))
    if not caption.lines:
        found.append(Remark(line=caption.place, kind=Oddity.UNREADABLE, says="has times but no text"))
    return found


def out_of_order(captions: Sequence[Caption]) -> list[Remark]:
    """Return the captions that begin before one that stands above them, which some players leave out (WebVTT, 4.1)."""
    return [
        Remark(
            line=one.place,
            kind=Oddity.UNREADABLE,
            says=f"begins {float(before.start - one.start):.2f} s before the one above it; expected the order of time",
        )
        for before, one in pairwise(captions)
        if one.start < before.start
    ]
