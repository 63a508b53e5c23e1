"""Verbs of inspections: begin, begin again, cancel."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import QuerySet

from brisk_core.version import ENGINE
from brisk_web.house.services import record
from brisk_web.inspections import scanning
from brisk_web.inspections.models import Inspection
from brisk_web.inspections.reading import read_headers
from brisk_web.storage.models import MediaFile
from brisk_web.work import kernel


@transaction.atomic
def begin(media_file: MediaFile, *, by: User | None = None) -> Inspection:
    """Queue the inspection of a file that has none."""
    inspection = Inspection.objects.create(engine=ENGINE)
    MediaFile.objects.filter(pk=media_file.pk).update(inspection=inspection)
    media_file.inspection = inspection
    record("inspection.queued", inspection, f"Queued the inspection of {media_file.name}", by=by)
    read_headers.knock(inspection.pk)
    return inspection


@transaction.atomic
def inspect_again(media_file: MediaFile, *, by: User | None) -> Inspection:
    """Queue a fresh inspection of a file, whatever is known of it; one that is still active is answered as it is."""
    old = media_file.inspection
    if old is not None and old.is_active:
        return old
    if old is not None:
        # The new one takes the place of the old for every file with the same bytes; the old makes room in the key.
        Inspection.objects.filter(pk=old.pk).update(checksum="")
    inspection = begin(media_file, by=by)
    if old is not None:
        MediaFile.objects.filter(inspection=old).update(inspection=inspection)
    return inspection


def outdated_files() -> QuerySet[MediaFile]:
    """Files whose inspection was made by an older engine and is not running."""
    return (
        MediaFile.objects.exclude(inspection__engine=ENGINE)
        .exclude(inspection__state__in=Inspection.ACTIVE)
        .filter(inspection__isnull=False)
    )


def inspect_outdated(*, by: User | None) -> int:
    """Queue a fresh inspection of every file that an older engine read; return how many inspections were queued."""
    queued: set[int] = set()
    for media_file in outdated_files().select_related("inspection").order_by("id"):
        if media_file.inspection_id is not None and media_file.inspection_id not in queued:
            queued.add(media_file.inspection_id)
            inspect_again(media_file, by=by)
    return len(queued)


@transaction.atomic
def put_first(inspection: Inspection, *, first: bool, by: User) -> bool:
    """Read a file before all others that wait, or in its turn again; return whether that changed anything.

    What belongs to it goes with it: the parts of its scan, and comparisons of it with a master.
    """
    waiting = Inspection.objects.filter(pk=inspection.pk, state__in=Inspection.ACTIVE).exclude(urgent=first)
    if not waiting.update(urgent=first):
        return False
    inspection.refresh_from_db()
    for kind in kernel.KINDS:
        if kind.model is Inspection:
            kind.rank_again(kind.rows().filter(pk=inspection.pk))
    scanning.scan_part.rank_again(inspection.parts.all())
    says = "Put the reading of {name} first" if first else "Let the reading of {name} wait for its turn again"
    name = getattr(inspection.files.first(), "name", str(inspection))
    record("inspection.put-first" if first else "inspection.in-turn", inspection, says.format(name=name), by=by)
    return True


@transaction.atomic
def cancel(inspection: Inspection, *, by: User | None) -> bool:
    """Stop a waiting or running inspection with the parts of its scan; return whether there was anything to stop."""
    stopped = kernel.cancel(inspection)
    if stopped:
        scanning.clear(inspection)
        record("inspection.cancelled", inspection, f"Cancelled {inspection}", by=by)
    return stopped
