"""Integrity lines: what every file must be whatever a spec asks, judged beside the spec's own lines."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

from brisk_core.facts import REGISTRY, keys
from brisk_core.spec.conditions import Equals, Present, Within, WitnessesAgree
from brisk_core.spec.line import INTEGRITY_PREFIX, Condition, Line, Weight

_SOUND_TOLERANCE = Fraction(1, 10)  # seconds; a packet of coded sound lasts 20 to 70 ms


def _line(
    name: str, condition: Condition, raw: dict[str, Any], label: str, weight: Weight, why: str, remedy: str
) -> Line:
    return Line(
        id=f"{INTEGRITY_PREFIX}{name}",
        characteristic=condition.characteristic,
        condition=condition,
        raw_condition=raw,
        weight=weight,
        label=label,
        why=why,
        remedy=remedy,
        witnesses=(),
    )


def _absent(id_: str) -> tuple[Condition, dict[str, Any]]:
    return Present(REGISTRY[id_], wanted=False), {"absent": True}


def _about(id_: str, tolerance: Fraction) -> tuple[Condition, dict[str, Any]]:
    condition = Within(REGISTRY[id_], least=-tolerance, most=tolerance)
    return condition, {"between": [f"{float(-tolerance):g} s", f"{float(tolerance):g} s"]}


INTEGRITY: tuple[Line, ...] = (
    _line(
        "complete",
        Equals(REGISTRY[keys.WRAPPER_COMPLETE.id], True),
        {"equals": True},
        "Whole file",
        Weight.MUST,
        "A copy that was cut short or lost packets plays up to a point and then stops or breaks up.",
        "",  # as for the characteristic
    ),
    _line(
        "extension",
        WitnessesAgree(REGISTRY[keys.WRAPPER_FORMAT.id]),
        {"witnesses_agree": True},
        "Extension fits the content",
        Weight.SHOULD,
        "Many receivers choose their reader by the extension and refuse what it finds.",
        "Give the file the extension of its wrapper, or export with the wrapper that the extension promises.",
    ),
    _line(
        "contradictions",
        *_absent(keys.FILE_CONTRADICTIONS.id),
        "Witnesses agree",
        Weight.SHOULD,
        "Where wrapper and stream disagree, every player decides for itself which one to believe.",
        "Export again with one setting for both; where only the wrapper is wrong, a new wrapper is enough.",
    ),
    _line(
        "level",
        *_absent(keys.PICTURE_LEVEL_EXCEEDED.id),
        "Within its own level",
        Weight.SHOULD,
        "A player that trusts the level runs out of memory or time, or refuses the file.",
        "Set the level of the export to automatic, or to the lowest level that allows size, rate and bit rate.",
    ),
    _line(
        "unreadable",
        *_absent(keys.CONTENT_UNREADABLE.id),
        "Every picture decodes",
        Weight.MUST,
        "",  # as for the characteristic
        "Copy the file again and compare its checksum; if it stays so, export again.",
    ),
    _line(
        "burst",
        *_absent(keys.CONTENT_BURST.id),
        "No sign of damage that decodes",
        Weight.SHOULD,
        "",  # as for the characteristic
        "",
    ),
    _line(
        "gaps",
        *_absent(keys.TIMING_GAPS.id),
        "No missing frame times",
        Weight.SHOULD,
        "Where a step between frames is too long the picture stands still and may slip against the sound.",
        "Export at a constant frame rate; if the source wanders, conform it before editing.",
    ),
    _line(
        "duplicates",
        *_absent(keys.TIMING_DUPLICATES.id),
        "No frame time twice",
        Weight.MUST,
        "Of two frames with the same time a player shows one and drops the other.",
        "Export or rewrap the file again; if it comes back, the source has a broken clock.",
    ),
    _line(
        "disorder",
        *_absent(keys.TIMING_DISORDER.id),
        "Times in order",
        Weight.MUST,
        "A decoder that gets frames later than it should show them stutters or stops.",
        "Rewrap the file so that decode times are written anew.",
    ),
    _line(
        "sound-gaps",
        *_absent(keys.TIMING_SOUND_GAPS.id),
        "No gaps in the sound",
        Weight.SHOULD,
        "Where no sound packet comes, some players are silent and others pull the sound forward, out of step.",
        "Export the sound as one unbroken track.",
    ),
    _line(
        "sound-unreadable",
        *_absent(keys.SOUND_UNREADABLE.id),
        "All sound decodes",
        Weight.MUST,
        "",  # as for the characteristic
        "",
    ),
    _line(
        "sound-start",
        *_about(keys.TIMING_SOUND_OFFSET.id, _SOUND_TOLERANCE),
        "Sound starts with the picture",
        Weight.SHOULD,
        "Sound that begins at another time than the picture is heard out of step.",
        "Line up the start of sound and picture in the timeline and export again.",
    ),
    _line(
        "sound-length",
        *_about(keys.TIMING_SOUND_LENGTH_DIFFERENCE.id, _SOUND_TOLERANCE),
        "Sound as long as the picture",
        Weight.SHOULD,
        "A sound that is longer or shorter than its picture has drifted, was cut, or belongs to something else.",
        "Set one range for sound and picture, and check the sample rate through the whole chain.",
    ),
)
