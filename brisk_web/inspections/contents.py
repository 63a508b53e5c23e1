"""What the stages of an inspection share: entering one, contents that are known already, telling what is known."""

from __future__ import annotations

from django.db import connection, transaction
from django.utils import timezone

from brisk_core.errors import UnreadableFile
from brisk_web.house.services import record
from brisk_web.inspections.events import facts_known
from brisk_web.inspections.finding import index_facts
from brisk_web.inspections.models import Inspection
from brisk_web.storage.models import MediaFile
from brisk_web.work.kernel import Claim


def tell(inspection: Inspection) -> None:
    """Make what is known of an inspection found, and tell those who use it."""
    index_facts(inspection)
    facts_known.send(sender=Inspection, inspection=inspection)


def enter(claim: Claim[Inspection], stage: str) -> MediaFile:
    """Enter a stage; return a file with the contents. Raises ``UnreadableFile`` as ``file_with`` does."""
    claim.write(stage=stage, stage_started_at=timezone.now(), done=0, total=0)
    return file_with(claim.row)


def file_with(inspection: Inspection) -> MediaFile:
    """Return a file that holds what an inspection is about, the first that is as it was registered.

    Raises ``UnreadableFile`` when no record of one is left, or when what lies there now is another file.
    """
    files = list(inspection.files.select_related("root").order_by("id"))
    if not files:
        raise UnreadableFile("the file's record is gone")
    found = next((file for file in files if not file.has_changed), files[0])
    found.require_unchanged()
    return found


def same_contents(checksum: str, inspection: Inspection) -> Inspection | None:
    """Return the inspection that holds these contents already; two that end at once are told one after the other."""
    if connection.in_atomic_block:
        with connection.cursor() as cursor:
            cursor.execute("SELECT pg_advisory_xact_lock(hashtext(%s))", [f"contents {checksum} {inspection.engine}"])
    return (
        Inspection.objects.filter(checksum=checksum, engine=inspection.engine, state=Inspection.State.DONE)
        .exclude(pk=inspection.pk)
        .first()
    )


@transaction.atomic
def adopt(claim: Claim[Inspection], known: Inspection) -> None:
    """Point the files of this inspection at the one that already holds their contents, and drop this one."""
    inspection = claim.row
    claim.write(state=Inspection.State.CANCELLED, finished_at=timezone.now())
    MediaFile.objects.filter(inspection=inspection).update(inspection=known)
    record("inspection.shared", known, f"The same contents are known from {known}; nothing was read again")
    inspection.delete()
    tell(known)
