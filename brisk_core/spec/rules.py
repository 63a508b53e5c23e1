"""Rules that put a finding into words: stable codes, message templates, parameters, a why and a remedy each.

The first rule that applies to an unmet line speaks; the last ones are general. A text may improve, a code never changes.
"""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from typing import Any

from brisk_core.exact import rate_family, spell_size
from brisk_core.facts import Scan, keys
from brisk_core.spec.conditions import (
    FitsBuffer,
    Matches,
    OneOf,
    Present,
    SameAsTimeline,
    Table,
    Within,
    WitnessesAgree,
)
from brisk_core.spec.content_rules import CONTENT_RULES
from brisk_core.spec.line import Unmet, Worded
from brisk_core.spec.rule import Rule, places, sentences
from brisk_core.spec.values import rank, rank_found

_LOOK_ALIKE = (
    "The two rates look alike in every list of settings, but sound and captions timed for one drift against the other."
)
_PLAINLY = "{who} {label} {found}; {required} is asked."


def _is_rate(unmet: Unmet) -> bool:
    rates = (keys.PICTURE_FRAME_RATE.id, keys.EDIT_FRAME_RATE.id)
    return unmet.id in rates and isinstance(unmet.asked, Fraction) and isinstance(unmet.found, Fraction)


def _ratio_is(*ratios: Fraction) -> Callable[[Unmet], bool]:
    return lambda unmet: _is_rate(unmet) and unmet.found / unmet.asked in ratios


def _other_family(unmet: Unmet) -> bool:
    return (
        _is_rate(unmet)
        and rate_family(unmet.found) is not None
        and rate_family(unmet.found) != rate_family(unmet.asked)
    )


def _non_standard_rate(unmet: Unmet) -> bool:
    return _is_rate(unmet) and rate_family(unmet.found) is None


def _pair(id_: str, asked: Any, found: Any) -> Callable[[Unmet], bool]:
    return lambda unmet: unmet.id == id_ and unmet.asked == asked and unmet.found == found


def _less_chroma(unmet: Unmet) -> bool:
    order = ("4:0:0", "4:1:1", "4:2:0", "4:2:2", "4:4:4")
    return (
        unmet.id == keys.PICTURE_CHROMA.id
        and unmet.asked in order
        and order.index(unmet.found) < order.index(unmet.asked)
    )


def _frames(count: int) -> str:
    words = {1: "one frame", 2: "two frames", 3: "three frames"}
    return words.get(count, f"{count} frames")


def _size_ratio(unmet: Unmet) -> dict[str, Any]:
    across = Fraction(unmet.found[0], unmet.asked[0])
    down = Fraction(unmet.found[1], unmet.asked[1])
    if across == down:
        how = f"the same shape, {float(across):.3g} times as large"
    elif across == 1 or down == 1:
        how = f"as {'wide' if across == 1 else 'high'}, but not as {'high' if across == 1 else 'wide'}"
    else:
        how = "another shape"
    return {"how": how, "asked_size": spell_size(unmet.asked)}


def _is_size(unmet: Unmet) -> bool:
    return (
        unmet.id in (keys.PICTURE_SIZE.id, keys.EDIT_SIZE.id)
        and isinstance(unmet.asked, tuple)
        and isinstance(unmet.found, tuple)
    )


def _rank_of(unmet: Unmet) -> Any:
    return None if unmet.found is None else rank_found(unmet.condition.characteristic, unmet.found)


def _below(unmet: Unmet) -> bool:
    condition = unmet.condition
    return (
        isinstance(condition, Within)
        and condition.least is not None
        and (met := _rank_of(unmet)) is not None
        and met < rank(condition.characteristic, condition.least)
    )


def _above(unmet: Unmet) -> bool:
    return isinstance(unmet.condition, Within) and _rank_of(unmet) is not None and not _below(unmet)


def _on(prefix: str, also: Callable[[Unmet], bool]) -> Callable[[Unmet], bool]:
    return lambda unmet: unmet.id.startswith(prefix) and also(unmet)


