"""Facts about a file: ``kinds`` of value, the ``registry`` of characteristics, ``inspection`` by three witnesses."""

from brisk_core.facts.inspection import (
    INSPECTION_SCHEMA,
    Depth,
    FactsBuilder,
    Inspection,
    Unheard,
    Witnessed,
    inspection_from_json,
    inspection_to_json,
)
from brisk_core.facts.kinds import CaptionTrack, Chapter, Kind, Span, Track, spell, value_from_json, value_to_json
from brisk_core.facts.registry import REGISTRY, Characteristic, Group, JudgedBy, Stage, Witness, characteristic

__all__ = [
    "INSPECTION_SCHEMA",
    "REGISTRY",
    "CaptionTrack",
    "Chapter",
    "Characteristic",
    "Depth",
    "FactsBuilder",
    "Group",
    "Inspection",
    "JudgedBy",
    "Kind",
    "Span",
    "Stage",
    "Track",
    "Unheard",
    "Witness",
    "Witnessed",
    "characteristic",
    "inspection_from_json",
    "inspection_to_json",
    "spell",
    "value_from_json",
    "value_to_json",
]
