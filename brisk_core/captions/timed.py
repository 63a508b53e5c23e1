"""Captions that are timed for another rate, or all of them early or late."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction

from brisk_core.captions.document import CaptionDocument, Clock
from brisk_core.captions.placing import Programme, label_seconds, timing_of
from brisk_core.captions.ruling import Ruling, capitalised, held_of
from brisk_core.captions.timing import fit, timed_like
from brisk_core.exact import nominal_frames, spell_rate
from brisk_core.facts import Held, Sentence

_IN_STEP = 0.4  # seconds by which captions may stand apart from what they fit
_ON_GRID, _OFF_GRID = 0.95, 0.6  # shares of times on pictures of another rate, and on the programme's own
_LEAST_TIMES = 20
_NEAR = 0.0006  # seconds; times are written in thousandths
_GRIDS = (Fraction(24), Fraction(25), Fraction(24000, 1001), Fraction(30000, 1001))
_TIMED = "timed for this programme"
_RETIME = (
    "Export the captions for the rate and the start timecode of this programme, or shift them by what is said here."
)


def time_of(ruling: Ruling) -> Held:
    """Are captions timed for another rate, or all of them early or late?"""
    document, programme = ruling.document, ruling.programme
    told = [says for says in (_counts_another_rate(document, programme), _counts_from_timecode(ruling)) if says]
    evidence = ruling.captioned.evidence
    found = None
    if not told and evidence is not None:
        found = fit([start for start, _ in timing_of(ruling.placed, programme.rate)], evidence, programme.rate)
    if found is not None:
        shown = timed_like(programme.rate)
        if found.timed_at != shown:
            told.append(
                f"they fit when they are brought from {spell_rate(found.timed_at)} to {spell_rate(shown)} pictures a "
                "second: they were timed for a copy of another rate."
            )
        if abs(found.offset) > _IN_STEP:
            late = "late" if found.offset < 0 else "early"
            told.append(
                f"they fit sounds and cuts about {abs(found.offset):.1f} s away: all of them are that much {late}."
            )
    if not told and found is None:
        grid = _on_grid_of(document, programme)
        if grid:
            own = spell_rate(programme.rate)
            told.append(f"their times lie on pictures of {spell_rate(grid)} a second, the programme runs at {own}.")
    if told:
        starts = [f"{ruling.prefix}{one}" if ruling.prefix else capitalised(one) for one in told]
        sentences = [Sentence(says=one, frame=0, end=programme.frames, fault=True) for one in starts]
        return held_of(sentences, _TIMED, "", _RETIME)
    if found is None:
        why = "the pictures and the sound have not been scanned" if evidence is None else (
            "neither onsets of sound nor cuts tell where these captions belong"
        )  # fmt: skip
        return Held(right=None, required=_TIMED, found=why, asked=False)
    return held_of([], _TIMED, "begin with the sound and with the shots", _RETIME)


def join(verdicts: Sequence[Held]) -> Held:
    """One outcome for several documents: a fault over what is not known over what is right."""
    worst = next((one for right in (False, None, True) for one in verdicts if one.right is right), None)
    if worst is None:
        return Held(right=None, required=_TIMED, found="there are no captions", asked=False)
    if worst.right is not False:
        return worst
    sentences = tuple(sentence for one in verdicts for sentence in one.sentences)
    return held_of(sentences, _TIMED, "", _RETIME)


def _counts_another_rate(document: CaptionDocument, programme: Programme) -> str:
    if document.rate is None or programme.rate / document.rate in (1, 2):
        return ""
    families = {one.denominator == 1001 for one in (document.rate, programme.rate)}
    if document.format == "SCC" and families == {True}:
        return ""  # line-21 codes count 30000/1001 a second whatever the programme is shown from
    own = spell_rate(programme.rate)
    return f"its times count {spell_rate(document.rate)} pictures a second, the programme runs at {own}."


def _counts_from_timecode(ruling: Ruling) -> str:
    """Times that should begin at zero but count from the programme's timecode, or from a full hour; and the reverse."""
    document, programme, placed = ruling.document, ruling.programme, ruling.placed
    if not placed:
        return ""
    first, last = placed[0].start, placed[-1].end
    inside = first >= 0 and first < programme.frames
    if inside:
        return ""
    start = programme.start
    labelled = label_seconds(start, programme.rate, drop=start.drop) if start else Fraction(0)
    frames = round(labelled * programme.rate)
    if document.clock is Clock.MEDIA and frames and first - frames >= 0 and last - frames <= programme.frames:
        return f"its times count from the programme's timecode {start}; this format counts from the first frame."
    hour = first // (3600 * nominal_frames(programme.rate))
    hours = round(Fraction(3600 * hour) * programme.rate)
    if hour > 0 and first - hours >= 0 and last - hours <= programme.frames:
        return f"its times begin after {hour} h; taken off, every caption lies in the programme."
    if document.clock is Clock.TIMECODE and frames and first + frames >= 0 and last + frames <= programme.frames:
        return f"its times count from zero; the programme's timecode begins at {start}."
    return ""


def _on_grid_of(document: CaptionDocument, programme: Programme) -> Fraction | None:
    """Return another rate on whose pictures nearly all times lie, while they do not lie on the programme's."""
    times = [float(time) for one in document.captions for time in (one.start, one.end)]
    if document.clock is Clock.TIMECODE or len(times) < _LEAST_TIMES:
        return None

    def share(rate: Fraction) -> float:
        hertz = float(rate)
        return sum(abs(time * hertz - round(time * hertz)) <= _NEAR * hertz for time in times) / len(times)

    if share(programme.rate) >= _OFF_GRID:
        return None
    return next((rate for rate in _GRIDS if share(rate) >= _ON_GRID), None)
