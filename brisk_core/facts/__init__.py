"""Facts about a file: ``kinds`` of value, ``characteristic``, the ``registry``, ``inspection``, ``contradictions``."""

from brisk_core.facts.characteristic import Characteristic, Group, JudgedBy, Stage, Witness
from brisk_core.facts.contradictions import find_contradictions
from brisk_core.facts.held import Held, Sentence
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
from brisk_core.facts.kinds import (
    CaptionTrack,
    Chapter,
    FieldOrder,
    Kind,
    Scan,
    Span,
    TimeSpan,
    Track,
    spell,
    value_from_json,
    value_to_json,
)
from brisk_core.facts.registry import REGISTRY, characteristic
from brisk_core.facts.words import WORDS, Word

__all__ = [
    "INSPECTION_SCHEMA",
    "REGISTRY",
    "WORDS",
    "CaptionTrack",
    "Chapter",
    "Characteristic",
    "Depth",
    "FactsBuilder",
    "FieldOrder",
    "Group",
    "Held",
    "Inspection",
    "JudgedBy",
    "Kind",
    "Scan",
    "Sentence",
    "Span",
    "Stage",
    "TimeSpan",
    "Track",
    "Unheard",
    "Witness",
    "Witnessed",
    "Word",
    "characteristic",
    "find_contradictions",
    "inspection_from_json",
    "inspection_to_json",
    "spell",
    "value_from_json",
    "value_to_json",
]
