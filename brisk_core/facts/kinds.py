"""Kinds of value, each with its Python type, its JSON form and its spelling for people.

==========  ==========================  ============================
kind        in Python                   in JSON
==========  ==========================  ============================
rate        Fraction                    ``"30000/1001"``
ratio       Fraction                    ``"16:11"``
seconds     Fraction                    ``"251/25"``
size        (width, height)             ``[1920, 1080]``
area        (x, y, width, height)       ``[0, 0, 1920, 1080]``
timecode    Timecode                    ``{"timecode", "rate"}``
tracks      tuple of Track              list of objects
captions    tuple of CaptionTrack       list of objects
chapters    tuple of Chapter            list of objects
spans       tuple of Span               list of objects
times       tuple of TimeSpan           list of objects
others      as JSON has them            as they are
==========  ==========================  ============================

A value a track has for itself is a tuple of these, in track order, ``None`` where a track has nothing to say.
"""

from __future__ import annotations

import enum
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from brisk_core.exact import (
    Timecode,
    spell_bit_rate,
    spell_bytes,
    spell_rate,
    spell_ratio,
    spell_seconds,
    spell_size,
)


class Scan(enum.StrEnum):
    """How a picture was scanned, or is flagged to have been."""

    PROGRESSIVE = "progressive"
    INTERLACED = "interlaced"
    PROGRESSIVE_AS_FIELDS = "progressive-as-fields"
    PULLDOWN_3_2 = "pulldown-3:2"
    MIXED = "mixed"


class FieldOrder(enum.StrEnum):
    """Which field of a frame is earlier."""

    TOP = "top"
    BOTTOM = "bottom"


class Kind(enum.Enum):
    """The kind of value a characteristic has."""

    TEXT = "text"
    CHOICE = "choice"
    FLAG = "yes or no"
    COUNT = "count"
    NUMBER = "number"
    BYTES = "bytes"
    BIT_RATE = "bit/s"
    RATE = "rate"
    RATIO = "ratio"
    SECONDS = "seconds"
    SIZE = "size"
    AREA = "area"
    TIMECODE = "timecode"
    TEXTS = "list of text"
    TRACKS = "list of tracks"
    CAPTIONS = "list of captions"
    CHAPTERS = "list of chapters"
    SPANS = "spans"
    TIMES = "spans in seconds"
    OBJECT = "object"


@dataclass(frozen=True, slots=True, kw_only=True)
class Track:
    """One track of a wrapper, in the wrapper's order."""

    kind: str  #: picture, sound, text, timecode or data
    codec: str  #: the wrapper's own label
    language: str | None  #: ISO 639-2 code, None where none is declared
    default: bool  #: chosen when nobody chooses


@dataclass(frozen=True, slots=True, kw_only=True)
class CaptionTrack:
    """A track or file of captions."""

    kind: str  #: embedded or sidecar
    format: str
    language: str | None  #: ISO 639-2 code
    count: int | None  #: captions in it, None where they have not been counted


@dataclass(frozen=True, slots=True, kw_only=True)
class Chapter:
    """A place a player can jump to."""

    time: Fraction  #: seconds from the start of the presentation
    title: str
    on_random_access: bool | None  #: None where packets have not been read


@dataclass(frozen=True, slots=True, kw_only=True)
class Span:
    """A half-open stretch of frames."""

    start: int  #: first frame, from 0 in presentation order
    end: int  #: first frame after; always > start
    detail: str = ""  #: what happens there, in words


@dataclass(frozen=True, slots=True, kw_only=True)
class TimeSpan:
    """A half-open stretch of sound."""

    start: float  #: seconds from the first picture
    end: float  #: always > start
    detail: str = ""  #: what happens there, in words


def _fraction_text(value: Fraction) -> str:
    return f"{value.numerator}/{value.denominator}"


def _timecode_to_json(value: Timecode) -> dict[str, str]:
    return {"timecode": str(value), "rate": _fraction_text(value.rate)}


def _timecode_from_json(value: dict[str, str]) -> Timecode:
    return Timecode.parse(value["timecode"], Fraction(value["rate"]))


def _track_to_json(track: Track) -> dict[str, Any]:
    return {"kind": track.kind, "codec": track.codec, "language": track.language, "default": track.default}


def _spell_captions(track: CaptionTrack) -> str:
    language = f" {track.language}" if track.language else ""
    return f"{track.kind} {track.format}{language}" + ("" if track.count is None else f" ({track.count})")


def _caption_to_json(caption: CaptionTrack) -> dict[str, Any]:
    return {
        "kind": caption.kind,
        "format": caption.format,
        "language": caption.language,
        "count": caption.count,
    }


def _chapter_to_json(chapter: Chapter) -> dict[str, Any]:
    return {
        "time": _fraction_text(chapter.time),
        "time_s": float(chapter.time),
        "title": chapter.title,
        "on_random_access": chapter.on_random_access,
    }


def _chapter_from_json(value: dict[str, Any]) -> Chapter:
    return Chapter(time=Fraction(value["time"]), title=value["title"], on_random_access=value.get("on_random_access"))


