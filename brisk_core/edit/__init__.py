"""The source edit: ``timeline`` (the model), ``edl_lines``, ``importing`` (OTIO and EDL), ``ranges``, ``agreement``."""

from brisk_core.edit.agreement import Agreement, agree
from brisk_core.edit.importing import EditHints, import_edit
from brisk_core.edit.ranges import FrameRange, parse_range
from brisk_core.edit.timeline import (
    TIMELINE_SCHEMA,
    Event,
    Lane,
    Mark,
    Timeline,
    timeline_from_json,
    timeline_to_json,
)

__all__ = [
    "TIMELINE_SCHEMA",
    "Agreement",
    "EditHints",
    "Event",
    "FrameRange",
    "Lane",
    "Mark",
    "Timeline",
    "agree",
    "import_edit",
    "parse_range",
    "timeline_from_json",
    "timeline_to_json",
]
