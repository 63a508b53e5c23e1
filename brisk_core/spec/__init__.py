"""Delivery specifications.

From the ground up: ``values``, ``patterns``, ``conditions``, ``span_conditions``, ``limits``, ``document``, ``rule``,
``content_rules``, ``rules``, ``reasons``, ``integrity``, ``against`` and ``captioned`` (lines beside a spec's own),
``finding``, ``spans``, ``judge``, ``versions``, ``target``, ``shelf``.
"""

from brisk_core.spec.captioned import caption_limits
from brisk_core.spec.conditions import bounds
from brisk_core.spec.document import FAMILIES, SPEC_FORMAT, Line, Spec, Weight, parse_spec, spec_to_document
from brisk_core.spec.finding import Check, Finding, Outcome, Verdict, counts_of, verdict_of
from brisk_core.spec.integrity import INTEGRITY
from brisk_core.spec.judge import bit_rate_limits, judge
from brisk_core.spec.patterns import NamePattern
from brisk_core.spec.shelf import read_schema, shelf_specs, shelf_texts
from brisk_core.spec.target import target_of
from brisk_core.spec.values import read_value
from brisk_core.spec.versions import EVERY_FILE, lines_that_differ

__all__ = [
    "EVERY_FILE",
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
    "caption_limits",
    "counts_of",
    "judge",
    "lines_that_differ",
    "parse_spec",
    "read_schema",
    "read_value",
    "shelf_specs",
    "shelf_texts",
    "spec_to_document",
    "target_of",
    "verdict_of",
]