def _span_to_json(span: Span | TimeSpan) -> dict[str, Any]:
    row: dict[str, Any] = {"start": span.start, "end": span.end}
    return row | {"detail": span.detail} if span.detail else row


def _same(value: Any) -> Any:
    return value


_TO_JSON: dict[Kind, Callable[[Any], Any]] = {
    Kind.RATE: _fraction_text,
    Kind.SECONDS: _fraction_text,
    Kind.RATIO: spell_ratio,
    Kind.SIZE: list,
    Kind.AREA: list,
    Kind.TEXTS: list,
    Kind.TIMECODE: _timecode_to_json,
    Kind.TRACKS: lambda value: [_track_to_json(track) for track in value],
    Kind.CAPTIONS: lambda value: [_caption_to_json(caption) for caption in value],
    Kind.CHAPTERS: lambda value: [_chapter_to_json(chapter) for chapter in value],
    Kind.SPANS: lambda value: [_span_to_json(span) for span in value],
    Kind.TIMES: lambda value: [_span_to_json(span) for span in value],
}
_FROM_JSON: dict[Kind, Callable[[Any], Any]] = {
    # What a file says is kept whatever it is; only what people write is held against limits.
    Kind.RATE: Fraction,
    Kind.SECONDS: Fraction,
    Kind.RATIO: lambda value: Fraction(value.replace(":", "/")),
    Kind.SIZE: tuple,
    Kind.AREA: tuple,
    Kind.TEXTS: tuple,
    Kind.TIMECODE: _timecode_from_json,
    Kind.TRACKS: lambda value: tuple(Track(**track) for track in value),
    Kind.CAPTIONS: lambda value: tuple(CaptionTrack(**caption) for caption in value),
    Kind.CHAPTERS: lambda value: tuple(_chapter_from_json(chapter) for chapter in value),
    Kind.SPANS: lambda value: tuple(Span(**span) for span in value),
    Kind.TIMES: lambda value: tuple(TimeSpan(**span) for span in value),
}


def value_to_json(kind: Kind, per_track: bool, value: Any) -> Any:
    """Return the JSON form of a value; ``None`` stays ``None``."""
    if value is None:
        return None
    if per_track:
        return [value_to_json(kind, False, one) for one in value]
    return _TO_JSON.get(kind, _same)(value)


def value_from_json(kind: Kind, per_track: bool, value: Any) -> Any:
    """Return the Python value that ``value_to_json`` wrote."""
    if value is None:
        return None
    if per_track:
        return tuple(value_from_json(kind, False, one) for one in value)
    return _FROM_JSON.get(kind, _same)(value)


def _spell_object(value: dict[str, Any]) -> str:
    if "fits" in value:  # a buffer
        size = f"{value['smallest_buffer']:,} of {value['size']:,} bit"
        return f"fits, {size}" if value["fits"] else f"underflows in {len(value['underflows'])} places, {size}"
    if "below_narrow" in value:  # levels
        below, above = (f"{100 * value[name]:.2g} %" for name in ("below_narrow", "above_narrow"))
        return f"{value['min']} to {value['max']}, {below} below and {above} above narrow range"
    return ", ".join(f"{key.replace('_', ' ')} {item}" for key, item in value.items()) or "none"


def _how_many(count: int, noun: str) -> str:
    return "none" if not count else f"{count} {noun}{'' if count == 1 else 's'}"


_SPELL: dict[Kind, Callable[[Any], str]] = {
    Kind.FLAG: lambda value: "yes" if value else "no",
    Kind.BYTES: spell_bytes,
    Kind.BIT_RATE: spell_bit_rate,
    Kind.RATE: spell_rate,
    Kind.RATIO: spell_ratio,
    Kind.SECONDS: spell_seconds,
    Kind.SIZE: spell_size,
    Kind.AREA: lambda value: f"{value[2]} × {value[3]} at {value[0]}, {value[1]}",
    Kind.NUMBER: lambda value: f"{float(value):g}",
    Kind.TEXTS: lambda value: ("; " if any(" " in one for one in value) else ", ").join(value) or "none",
    Kind.TRACKS: lambda value: ", ".join(f"{track.kind} {track.codec}" for track in value) or "none",
    Kind.CAPTIONS: lambda value: ", ".join(map(_spell_captions, value)) or "none",
    Kind.CHAPTERS: lambda value: _how_many(len(value), "chapter"),
    Kind.SPANS: lambda value: _how_many(len(value), "place"),
    Kind.TIMES: lambda value: _how_many(len(value), "place"),
    Kind.OBJECT: _spell_object,
}


def spell(kind: Kind, per_track: bool, value: Any, unit: str = "") -> str:
    """Return a value as a person reads it, with its unit; an en dash where there is nothing."""
    if value is None:
        return "–"
    if per_track and kind is Kind.TIMES:
        return _how_many(sum(len(one) for one in value), "place")
    if per_track:
        spelled = [spell(kind, False, one, unit) for one in value]
        return spelled[0] if len(set(spelled)) == 1 else ", ".join(spelled) or "no sound"
    text = _SPELL.get(kind, str)(value)
    return text + (unit if unit == "°" else f" {unit}" if unit else "")
