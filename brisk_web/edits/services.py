"""Verbs of timelines."""

from __future__ import annotations

import os
import tempfile
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from django.contrib.auth.models import User
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction

from brisk_core import sandbox
from brisk_core.edit import EditHints, Source, of_inspection, timeline_to_json
from brisk_core.edit import Timeline as Edit
from brisk_core.sandbox import requests
from brisk_web.edits.events import timeline_changed
from brisk_web.edits.models import Timeline
from brisk_web.house.services import record
from brisk_web.storage.models import MediaFile

if TYPE_CHECKING:
    from brisk_web.jobs.models import Job


def read_edit(upload: UploadedFile[Any], hints: dict[str, Any]) -> dict[str, Any]:
    """Read an edit file in the sandbox and return its JSON; raises ``EditRefused`` with what is wrong."""
    with tempfile.NamedTemporaryFile(prefix="edit-") as file:
        for chunk in upload.chunks():
            file.write(chunk)
        file.flush()
        request = requests.Edit(path=os.path.realpath(file.name), name=upload.name or "edit", hints=hints)
        return sandbox.run(request, limits=sandbox.Limits(wall_s=60, processor_s=60))


def import_timeline(
    job: Job, upload: UploadedFile[Any], hints: dict[str, Any], *, replaces: Timeline | None = None, by: User | None
) -> Timeline:
    """Import an edit into a job, as the next version of another where one is given; raises ``EditRefused``."""
    document = read_edit(upload, hints)  # takes up to a minute, so no transaction is open yet
    with transaction.atomic():
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
def change_timeline(timeline: Timeline, name: str, said: dict[str, Any], *, by: User | None) -> bool:
    """Give a timeline another name, and mend what was said beside its file: size, scan, pixel aspect, sample rate.

    Return whether what files are held against has changed; raises ``ValueRefused`` for a value that is none.
    """
    hints = EditHints.from_json(said)
    edit = replace(
        timeline.edit,
        size=hints.size,
        scan=hints.scan,
        pixel_aspect=hints.pixel_aspect,
        sample_rate=hints.sample_rate,
    )
    changed = edit != timeline.edit
    timeline.name, timeline.document = name, timeline_to_json(edit)
    timeline.save(update_fields=["name", "document"])
    record("timeline.changed", timeline, f"Changed the timeline {name}: {timeline.summary}", by=by)
    if changed:
        timeline_changed.send(sender=Timeline, timeline=timeline)
    return changed


def known_sources(timeline: Edit) -> list[tuple[Source, MediaFile | None]]:
    """Return the sources of an edit with what the house knows of them: the inspected file of that name, if any.

    Of several files with the name the newest inspected one counts.
    """
    names = {source.name for source in timeline.sources}
    files: dict[str, MediaFile] = {}
    for file in MediaFile.objects.filter(name__in=names).select_related("inspection", "root").order_by("pk"):
        if file.inspection and file.inspection.facts:
            files[file.name] = file
    found: list[tuple[Source, MediaFile | None]] = []
    for source in timeline.sources:
        known = files.get(source.name)
        facts = known.inspection.facts if known and known.inspection else None
        found.append((of_inspection(source, facts) if facts else source, known))
    return found
