"""What a deliverable must bring beside its file: captions, a poster, words, papers; and what must not come along."""

from __future__ import annotations

import enum
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from brisk_core.exact import parse_bytes, parse_size, spell_bytes
from brisk_core.spec.condition_reader import ConditionReader

_MOST = 40  # companions of a spec
_LONGEST = 20_000  # letters of a text


class CompanionKind(enum.Enum):
    """What comes along."""

    TEXT = "text"  #: a title, a description, a synopsis, a maker
    TAGS = "tags"  #: words, with commas between them
    PICTURE = "picture"  #: a poster frame
    CAPTIONS = "captions"
    CHAPTERS = "chapters"  #: WebVTT
    PAPER = "paper"  #: PDF
    SOUND = "sound"  #: a stem, a mix, an effects track


class CompanionWeight(enum.Enum):
    """How much it matters."""

    MUST = "must"
    SHOULD = "should"
    NEVER = "never"  #: it must not come along


#: Formats of each kind; the first is what is meant where none is named.
FORMATS: dict[CompanionKind, tuple[str, ...]] = {
    CompanionKind.PICTURE: ("jpeg", "png"),
    CompanionKind.CAPTIONS: ("srt", "webvtt", "ttml", "stl", "scc"),
    CompanionKind.CHAPTERS: ("webvtt",),
    CompanionKind.PAPER: ("pdf",),
    CompanionKind.SOUND: ("wav", "flac", "mp4", "mp3"),
}
_FIELDS: dict[CompanionKind, tuple[str, ...]] = {
    CompanionKind.TEXT: ("least", "most"),
    CompanionKind.TAGS: ("least", "most", "longest"),
    CompanionKind.PICTURE: ("size", "formats", "most_bytes"),
    CompanionKind.CAPTIONS: ("language", "formats"),
    CompanionKind.CHAPTERS: ("least", "most_bytes"),
    CompanionKind.PAPER: ("most_bytes",),
    CompanionKind.SOUND: ("formats", "most_bytes"),
}
_COMMON = ("id", "kind", "label", "weight", "why")


@dataclass(frozen=True, slots=True, kw_only=True)
class Companion:
    """One thing that is asked for."""

    id: str
    kind: CompanionKind
    label: str
    weight: CompanionWeight = CompanionWeight.MUST
    why: str = ""
    least: int = 0  #: letters of a text, tags, or chapters
    most: int | None = None  #: letters of a text, or tags
    longest: int | None = None  #: letters of a tag
    size: tuple[int, int] | None = None  #: of a picture
    formats: tuple[str, ...] = ()  #: any of its kind where there are none
    most_bytes: int | None = None
    language: str = ""  #: of captions, BCP 47

    @property
    def required(self) -> str:
        """What is asked, in a few words."""
        if self.weight is CompanionWeight.NEVER:
            return "must not come along"
        unit = {CompanionKind.TAGS: "tags", CompanionKind.CHAPTERS: "chapters"}.get(self.kind, "letters")
        parts = []
        if self.least and self.most is not None:
            parts.append(f"{self.least} to {self.most} {unit}")
        elif self.least or self.most is not None:
            parts.append(f"at least {self.least} {unit}" if self.least else f"at most {self.most} {unit}")
        if self.longest is not None:
            parts.append(f"each of at most {self.longest} letters")
        if self.size:
            parts.append("{} × {}".format(*self.size))
        if self.language:
            parts.append(self.language)
        if self.formats:
            parts.append(" or ".join(self.formats))
        if self.most_bytes is not None:
            parts.append(f"at most {spell_bytes(self.most_bytes)}")
        return ", ".join(parts) or self.kind.value


class CompanionsReader:
    """Reads the companions of a spec's document and notes every mistake with its place."""

    def __init__(self, conditions: ConditionReader, read_id: Callable[[object, str], str]) -> None:
        self.conditions = conditions
        self.note = conditions.note
        self._read_id = read_id

    def read(self, raw: object) -> tuple[Companion, ...]:
        """Return the companions; those with a mistake are left out, and it is noted."""
        if not isinstance(raw, list) or not 1 <= len(raw) <= _MOST:
            met = f"{len(raw)} of them" if isinstance(raw, list) else repr(raw)
            self.note("companions", f"met {met}; expected a list of 1 to {_MOST}")
            return ()
        found = [self._one(entry, number) for number, entry in enumerate(raw, 1)]
        ids = [one.id for one in found if one]
        for id_ in sorted({one for one in ids if ids.count(one) > 1}):
            self.note(f'companion "{id_}"', "met twice; expected every companion to have its own id")
        return tuple(one for one in found if one)

    def _one(self, raw: object, number: int) -> Companion | None:
        place = f"companion {number}"
        if not isinstance(raw, dict):
            self.note(place, f"met {raw!r}; expected a mapping with id and kind")
            return None
        before = len(self.conditions.mistakes)
        id_ = self._read_id(raw.get("id"), f"{place}, id")
        place = f'companion "{id_}"' if id_ else place
        if raw.get("kind") not in [one.value for one in CompanionKind]:
            kinds = ", ".join(one.value for one in CompanionKind)
            self.note(f"{place}, kind", f"met {raw.get('kind')!r}; expected one of {kinds}")
            return None
        kind = CompanionKind(raw["kind"])
        for key in sorted(set(map(str, raw)) - {*_COMMON, *_FIELDS[kind]}):
            self.note(place, f"met {key!r}; expected one of {', '.join((*_COMMON, *_FIELDS[kind]))}")
        weight = raw.get("weight", "must")
        if weight not in [one.value for one in CompanionWeight]:
            self.note(f"{place}, weight", f"met {weight!r}; expected must, should or never")
        words = {name: self._words(raw, name, place) for name in ("label", "why", "language")}
        counts = {name: self._count(raw, name, place) for name in ("least", "most", "longest")}
        size = self.conditions.taken(parse_size, raw, "size", place)
        most_bytes = self.conditions.taken(parse_bytes, raw, "most_bytes", place)
        formats = self._formats(raw, kind, place)
        least, most = counts["least"] or 0, counts["most"]
        if most is not None and most < least:
            self.note(place, f"met at most {most} and at least {least}; nothing is both")
        if len(self.conditions.mistakes) > before:
            return None
        label = words["label"] or id_.replace("-", " ").capitalize()
        return Companion(
            id=id_, kind=kind, label=label, weight=CompanionWeight(weight), why=words["why"], least=least, most=most,
            longest=counts["longest"], size=size, formats=formats, most_bytes=most_bytes, language=words["language"],
        )  # fmt: skip

    def _words(self, raw: Mapping[str, Any], name: str, place: str) -> str:
        value = raw.get(name, "")
        if not isinstance(value, str) or len(value) > _LONGEST:
            self.note(f"{place}, {name}", f"met {str(value)[:60]!r}; expected a text")
            return ""
        return " ".join(value.split())

    def _count(self, raw: Mapping[str, Any], name: str, place: str) -> int | None:
        value = raw.get(name)
        if name not in raw:
            return None
        if not isinstance(value, int) or isinstance(value, bool) or not 0 <= value <= _LONGEST:
            self.note(f"{place}, {name}", f"met {value!r}; expected a whole number of 0 to {_LONGEST}")
            return None
        return value

    def _formats(self, raw: Mapping[str, Any], kind: CompanionKind, place: str) -> tuple[str, ...]:
        value = raw.get("formats", [])
        known = FORMATS.get(kind, ())
        if not isinstance(value, list) or any(one not in known for one in value):
            self.note(f"{place}, formats", f"met {value!r}; expected a list of {', '.join(known)}")
            return ()
        return tuple(value)
