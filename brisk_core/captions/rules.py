"""What is wrong with captions: each rule says so by the line of the file, and on the frames of the programme.

Limits are those of the spec; without one, house limits stand in, which most delivery specs lie near: 20 characters a
second, 42 a line, two lines, two frames between captions.
"""

from __future__ import annotations

import unicodedata
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction

from brisk_core.captions.agreement import agreement_of
from brisk_core.captions.document import Caption, CaptionDocument, Oddity
from brisk_core.captions.placing import Placed, Programme, place
from brisk_core.captions.ruling import MOST_SENTENCES, Captioned, CaptionSentence, Ruling, capitalised, held_of
from brisk_core.captions.timed import join, time_of
from brisk_core.facts import Held, Sentence, keys

#: House limits, by id.
LIMITS: Mapping[str, Fraction] = {
    keys.TEXT_GAP.id: Fraction(2),  #: frames at least
    keys.TEXT_READING_SPEED.id: Fraction(20),  #: characters a second at most
    keys.TEXT_LINE_LENGTH.id: Fraction(42),  #: characters at most
    keys.TEXT_LINE_COUNT.id: Fraction(2),  #: lines at most
}
_NO_TEXT = "the captions are pictures, whose text is not read"


_Rule = Callable[[Ruling, Fraction], Sequence[Sentence]]


def hold_captions(
    captioned: Captioned, programme: Programme, limits: Mapping[str, Fraction] | None = None
) -> dict[str, Held]:
    """Hold captions against the rules and their programme; ``limits`` replace house limits by id."""
    known = {**LIMITS, **(limits or {})}
    several = len(captioned.documents) > 1
    rulings = [
        Ruling(document, programme, place(document, programme), f"{document.name}, " if several else "", captioned)
        for document in captioned.documents
    ]
    held = {}
    for id_, (rule, asked, fine, remedy) in _RULES.items():
        limit = known.get(id_, Fraction(0))
        textual = id_ in _TEXTUAL and all(document.pictured for document in captioned.documents)
        if textual:
            held[id_] = Held(right=None, required=asked(limit), found=_NO_TEXT, asked=False)
            continue
        told = [sentence for ruling in rulings for sentence in rule(ruling, limit)]
        held[id_] = held_of(told, asked(limit), fine, remedy)
    held[keys.TEXT_DOCUMENT.id] = _of_remarks(rulings, Oddity.UNREADABLE)
    held[keys.TEXT_ENCODING.id] = _of_remarks(rulings, Oddity.ENCODING)
    held[keys.TEXT_RATE_MISMATCH.id] = join([time_of(ruling) for ruling in rulings])
    held[keys.TEXT_BURNED_IN.id] = _burned(rulings)
    held[keys.TEXT_AGREEMENT.id] = agreement_of(rulings)
    return held


@dataclass(frozen=True, slots=True)
class CaptionRow:
    """One caption on the programme, with what is wrong with it."""

    document: CaptionDocument
    placed: Placed
    faults: tuple[tuple[str, str], ...]  #: id of the characteristic, and what is said


def list_captions(
    captioned: Captioned, programme: Programme, limits: Mapping[str, Fraction] | None = None
) -> list[CaptionRow]:
    """Return every caption that can be shown, in the order of time, with its faults."""
    faults: dict[tuple[str, int], list[tuple[str, str]]] = {}
    for id_, held in hold_captions(captioned, programme, limits).items():
        for one in held.sentences:
            if isinstance(one, CaptionSentence) and one.fault:
                says = one.says.partition(": ")[2]
                faults.setdefault((one.document, one.place), []).append((id_, capitalised(says)))
    rows = [
        CaptionRow(document, placed, tuple(faults.get((document.name, placed.caption.place), ())))
        for document in captioned.documents
        for placed in place(document, programme)
    ]
    return sorted(rows, key=lambda row: (row.placed.start, row.placed.end))


