"""Which conditions make sense for a characteristic: what an editor of specs offers."""

from __future__ import annotations

from brisk_core.captions import LIMITS
from brisk_core.facts import Characteristic, Kind, Stage, keys
from brisk_core.spec.conditions import TIMELINE_TWINS
from brisk_core.spec.values import ORDERED, UNCOMPARED, is_ordered


def conditions_for(characteristic: Characteristic) -> tuple[str, ...]:
    """Return the names of the conditions that a line on a characteristic may have, the likeliest first."""
    kind, id_ = characteristic.kind, characteristic.id
    if id_ == keys.BITRATE_BUFFER.id:
        return ("fits_buffer",)
    found: list[str] = []
    if id_ in LIMITS:
        found += ["at_least"] if id_ == keys.TEXT_GAP.id else ["at_most"]
    elif kind in (Kind.SPANS, Kind.TIMES):
        found += ["absent", "none_longer_than", "at_most_in_all", "only_at_ends"]
    elif kind not in UNCOMPARED:
        found += ["equals"] if kind is Kind.FLAG else ["equals", "one_of"]
        if is_ordered(characteristic):
            found += ["between", "at_least", "at_most"]
        if kind in ORDERED:
            found.append("near")
        if kind is Kind.TEXT:
            found.append("matches")
    if id_ in TIMELINE_TWINS or id_.startswith("edit."):
        found.append("same_as_timeline")
    if id_.startswith("master."):
        found.append("same_as_master")
    found += [one for one in ("present", "absent") if one not in found and characteristic.stage is not Stage.CHECK]
    if len(characteristic.witnesses) > 1:
        found.append("witnesses_agree")
    if kind not in UNCOMPARED and id_ not in LIMITS:
        found += ["cases"] if kind is Kind.TEXTS else ["table", "cases"]
    return tuple(found)
