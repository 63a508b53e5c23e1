"""Findings of a check as marks on its timeline, for export."""

from __future__ import annotations

from collections.abc import Set

from brisk_core.edit import Flag
from brisk_core.facts import keys
from brisk_web.checks.models import Check

_MOST_FLAGS = 200  # places of one finding that are marked


def flags_of(check: Check, *, only: Set[str] | None = None) -> list[Flag]:
    """Return the findings of a check that do not pass, as marks on its timeline; ``only`` limits them to some lines."""
    inspection, timeline = check.media_file.inspection, check.timeline
    facts = inspection.facts if inspection else None
    rate = facts[keys.PICTURE_FRAME_RATE] if facts else None
    if timeline is None or rate is None:
        return []
    edit = timeline.edit
    scale, start = edit.rate / rate, check.range_start or 0
    flags = []
    for finding in check.findings.exclude(outcome="pass"):
        if only is not None and finding.line not in only:
            continue
        for span in finding.document["spans"][:_MOST_FLAGS]:
            first, end = (start + round(span[edge] * scale) for edge in ("start", "end"))
            if first < edit.length:
                flags.append(
                    Flag(
                        start=first,
                        end=max(min(end, edit.length), first + 1),
                        label=finding.label,
                        says=span.get("detail") or finding.document["says"],
                        outcome=finding.outcome,
                    )
                )
    return sorted(flags, key=lambda flag: flag.start)
