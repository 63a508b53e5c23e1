"""Delivery specifications: ``values``, ``patterns``, ``conditions``, ``document``, ``rules``, ``judge``, ``shelf``."""

from brisk_core.spec.document import FAMILIES, SPEC_FORMAT, Line, Spec, Weight, parse_spec, spec_to_document
from brisk_core.spec.judge import Check, Finding, Outcome, Verdict, bit_rate_limits, judge
from brisk_core.spec.patterns import NamePattern
from brisk_core.spec.shelf import read_schema, shelf_specs, shelf_texts

__all__ = [
    "FAMILIES",
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
    "judge",
    "parse_spec",
    "read_schema",
    "shelf_specs",
    "shelf_texts",
    "spec_to_document",
]
