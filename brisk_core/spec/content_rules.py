"""Rules that put findings of pictures and sound into words; they stand before the general ones."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

from brisk_core.facts import Kind, Scan, keys
from brisk_core.spec.conditions import Near, Present, Within
from brisk_core.spec.line import Unmet
from brisk_core.spec.rule import TOLD, Rule, places, sentences
from brisk_core.spec.span_conditions import SpanCondition

_MOST_TOLD = 4  # sentences of a comparison in one finding
_BARS = {"top-bottom": "above and below", "sides": "at both sides", "all": "on all four sides"}
_LOUDNESS = (keys.SOUND_LOUDNESS.id, keys.SOUND_PROGRAMME_LOUDNESS.id)


def _is_places(unmet: Unmet) -> bool:
    return unmet.condition.characteristic.kind in (Kind.SPANS, Kind.TIMES)


def _place_words(unmet: Unmet) -> dict[str, Any]:
    """How many places there are, and where the first one is."""
    listed = unmet.found
    if unmet.condition.characteristic.per_track:
        listed = [(number, one) for number, track in enumerate(unmet.found, 1) for one in track]
        number, first = listed[0]
        where = f"at {first.start:.2f} s" + (f" of track {number}" if len(unmet.found) > 1 else "")
    else:
        first = listed[0]
        where = (
            f"at frame {first.start}" if first.end - first.start == 1 else f"at frames {first.start} to {first.end - 1}"
        )
    detail = f": {first.detail}" if first.detail else ""
    return {"places": places(len(listed)), "where": where, "detail": detail}


def _gain(unmet: Unmet) -> dict[str, Any]:
    """By how much a loudness misses what is asked."""
    condition = unmet.condition
    found = Fraction(str(unmet.found))
    if isinstance(condition, Near):
        wanted = condition.value
    elif isinstance(condition, Within) and condition.most is not None and found > condition.most:
        wanted = condition.most
    else:
        wanted = condition.least if isinstance(condition, Within) else found
    change = float(wanted - found)
    return {"how": f"{abs(change):.1f} dB {'too quiet' if change > 0 else 'too loud'}"}


def _told(unmet: Unmet) -> dict[str, Any]:
    """What a comparison has to say, the first sentences of it."""
    more = len(unmet.found) - _MOST_TOLD
    return {"told": " ".join(unmet.found[:_MOST_TOLD]) + (f" And {more} more." if more > 0 else "")}


CONTENT_RULES: tuple[Rule, ...] = (
    Rule(
        code="edit.differs",
        applies=lambda unmet: isinstance(unmet.found, list) and unmet.id.startswith("edit."),
        template=TOLD,
        parameters=_told,
    ),
    Rule(
        code="master.differs",
        applies=lambda unmet: isinstance(unmet.found, list) and unmet.id.startswith("master."),
        template=TOLD,
        parameters=_told,
        why="What differs from the master came in with this export.",
    ),
    Rule(
        code="captions.wrong",
        applies=lambda unmet: isinstance(unmet.found, list) and unmet.id.startswith("text."),
        template=TOLD,
        parameters=_told,
    ),
    Rule(
        code="shape.other",
        applies=lambda unmet: unmet.id == keys.EDIT_SHAPE.id,
        template="the picture is shown as {found}, the timeline is {required}: stretched sideways, or cut to fit.",
    ),
    Rule(
        code=keys.CONTENT_MISTAKES.id,
        applies=lambda unmet: unmet.id in (keys.CONTENT_MISTAKES.id, keys.SOUND_MISTAKES.id) and bool(unmet.found),
        template="{listed}",
        parameters=lambda unmet: {"listed": sentences(unmet)["listed"]},
    ),
    Rule(
        code="bars.found",
        applies=lambda unmet: unmet.id == keys.CONTENT_BARS.id and unmet.found in _BARS,
        template="the picture does not fill the frame: it has bars {where}.",
        parameters=lambda unmet: {"where": _BARS[unmet.found]},
    ),
    Rule(
        code="scan.fields-in-frames",
        applies=lambda unmet: unmet.id == keys.PICTURE_SCAN.id and unmet.found in (Scan.MIXED, Scan.PULLDOWN_3_2),
        template="{who} a scan of {found} where {required} is asked.",
        why="Some frames hold two moments and some one: whatever a player does is wrong for one of them.",
        remedy="Interpret each clip with its own scan in the edit, then export with {required}.",
    ),
    Rule(
        code="scan.one-moment-as-fields",
        applies=lambda unmet: unmet.id == keys.PICTURE_SCAN.id and unmet.found == Scan.PROGRESSIVE_AS_FIELDS,
        template="{who} one moment in every frame, coded as two fields; {required} is asked.",
        why="Coded as fields, fine edges flicker on sets that take fields apart.",
        remedy="Set fields of the export to {required}; where fields are wanted, let the timeline carry them.",
    ),
    Rule(
        code="order.seen-swapped",
        applies=lambda unmet: unmet.id == keys.PICTURE_FIELD_ORDER.id and unmet.who == "the pictures show",
        template="the pictures show the {found} field earlier where {required} first is asked: motion judders.",
        remedy="Set the field order of the clip to what it really is, and that of the export to {required} first.",
    ),
    Rule(
        code="places.too-many",
        applies=lambda unmet: isinstance(unmet.condition, SpanCondition) and bool(unmet.found),
        template="{who} {label} in {places} where {required} is allowed, the first {where}{detail}.",
        parameters=_place_words,
    ),
    Rule(
        code="places.found",
        applies=lambda unmet: _is_places(unmet) and isinstance(unmet.condition, Present) and not unmet.condition.wanted,
        template="{who} {label} in {places}, the first {where}{detail}.",
        parameters=_place_words,
    ),
    Rule(
        code="loudness.off",
        applies=lambda unmet: unmet.id in _LOUDNESS and unmet.found is not None,
        template="{who} a loudness of {found}: {how}; {required} is asked.",
        parameters=_gain,
    ),
)