def _overlaps(ruling: Ruling, _: Fraction) -> Sequence[Sentence]:
    told = []
    rate = ruling.programme.rate
    last: dict[str, Placed] = {}
    for one in ruling.placed:
        before = last.get(one.caption.region)
        if before is not None and one.start < before.end:
            much = float(min(before.end, one.end) - one.start) / float(rate)
            other = f"that of {ruling.document.counts} {before.caption.place}"
            told.append(ruling.told(one, f"stands over {other} for {much:.2f} s."))
        if before is None or one.end > before.end:
            last[one.caption.region] = one
    return told


def _gaps(ruling: Ruling, limit: Fraction) -> Sequence[Sentence]:
    told = []
    last: dict[str, Placed] = {}
    for one in ruling.placed:
        before = last.get(one.caption.region)
        gap = one.start - before.end if before is not None else 0
        if 0 < gap < limit:
            word = "frame" if gap == 1 else "frames"
            told.append(ruling.told(one, f"comes {gap} {word} after the one before it: it flickers."))
        if before is None or one.end > before.end:
            last[one.caption.region] = one
    return told


def _speeds(ruling: Ruling, limit: Fraction) -> Sequence[Sentence]:
    told = []
    for one in ruling.placed:
        speed = reading_speed(one.caption)
        if speed > limit:
            seconds = float(one.caption.end - one.caption.start)
            signs = characters(one.caption)
            told.append(ruling.told(one, f"{signs} characters in {seconds:.2f} s, {float(speed):.1f} a second."))
    return told


def _lengths(ruling: Ruling, limit: Fraction) -> Sequence[Sentence]:
    told = []
    for one in ruling.placed:
        for line in one.caption.lines:
            if width(line) > limit:
                told.append(ruling.told(one, f"a line of {width(line)} characters: “{_short(line)}”"))
    return told


def _counts(ruling: Ruling, limit: Fraction) -> Sequence[Sentence]:
    return [
        ruling.told(one, f"{len(one.caption.lines)} lines at once.")
        for one in ruling.placed
        if len(one.caption.lines) > limit
    ]


def _ranges(ruling: Ruling, _: Fraction) -> Sequence[Sentence]:
    told = []
    programme = ruling.programme
    for one in ruling.placed:
        if one.start < 0:
            told.append(
                ruling.told(one, f"begins {float(-one.start / programme.rate):.2f} s before the programme does.")
            )
        elif one.start >= programme.frames:
            late = float((one.start - programme.frames) / programme.rate)
            told.append(ruling.told(one, f"begins {late:.2f} s after the programme's end."))
        elif one.end > programme.frames + 1:
            late = float((one.end - programme.frames) / programme.rate)
            told.append(ruling.told(one, f"stands until {late:.2f} s after the programme's end."))
    return told


def _of_remarks(rulings: Sequence[Ruling], kind: Oddity) -> Held:
    sentences: list[Sentence] = []
    count = sum(len(ruling.placed) for ruling in rulings)
    for ruling in rulings:
        by_place = {one.caption.place: one for one in ruling.placed}
        for remark in ruling.document.remarks:
            if remark.kind is not kind:
                continue
            one = by_place.get(remark.line)
            if one:
                sentences.append(ruling.told(one, f"{remark.says}."))
                continue
            where = f"{ruling.document.counts} {remark.line}" if remark.line else "the file"
            says = f"{ruling.prefix}{where}: {remark.says}."
            sentences.append(Sentence(says=says if ruling.prefix else capitalised(says), frame=None, fault=True))
        if kind is Oddity.UNREADABLE and not ruling.placed:
            says = f"{ruling.document.name} holds no caption that can be shown."
            sentences.append(Sentence(says=says, frame=None, fault=True))
    codes = ", ".join(sorted({ruling.document.encoding for ruling in rulings if ruling.document.encoding}))
    fine = f"{count} captions read" if kind is Oddity.UNREADABLE else codes or "as the track codes it"
    required = "every caption readable" if kind is Oddity.UNREADABLE else "characters as they were written"
    held = held_of(
        sentences, required, fine, "Export the captions again in UTF-8, and look at these lines in the file."
    )
    told = [{"detail": one.says} if one.frame is None else {"start": one.frame, "end": one.end, "detail": one.says}
            for one in sentences[:MOST_SENTENCES]]  # fmt: skip
    return Held(
        right=held.right,
        required=required,
        found=held.found if held.right else f"{len(sentences)} remarks" if len(sentences) > 1 else "1 remark",
        document=told,
        sentences=held.sentences,
        remedy=held.remedy,
    )


