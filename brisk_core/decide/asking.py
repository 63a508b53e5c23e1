"""Asking an editor again: the points of a request, its words, and what the next attempt made of them."""

from __future__ import annotations

import enum
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from brisk_core.spec import Outcome, Weight

_FAULTS = (Outcome.FAIL.value, Outcome.CAUTION.value)
_NEAR = 12  # frames by which a place may have moved and still be the same one


class Answer(enum.Enum):
    """What a later attempt made of a point."""

    MENDED = "mended"
    NOT_MENDED = "not mended"
    UNCLEAR = "cannot be told"


@dataclass(frozen=True, slots=True, kw_only=True)
class Point:
    """One thing that an editor is asked to change."""

    line: str  #: id of the line, empty for what a person added
    label: str
    found: str  #: what was found, a sentence
    change: str  #: what to change, a sentence or more
    places: tuple[tuple[int, int], ...] = ()  #: frames of the file it was found in: start, first after


@dataclass(frozen=True, slots=True, kw_only=True)
class Ticked:
    """A point and what became of it."""

    point: Point
    answer: Answer
    says: str  #: why, a sentence


def points_of(findings: Sequence[Mapping[str, Any]]) -> list[Point]:
    """Return what an editor should be asked by a check: failing lines first, then cautions; notes are left out."""
    open_rows = [row for row in findings if row["outcome"] in _FAULTS and row["weight"] != Weight.NOTE.value]
    ordered = sorted(open_rows, key=lambda row: _FAULTS.index(row["outcome"]))
    return [
        Point(
            line=row["line"],
            label=row["label"],
            found=row["says"],
            change=row["remedy"],
            places=tuple((span["start"], span["end"]) for span in row["spans"]),
        )
        for row in ordered
    ]


def answer_points(
    points: Sequence[Point], earlier: Sequence[Mapping[str, Any]], later: Sequence[Mapping[str, Any]]
) -> tuple[list[Ticked], list[str]]:
    """Hold a later attempt against what was asked: every point with its answer, and the labels of lines that broke.

    ``earlier`` are the findings of the attempt that was asked about, ``later`` those of the one that answers. A line
    broke when it passed before and fails or gives caution now.
    """
    after = {row["line"]: row for row in later}
    before = {row["line"]: row["outcome"] for row in earlier}
    broken = [
        row["label"] for row in later if row["outcome"] in _FAULTS and before.get(row["line"]) == Outcome.PASS.value
    ]
    return [_ticked(point, after.get(point.line)) for point in points], broken


def _ticked(point: Point, row: Mapping[str, Any] | None) -> Ticked:
    if not point.line:
        return Ticked(point=point, answer=Answer.UNCLEAR, says="No line measures this: a person has to look.")
    if row is None:
        return Ticked(point=point, answer=Answer.UNCLEAR, says="This line is no longer judged.")
    outcome = row["outcome"]
    if outcome == Outcome.PASS.value:
        return Ticked(point=point, answer=Answer.MENDED, says=row["says"])
    if outcome == Outcome.NOT_MEASURED.value:
        return Ticked(point=point, answer=Answer.UNCLEAR, says=row["says"])
    if outcome == Outcome.WAIVED.value:
        says = f"Waived by {row['waived']['by']}: {row['waived']['reason']}"
        return Ticked(point=point, answer=Answer.NOT_MENDED, says=says)
    if point.places and row["spans"] and not _overlap(point.places, row["spans"]):
        says = f"Not at the places that were named, but elsewhere: {row['says']}"
        return Ticked(point=point, answer=Answer.UNCLEAR, says=says)
    return Ticked(point=point, answer=Answer.NOT_MENDED, says=row["says"])


def _overlap(places: Sequence[tuple[int, int]], spans: Sequence[Mapping[str, Any]]) -> bool:
    """Does any place lie at one of the spans, or within a few frames of it? Both lists may be long, and are sorted."""
    ordered = sorted((span["start"], span["end"]) for span in spans)
    at = 0
    for start, end in sorted(places):
        while at < len(ordered) and ordered[at][1] <= start - _NEAR:
            at += 1
        if at < len(ordered) and ordered[at][0] < end + _NEAR:
            return True
    return False


def request_text(
    title: str, file_name: str, words: str, points: Sequence[tuple[Point, Sequence[str]]], *, attempt: int
) -> str:
    """Return a request as plain text to paste: each point with what was found, its places in words, what to change."""
    lines = [f"{title}: please render attempt {attempt}", f"Looked at: {file_name}", ""]
    if words:
        lines += [words, ""]
    for number, (point, places) in enumerate(points, start=1):
        lines.append(f"{number}. {point.label}")
        if point.found:
            lines.append(f"   Found: {point.found}")
        lines += [f"   At {place}" for place in places]
        if point.change:
            lines.append(f"   Please change: {point.change}")
        lines.append("")
    return "\n".join(lines)
