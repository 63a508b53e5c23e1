"""The plan of bits as a document: what is asked in words of the trade, and the answer of schema
``brisk-sentry/plan-bits/1``.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from brisk_core.exact import (
    parse_bit_rate,
    parse_bytes,
    parse_rate,
    parse_seconds,
    parse_size,
    positive,
    spell_bit_rate,
    spell_bit_rate_exactly,
    spell_bytes,
    spell_seconds,
)
from brisk_core.facts import REGISTRY, Inspection, keys
from brisk_core.packets import PacketSeries
from brisk_core.plan.bits import RESERVE, Coding, Fit, Programme, Share, Sound, fit, longest, share_of, ways_up
from brisk_core.plan.overhead import WRAPPERS
from brisk_core.plan.settings import Bound, planned_inspection, rate_bounds
from brisk_core.plan.sizes import too_few
from brisk_core.plan.sounds import read_sound
from brisk_core.plan.waiting import Waiting, even_media, media_of, wait
from brisk_core.plan.words import Reader, met, read_length, read_percent, read_yes
from brisk_core.spec import Outcome, Spec, judge

BITS_SCHEMA = "brisk-sentry/plan-bits/1"
MOST_FILES = 200
PICTURE_CODECS = (
    "avc", "hevc", "av1", "vp9", "mpeg2", "mpeg4", "prores", "vc3", "ffv1", "jpeg2000", "mjpeg", "uncompressed",
)  # fmt: skip


_KINDS_OF_WORK = REGISTRY[keys.ORDER_KIND.id].choices
_INDEXED = ("mp4", "mov")  # wrappers whose index stands in one place


@dataclass(frozen=True, slots=True, kw_only=True)
class Render:
    """A real render of a planned file."""

    series: PacketSeries
    size: int  #: bytes
    index_first: bool  #: can it begin without its end?


@dataclass(frozen=True, slots=True, kw_only=True)
class BitsQuestion:
    """What is asked of a plan of bits."""

    cap: int  #: bytes
    reserve: Fraction  #: percent
    coding: Coding
    programmes: tuple[Programme, ...]
    picture_rate: int | None = None  #: bits a second, where size and length are asked for it
    line: int | None = None  #: bits a second of a viewer's line
    index_first: bool = True
    kind_of_work: str | None = None  #: what the order says, for cases of a spec that ask for it


def read_bits_question(asked: Mapping[str, Any]) -> BitsQuestion:
    """Read what is asked. Raises ``PlanRefused`` with every mistake and its place."""
    reader = Reader()
    names = (
        "cap", "reserve", "wrapper", "codec", "group", "reorders", "picture_rate", "line", "index_first",
        "kind_of_work", "files",
    )  # fmt: skip
    reader.only("plan", asked, names)
    coding = Coding(
        wrapper=reader.known("wrapper", asked.get("wrapper", "mp4"), tuple(WRAPPERS)),
        codec=reader.known("codec", asked.get("codec", "avc"), PICTURE_CODECS),
        group=reader.take("group", positive(parse_seconds), asked.get("group", "2 s"), Fraction(2)),
        reorders=bool(asked.get("reorders", True)),
    )
    files = asked.get("files")
    if not isinstance(files, list) or not files:
        reader.note("files", f"{met(files or None)}; expected at least one file")
        files = []
    if len(files) > MOST_FILES:
        reader.note("files", f"met {len(files)} files; expected at most {MOST_FILES}")
    rate, line, kind = (asked.get(name) for name in ("picture_rate", "line", "kind_of_work"))
    question = BitsQuestion(
        cap=reader.take("cap", positive(parse_bytes), asked.get("cap"), 1),
        reserve=reader.take("reserve", read_percent, asked.get("reserve", RESERVE), RESERVE),
        coding=coding,
        programmes=tuple(_programme(reader, at, one) for at, one in enumerate(files[:MOST_FILES], 1)),
        picture_rate=None if rate in (None, "") else reader.take("picture_rate", positive(parse_bit_rate), rate, 1),
        line=None if line in (None, "") else reader.take("line", positive(parse_bit_rate), line, 1),
        index_first=reader.take("index_first", read_yes, asked.get("index_first", True), True),
        kind_of_work=reader.known("kind_of_work", kind, _KINDS_OF_WORK) if kind else None,
    )
    reader.refuse()
    return question


def _programme(reader: Reader, number: int, row: Any) -> Programme:
    place = f"file {number}"
    if not isinstance(row, Mapping):
        reader.note(place, f"met {row!r}; expected a mapping")
        row = {"length": "1 s", "rate": 25, "size": [2, 2]}
    reader.only(place, row, ("name", "length", "rate", "size", "weight", "sounds", "texts"))
    rate = reader.take(f"{place}, rate", parse_rate, row.get("rate"), Fraction(25))
    sounds = row.get("sounds", [])
    if not isinstance(sounds, list):
        reader.note(f"{place}, sounds", f"met {sounds!r}; expected a list")
        sounds = []
    none = Sound(codec="aac", bit_rate=1)
    return Programme(
        name=str(row.get("name") or f"file {number}"),
        frames=reader.take(f"{place}, length", positive(lambda text: read_length(text, rate)), row.get("length"), 1),
        rate=rate,
        size=reader.take(f"{place}, size", parse_size, row.get("size"), (2, 2)),
        weight=reader.take(
            f"{place}, weight", positive(lambda text: Fraction(str(text))), row.get("weight", 1), Fraction(1)
        ),
        sounds=tuple(reader.take(f"{place}, sound {at}", read_sound, one, none) for at, one in enumerate(sounds, 1)),
        text_bytes=reader.take(f"{place}, texts", parse_bytes, row.get("texts", 0), 0),
    )


def plan_bits(
    asked: Mapping[str, Any], spec: Spec | None = None, renders: Mapping[str, Render] | None = None
) -> dict[str, Any]:
    """Return the answer to what is asked, of schema ``brisk-sentry/plan-bits/1``, beside the bounds of a spec.

    ``renders`` are real ones by the names of the planned files: what a viewer waits is told of them as well. Raises
    ``PlanRefused`` for what cannot be planned.
    """
    question = read_bits_question(asked)
    if question.picture_rate is not None:
        return _waited(_backwards(asked, question, spec), question, renders)
    lowest = [_lowest(question, programme, spec) for programme in question.programmes]
    most = [one.most if one else None for one in lowest]
    found = fit(question.cap, question.programmes, question.coding, reserve=question.reserve, most=most)
    free = fit(question.cap, question.programmes, question.coding, reserve=question.reserve) if any(most) else found
    files = [_file(question, share, spec, alone=len(found.shares) == 1) for share in found.shares]
    for row, share, own, bound in zip(files, found.shares, free.shares, lowest, strict=True):
        if bound and share.picture_rate == bound.most and own.picture_rate > share.picture_rate:
            row["says"].append(
                f"the cap would allow {spell_bit_rate(own.picture_rate)}; “{bound.line.label}” allows "
                f"{spell_bit_rate_exactly(share.picture_rate)}"
            )
    return _waited(_document(asked, found, files, spec), question, renders)


def _waited(found: dict[str, Any], question: BitsQuestion, renders: Mapping[str, Render] | None) -> dict[str, Any]:
    """The answer with what a viewer on a line waits: of each planned file, even in its bits, and of its render."""
    for row, programme in zip(found["files"], question.programmes, strict=True):
        row["waiting"] = []
        if question.line is None:
            continue
        index = row["overhead"] if question.coding.wrapper in _INDEXED else 0
        media = even_media(row["size"] - index, programme.seconds)
        planned = wait(media, line=question.line, index=index, whole=row["size"])
        first = question.index_first or question.coding.wrapper not in _INDEXED
        row["waiting"].append(_told("planned", planned, index_first=first))
        render = (renders or {}).get(programme.name)
        if render and (packets := media_of(render.series)):
            known = wait(packets, line=question.line, index=max(render.size - int(sum(packets)), 0), whole=render.size)
            row["waiting"].append(_told("rendered", known, index_first=render.index_first))
    return found


def _told(of: str, waiting: Waiting, *, index_first: bool) -> dict[str, Any]:
    return {
        "of": of,
        "start": round(waiting.start, 3),
        "stops": len(waiting.stalls),
        "stopped": round(waiting.stalled, 3),
        "whole": round(waiting.whole, 3),
        "says": waiting.says(index_first=index_first),
    }


def _lowest(question: BitsQuestion, programme: Programme, spec: Spec | None) -> Bound | None:
    """The bound of a spec that lets a file have the fewest bits."""
    bounds = [one for one in _bounds(question, programme, spec) if one.most is not None]
    return min(bounds, key=lambda one: one.most or 0, default=None)


def _planned(question: BitsQuestion, programme: Programme) -> Inspection:
    return planned_inspection(
        picture_size=programme.size, picture_frame_rate=programme.rate, picture_codec=question.coding.codec
    ).ordered_as(question.kind_of_work)


def _bounds(question: BitsQuestion, programme: Programme, spec: Spec | None) -> list[Bound]:
    return list(rate_bounds(spec, _planned(question, programme))) if spec else []


def _refused(question: BitsQuestion, programme: Programme, spec: Spec | None) -> list[dict[str, str]]:
    """The lines of a spec that refuse what is planned beside its bit rate: size, frame rate, codec."""
    if spec is None:
        return []
    check = judge(spec, _planned(question, programme), kind_of_work=question.kind_of_work, integrity=False)
    return [
        {"line": one.line.id, "label": one.line.label, "required": one.required, "found": one.found}
        for one in check.findings
        if one.outcome is Outcome.FAIL
    ]


def _backwards(asked: Mapping[str, Any], question: BitsQuestion, spec: Spec | None) -> dict[str, Any]:
    rate = question.picture_rate or 0
    shares = [share_of(programme, rate, question.coding) for programme in question.programmes]
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
    bounds = [one for row in files for one in row["bounds"]]
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
        "met": over <= 0 and not any(row["refused"] for row in files) and all(one["met"] for one in bounds),
        "untold": any(one["met"] is None for one in bounds),
        "says": says,
        "files": files,
    }


def _file(question: BitsQuestion, share: Share, spec: Spec | None, *, alone: bool) -> dict[str, Any]:
    programme = share.programme
    bounds = [_bound(one, share.picture_rate) for one in _bounds(question, programme, spec)]
    refused = _refused(question, programme, spec)
    refusals = [f"“{one['label']}” asks for {one['required']}, planned is {one['found']}" for one in refused]
    too_low = [one["least"] for one in bounds if one["least"] is not None and share.picture_rate < one["least"]]
    ways = (
        ways_up(question.cap, share, max(too_low), question.coding, reserve=question.reserve)
        if too_low and alone
        else []
    )
    poor = _too_few(question, share, alone=alone and not ways)
    return {
        "name": programme.name,
        "frames": programme.frames,
        "rate": str(programme.rate),
        "picture_size": list(programme.size),
        "picture_rate": share.picture_rate,
        "size": share.size,
        "overhead": share.overhead,
        "bits_per_pixel": round(float(share.bits_a_pixel), 5),
        "bounds": bounds,
        "refused": refused,
        "says": refusals + [one["says"] for one in bounds if not one["met"]] + ways + poor,
    }


def _too_few(question: BitsQuestion, share: Share, *, alone: bool) -> list[str]:
    """Say what to expect of fewer bits than the codec takes, and what would bring enough."""
    programme = share.programme
    found = too_few(question.coding.codec, share.picture_rate, programme.size, programme.rate)
    if found is None:
        return []
    says, enough = found
    return [says, *(ways_up(question.cap, share, enough, question.coding, reserve=question.reserve) if alone else [])]


def _bound(bound: Bound, rate: int) -> dict[str, Any]:
    low = bound.least is not None and rate < bound.least
    high = bound.most is not None and rate > bound.most
    label = bound.line.label
    if bound.unknown:
        says = f"“{label}” cannot be told: {bound.unknown}"
    elif low:
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
        "met": None if bound.unknown else not (low or high),
        "says": says,
    }
