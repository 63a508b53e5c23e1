"""What a spec orders on purpose, so that nothing calls it a mistake: fields of one moment, pulldown, an enlargement."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from brisk_core.facts import Inspection, Scan, keys
from brisk_core.facts.mistakes import ENLARGED, ENLARGED_ACROSS, PROGRESSIVE_AS_FIELDS, PULLDOWN, Mistake
from brisk_core.spec.document import Spec


def without_ordered(spec: Spec, inspection: Inspection) -> Inspection:
    """Return the inspection without the mistakes that a line of the spec orders for this file."""
    told = inspection.witnessed(keys.CONTENT_MISTAKES)
    if not isinstance(told.observed, tuple):
        return inspection
    ordered = [mistake for mistake, orders in _ORDERS if orders(spec, inspection)]
    left = tuple(says for says in told.observed if not any(one.is_told_by(says) for one in ordered))
    if left == told.observed:
        return inspection
    return inspection.saying({keys.CONTENT_MISTAKES.id: replace(told, observed=left)})


def _orders_scan(scan: Scan) -> Callable[[Spec, Inspection], bool]:
    def orders(spec: Spec, inspection: Inspection) -> bool:
        chosen = (
            line.condition.chosen(inspection)[0]
            for line in spec.lines
            if line.characteristic.id == keys.PICTURE_SCAN.id
        )
        return any(condition is not None and condition.orders(scan) for condition in chosen)

    return orders


def _orders_detail(spec: Spec, inspection: Inspection) -> bool:
    """Does a line say how much detail is enough, and is there as much?"""
    detail = inspection[keys.CONTENT_DETAIL]
    chosen = (
        line.condition.chosen(inspection)[0] for line in spec.lines if line.characteristic.id == keys.CONTENT_DETAIL.id
    )
    return detail is not None and any(condition is not None and condition.holds(detail) for condition in chosen)


_ORDERS: tuple[tuple[Mistake, Callable[[Spec, Inspection], bool]], ...] = (
    (PROGRESSIVE_AS_FIELDS, _orders_scan(Scan.PROGRESSIVE_AS_FIELDS)),
    (PULLDOWN, _orders_scan(Scan.PULLDOWN_3_2)),
    (ENLARGED, _orders_detail),
    (ENLARGED_ACROSS, _orders_detail),
)
