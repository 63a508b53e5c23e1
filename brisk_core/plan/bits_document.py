"""The plan of bits as a document: what is asked in words of the trade, and the answer of schema
``brisk-sentry/plan-bits/1``.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any, TypeVar

from brisk_core.errors import Mistake, PlanRefused, ValueRefused
from brisk_core.exact import (
    Timecode,
    parse_bit_rate,
    parse_bytes,
    parse_rate,
    parse_seconds,
    parse_size,
    spell_bit_rate,
    spell_bit_rate_exactly,
    spell_bytes,
    spell_seconds,
)
from brisk_core.plan.bits import RESERVE, Coding, Fit, Programme, Share, Sound, file_size, fit, longest, ways_up
from brisk_core.plan.overhead import WRAPPERS
from brisk_core.plan.settings import Bound, planned_inspection, rate_bounds
from brisk_core.spec import Spec

BITS_SCHEMA = "brisk-sentry/plan-bits/1"
MOST_FILES = 200
_SOUND = re.compile(r"(?P<codec>[a-z0-9]+)\s+(?P<rate>\S+(?:\s*[kM]?b(?:it)?/s)?)(?:\s*[x×]\s*(?P<tracks>\d{1,2}))?")
_PCM = re.compile(
    r"pcm\s+(?P<bits>16|20|24|32)\s*bit(?:\s+(?P<channels>\d{1,2})\s*ch(?:annels?)?)?(?:\s*[x×]\s*(?P<tracks>\d{1,2}))?"
)
_FRAMES = re.compile(r"(\d{1,9})\s*frames?")
_CLOCK = re.compile(r"(?:(\d{1,3}):)?(\d{1,3}):(\d{2}(?:\.\d{1,3})?)")
_TIMECODE = re.compile(r"\d\d:\d\d:\d\d[:;]\d\d")
_SOUND_CODECS = ("aac", "ac3", "eac3", "mp2", "mp3", "opus", "flac", "dts", "pcm")
PICTURE_CODECS = (
    "avc", "hevc", "av1", "vp9", "mpeg2", "mpeg4", "prores", "vc3", "ffv1", "jpeg2000", "mjpeg", "uncompressed",
)  # fmt: skip
Read = TypeVar("Read")


@dataclass(frozen=True, slots=True, kw_only=True)
class BitsQuestion:
    """What is asked of a plan of bits."""

    cap: int  #: bytes
    reserve: Fraction  #: percent
    coding: Coding
    programmes: tuple[Programme, ...]
    picture_rate: int | None = None  #: bits a second, where size and length are asked for it


def read_length(text: object, rate: Fraction) -> int:
    """Read a length in frames from ``"15000 frames"``, ``"10:00"``, ``"1:30:00"``, a timecode or a duration."""
    said = str(text).strip()
    if found := _FRAMES.fullmatch(said):
        return int(found[1])
    if _TIMECODE.fullmatch(said):
        return Timecode.parse(said, rate).frames
    if clock := _CLOCK.fullmatch(said):
        seconds = Fraction(clock[3]) + 60 * int(clock[2]) + 3600 * int(clock[1] or 0)
        return round(seconds * rate)
    try:
        return round(parse_seconds(text) * rate)
    except ValueRefused:
        says = f'met {said!r} as a length; expected such as "10:00", "00:10:00:00", "90 s" or "15000 frames"'
        raise ValueRefused(says) from None


def read_sound(text: object) -> Sound:
    """Read tracks of sound from ``"aac 128 kb/s"``, ``"ac3 448 kb/s x2"`` or ``"pcm 24 bit 2 channels"``."""
    said = str(text).strip()
    if plain := _PCM.fullmatch(said):
        channels, tracks = int(plain["channels"] or 2), int(plain["tracks"] or 1)
        return Sound.pcm(channels=channels, bits=int(plain["bits"]), tracks=tracks)
    coded = _SOUND.fullmatch(said)
    if coded and coded["codec"] in _SOUND_CODECS[:-1]:
        return Sound(codec=coded["codec"], bit_rate=parse_bit_rate(coded["rate"]), tracks=int(coded["tracks"] or 1))
    raise ValueRefused(
        f'met {said!r} as sound; expected a codec of {", ".join(_SOUND_CODECS)} and its rate, such as "aac 128 kb/s", '
        '"ac3 448 kb/s x2" or "pcm 24 bit 2 channels"'
    )


class _Reader:
    """Reads fields one by one and keeps every mistake with its place."""

    def __init__(self) -> None:
        self.mistakes: list[Mistake] = []

    def take(self, place: str, read: Callable[[Any], Read], value: Any, instead: Read) -> Read:
        """Return what was read, or ``instead`` with the mistake noted."""
        try:
            return read(value)
        except (ValueRefused, ValueError, TypeError, ZeroDivisionError, OverflowError) as error:
            says = str(error) if isinstance(error, ValueRefused) else f"met {value!r}; expected a number"
            self.mistakes.append(Mistake(place=place, says=says))
            return instead

    def known(self, place: str, value: Any, among: Sequence[str]) -> str:
        """Return a word of a list, the first one with the mistake noted."""
        if value in among:
            return str(value)
        self.mistakes.append(Mistake(place=place, says=f"met {value!r}; expected one of {', '.join(among)}"))
        return among[0]

    def only(self, place: str, row: Mapping[str, Any], names: Sequence[str]) -> None:
        """Note names that nobody reads."""
        for name in row:
            if name not in names:
                says = f"met {name!r}; expected only {', '.join(names)}"
                self.mistakes.append(Mistake(place=place, says=says))


def read_bits_question(asked: Mapping[str, Any]) -> BitsQuestion:
    """Read what is asked. Raises ``PlanRefused`` with every mistake and its place."""
    reader = _Reader()
    names = ("cap", "reserve", "wrapper", "codec", "group", "reorders", "picture_rate", "files")
    reader.only("plan", asked, names)
    coding = Coding(
        wrapper=reader.known("wrapper", asked.get("wrapper", "mp4"), tuple(WRAPPERS)),
        codec=reader.known("codec", asked.get("codec", "avc"), PICTURE_CODECS),
        group=reader.take("group", _positive(parse_seconds), asked.get("group", "2 s"), Fraction(2)),
        reorders=bool(asked.get("reorders", True)),
    )
    files = asked.get("files")
    if not isinstance(files, list) or not files:
        reader.mistakes.append(Mistake(place="files", says=f"met {files!r}; expected a list of at least one file"))
        files = []
    if len(files) > MOST_FILES:
        reader.mistakes.append(Mistake(place="files", says=f"met {len(files)} files; expected at most {MOST_FILES}"))
    rate = asked.get("picture_rate")
    question = BitsQuestion(
        cap=reader.take("cap", _positive(parse_bytes), asked.get("cap"), 1),
        reserve=reader.take("reserve", _percent, asked.get("reserve", RESERVE), RESERVE),
        coding=coding,
        programmes=tuple(_programme(reader, at, one) for at, one in enumerate(files[:MOST_FILES], 1)),
        picture_rate=None if rate in (None, "") else reader.take("picture_rate", _positive(parse_bit_rate), rate, 1),
    )
    if reader.mistakes:
        count = len(reader.mistakes)
        listed = "; ".join(map(str, reader.mistakes))
        raise PlanRefused(f"the plan has {count} mistake{'s' if count != 1 else ''}: {listed}", reader.mistakes)
    return question


def _programme(reader: _Reader, number: int, row: Any) -> Programme:
    place = f"file {number}"
    if not isinstance(row, Mapping):
        reader.mistakes.append(Mistake(place=place, says=f"met {row!r}; expected a mapping"))
        row = {"length": "1 s", "rate": 25, "size": [2, 2]}
    reader.only(place, row, ("name", "length", "rate", "size", "weight", "sounds", "texts"))
    rate = reader.take(f"{place}, rate", parse_rate, row.get("rate"), Fraction(25))
    sounds = row.get("sounds", [])
    if not isinstance(sounds, list):
        reader.mistakes.append(Mistake(place=f"{place}, sounds", says=f"met {sounds!r}; expected a list"))
        sounds = []
    none = Sound(codec="aac", bit_rate=1)
    return Programme(
        name=str(row.get("name") or f"file {number}"),
        frames=reader.take(f"{place}, length", _positive(lambda text: read_length(text, rate)), row.get("length"), 1),
        rate=rate,
        size=reader.take(f"{place}, size", parse_size, row.get("size"), (2, 2)),
        weight=reader.take(
            f"{place}, weight", _positive(lambda text: Fraction(str(text))), row.get("weight", 1), Fraction(1)
        ),
        sounds=tuple(reader.take(f"{place}, sound {at}", read_sound, one, none) for at, one in enumerate(sounds, 1)),
        text_bytes=reader.take(f"{place}, texts", parse_bytes, row.get("texts", 0), 0),
    )


def _positive(read: Callable[[Any], Read]) -> Callable[[Any], Read]:
    def checked(value: Any) -> Read:
        found: Any = read(value)
        if found <= 0:
            raise ValueRefused(f"met {value!r}; expected more than 0")
        return found  # type: ignore[no-any-return]

    return checked


def _percent(value: Any) -> Fraction:
    found = Fraction(str(value).strip().removesuffix("%").strip())
    if not 0 <= found < 100:
        raise ValueRefused(f"met {value!r}; expected a percentage from 0 to less than 100")
    return found


def plan_bits(asked: Mapping[str, Any], spec: Spec | None = None) -> dict[str, Any]:
    """Return the answer to what is asked, of schema ``brisk-sentry/plan-bits/1``, beside the bounds of a spec.

    Raises ``PlanRefused`` for what cannot be planned.
    """
    question = read_bits_question(asked)
    if question.picture_rate is not None:
        return _backwards(asked, question, spec)
    found = fit(question.cap, question.programmes, question.coding, reserve=question.reserve)
    held = [_held_down(question, share, spec) for share in found.shares]
    files = [_file(question, share, spec, alone=len(held) == 1) for share, _ in held]
    for row, (_, says) in zip(files, held, strict=True):
        row["says"] += says
    return _document(asked, replace(found, shares=tuple(share for share, _ in held)), files, spec)


def _held_down(question: BitsQuestion, share: Share, spec: Spec | None) -> tuple[Share, list[str]]:
    """Return a file at no more bits than a spec allows, whatever the cap does, and the sentence that says so."""
    bounds = [one for one in _bounds(question, share.programme, spec) if one.most is not None]
    lowest = min(bounds, key=lambda one: one.most or 0, default=None)
    if lowest is None or lowest.most is None or share.picture_rate <= lowest.most:
        return share, []
    says = (
        f"the cap would allow {spell_bit_rate(share.picture_rate)}; “{lowest.line.label}” allows "
        f"{spell_bit_rate_exactly(lowest.most)}"
    )
    size = file_size(share.programme, lowest.most, question.coding)
    return replace(share, picture_rate=lowest.most, size=size), [says]


def _bounds(question: BitsQuestion, programme: Programme, spec: Spec | None) -> list[Bound]:
    if spec is None:
        return []
    planned = planned_inspection(
        picture_size=programme.size, picture_frame_rate=programme.rate, picture_codec=question.coding.codec
    )
    return list(rate_bounds(spec, planned))


def _backwards(asked: Mapping[str, Any], question: BitsQuestion, spec: Spec | None) -> dict[str, Any]:
    rate = question.picture_rate or 0
    shares = []
    for programme in question.programmes:
        size = file_size(programme, rate, question.coding)
        shares.append(Share(programme=programme, picture_rate=rate, size=size, overhead=0))
    room = int(question.cap * (100 - question.reserve) / 100)
    found = Fit(cap=question.cap, room=room, shares=tuple(shares))
    files = []
    for share in shares:
        row = _file(question, share, spec, alone=False)
        frames = longest(question.cap, share.programme, rate, question.coding, reserve=question.reserve)
        row["longest_frames"] = frames
        row["says"].append(f"alone, {spell_seconds(frames / share.programme.rate)} of it would fit")
        files.append(row)
    return _document(asked, found, files, spec)


def _document(asked: Mapping[str, Any], found: Fit, files: list[dict[str, Any]], spec: Spec | None) -> dict[str, Any]:
    over = found.size - found.room
    if over <= 0:
        says = f"{spell_bytes(found.size)} of {spell_bytes(found.cap)}; {spell_bytes(found.left)} stay free"
    elif found.size > found.cap:
        says = f"over the cap by {spell_bytes(found.size - found.cap)}"
    else:
        says = f"under the cap, but {spell_bytes(over)} of the reserve are used"
    return {
        "schema": BITS_SCHEMA,
        "asked": dict(asked),
        "spec": spec.id if spec else None,
        "cap": found.cap,
        "room": found.room,
        "size": found.size,
        "left": found.left,
        "fits": over <= 0,
        "met": over <= 0 and all(bound["met"] for row in files for bound in row["bounds"]),
        "says": says,
        "files": files,
    }


def _file(question: BitsQuestion, share: Share, spec: Spec | None, *, alone: bool) -> dict[str, Any]:
    programme = share.programme
    overhead = share.size - sum(
        (one.bit_rate * one.tracks * programme.seconds / 8 for one in programme.sounds), Fraction(programme.text_bytes)
    ) - share.picture_rate * programme.seconds / 8  # fmt: skip
    bounds = [_bound(one, share.picture_rate) for one in _bounds(question, programme, spec)]
    too_low = [one["least"] for one in bounds if one["least"] is not None and share.picture_rate < one["least"]]
    ways = (
        ways_up(question.cap, share, max(too_low), question.coding, reserve=question.reserve)
        if too_low and alone
        else []
    )
    return {
        "name": programme.name,
        "frames": programme.frames,
        "rate": str(programme.rate),
        "picture_size": list(programme.size),
        "picture_rate": share.picture_rate,
        "size": share.size,
        "overhead": int(overhead),
        "bits_per_pixel": round(float(share.bits_a_pixel), 5),
        "bounds": bounds,
        "says": [one["says"] for one in bounds if not one["met"]] + ways,
    }


def _bound(bound: Bound, rate: int) -> dict[str, Any]:
    low = bound.least is not None and rate < bound.least
    high = bound.most is not None and rate > bound.most
    label = bound.line.label
    if low:
        says = f"{spell_bit_rate(rate)} is below the {spell_bit_rate_exactly(bound.least or 0)} that “{label}” asks for"
    elif high:
        says = f"{spell_bit_rate(rate)} is above the {spell_bit_rate_exactly(bound.most or 0)} that “{label}” allows"
    else:
        says = f"“{label}” is met"
    return {
        "line": bound.line.id,
        "label": label,
        "least": bound.least,
        "most": bound.most,
        "met": not (low or high),
        "says": says,
    }
