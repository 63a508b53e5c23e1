"""Stems: sounds that must add up to the mix."""

from brisk_core.stems.measure import MOST_STEMS, StemFound, StemsFound, find_stems
from brisk_core.stems.ways import Part
from brisk_core.stems.words import STEMS_SCHEMA, stems_document, tell_stems

__all__ = [
    "MOST_STEMS",
    "STEMS_SCHEMA",
    "Part",
    "StemFound",
    "StemsFound",
    "find_stems",
    "stems_document",
    "tell_stems",
]
