"""What a spec asks source material to be brought to."""

from __future__ import annotations

from typing import Any

from brisk_core.edit import Target, Timeline
from brisk_core.facts import Scan
from brisk_core.spec.conditions import Equals, OneOf
from brisk_core.spec.document import Spec
from brisk_core.spec.line import Condition


def target_of(spec: Spec, name: str, timeline: Timeline) -> Target:
    """Return the target that a spec's lines leave to material that goes out by a timeline.

    Where the spec allows what the timeline has, that is it; else the value that the spec fixes, the first of several.
    """
    own = Target.of_timeline(timeline)
    conditions: dict[str, Condition] = {}
    for line in spec.lines:
        conditions.setdefault(line.row.id, line.condition)

    def asked(id_: str, there: Any) -> Any:
        condition = conditions.get(id_)
        if condition is not None and there is not None and condition.orders(there):
            return there
        if isinstance(condition, Equals):
            return condition.value
        return condition.values[0] if isinstance(condition, OneOf) else None

    scan = asked("picture.scan", own.scan)
    return Target(
        name=name,
        rate=asked("picture.frame_rate", own.rate),
        size=asked("picture.size", own.size),
        pixel_aspect=asked("picture.pixel_aspect", own.pixel_aspect),
        scan=scan if scan in (Scan.PROGRESSIVE, Scan.INTERLACED) else None,
        sample_rate=asked("sound.sample_rate", own.sample_rate),
        bit_depth=asked("picture.bit_depth", own.bit_depth),
    )