RULES: tuple[Rule, ...] = (
    *CONTENT_RULES,
    Rule(
        code="integrity.contradictions",
        applies=lambda unmet: unmet.id == keys.FILE_CONTRADICTIONS.id,
        template="the witnesses contradict each other on {listed}.",
        parameters=sentences,
    ),
    Rule(
        code="integrity.level",
        applies=lambda unmet: unmet.id == keys.PICTURE_LEVEL_EXCEEDED.id,
        template="the stream exceeds the level that it codes: {listed}.",
        parameters=sentences,
    ),
    Rule(
        code="integrity.sound-gaps",
        applies=lambda unmet: unmet.id == keys.TIMING_SOUND_GAPS.id,
        template="sound is missing: {listed}.",
        parameters=sentences,
    ),
    Rule(
        code="integrity.times",
        applies=lambda unmet: unmet.id in (keys.TIMING_GAPS.id, keys.TIMING_DUPLICATES.id, keys.TIMING_DISORDER.id),
        template="the packets show {label} in {places}; the first at frame {first}: {detail}.",
        parameters=lambda unmet: {
            "places": places(len(unmet.found)),
            "first": unmet.found[0].start,
            "detail": unmet.found[0].detail,
        },
    ),
    Rule(
        code="witnesses.disagree",
        applies=lambda unmet: isinstance(unmet.condition, WitnessesAgree),
        template="the witnesses do not agree on the {label}: {found}.",
        why="Where witnesses disagree, every player decides for itself which one to believe.",
        remedy="Export again with one setting for both.",
    ),
    Rule(
        code="table.no-row",
        applies=lambda unmet: isinstance(unmet.condition, Table),
        template="{found} is no allowed combination; the nearest is {required}.",
        why="A receiver of this kind plays only the combinations of its table; anything else is refused or converted.",
        remedy="Set the export to {required}, or to another row of the table.",
    ),
    Rule(
        code="buffer.underflow",
        applies=lambda unmet: isinstance(unmet.condition, FitsBuffer),
        template="pictures come too late in {places}: it needs a buffer of {found}; asked is one that {required}.",
        parameters=lambda unmet: {"places": places(unmet.count)},
        why="A player's buffer runs empty there: the picture stands still or breaks up.",
        remedy="Set the maximum bit rate and the buffer of the export to those of the order, or encode in two passes.",
    ),
    Rule(
        code="sound.none",
        applies=lambda unmet: unmet.id.startswith("sound.") and unmet.found is None,
        template="there is no sound track that could have the {label} asked for ({required}).",
        why="A receiver that expects sound takes a silent file for a fault.",
        remedy="Export with sound: {label} {required}.",
    ),
    Rule(
        code="rate.slowed-by-1001",
        applies=_ratio_is(Fraction(1000, 1001)),
        template="{who} {found} frames a second where {required} is asked: slower by 1000/1001, one frame lost every {frames}.",
        parameters=lambda unmet: {"frames": f"{round(1001 / unmet.asked)} s"},
        why=_LOOK_ALIKE,
        remedy="Set the export's frame rate to exactly {required}, not to its 1000/1001 neighbour.",
    ),
    Rule(
        code="rate.raised-by-1001",
        applies=_ratio_is(Fraction(1001, 1000)),
        template="{who} {found} frames a second where {required} is asked: faster by 1001/1000, one frame more every {frames}.",
        parameters=lambda unmet: {"frames": f"{round(1001 / unmet.found)} s"},
        why=_LOOK_ALIKE,
        remedy="Set the export's frame rate to exactly {required}, the 1000/1001 rate.",
    ),
    Rule(
        code="rate.doubled",
        applies=_ratio_is(Fraction(2)),
        template="{who} {found} frames a second, twice the {required} asked: fields written as frames, or every frame written twice.",
        why="Fifty fields are twenty-five frames; a rate is always counted in frames here.",
        remedy="Set the export's frame rate to {required} frames; choose fields by the scan setting, not by the rate.",
    ),
    Rule(
        code="rate.halved",
        applies=_ratio_is(Fraction(1, 2)),
        template="{who} {found} frames a second, half the {required} asked: every second moment is lost.",
        why="Motion loses half its steps and looks stuttering beside other programmes.",
        remedy="Set the export's frame rate to {required} frames.",
    ),
    Rule(
        code="rate.other-family",
        applies=_other_family,
        template="{who} {found} frames a second where {required} is asked, which is another family of rates.",
        why="Between families frames are repeated, dropped or blended on the way, which shows in every pan.",
        remedy="Export at the timeline's own rate if the order allows it; else convert once, from the source, to {required}.",
    ),
    Rule(
        code="rate.wandering",
        applies=_non_standard_rate,
        template="{who} {found} frames a second, which is no standard rate; {required} is asked.",
        why="A rate that wanders comes from a recorder that drops frames; players and sets guess.",
        remedy="Conform the footage to a constant rate before editing, then export at {required}.",
    ),
    Rule(
        code="scan.interlaced-for-progressive",
        applies=_pair(keys.PICTURE_SCAN.id, Scan.PROGRESSIVE, Scan.INTERLACED),
        template="{who} interlaced where progressive is asked.",
        why="A receiver that trusts the flag will take the picture apart into fields: fine edges flicker and half the lines are thrown away.",
        remedy="Switch fields off in the export (progressive), also where the timeline itself is progressive.",
    ),
    Rule(
        code="scan.progressive-for-interlaced",
        applies=_pair(keys.PICTURE_SCAN.id, Scan.INTERLACED, Scan.PROGRESSIVE),
        template="{who} progressive where interlaced is asked.",
        why="A chain that is set for fields may refuse the file or show it half a frame late.",
        remedy="Switch fields on in the export and choose the field order that is asked for.",
    ),
    Rule(
        code="order.swapped",
        applies=lambda unmet: unmet.id == keys.PICTURE_FIELD_ORDER.id,
        template="{who} {found} field first where {required} is asked.",
        remedy="Set the field order of the export to {required} field first; if single clips came in the other way, set it on the clips.",
    ),
    Rule(
        code="chroma.thinner",
        applies=_less_chroma,
        template="{who} {found} where {required} is asked: colour has been thrown away.",
        why="Saturated edges and titles fray, and every later generation makes it worse; it cannot be brought back.",
        remedy="Export again from the timeline with {required}; converting this file does not help.",
    ),
    Rule(
        code="size.other",
        applies=_is_size,
        template="{who} {found} where {asked_size} is asked: {how}.",
        parameters=_size_ratio,
        why="A receiver will scale, crop or pad the picture by its own choice.",
    ),
    Rule(
        code="bitrate.too-low",
        applies=_on("bitrate.", _below),
        template="{who} {found}, below the {required} asked.",
        why="Too few bits spoil the picture where it moves, and the receiver's own copy spoils it again.",
        remedy="Raise the export's video bit rate so that the mean lies within {required}.",
    ),
    Rule(
        code="bitrate.too-high",
        applies=_on("bitrate.", _above),
        template="{who} {found}, above the {required} asked.",
        why="Bits above the limit are thrown away by the receiver, or the file will not play.",
        remedy="Lower the export's video bit rate so that it lies within {required}.",
    ),
    Rule(
        code="length.longer",
        applies=lambda unmet: bool(unmet.difference and unmet.difference > 0),
        template="the file is {frames} longer than the timeline: {found} found, {required} expected.",
        parameters=lambda unmet: {"frames": _frames(unmet.difference or 0)},
        why="An extra frame at the end is black or belongs to something else, and pushes what follows out of place.",
        remedy="Set in and out to the range that is ordered; an out point is often one frame too far.",
    ),
    Rule(
        code="length.shorter",
        applies=lambda unmet: bool(unmet.difference and unmet.difference < 0),
        template="the file is {frames} shorter than the timeline: {found} found, {required} expected.",
        parameters=lambda unmet: {"frames": _frames(-(unmet.difference or 0))},
        why="Something that was edited is missing.",
        remedy="Set in and out to the range that is ordered and see whether the export ended early.",
    ),
    Rule(
        code="index.last",
        applies=lambda unmet: unmet.id == keys.WRAPPER_INDEX_FIRST.id and unmet.found is False,
        template="the index stands after the media, so playing cannot start before the whole file is there.",
        remedy="Switch on the setting that puts the index at the start (often called for web or streaming); no new encode is needed.",
    ),
    Rule(
        code="wrapper.incomplete",
        applies=lambda unmet: unmet.id == keys.WRAPPER_COMPLETE.id and unmet.found is False,
        template="the file is not complete: {detail}.",
        parameters=lambda unmet: {"detail": unmet.detail or "its index is missing or points beyond the end"},
    ),
    Rule(
        code="sound.other-sample-rate",
        applies=lambda unmet: unmet.id in (keys.SOUND_SAMPLE_RATE.id, keys.EDIT_SAMPLE_RATE.id),
        template="{who} {found} where {required} is asked.",
        remedy="Set the sample rate to {required} through the whole chain: project, timeline and export.",
    ),
    Rule(
        code="timecode.other-start",
        applies=lambda unmet: unmet.id in (keys.WRAPPER_START_TIMECODE.id, keys.EDIT_START_TIMECODE.id),
        template="{who} a start at {found} where {required} is asked.",
        why="Whoever cues, captions or continues by timecode will be off by the difference.",
    ),
    Rule(
        code="name.other",
        applies=lambda unmet: isinstance(unmet.condition, Matches),
        template="the {label} is {found}; a name like {required} is asked.",
    ),
    Rule(
        code="size.too-large",
        applies=_on(keys.FILE_SIZE.id, _above),
        template="the file has {found}, more than the {required} allowed.",
        remedy="Lower the video bit rate until the file fits {required}.",
    ),
    Rule(
        code="present.missing",
        applies=lambda unmet: isinstance(unmet.condition, Present) and unmet.condition.wanted,
        template="there is no {label}; it is asked for.",
        remedy="Add what is missing in the export.",
    ),
    Rule(
        code="absent.found",
        applies=lambda unmet: isinstance(unmet.condition, Present),
        template="{who} {label} ({found}); none is allowed.",
        remedy="Leave it out of the export.",
    ),
    Rule(
        code="range.below",
        applies=_below,
        template=_PLAINLY,
    ),
    Rule(
        code="range.above",
        applies=_above,
        template=_PLAINLY,
    ),
    Rule(
        code="timeline.differs",
        applies=lambda unmet: isinstance(unmet.condition, SameAsTimeline),
        template="{who} {label} {found}; the timeline has {required}.",
        remedy="Export with the timeline's own settings.",
    ),
    Rule(
        code="value.none-of",
        applies=lambda unmet: isinstance(unmet.condition, OneOf),
        template=_PLAINLY,
    ),
    Rule(
        code="value.differs",
        applies=lambda _: True,
        template="{who} {label} {found} where {required} is asked.",
    ),
)


def word(unmet: Unmet) -> Worded:
    """Put an unmet line into the words of the first rule that applies; the last one always does."""
    return next(rule for rule in RULES if rule.applies(unmet)).word(unmet)
