"""Words of the trade that are no characteristic: what each means here in one line, and the standard that says so."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Word:
    """One word of the glossary."""

    term: str
    means: str  #: one sentence
    standard: str = ""


WORDS: tuple[Word, ...] = (
    Word("Attempt", "One render that was handed in for a deliverable: attempt 1, 2, 3."),
    Word("Check", "A file judged by a version of a spec, a range of a timeline and a master where there is one."),
    Word("Coded", "Said by the stream's own headers; the second of three witnesses."),
    Word("Combing", "Fine lines at moving edges: two fields of different moments shown as one frame."),
    Word("Declared", "Said by the wrapper; the first of three witnesses."),
    Word("Deliverable", "One file that a job owes: a spec, a range, a naming rule."),
    Word("Drop-frame", "Timecode that leaves labels out, never frames, to keep up with the clock.", "SMPTE ST 12-1"),
    Word("Dual mono", "One channel of sound that stands in two tracks or on two sides."),
    Word("Field", "Every second line of an interlaced frame; two fields are two moments.", "ITU-R BT.601"),
    Word("Finding", "The outcome of one line in one check: pass, fail, caution, not measured or waived."),
    Word("Full range mapped to narrow twice", "Levels converted once too often: blacks turn grey, whites dull."),
    Word("Ghosting", "Two moments seen in one frame, as where frames were blended for another rate."),
    Word("Group of pictures", "Pictures from one place that can be entered to the next.", "ITU-T H.222.0"),
    Word("Inspection", "What was read and measured of a file, kept by its contents."),
    Word("Inverted polarity", "One channel pushes where the other pulls; summed to mono they cancel."),
    Word("Job", "The work on one title: its timelines, its deliverables, its due dates."),
    Word("Line", "One requirement of a spec: a characteristic, a condition and how much it counts."),
    Word("Master", "The file that others are held against, frame by frame."),
    Word("Narrow range", "Black at code value 16 and white at 235 of 8 bits.", "ITU-R BT.709; ITU-T H.273"),
    Word("Non-standard rate", "A frame rate that no standard names, such as 28.8 frames a second."),
    Word("Not measured", "Nobody has looked, or the file cannot tell; it is never a pass."),
    Word("Observed", "Shown by packets, pictures and samples; the third of three witnesses."),
    Word("Pulldown", "Fields or frames repeated in a pattern to bring 24 frames a second to another rate."),
    Word("Range of a timeline", "The part that a deliverable covers; out is the first frame after it."),
    Word("Render", "A file that came out of an edit, one attempt at a deliverable."),
    Word("Spec", "A delivery specification; its versions are numbered, and a published one never changes."),
    Word("Stem", "A part of the mix by itself: voices, music, effects."),
    Word("Timeline", "The source edit: rate, size, start timecode, events, gaps, marks and sound tracks."),
    Word("Variable frame rate", "Steps between frames that differ, as phones and screen recorders write them."),
    Word("Witness", "Who says a fact of a file: the wrapper declares, the stream codes, the samples show."),
)
