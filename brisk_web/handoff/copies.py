"""What a site makes of what it was sent: each copy is fetched, inspected, held against the signed file, and judged."""

from __future__ import annotations

import datetime
import shutil
from collections.abc import Callable
from pathlib import Path

from django.conf import settings
from django.db import transaction
from django.db.models import Q, QuerySet
from django.utils import timezone

from brisk_core.errors import CoreError, ValueRefused
from brisk_core.exact import spell_bytes
from brisk_core.handoff import ServedItem, Told, judge_copy, read_item, says_of, usual_wait
from brisk_core.report import check_to_json
from brisk_web.handoff.doors import DoorClosed, DoorRefused, SiteDoor
from brisk_web.handoff.models import HandOff, ServedCopy
from brisk_web.handoff.opening import open_site
from brisk_web.inspections.models import Inspection
from brisk_web.jobs.models import Deliverable
from brisk_web.masters import services as masters
from brisk_web.masters.models import Comparison
from brisk_web.masters.services import Pair
from brisk_web.storage import shared
from brisk_web.storage.models import MediaFile, StorageRoot
from brisk_web.storage.services import register
from brisk_web.work.tidying import Removal, keeper, paths_to_remove

_ROOT = "Copies of sites"
_LEFT_S = 86_400  # after which a file in the folder of copies belongs to no look
_KEPT_FREE = 1 << 30  # bytes of our own disk that no copy may take

Stop = Callable[[], None]  #: raises where the look was stopped


def look_at_item(handoff: HandOff, stop: Stop) -> ServedItem | None:
    """Ask a site what it shows of a hand-off, fetch and judge what is new; ``None`` where it has nothing.

    Raises ``DoorClosed`` or ``DoorRefused``.
    """
    site = open_site(handoff.destination)
    try:
        told = site.item(handoff.name)
        if told is None:
            return None
        try:
            item = read_item(told)
        except ValueRefused as error:
            raise DoorClosed(f"The site's answer cannot be understood: {error}.") from error
        HandOff.objects.filter(pk=handoff.pk).update(line_speeds=[list(one) for one in item.lines])
        for copy in item.copies:
            row = _keep(handoff, copy)
            if copy.is_ready and row.media_file is None:
                _fetch(site, row, copy, stop)
    finally:
        site.close()
    ready = {one.label: one for one in item.copies if one.is_ready}
    for row in handoff.copies.filter(outcome="", media_file__isnull=False).select_related("media_file__inspection"):
        if row.label in ready:
            judge_row(row, ready[row.label])
    return item


def _keep(handoff: HandOff, copy: Told) -> ServedCopy:
    """Keep what a site tells of a copy; one that it made anew is looked at anew."""
    told = {
        "size": list(copy.size) if copy.size else None,
        "rate": str(copy.rate) if copy.rate else None,
        "codec": copy.codec,
        "bit_rate": copy.bit_rate,
        "bytes": copy.weight,
        "address": copy.address,
    }
    ready_at = datetime.datetime.fromtimestamp(copy.ready_at, datetime.UTC) if copy.ready_at else None
    with transaction.atomic():
        row, new = ServedCopy.objects.select_for_update().get_or_create(
            handoff=handoff, label=copy.label, defaults={"told": told, "ready_at": ready_at}
        )
        if not new and (row.told != told or row.ready_at != ready_at):
            row.told, row.ready_at = told, ready_at
            row.media_file, row.outcome, row.says, row.document = None, "", "", None
            row.judged_at = row.removed_at = None
            row.save()
    return row


def _fetch(site: SiteDoor, row: ServedCopy, copy: Told, stop: Stop) -> None:
    """Fetch a copy and register it as a file of the house, which has it inspected."""
    if not copy.weight or not copy.address:
        raise DoorClosed(f"The site does not say where its copy {copy.label} is, or how long.")
    folder = _folder()
    made = f"{row.handoff_id}/{Path(row.handoff.name).stem}.{copy.label}.{int(copy.ready_at or 0)}-{copy.weight}.mp4"
    path = folder / made
    path.parent.mkdir(parents=True, exist_ok=True)
    free = shutil.disk_usage(folder).free
    if copy.weight > settings.LARGEST_UPLOAD or copy.weight + _KEPT_FREE > free:
        room = spell_bytes(max(min(settings.LARGEST_UPLOAD, free - _KEPT_FREE), 0))
        raise DoorRefused(f"The copy {copy.label} has {spell_bytes(copy.weight)}; there is room for {room} here.")
    part = path.with_name(f"{path.name}.part")
    if not path.exists():
        if part.exists() and part.stat().st_size > copy.weight:
            part.unlink()
        site.fetch(copy.address, part, copy.weight, lambda _: stop())
        part.replace(path)
    shared.share(path)
    name = f"{_ROOT} (shared)" if settings.SHARED else _ROOT
    root, _ = StorageRoot.objects.get_or_create(url=_address(), defaults={"name": name})
    with transaction.atomic():
        media_file = register(root, made)
        # It is evidence, and waits in no intake.
        MediaFile.objects.filter(pk=media_file.pk, retired_at=None).update(retired_at=timezone.now())
        ServedCopy.objects.filter(pk=row.pk).update(media_file=media_file)


