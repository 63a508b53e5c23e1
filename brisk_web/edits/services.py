"""Verbs of timelines."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

from django.core.files.uploadedfile import UploadedFile
from django.db import transaction

from brisk_core import sandbox
from brisk_core.edit import Flag, FrameRange, Source, of_inspection
from brisk_core.edit import Timeline as Edit
from brisk_web.checks.models import Check
from brisk_web.edits.models import Timeline
from brisk_web.house.services import record
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.storage.models import MediaFile

_MOST_FLAGS = 200  # places of one finding that are marked


def read_edit(upload: UploadedFile, hints: dict[str, Any]) -> dict[str, Any]:
    """Read an edit file in the sandbox and return its JSON; raises ``EditRefused`` with what is wrong."""
    with tempfile.NamedTemporaryFile(prefix="edit-") as file:
        for chunk in upload.chunks():
            file.write(chunk)
        file.flush()
        request = {"path": str(Path(file.name)), "name": upload.name or "edit", "hints": hints}
        limits = sandbox.Limits(wall_s=60, processor_s=60)
        document: dict[str, Any] = sandbox.run("edit", request, limits=limits)
        return document


@transaction.atomic
def import_timeline(
    job: Job, upload: UploadedFile, hints: dict[str, Any], *, replaces: Timeline | None = None, by: Any
) -> Timeline:
    """Import an edit into a job, as the next version of another where one is given; raises ``EditRefused``."""
    document = read_edit(upload, hints)
    timeline = Timeline.objects.create(
        job=job,
        name=document["name"][:200],
        file_name=(upload.name or "edit")[:255],
        document=document,
        replaces=replaces,
    )
    record("timeline.imported", timeline, f"Imported {upload.name} into {job.title}", by=by)
    return timeline


@transaction.atomic
def set_range(deliverable: Deliverable, part: FrameRange | None, *, by: Any) -> None:
    """Set the range that a deliverable covers, ``None`` for all of its timeline; open checks keep the one they have."""
    deliverable.range_start, deliverable.range_end = (part.start, part.end) if part else (None, None)
    deliverable.save(update_fields=["range_start", "range_end"])
    record("deliverable.range-set", deliverable, f"Set the range of {deliverable} to {deliverable.range_text}", by=by)


def known_sources(timeline: Edit) -> list[tuple[Source, MediaFile | None]]:
    """Return the sources of an edit with what the house knows of them: the inspected file of that name, if any.

    Of several files with the name the newest inspected one counts.
    """
    names = {source.name for source in timeline.sources}
    files: dict[str, MediaFile] = {}
    for file in MediaFile.objects.filter(name__in=names).select_related("inspection", "root").order_by("pk"):
        if file.inspection and file.inspection.facts:
            files[file.name] = file
    found = []
    for source in timeline.sources:
        file = files.get(source.name)
        facts = file.inspection.facts if file and file.inspection else None
        found.append((of_inspection(source, facts) if facts else source, file))
    return found


def flags_of(check: Check) -> list[Flag]:
    """Return the findings of a check that do not pass, as marks on its timeline."""
    inspection, timeline = check.media_file.inspection, check.timeline
    facts = inspection.facts if inspection else None
    rate = facts.best("picture.frame_rate") if facts else None
    if timeline is None or rate is None:
        return []
    edit = timeline.edit
    scale, start = edit.rate / rate, check.range_start or 0
    flags = []
    for finding in check.findings.exclude(outcome="pass"):
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
