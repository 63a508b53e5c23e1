"""Verbs of timelines."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

from django.core.files.uploadedfile import UploadedFile
from django.db import transaction

from brisk_core import sandbox
from brisk_web.edits.models import Timeline
from brisk_web.house.services import record
from brisk_web.jobs.models import Job


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
def import_timeline(job: Job, upload: UploadedFile, hints: dict[str, Any], *, by: Any) -> Timeline:
    """Import an edit into a job; raises ``EditRefused``."""
    document = read_edit(upload, hints)
    timeline = Timeline.objects.create(
        job=job, name=document["name"][:200], file_name=(upload.name or "edit")[:255], document=document
    )
    record("timeline.imported", timeline, f"Imported {upload.name} into {job.title}", by=by)
    return timeline
