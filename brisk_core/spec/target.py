"""What a spec asks source material to be brought to."""

from __future__ import annotations

from typing import Any

from brisk_core.edit import Target, Timeline
from brisk_core.facts import Scan, keys
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
        conditions.setdefault(line.characteristic.id, line.condition)

    def asked(id_: str, there: Any) -> Any:
        condition = conditions.get(id_)
        if condition is not None and there is not None and condition.orders(there):
            return there
        if isinstance(condition, Equals):
            return condition.value
        return condition.values[0] if isinstance(condition, OneOf) else None

    scan = asked(keys.PICTURE_SCAN.id, own.scan)
    return Target(
        name=name,
        rate=asked(keys.PICTURE_FRAME_RATE.id, own.rate),
        size=asked(keys.PICTURE_SIZE.id, own.size),
        pixel_aspect=asked(keys.PICTURE_PIXEL_ASPECT.id, own.pixel_aspect),
        scan=scan if scan in (Scan.PROGRESSIVE, Scan.INTERLACED) else None,
        sample_rate=asked(keys.SOUND_SAMPLE_RATE.id, own.sample_rate),
        bit_depth=asked(keys.PICTURE_BIT_DEPTH.id, own.bit_depth),
    )
