"""Delivery specifications.

From the ground up: ``values``, ``patterns``, ``reasons``, ``spans``, ``line`` (with the hearing in which its condition
judges it), ``conditions``, ``span_conditions``, ``limits``, ``condition_reader``, ``document``, ``rule``,
``content_rules``, ``rules``, ``integrity``, ``against`` and ``captioned`` (lines beside a spec's own), ``check``,
``judge``, ``versions``, ``differences``, ``taking``, ``drafting``, ``target``, ``shelf``.
"""

from brisk_core.spec.captioned import caption_limits
from brisk_core.spec.check import Check, Verdict, counts_of, verdict_of
from brisk_core.spec.differences import Change, LineChange, compare_specs, covers
from brisk_core.spec.document import FAMILIES, SPEC_FORMAT, Origin, Spec, extended_by, parse_spec, spec_to_document
from brisk_core.spec.drafting import Draft, draft_document, draft_lines
from brisk_core.spec.integrity import INTEGRITY
from brisk_core.spec.judge import bit_rate_limits, judge
from brisk_core.spec.line import Finding, Line, Outcome, Weight
from brisk_core.spec.merging import Merged, merge_documents
from brisk_core.spec.patterns import NamePattern
from brisk_core.spec.shelf import read_schema, shelf_specs, shelf_texts
from brisk_core.spec.taking import Taking, read_asked, who_takes
from brisk_core.spec.target import target_of
from brisk_core.spec.values import read_value
from brisk_core.spec.versions import EVERY_FILE, lines_that_differ

__all__ = [
    "EVERY_FILE",
    "FAMILIES",
    "INTEGRITY",
    "SPEC_FORMAT",
    "Change",
    "Check",
    "Draft",
    "Finding",
    "Line",
    "LineChange",
    "Merged",
    "NamePattern",
    "Origin",
    "Outcome",
    "Spec",
    "Taking",
    "Verdict",
    "Weight",
    "bit_rate_limits",
    "caption_limits",
    "compare_specs",
    "counts_of",
    "covers",
    "draft_document",
    "draft_lines",
    "extended_by",
    "judge",
    "lines_that_differ",
    "merge_documents",
    "parse_spec",
    "read_asked",
    "read_schema",
    "read_value",
    "shelf_specs",
    "shelf_texts",
    "spec_to_document",
    "target_of",
    "verdict_of",
    "who_takes",
]
