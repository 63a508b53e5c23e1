"""Whether what a deliverable brings along is what its spec asks for."""

from __future__ import annotations

import enum
from collections.abc import Sequence
from dataclasses import dataclass

from brisk_core.exact import spell_bytes
from brisk_core.spec.companions import FORMATS, Companion, CompanionKind, CompanionWeight

_LISTED = 3  # names told of several


class Readiness(enum.Enum):
    """Where a companion stands."""

    READY = "ready"
    MISSING = "missing"
    WRONG = "wrong"
    NOT_WANTED = "must not come along"
    AWAY = "stays away"  #: what must not come along, and does not


@dataclass(frozen=True, slots=True, kw_only=True)
class Brought:
    """Something that is there: words, or a file with what its bytes say of it."""

    name: str = ""  #: of a file
    text: str = ""  #: of words
    size: int = 0  #: bytes of a file
    format: str = ""  #: by its bytes: jpeg, png, srt, webvtt, pdf, wav, …; empty for none that is known
    picture: tuple[int, int] | None = None
    count: int | None = None  #: chapters or captions
    language: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Ready:
    """A companion that is asked for, and how it stands."""

    companion: Companion
    state: Readiness
    says: str

    @property
    def holds_back(self) -> bool:
        """Must the deliverable wait for it?"""
        bad = self.state in (Readiness.MISSING, Readiness.WRONG, Readiness.NOT_WANTED)
        return bad and self.companion.weight is not CompanionWeight.SHOULD

    @property
    def outcome(self) -> str:
        """Its state as an outcome: pass, caution or fail."""
        if self.state in (Readiness.READY, Readiness.AWAY):
            return "pass"
        return "fail" if self.holds_back else "caution"


def judge_companion(companion: Companion, brought: Sequence[Brought]) -> Ready:
    """Judge what was brought for a companion; of several things the first that fits counts, else the first.

    For what must not come along ``brought`` is everything of its kind that would be sent.
    """
    if companion.weight is CompanionWeight.NEVER:
        if not brought:
            return Ready(companion=companion, state=Readiness.AWAY, says="Nothing of it comes along.")
        names = ", ".join(one.name or companion.label for one in brought[:_LISTED])
        more = f" and {len(brought) - _LISTED} more" if len(brought) > _LISTED else ""
        return Ready(companion=companion, state=Readiness.NOT_WANTED, says=f"It must not come along: {names}{more}.")
    if not brought:
        return Ready(companion=companion, state=Readiness.MISSING, says="Nothing is there.")
    wrong = [_wrong(companion, one) for one in brought]
    if "" in wrong:
        right = brought[wrong.index("")]
        return Ready(companion=companion, state=Readiness.READY, says=_found(companion, right))
    return Ready(companion=companion, state=Readiness.WRONG, says=wrong[0])


def tags_of(text: str) -> list[str]:
    """Return the words of a list of tags, each once, in their order."""
    return list(dict.fromkeys(" ".join(one.split()) for one in text.split(",") if one.strip()))


def _found(companion: Companion, one: Brought) -> str:
    match companion.kind:
        case CompanionKind.TEXT:
            return f"{len(one.text)} letters."
        case CompanionKind.TAGS:
            return f"{len(tags_of(one.text))} tags."
        case CompanionKind.PICTURE:
            return "{} × {}, {}.".format(*(one.picture or (0, 0)), one.format)
        case CompanionKind.CHAPTERS:
            return f"{one.name}, {one.count} chapters."
        case _:
            return f"{one.name}."


def _wrong(companion: Companion, one: Brought) -> str:
    """What is wrong with something that was brought, as a sentence; empty where nothing is."""
    match companion.kind:
        case CompanionKind.TEXT:
            return _of_count(len(one.text.strip()), companion, "letters")
        case CompanionKind.TAGS:
            return _of_tags(companion, tags_of(one.text))
        case _:
            return _of_file(companion, one)


def _of_count(count: int, companion: Companion, unit: str) -> str:
    if count < companion.least:
        return f"It has {count} {unit}, {companion.least - count} too few."
    if companion.most is not None and count > companion.most:
        return f"It has {count} {unit}, {count - companion.most} too many."
    return ""


def _of_tags(companion: Companion, tags: Sequence[str]) -> str:
    long = [one for one in tags if companion.longest is not None and len(one) > companion.longest]
    if long:
        return f"{long[0][:60]} has {len(long[0])} letters; at most {companion.longest} are taken."
    return _of_count(len(tags), companion, "tags")


def _of_file(companion: Companion, one: Brought) -> str:
    formats = companion.formats or FORMATS[companion.kind]
    if one.format not in formats:
        met = one.format or "none of the formats that are known"
        return f"{one.name} is {met}; expected {' or '.join(formats)}."
    if companion.language and _main(one.language) != _main(companion.language):
        return f"{one.name} is in {one.language or 'a language that it does not say'}; expected {companion.language}."
    if companion.size and one.picture != companion.size:
        met = "{} × {}".format(*one.picture) if one.picture else "of a size that is not known"
        return f"{one.name} is {met}; expected {companion.size[0]} × {companion.size[1]}."
    if companion.most_bytes is not None and one.size > companion.most_bytes:
        over = spell_bytes(one.size - companion.most_bytes)
        return f"{one.name} has {spell_bytes(one.size)}, {over} more than {spell_bytes(companion.most_bytes)}."
    if companion.kind is CompanionKind.CHAPTERS and one.count is not None and one.count < companion.least:
        return f"{one.name} has {one.count} chapters, {companion.least - one.count} too few."
    return ""


def _main(language: str) -> str:
    """The main part of a language's tag: en of en-GB."""
    return language.casefold().partition("-")[0]
