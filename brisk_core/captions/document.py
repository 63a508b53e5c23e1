"""Captions as every format is read into: what is shown when, on which line of the file, and what is odd about it."""

from __future__ import annotations

import enum
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

CAPTIONS_SCHEMA = "brisk-sentry/captions/2"
_FIRST_SCHEMA = "brisk-sentry/captions/1"  # knows nothing of captions that stay or roll; houses keep such documents
MOST_CAPTIONS = 100_000  #: of one file; a day of captions every second stays below


class Clock(enum.Enum):
    """What the times of a document count from."""

    MEDIA = "media"  #: from the first picture
    TIMECODE = "timecode"  #: as the timecode of the programme


class Oddity(enum.Enum):
    """What a remark is about."""

    UNREADABLE = "unreadable"  #: something of the file could not be read, or says nothing
    ENCODING = "encoding"  #: characters that are or may be wrong


@dataclass(frozen=True, slots=True, kw_only=True)
class Remark:
    """Something odd in a file, where it stands."""

    line: int  #: from 1; 0 for the whole file
    kind: Oddity
    says: str  #: what was met and what is expected


@dataclass(frozen=True, slots=True, kw_only=True)
class Caption:
    """One caption."""

    start: Fraction  #: seconds on the clock of its document
    end: Fraction  #: seconds; the first moment at which it is gone
    lines: tuple[str, ...]  #: without marks of style; empty where the caption is a picture
    place: int  #: line of the file that gives its times, or number of its block or packet, from 1
    region: str = ""  #: what sets it apart on the screen; captions of other regions may be shown beside it
    stays: bool = False  #: nothing takes it away: it ends with the programme, and ``end`` is its start
    kept: int = 0  #: of its lines, from the top, that stood there before it and have been read (rolling captions)

    @property
    def text(self) -> str:
        """Its lines, joined."""
        return "\n".join(self.lines)


@dataclass(frozen=True, slots=True, kw_only=True)
class CaptionDocument:
    """A caption file, or a text track of a media file."""

    name: str  #: file name, or "track 3"
    format: str  #: "SRT", "WebVTT", "TTML", "SCC", "EBU-STL", or the coding of a track
    captions: tuple[Caption, ...]  #: in the order of the file
    embedded: bool = False
    encoding: str = ""  #: of the characters; "" where that is no question
    language: str = ""  #: BCP 47, as far as the file says
    clock: Clock = Clock.MEDIA
    rate: Fraction | None = None  #: frames a second that its times count in, where they do
    drop: bool = False  #: its timecodes leave labels out (SMPTE ST 12-1)
    origin: Fraction | None = None  #: seconds on its clock of the start of the programme, where the file says
    counts: str = "line"  #: what ``Caption.place`` counts: "line", "block", "packet"
    pictured: bool = False  #: captions are pictures, so that nothing can be said of their text
    remarks: tuple[Remark, ...] = ()


def document_to_json(document: CaptionDocument) -> dict[str, Any]:
    """Return the JSON form; times are exact, as fractions in text."""
    return {
        "schema": CAPTIONS_SCHEMA,
        "name": document.name,
        "format": document.format,
        "embedded": document.embedded,
        "encoding": document.encoding,
        "language": document.language,
        "clock": document.clock.value,
        "rate": _text(document.rate),
        "drop": document.drop,
        "origin": _text(document.origin),
        "counts": document.counts,
        "pictured": document.pictured,
        "captions": [
            [str(one.start), str(one.end), one.place, one.region, list(one.lines), one.stays, one.kept]
            for one in document.captions
        ],
        "remarks": [[one.line, one.kind.value, one.says] for one in document.remarks],
    }


def document_from_json(value: dict[str, Any]) -> CaptionDocument:
    """Return the document that ``document_to_json`` wrote, or wrote once; raises ``ValueError`` for another schema."""
    if value.get("schema") not in (CAPTIONS_SCHEMA, _FIRST_SCHEMA):
        raise ValueError(f"met schema {value.get('schema')!r}; expected {CAPTIONS_SCHEMA}")
    return CaptionDocument(
        name=value["name"],
        format=value["format"],
        embedded=value["embedded"],
        encoding=value["encoding"],
        language=value["language"],
        clock=Clock(value["clock"]),
        rate=_fraction(value["rate"]),
        drop=value["drop"],
        origin=_fraction(value["origin"]),
        counts=value["counts"],
        pictured=value["pictured"],
        captions=tuple(_caption(*row) for row in value["captions"]),
        remarks=tuple(Remark(line=line, kind=Oddity(kind), says=says) for line, kind, says in value["remarks"]),
    )


def _caption(
    start: str, end: str, place: int, region: str, lines: list[str], stays: bool = False, kept: int = 0
) -> Caption:
    return Caption(
        start=Fraction(start),
        end=Fraction(end),
        lines=tuple(lines),
        place=place,
        region=region,
        stays=stays,
        kept=kept,
    )


def _text(value: Fraction | None) -> str | None:
    return None if value is None else str(value)


def _fraction(value: str | None) -> Fraction | None:
    return None if value is None else Fraction(value)