def _burned(rulings: Sequence[Ruling]) -> Held:
    """Are the same captions in the picture already?"""
    required, known = "apart from the picture", rulings[0].captioned.burned if rulings else None
    if known is None:
        return Held(right=None, required=required, found="the pictures have not been looked at", asked=False)
    found = [one for one in (known.get(ruling.document.name) for ruling in rulings) if one]
    sure = [one for one in found if one.verdict is not None]
    if not sure:
        reason = found[0].reason if found else "no caption stands where a picture could be looked at"
        return Held(right=None, required=required, found=reason, asked=False)
    worst = max(sure, key=lambda one: one.verdict or False)
    says = f"Something like text comes and goes with {worst.seen} of {worst.looked} captions: the picture has them."
    sentences = [Sentence(says=says, frame=worst.frames[0] if worst.frames else 0, fault=True)] if worst.verdict else []
    held = held_of(
        sentences, required, "apart", "Export the picture without captions, or send no caption file with it."
    )
    return Held(
        right=held.right,
        required=required,
        found=f"burned in, {worst.seen} of {worst.looked} looked at"
        if worst.verdict
        else f"apart, {worst.looked} looked at",
        document={"burned_in": worst.verdict, "seen": worst.seen, "looked": worst.looked},
        sentences=held.sentences,
        remedy=held.remedy,
    )


_TEXTUAL = (keys.TEXT_READING_SPEED.id, keys.TEXT_LINE_LENGTH.id, keys.TEXT_LINE_COUNT.id)
_RULES: dict[str, tuple[_Rule, Callable[[Fraction], str], str, str]] = {
    keys.TEXT_OVERLAP.id: (
        _overlaps,
        lambda _: "one caption at a time",
        "none",
        "Let each caption end before the next begins, or give them places of their own.",
    ),
    keys.TEXT_GAP.id: (
        _gaps,
        lambda limit: f"none, or at least {limit} frames apart",
        "none too short",
        "Let a caption end where the next begins, or leave the gap that is asked.",
    ),
    keys.TEXT_READING_SPEED.id: (
        _speeds,
        lambda limit: f"at most {float(limit):g} characters a second",
        "none too fast",
        "Show the caption longer, or say it in fewer words.",
    ),
    keys.TEXT_LINE_LENGTH.id: (
        _lengths,
        lambda limit: f"at most {limit} characters a line",
        "none too long",
        "Break the line, or say it in fewer words.",
    ),
    keys.TEXT_LINE_COUNT.id: (
        _counts,
        lambda limit: f"at most {limit} lines",
        "none too many",
        "Split the caption in two.",
    ),
    keys.TEXT_OUT_OF_RANGE.id: (
        _ranges,
        lambda _: "inside the programme",
        "all inside",
        "Export the captions for this version and this range.",
    ),
}

#: What to change, by characteristic.
CAPTION_REMEDIES: dict[str, str] = {id_: remedy for id_, (_, _, _, remedy) in _RULES.items()}


def characters(caption: Caption) -> int:
    """Return how many signs a reader has to read; lines that stood there before are left out.

    Marks that sit on others and marks of direction do not count, the end of a line counts as one.
    """
    new = caption.lines[caption.kept :]
    signs = sum(_takes_place(sign) for line in new for sign in line)
    return signs + max(len(new) - 1, 0)


def reading_speed(caption: Caption) -> Fraction:
    """Return the characters a second of a caption that has a length."""
    return characters(caption) / (caption.end - caption.start)


def width(line: str) -> int:
    """Return how many places a line takes; wide signs take two (Unicode Annex 11)."""
    return sum(2 if unicodedata.east_asian_width(sign) in "WF" else 1 for sign in line if _takes_place(sign))


def _takes_place(sign: str) -> bool:
    """Is it neither a mark on another sign nor a format character, such as the marks of direction (Unicode, 23.2)?"""
    return not unicodedata.combining(sign) and unicodedata.category(sign) != "Cf"


def _short(line: str) -> str:
    return line if len(line) <= 60 else f"{line[:57]}…"
