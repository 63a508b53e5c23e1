"""Lanes of a report: curves and places of a file along its time, as numbers and as SVG that prints sharp."""

from __future__ import annotations

from collections.abc import Sequence
from html import escape
from typing import Any

_WIDE, _HIGH, _NAME = 560.0, 56.0, 128.0  # units of a lane's drawing; the name stands left of it
_INK, _SOFT, _CURVE, _FAULT = "#1c2a33", "#5b6a72", "#5f9796", "#a93a2b"


def lane_of(
    name: str,
    unit: str,
    columns: Sequence[Sequence[float] | None],
    *,
    limits: Sequence[tuple[str, float]] = (),
    marks: Sequence[tuple[float, float]] = (),
) -> dict[str, Any]:
    """Return a lane: the least and largest value in each of its columns, ``None`` where there is none.

    ``limits`` are lines across it with their words, ``marks`` stretches from 0 to 1 of the file that are at fault.
    """
    return {
        "name": name,
        "unit": unit,
        "columns": [None if pair is None else [float(pair[0]), float(pair[1])] for pair in columns],
        "limits": [{"says": says, "value": float(value)} for says, value in limits],
        "marks": [[round(float(start), 6), round(float(end), 6)] for start, end in marks],
    }


def lane_svg(lane: dict[str, Any]) -> str:
    """Return a lane as an SVG element: its name and ends at the left, the curve as one filled shape, limits dashed."""
    there = [pair for pair in lane["columns"] if pair is not None]
    values = [value for pair in there for value in pair] + [limit["value"] for limit in lane["limits"]]
    low, high = (min(values), max(values)) if values else (0.0, 1.0)
    if high == low:
        low, high = low - 0.5, high + 0.5
    parts = [_rect(start, end) for start, end in lane["marks"]]
    parts += [f'<path d="{shape}" fill="{_CURVE}"/>' for shape in _shapes(lane["columns"], low, high)]
    for limit in lane["limits"]:
        y = _y(limit["value"], low, high)
        parts.append(
            f'<path d="M{_NAME} {y:.2f}H{_NAME + _WIDE}" stroke="{_FAULT}" stroke-width="0.8" stroke-dasharray="3 3"/>'
            f'<text x="{_NAME + _WIDE - 2}" y="{max(y - 2.5, 8):.2f}" font-size="9" text-anchor="end" fill="{_FAULT}">'
            f"{escape(limit['says'])}</text>"
        )
    ends = f"{_number(low)} to {_number(high)} {lane['unit']}" if there else "nothing measured"
    title = escape(f"{lane['name']}: {ends}")
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {_NAME + _WIDE} {_HIGH}" role="img" '
        f'aria-label="{title}"><title>{title}</title>'
        f'<text x="0" y="18" font-size="11.5" fill="{_INK}">{escape(lane["name"])}</text>'
        f'<text x="0" y="32" font-size="9" fill="{_SOFT}">{escape(ends)}</text>{"".join(parts)}'
        f'<path d="M{_NAME} {_HIGH - 0.4}H{_NAME + _WIDE}" stroke="{_SOFT}" stroke-width="0.4"/></svg>'
    )


def _rect(start: float, end: float) -> str:
    wide = max((end - start) * _WIDE, 1.2)
    return (
        f'<rect x="{_NAME + start * _WIDE:.2f}" y="0" width="{wide:.2f}" height="{_HIGH}" fill="{_FAULT}" '
        'fill-opacity="0.16"/>'
    )


def _shapes(columns: Sequence[Sequence[float] | None], low: float, high: float) -> list[str]:
    """One closed path a run of columns that have values: along the largest, back along the smallest."""
    step = _WIDE / max(len(columns), 1)
    shapes, run = [], []
    for number, pair in enumerate([*columns, None]):
        if pair is not None:
            run.append((number, pair))
        elif run:
            above = [f"{_NAME + at * step:.2f} {_y(top, low, high):.2f}" for at, (_, top) in run]
            above.append(f"{_NAME + (run[-1][0] + 1) * step:.2f} {_y(run[-1][1][1], low, high):.2f}")
            below = [f"{_NAME + (run[-1][0] + 1) * step:.2f} {_y(run[-1][1][0], low, high) + 0.6:.2f}"]
            below += [f"{_NAME + at * step:.2f} {_y(bottom, low, high) + 0.6:.2f}" for at, (bottom, _) in reversed(run)]
            shapes.append(f"M{' L'.join(above + below)}Z")
            run = []
    return shapes


def _y(value: float, low: float, high: float) -> float:
    return 2 + (_HIGH - 5) * (1 - (value - low) / (high - low))


def _number(value: float) -> str:
    return f"{value:.1f}".rstrip("0").rstrip(".") if abs(value) < 1000 else f"{value:.0f}"
