"""Lines that every file is judged by when a timeline or a master is given, beside the spec's own lines."""

from __future__ import annotations

from brisk_core.facts import REGISTRY, keys
from brisk_core.spec.conditions import SameAsMaster, SameAsTimeline
from brisk_core.spec.line import INTEGRITY_PREFIX, Condition, Line, Weight


def _line(id_: str, name: str, label: str, weight: Weight, why: str = "", remedy: str = "") -> Line:
    characteristic = REGISTRY[id_]
    master = id_.startswith("master.")
    condition: Condition = SameAsMaster(characteristic) if master else SameAsTimeline(characteristic)
    return Line(
        id=f"{INTEGRITY_PREFIX}{name}",
        characteristic=characteristic,
        condition=condition,
        raw_condition={"same_as_master" if master else "same_as_timeline": True},
        weight=weight,
        label=label,
        why=why,
        remedy=remedy,
        witnesses=(),
    )


#: Judged when a timeline is given.
TIMELINE_LINES: tuple[Line, ...] = (
    _line(
        keys.EDIT_CUTS.id,
        "edit-cuts",
        "Cuts match the timeline",
        Weight.MUST,
    ),
    _line(
        keys.EDIT_SHOTS.id,
        "edit-shots",
        "Every shot in place",
        Weight.NOTE,
        "Names each shot of the edit and where it is in the file.",
    ),
    _line(
        keys.EDIT_GAPS.id,
        "edit-gaps",
        "Gaps are black",
        Weight.SHOULD,
        "A gap that shows something holds a picture that nobody ordered.",
    ),
    _line(
        keys.EDIT_CHAPTERS.id,
        "edit-chapters",
        "Marks are chapters",
        Weight.SHOULD,
        "Viewers jump by chapters; one that is missing or cannot be entered leads them elsewhere.",
    ),
    _line(
        keys.EDIT_SHAPE.id,
        "edit-shape",
        "Shape of the timeline",
        Weight.SHOULD,
    ),
)

#: Judged when a master is given.
MASTER_LINES: tuple[Line, ...] = (
    _line(
        keys.MASTER_MAP.id,
        "master-map",
        "Frame for frame",
        Weight.MUST,
        "A frame that is missing, doubled, blended or out of place is a fault of this export, not of the film.",
    ),
    _line(
        keys.MASTER_GEOMETRY.id,
        "master-geometry",
        "Size and position",
        Weight.MUST,
        "A picture that was stretched, flipped or moved shows it in every face and every line.",
    ),
    _line(
        keys.MASTER_LEVEL_CURVE.id,
        "master-levels",
        "Same levels",
        Weight.MUST,
        "Levels that were mapped once too often make blacks grey or cut shadows and lights off.",
    ),
    _line(
        keys.MASTER_SIMILARITY.id,
        "master-similarity",
        "Similarity",
        Weight.SHOULD,
        "What the coding has lost shows first in the worst frames.",
    ),
    _line(
        keys.MASTER_SOUND.id,
        "master-sound",
        "Same sound",
        Weight.MUST,
        "Sound that is late, drifts, is louder or has its sides exchanged is heard by everybody.",
    ),
)
