"""Verbs of timelines."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from django.contrib.auth.models import User
from django.core.files.base import ContentFile, File
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction

from brisk_core import sandbox
from brisk_core.edit import EditHints, Source, carried_over, of_inspection, timeline_from_json, timeline_to_json
from brisk_core.edit import Timeline as Edit
from brisk_core.errors import EditRefused
from brisk_core.exact import parse_rate
from brisk_core.sandbox import requests
from brisk_web.edits.events import timeline_changed, timeline_retimed
from brisk_web.edits.models import EdlText, Timeline
from brisk_web.house.services import defaults, record
from brisk_web.storage.models import MediaFile

if TYPE_CHECKING:
    from brisk_web.jobs.models import Job


_MOST_KEPT = 4_000_000  # bytes of an EDL
_ASSUMED = ("size", "scan", "pixel_aspect", "sample_rate")  # that neither a file nor a person may say


def assumed_here() -> dict[str, Any]:
    """Return what is taken for true of an imported edit where neither its file nor a person says it."""
    known = defaults()
    return {name: getattr(known, name) for name in _ASSUMED}


def read_edit(file: File[Any], hints: dict[str, Any]) -> dict[str, Any]:
    """Read an edit file in the sandbox and return its JSON; raises ``EditRefused`` with what is wrong."""
    with tempfile.NamedTemporaryFile(prefix="edit-") as copy:
        for chunk in file.chunks():
            copy.write(chunk)
        copy.flush()
        request = requests.Edit(path=os.path.realpath(copy.name), name=file.name or "edit", hints=hints)
        return sandbox.run(request, limits=sandbox.Limits(wall_s=60, processor_s=60))


def import_timeline(
    job: Job,
    upload: UploadedFile[Any],
    hints: dict[str, Any],
    *,
    assumed: dict[str, Any] | None = None,
    replaces: Timeline | None = None,
    by: User | None,
) -> Timeline:
    """Import an edit into a job, as the next version of another where one is given; raises ``EditRefused``.

    ``hints`` are a person's word and win over the file; what neither says of size, scan, pixel aspect and sample rate
    is as ``assumed``.
    """
    name = upload.name or "edit"
    document = read_edit(upload, hints)  # takes up to a minute, so no transaction is open yet
    document = timeline_to_json(_filled(timeline_from_json(document), EditHints.from_json(assumed or {})))
    with transaction.atomic():
        timeline = Timeline.objects.create(
            job=job,
            name=document["name"][:200],
            file_name=name[:255],
            document=document,
            replaces=replaces,
        )
        if name.lower().endswith(".edl") and (upload.size or 0) <= _MOST_KEPT:
            upload.seek(0)
            EdlText.objects.create(timeline=timeline, data=upload.read(), hints=hints)
        record("timeline.imported", timeline, f"Imported {upload.name} into {job.title}", by=by)
    return timeline


def _filled(edit: Edit, assumed: EditHints) -> Edit:
    """An edit in which what its file does not say is as assumed."""
    return replace(
        edit,
        size=edit.size or assumed.size,
        scan=edit.scan or assumed.scan,
        pixel_aspect=edit.pixel_aspect or assumed.pixel_aspect,
        sample_rate=edit.sample_rate or assumed.sample_rate,
    )


def change_timeline(timeline: Timeline, name: str, said: dict[str, Any], *, rate: str = "", by: User | None) -> bool:
    """Give a timeline another name, and mend what was said beside its file: size, scan, pixel aspect, sample rate, and
    the frame rate of an EDL, which is read again for it.

    Return whether what files are held against has changed; raises ``ValueRefused`` for a value that is none, and
    ``EditRefused`` for an edit that cannot be read at the rate.
    """
    before = timeline.edit
    read, hints_kept = _at_rate(timeline, rate)  # takes up to a minute, so no transaction is open yet
    hints = EditHints.from_json(said)
    edit = replace(
        read,
        size=hints.size,
        scan=hints.scan,
        pixel_aspect=hints.pixel_aspect,
        sample_rate=hints.sample_rate,
    )
    changed = edit != before
    with transaction.atomic():
        timeline.name, timeline.document = name, timeline_to_json(edit)
        timeline.save(update_fields=["name", "document"])
        record("timeline.changed", timeline, f"Changed the timeline {name}: {timeline.summary}", by=by)
        if hints_kept is not None:
            EdlText.objects.filter(timeline=timeline).update(hints=hints_kept)
            timeline_retimed.send(
                sender=Timeline, timeline=timeline, carried=lambda place: carried_over(place, before, edit)
            )
        if changed:
            timeline_changed.send(sender=Timeline, timeline=timeline)
    return changed


def _at_rate(timeline: Timeline, rate: str) -> tuple[Edit, dict[str, Any] | None]:
    """A timeline's edit at a rate, with the hints by which it was read; ``None`` for them where it needs no reading."""
    edit = timeline.edit
    wanted = parse_rate(rate) if rate else edit.rate
    if wanted == edit.rate and (not rate or edit.rate_stated):
        return edit, None
    kept = EdlText.objects.filter(timeline=timeline).first()
    if kept is None:
        raise EditRefused(f"{timeline.file_name} states its rate itself, or was not kept; import it again to mend that")
    hints = {**kept.hints, "rate": str(wanted)}
    return timeline_from_json(read_edit(ContentFile(bytes(kept.data), timeline.file_name), hints)), hints


def carried_range(start: int | None, end: int | None, carried: Callable[[int], int]) -> tuple[int | None, int | None]:
    """Return a range whose frames have other numbers now; one that would be empty has the frame before its end."""
    if start is None or end is None:
        return start, end
    first, last = carried(start), max(carried(end), 1)
    return min(first, last - 1), last


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