def judge_row(row: ServedCopy, told: Told) -> None:
    """Judge a fetched copy as far as it has been inspected and held against the signed file; else have that done."""
    own = row.media_file.inspection if row.media_file else None
    if own is None or own.is_active:
        return
    signed = row.handoff.render.media_file.inspection
    if own.state == Inspection.State.CANCELLED:
        _write(row, ServedCopy.Outcome.NOT_MEASURED, "Somebody cancelled its inspection.")
        return
    if own.state != Inspection.State.DONE or own.facts is None:
        _write(row, ServedCopy.Outcome.FAIL, f"It cannot be read: {own.error}")
        return
    if signed is None or signed.checksum != row.handoff.checksum:
        _write(row, ServedCopy.Outcome.NOT_MEASURED, "What was signed is no longer where it was.")
        return
    if own == signed:
        _write(row, ServedCopy.Outcome.PASS, "It is the very file that was signed, byte for byte.")
        return
    comparison = masters.ask(Pair(own=own, master=signed))
    if signed.facts is None or comparison is None:
        _write(row, ServedCopy.Outcome.NOT_MEASURED, "What was signed is not scanned: nothing can be held to it.")
        return
    if comparison.state in Comparison.ACTIVE:
        return
    try:
        check = judge_copy(told, own.facts, comparison.held, signed.facts)
    except CoreError as error:
        _write(row, ServedCopy.Outcome.NOT_MEASURED, str(error))
        return
    says = says_of(check)
    if comparison.error:
        says = f"It could not be held against what was signed: {comparison.error}"
    _write(row, ServedCopy.Outcome(check.verdict.value), says, check_to_json(check, own.facts))


def _write(row: ServedCopy, outcome: ServedCopy.Outcome, says: str, document: object = None) -> None:
    row.outcome, row.says, row.document, row.judged_at = outcome, says, document, timezone.now()
    row.save(update_fields=["outcome", "says", "document", "judged_at"])


def _folder() -> Path:
    """Where copies of sites lie, in a folder for each hand-off."""
    return Path(settings.DATA_FOLDER) / "copies"


def _address() -> str:
    """Where they lie for every machine of the house: in the store that machines share, else in that folder."""
    return shared.address("copies") or str(_folder())


def _taken_in() -> QuerySet[MediaFile]:
    """Copies that somebody has taken in as a render, or chosen as a master: they are more than evidence."""
    masters_of = Deliverable.objects.exclude(master=None).values("master")
    here = MediaFile.objects.filter(root__url=_address())
    return here.filter(Q(renders__isnull=False) | Q(pk__in=masters_of)).distinct()


@keeper(
    "What sites made of a hand-off",
    f"{settings.COPIES_KEPT_DAYS} days after it was judged, what is not as signed twelve times as long; "
    "what was found stays",
)
def remove_copies() -> Removal:
    """The bytes of copies that were judged long ago, of those that are not as signed much later, and what copies left
    that were made anew. What was found of each stays.
    """
    now = timezone.now()
    kept = datetime.timedelta(days=settings.COPIES_KEPT_DAYS)
    as_signed = (ServedCopy.Outcome.PASS, ServedCopy.Outcome.CAUTION)
    taken = _taken_in()
    judged = ServedCopy.objects.filter(removed_at=None, media_file__root__url=_address()).exclude(media_file__in=taken)
    old = judged.filter(judged_at__lt=now - kept, outcome__in=as_signed) | judged.filter(judged_at__lt=now - 12 * kept)
    going = {_folder() / row.media_file.path: row.pk for row in old.select_related("media_file") if row.media_file}
    known = set(ServedCopy.objects.filter(removed_at=None).values_list("media_file__path", flat=True))
    known |= set(taken.values_list("path", flat=True))
    left = [
        path
        for path in _folder().glob("*/*")
        if now.timestamp() - path.stat().st_mtime > _LEFT_S and path.relative_to(_folder()).as_posix() not in known
    ]

    def remove(path: Path) -> None:
        shared.drop(path)
        if path in going:
            ServedCopy.objects.filter(pk=going[path]).update(removed_at=now)

    return paths_to_remove([*going, *(path for path in left if path not in going)], remove)


def largest_wait(handoff: HandOff) -> float | None:
    """Return how long the last copies of former hand-offs to this destination took, in seconds, if any did."""
    waits: list[float] = []
    before = HandOff.objects.filter(destination=handoff.destination, answer__gt="").exclude(pk=handoff.pk)
    for one in before.prefetch_related("copies").order_by("-pk")[:3]:
        known = [wait for copy in one.copies.all() if (wait := copy.waited_s) is not None]
        if known:
            waits.append(max(known))
    return usual_wait(waits)
