"""Holding a file against a master, in the worker."""

from __future__ import annotations

from django.db.models import Q

from brisk_core import sandbox
from brisk_core.errors import UnreadableFile
from brisk_core.facts import keys
from brisk_core.master import shot_names
from brisk_core.sandbox import requests
from brisk_web.edits.models import Timeline
from brisk_web.inspections.contents import file_with
from brisk_web.inspections.models import Inspection
from brisk_web.masters.events import comparison_ended
from brisk_web.masters.models import Comparison
from brisk_web.storage import shared
from brisk_web.work.kernel import Claim, work

_LIMITS = sandbox.Limits(wall_s=1800, processor_s=3600)


def _tell(comparison: Comparison) -> None:
    comparison_ended.send(sender=Comparison, comparison=comparison)


@work(
    "scan",
    Comparison,
    doing="comparing",
    priority=5,
    related=("inspection", "master", "timeline"),
    first=Q(inspection__urgent=True),
    ended=_tell,
)
def compare(claim: Claim[Comparison]) -> None:
    """Hold a file against a master; who waits for it is told in the transaction of the result."""
    comparison = claim.row
    start, end = comparison.ordered_start, comparison.ordered_end
    request = requests.Against(
        file=_side("file", comparison.inspection),
        master=_side("master", comparison.master),
        ordered=(start, end) if start is not None and end is not None else None,
        names=_names(comparison.timeline, comparison.master),
    )
    document = sandbox.run(request, limits=_LIMITS, progress=claim.progress, should_stop=claim.should_stop)
    claim.end(document=document)


def _side(name: str, inspection: Inspection) -> requests.Side:
    if inspection.document is None:
        raise UnreadableFile(f"the record of the {name} is gone")
    media_file = file_with(inspection)
    shared.bring(inspection.series_path)
    shared.bring(inspection.scan_path)
    return requests.Side(
        url=media_file.url,
        document=inspection.document,
        series_path=str(inspection.series_path),
        scan_path=str(inspection.scan_path),
    )


def _names(timeline: Timeline | None, master: Inspection) -> list[tuple[int, str]]:
    facts = master.facts
    rate = facts[keys.PICTURE_FRAME_RATE] if facts else None
    return shot_names(timeline.edit, rate) if timeline and rate else []
