"""The plan of an order as a document: what is asked in words of the trade, and the answer of schema
``brisk-sentry/plan-order/1``.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from fractions import Fraction
from typing import Any

from brisk_core.exact import parse_rate, parse_ratio, parse_size, positive
from brisk_core.plan.order import Picture, Row, nearest_rows
from brisk_core.plan.words import Reader
from brisk_core.spec import Spec

ORDER_SCHEMA = "brisk-sentry/plan-order/1"
_FIELDS = ("size", "rate", "scan", "shape", "enlarge")
MOST_ROWS = 100  #: told of all specs


def plan_order(asked: Mapping[str, Any], specs: Sequence[Spec]) -> dict[str, Any]:
    """Return the rows that specs allow, the one that harms the source least first.

    ``asked`` holds ``size`` and ``rate``, maybe ``scan``, ``shape`` (width over height as shown) and ``enlarge``.
    Raises ``PlanRefused`` with every mistake and its place.
    """
    reader = Reader()
    reader.only("plan", asked, _FIELDS)
    shape = asked.get("shape")
    scan = reader.known("scan", asked.get("scan") or "progressive", ("progressive", "interlaced"))
    source = Picture(
        size=reader.take("size", parse_size, asked.get("size"), (2, 2)),
        rate=reader.take("rate", parse_rate, asked.get("rate"), Fraction(25)),
        interlaced=scan == "interlaced",
        shape=reader.take("shape", positive(parse_ratio), shape, Fraction(1)) if shape else None,
    )
    may = reader.known("enlarge", str(asked.get("enlarge") or "no").lower(), ("no", "yes", "false", "true"))
    if not specs:
        reader.note("spec", "met none; expected at least one")
    reader.refuse()
    rows = nearest_rows(source, specs, may_enlarge=may in ("yes", "true"))
    return {
        "schema": ORDER_SCHEMA,
        "asked": dict(asked),
        "source": source.words,
        "specs": [{"id": spec.id, "name": spec.name} for spec in specs],
        "rows": [_told(row, source) for row in rows[:MOST_ROWS]],
        "more": max(len(rows) - MOST_ROWS, 0),
    }


def _told(row: Row, source: Picture) -> dict[str, Any]:
    return {
        "spec": row.spec.id,
        "spec_name": row.spec.name,
        "size": list(row.picture.size),
        "rate": str(row.picture.rate),
        "scan": "interlaced" if row.picture.interlaced else "progressive",
        "shape": str(row.picture.aspect),
        "words": row.picture.words,
        "codecs": list(row.codecs),
        "harm": round(float(row.harm), 4),
        "enlarges": row.enlarges,
        "never_larger": not row.enlarges,
        "reasons": [{"kind": one.kind, "says": one.says, "harm": round(float(one.harm), 4)} for one in row.reasons],
        "fitted": _centred(row.shown),  # where the source lies in the row's frame
        "kept": _centred(row.kept),  # what of the source stays where it fills the row
    }


def _centred(shares: tuple[Fraction, Fraction]) -> dict[str, float]:
    """An area in the middle of a frame, in shares of its width and height."""
    width, height = (round(float(one), 4) for one in shares)
    return {"x": round((1 - width) / 2, 4), "y": round((1 - height) / 2, 4), "width": width, "height": height}
