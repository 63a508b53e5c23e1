"""What a spec asks source material to be brought to."""

from __future__ import annotations

from typing import Any

from brisk_core.edit import Target
from brisk_core.facts import Scan
from brisk_core.spec.conditions import Equals, OneOf
from brisk_core.spec.document import Spec


def target_of(spec: Spec, name: str) -> Target:
    """Return the target that a spec's lines fix; a value that may be one of several counts as its first."""
    asked: dict[str, Any] = {}
    for line in spec.lines:
        condition = line.condition
        if isinstance(condition, Equals):
            asked.setdefault(line.row.id, condition.value)
        elif isinstance(condition, OneOf) and condition.values:
            asked.setdefault(line.row.id, condition.values[0])
    scan = asked.get("picture.scan")
    return Target(
        name=name,
        rate=asked.get("picture.frame_rate"),
        size=asked.get("picture.size"),
        pixel_aspect=asked.get("picture.pixel_aspect"),
        scan=scan if scan in (Scan.PROGRESSIVE, Scan.INTERLACED) else None,
        sample_rate=asked.get("sound.sample_rate"),
        bit_depth=asked.get("picture.bit_depth"),
    )
