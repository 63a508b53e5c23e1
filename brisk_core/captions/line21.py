"""SCC: the codes of line-21 captions as text, a timecode and its code words a row (CTA-608-E).

The codes are followed by ``ttconv``, row by row, so that each caption keeps the row that brought it.
"""

from __future__ import annotations

import logging
import re
from fractions import Fraction

from ttconv.model import Body, Br, ContentDocument, ContentElement, Div, P, Text
from ttconv.scc.context import SccContext
from ttconv.scc.line import SccLine

from brisk_core.captions.decoding import decode
from brisk_core.captions.document import Caption, CaptionDocument, Clock, Oddity, Remark
from brisk_core.captions.plain import flawed
from brisk_core.errors import CaptionsRefused

RATE = Fraction(30000, 1001)  #: pictures a second that line-21 codes are sent with, one word a picture
ROW = re.compile(r"\d\d:\d\d:\d\d[:;.,]\d\d\t(?:[0-9A-Fa-f]{4}\s*)*")
_FORMAT = "SCC"

logging.getLogger("ttconv").setLevel(logging.ERROR)  # what it warns of is remarked on here


def read_line21(data: bytes, name: str) -> CaptionDocument:
    """Read an SCC file; raises ``CaptionsRefused`` when its codes cannot be followed at all."""
    decoded = decode(data)
    remarks = list(decoded.remarks)
    context, division = SccContext(0, 0, None), _division()
    context.div = division
    captions: list[Caption] = []
    rows: list[tuple[Fraction, int]] = []
    drop = False
    for number, text in enumerate(decoded.text.splitlines(), 1):
        if not text.strip() or number == 1:  # the first row names the format
            continue
        if not ROW.fullmatch(text.strip()):
            says = f"met “{text[:40]}”; expected a timecode, a tabulator and words of four hexadecimal digits"
            remarks.append(Remark(line=number, kind=Oddity.UNREADABLE, says=says))
            continue
        try:
            row = SccLine.from_str(text.strip())
            if row is None:
                continue
            drop = drop or row.time_code.is_drop_frame()
            rows.append((Fraction(row.time_code.to_temporal_offset()), number))
            row.process(context)
        except (ValueError, AttributeError, IndexError, TypeError, KeyError, RuntimeError) as error:
            says = f"its codes cannot be followed ({error or type(error).__name__})"
            remarks.append(Remark(line=number, kind=Oddity.UNREADABLE, says=says))
    try:
        context.flush()
    except (ValueError, AttributeError, TypeError) as error:
        raise CaptionsRefused(f"its codes cannot be followed to the end ({error})") from error
    for paragraph in division:
        caption = _caption(paragraph, rows)
        if caption:
            captions.append(caption)
            remarks += flawed(caption)
    return CaptionDocument(
        name=name,
        format=_FORMAT,
        captions=tuple(captions),
        encoding="CTA-608",
        clock=Clock.TIMECODE,
        rate=RATE,
        drop=drop,
        remarks=tuple(sorted(remarks, key=lambda one: one.line)),
    )


def _division() -> Div:
    """Return an empty part of a document, for paragraphs to be put into."""
    document = ContentDocument()
    body, division = Body(document), Div(document)
    document.set_body(body)
    body.push_child(division)
    return division


def _caption(paragraph: ContentElement, rows: list[tuple[Fraction, int]]) -> Caption | None:
    begin = paragraph.get_begin() if isinstance(paragraph, P) else None
    if begin is None:
        return None
    start = Fraction(begin)
    place = max((number for time, number in rows if time <= start), default=rows[0][1] if rows else 1)
    end = paragraph.get_end()
    lines = "".join("\n" if isinstance(one, Br) else one.get_text() for one in _leaves(paragraph)).split("\n")
    return Caption(
        start=start,
        end=Fraction(end) if end is not None else start,
        lines=tuple(line.strip() for line in lines if line.strip()),
        place=place,
    )


def _leaves(element: ContentElement) -> list[ContentElement]:
    found = []
    for one in element.dfs_iterator():
        if isinstance(one, Br | Text):
            found.append(one)
    return found
