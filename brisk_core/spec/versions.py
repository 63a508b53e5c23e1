"""Which lines two versions of a spec judge differently."""

from __future__ import annotations

from brisk_core.spec.against import MASTER_LINES, TIMELINE_LINES
from brisk_core.spec.captioned import CAPTION_LINES
from brisk_core.spec.document import Spec
from brisk_core.spec.integrity import INTEGRITY
from brisk_core.spec.line import Line

#: Lines beside the spec's own, in the order of their findings.
EVERY_FILE: tuple[Line, ...] = (*TIMELINE_LINES, *MASTER_LINES, *CAPTION_LINES, *INTEGRITY)


def lines_that_differ(old: Spec, new: Spec) -> tuple[frozenset[str], frozenset[str]]:
    """Return the ids of lines that two versions of a spec judge differently, and of those that the new one drops.

    Integrity lines are among them where one version asks about their characteristic and the other does not.
    """
    before = {raw["id"]: raw for raw in old.document["lines"]}
    after = {raw["id"]: raw for raw in new.document["lines"]}
    differ = {id_ for id_, raw in after.items() if before.get(id_) != raw}
    dropped = set(before) - set(after)
    asked_before, asked_after = ({line.characteristic.id for line in spec.lines} for spec in (old, new))
    for line in EVERY_FILE:
        if line.characteristic.id in asked_after - asked_before:
            dropped.add(line.id)
        elif line.characteristic.id in asked_before - asked_after:
            differ.add(line.id)
    return frozenset(differ), frozenset(dropped)
