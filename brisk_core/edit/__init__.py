"""The source edit.

``timeline`` (the model), ``importing`` (OTIO, bundles, AAF, EDL) with ``otio_reading``, ``edl_lines``, ``edl_reading``
and ``hints``, ``exporting``, ``ranges``; ``agreement`` (the file's settings against the timeline's), ``conform`` (its
cuts), ``rate_change``, ``sources``, ``differences`` (of two versions of an edit).
"""

from brisk_core.edit.agreement import Agreement, agree, hold
from brisk_core.edit.conform import Conform, ShotState, conform, observed_of
from brisk_core.edit.cut_train import Observed
from brisk_core.edit.differences import EditChange, compare_edits
from brisk_core.edit.exporting import Flag, write_edl, write_otio
from brisk_core.edit.hints import EditHints
from brisk_core.edit.importing import import_edit
from brisk_core.edit.ranges import FrameRange, carried_over, parse_range
from brisk_core.edit.rate_change import RateChange, change_rate
from brisk_core.edit.sources import Change, SourceUse, Target, of_inspection, sources_against
from brisk_core.edit.timeline import (
    TIMELINE_SCHEMA,
    Event,
    Lane,
    Mark,
    Shot,
    Source,
    Timeline,
    timeline_from_json,
    timeline_to_json,
)

__all__ = [
    "TIMELINE_SCHEMA",
    "Agreement",
    "Change",
    "Conform",
    "EditChange",
    "EditHints",
    "Event",
    "Flag",
    "FrameRange",
    "Lane",
    "Mark",
    "Observed",
    "RateChange",
    "Shot",
    "ShotState",
    "Source",
    "SourceUse",
    "Target",
    "Timeline",
    "agree",
    "carried_over",
    "change_rate",
    "compare_edits",
    "conform",
    "hold",
    "import_edit",
    "observed_of",
    "of_inspection",
    "parse_range",
    "sources_against",
    "timeline_from_json",
    "timeline_to_json",
    "write_edl",
    "write_otio",
]
