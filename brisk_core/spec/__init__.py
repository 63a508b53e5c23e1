"""Delivery specifications.

From the ground up: ``values``, ``patterns``, ``conditions``, ``span_conditions``, ``document``, ``rule``,
``content_rules``, ``rules``, ``reasons``, ``integrity``, ``judge``, ``shelf``.
"""

from brisk_core.spec.conditions import bounds
from brisk_core.spec.document import FAMILIES, SPEC_FORMAT, Line, Spec, Weight, parse_spec, spec_to_document
from brisk_core.spec.integrity import INTEGRITY
from brisk_core.spec.judge import (
    Check,
    Finding,
    Outcome,
    Verdict,
    bit_rate_limits,
    counts_of,
    judge,
    lines_that_differ,
    verdict_of,
)
from brisk_core.spec.patterns import NamePattern
from brisk_core.spec.shelf import read_schema, shelf_specs, shelf_texts
from brisk_core.spec.values import read_value

__all__ = [
    "FAMILIES",
    "INTEGRITY",
    "SPEC_FORMAT",
    "Check",
    "Finding",
    "Line",
    "NamePattern",
    "Outcome",
    "Spec",
    "Verdict",
    "Weight",
    "bit_rate_limits",
    "bounds",
    "counts_of",
    "judge",
    "lines_that_differ",
    "parse_spec",
    "read_schema",
    "read_value",
    "shelf_specs",
    "shelf_texts",
    "spec_to_document",
    "verdict_of",
]
