"""Gaps of the edit against black in the file, and marks against chapters."""

from __future__ import annotations

from fractions import Fraction

from brisk_core.edit.cut_train import Observed
from brisk_core.edit.ranges import FrameRange
from brisk_core.edit.timeline import Timeline
from brisk_core.facts import Chapter, Held, Inspection, Sentence, Unheard, keys

_NEAR = 1  # frames between a gap's edge and the edge of black
_MOST_TOLD = 6


def hold_gaps(timeline: Timeline, covered: FrameRange, observed: Observed) -> Held:
    """Hold the gaps of the picture lanes against black in the file; black that the edit did not order is told too."""
    scale = observed.rate / timeline.rate
    gaps = []
    for shot in timeline.shots():
        start, end = (round((edge - covered.start) * scale) for edge in (shot.start, shot.end))
        start, end = max(start, 0), min(end, observed.frames)
        if shot.event is None and end > start:
            gaps.append((start, end))
    sentences = []
    for start, end in gaps:
        black = sum(max(0, min(end, last) - max(start, first)) for first, last in observed.black)
        if black < end - start - 2 * _NEAR:
            label = _label(timeline, covered.start + start / scale)
            says = f"The gap at {label} ({end - start} frames) is not black in the file."
            sentences.append(Sentence(says=says, frame=start, end=end, fault=True))
    ordered = [(start - _NEAR, end + _NEAR) for start, end in gaps]
    for first, last in observed.black:
        if not any(start <= first and last <= end for start, end in ordered):
            label = _label(timeline, covered.start + first / scale)
            says = f"Black at {label} for {last - first} frames; the timeline has no gap there."
            sentences.append(Sentence(says=says, frame=first, end=last, fault=False))
    faults = sum(one.fault for one in sentences)
    word = "1 gap" if len(gaps) == 1 else f"{len(gaps)} gaps"
    return Held(
        right=not faults,
        required=f"{word} of the timeline black",
        found=f"{len(gaps) - faults} of {len(gaps)} black"
        if gaps
        else f"no gaps, {len(observed.black)} black in the file",
        document={"gaps": [list(gap) for gap in gaps], "black": [list(span) for span in observed.black]},
        sentences=tuple(sentences[:_MOST_TOLD]),
        remedy="Look at the timeline at these places: an empty lane, a clip that is switched off, or media not found.",
        asked=bool(gaps),
    )


def _label(timeline: Timeline, frame: Fraction) -> str:
    return str(timeline.start.plus(round(frame))) if timeline.start else f"frame {round(frame)}"


def hold_chapters(timeline: Timeline, covered: FrameRange, inspection: Inspection) -> Held:
    """Hold the marks of the timeline against the chapters of the file; nothing is asked of a file without chapters."""
    said = inspection.witnessed(keys.TEXT_CHAPTERS)
    chapters: tuple[Chapter, ...] = ()
    for value in (said.declared, said.observed):
        if value is not None and value is not Unheard.UNHEARD:
            chapters = value
    marks = [mark for mark in timeline.marks if covered.start <= mark.start < covered.end]
    tolerance = 1 / timeline.rate
    rate: Fraction = inspection[keys.PICTURE_FRAME_RATE] or timeline.rate
    sentences = []
    for mark in marks:
        time = (mark.start - covered.start) / timeline.rate
        if not any(abs(chapter.time - time) <= tolerance for chapter in chapters):
            says = f"The mark “{mark.name}” at {_label(timeline, Fraction(mark.start))} is no chapter of the file."
            sentences.append(Sentence(says=says, frame=round(time * rate), fault=True))
    for chapter in chapters:
        if chapter.on_random_access is False:
            says = f"The chapter “{chapter.title}” stands on a frame that a player cannot enter."
            sentences.append(Sentence(says=says, frame=round(chapter.time * rate), fault=True))
    return Held(
        right=not sentences,
        required=f"{len(marks)} marks as chapters",
        found=f"{len(chapters)} chapters",
        document={
            "marks": [[mark.name, mark.start] for mark in marks],
            "chapters": [[chapter.title, float(chapter.time), chapter.on_random_access] for chapter in chapters],
        },
        sentences=tuple(sentences[:_MOST_TOLD]),
        remedy="Export the marks as chapters, and set the longest group of pictures so that each falls on its first.",
        asked=bool(chapters and marks),
    )
