"""Verbs of captions: take a file in, read it, find where it belongs, pair and part, look at the pictures."""

from __future__ import annotations

import contextlib
from pathlib import PurePosixPath
from typing import Any

from django.db import transaction
from django.db.models import F

from brisk_core import sandbox
from brisk_core.captions import Captioned, belongs_to, evidence_of, is_caption_name
from brisk_core.errors import CaptionsRefused, UnreadableFile
from brisk_core.facts import Depth
from brisk_web.captions.models import CaptionFile, Pairing
from brisk_web.house.services import record
from brisk_web.inspections.models import Inspection
from brisk_web.storage.models import MediaFile
from brisk_web.storage.services import StorageRefused, names_beside, register

MOST_ATTEMPTS = 3  # tries when workers die
_LIMITS = sandbox.Limits(wall_s=120, processor_s=120)


@transaction.atomic
def take_in(source: MediaFile, *, by: Any = None) -> CaptionFile:
    """Keep a registered file as captions, queue its reading, and pair it with the files of the same name."""
    from brisk_web.captions.tasks import read_captions_task

    captions, new = CaptionFile.objects.get_or_create(source=source, defaults={"name": source.name})
    if new:
        read_captions_task.defer(caption_id=captions.pk)
        stems = PurePosixPath(source.name).name.split(".")
        for count in range(1, len(stems)):
            beginning = ".".join(stems[:count])
            for media_file in MediaFile.objects.filter(name__istartswith=f"{beginning}.", caption_file__isnull=True):
                if belongs_to(source.name, media_file.name):
                    pair(media_file, captions, by=by)
    return captions


@transaction.atomic
def pair_new(media_file: MediaFile, *, by: Any = None) -> None:
    """Pair a file that was just registered with the captions of its name: those known, and those in its folder."""
    for name in names_beside(media_file):
        path = str(PurePosixPath(media_file.path).with_name(name))
        if not (is_caption_name(name) and belongs_to(name, media_file.name)):
            continue
        with contextlib.suppress(StorageRefused):  # a folder, or gone by now
            register(media_file.root, path, by=by)  # the state it has now; a known one stays as it is
    stem = PurePosixPath(media_file.name).stem
    known = CaptionFile.objects.filter(source__isnull=False, name__istartswith=f"{stem}.")
    for captions in known.order_by("pk"):
        if belongs_to(captions.name, media_file.name):
            pair(media_file, captions, by=by)


@transaction.atomic
def pair(media_file: MediaFile, captions: CaptionFile, *, by: Any = None) -> Pairing:
    """Say that captions belong to a file, in place of others of their name; its checks are judged by them."""
    pairing, new = Pairing.objects.get_or_create(media_file=media_file, captions=captions)
    if new:
        if captions.source_id is not None:
            same_name = media_file.pairings.filter(captions__name=captions.name, captions__source__isnull=False)
            same_name.exclude(pk=pairing.pk).delete()
        record("captions.paired", pairing, f"Put {pairing}", by=by)
        _judge([media_file])
        look_again(media_file.inspection)
    return pairing


@transaction.atomic
def part(pairing: Pairing, *, by: Any) -> None:
    """Say that captions do not belong to a file after all."""
    media_file = pairing.media_file
    record("captions.parted", media_file, f"Took {pairing.captions.name} away from {media_file.name}", by=by)
    pairing.delete()
    _judge([media_file])


def _judge(files: list[MediaFile]) -> None:
    from brisk_web.checks.services import judge

    for media_file in files:
        for check in media_file.checks.all():
            judge(check)


def read(caption_id: int) -> None:
    """Read a caption file in the sandbox, and judge the checks that wait for it."""
    captions = CaptionFile.objects.filter(pk=caption_id).select_related("source__root").first()
    if captions is None or captions.source is None or captions.state != CaptionFile.State.QUEUED:
        return
    CaptionFile.objects.filter(pk=captions.pk).update(attempt=F("attempt") + 1)
    values: dict[str, Any] = {"state": CaptionFile.State.DONE, "error": ""}
    request = {"url": captions.source.url, "name": captions.source.name}
    try:
        values["document"] = sandbox.run("captions", request, limits=_LIMITS)
    except (CaptionsRefused, UnreadableFile) as error:
        values |= {"state": CaptionFile.State.FAILED, "error": str(error)}
    with transaction.atomic():
        CaptionFile.objects.filter(pk=captions.pk).update(**values)
        _follow(captions)


def _follow(captions: CaptionFile) -> None:
    files = list(captions.files.select_related("inspection"))
    _judge(files)
    for media_file in files:
        look_again(media_file.inspection)


def notice(inspection: Inspection) -> None:
    """Follow an inspection as it goes on: read its text tracks, and look for captions in its pictures."""
    from brisk_web.captions.tasks import read_tracks_task

    facts = inspection.facts
    if facts is None or facts.depth is Depth.HEADERS:
        return
    embedded = any(one.kind == "embedded" for one in facts.best("text.captions") or ())
    if embedded and not inspection.text_tracks.exists():
        read_tracks_task.defer(tracks_of=inspection.pk)
    else:
        _pair_tracks(inspection)
    look_again(inspection)


def read_tracks(inspection_id: int) -> None:
    """Read the text tracks of an inspected file."""
    inspection = Inspection.objects.filter(pk=inspection_id).first()
    media_file = inspection.files.select_related("root").order_by("id").first() if inspection else None
    if inspection is None or media_file is None or inspection.text_tracks.exists():
        return
    try:
        documents = sandbox.run("embedded", {"url": media_file.url}, limits=_LIMITS)
    except UnreadableFile as error:
        tracks = [CaptionFile(inspection=inspection, name="text tracks", state="failed", error=str(error))]
    else:
        tracks = [CaptionFile(inspection=inspection, name=one["name"], state="done", document=one) for one in documents]
    with transaction.atomic():
        CaptionFile.objects.bulk_create(tracks)
        _pair_tracks(inspection)
        look_again(inspection)


def _pair_tracks(inspection: Inspection) -> None:
    """Pair the tracks of an inspection with every file of these contents, and with no file that has others by now."""
    tracks = list(inspection.text_tracks.all())
    for media_file in inspection.files.all():
        stale = Pairing.objects.filter(media_file=media_file, captions__inspection__isnull=False)
        stale.exclude(captions__inspection=inspection).delete()
        for track in tracks:
            Pairing.objects.get_or_create(media_file=media_file, captions=track)
        if tracks:
            _judge([media_file])


def look_again(inspection: Inspection | None) -> None:
    """Queue looking at the pictures for captions that nobody has looked for yet, once all of them are scanned."""
    from brisk_web.captions.tasks import look_task

    facts = inspection.facts if inspection else None
    if inspection is None or facts is None or facts.depth is not Depth.FULL:
        return
    waiting = Pairing.objects.filter(media_file__inspection=inspection, burned__isnull=True, attempt=0)
    for pairing in waiting.filter(captions__state=CaptionFile.State.DONE).select_for_update(of=("self",)):
        Pairing.objects.filter(pk=pairing.pk).update(attempt=1)
        look_task.defer(pairing_id=pairing.pk)


def look(pairing_id: int) -> None:
    """Look whether captions are in the picture already, and judge the checks of the file."""
    related = ("media_file__inspection", "media_file__root", "captions")
    pairing = Pairing.objects.select_related(*related).filter(pk=pairing_id).first()
    inspection = pairing.media_file.inspection if pairing else None
    if pairing is None or inspection is None or not pairing.captions.document:
        return
    request = {
        "url": pairing.media_file.url,
        "inspection": inspection.document,
        "series_path": str(inspection.series_path),
        "document": pairing.captions.document,
    }
    try:
        found = sandbox.run("burned", request, limits=sandbox.Limits(wall_s=900, processor_s=900))
    except UnreadableFile:
        found = {"looked": 0, "seen": 0, "frames": []}  # the lines on the pictures tell why they cannot be decoded
    with transaction.atomic():
        Pairing.objects.filter(pk=pairing.pk).update(burned=found)
        _judge([pairing.media_file])


def captioned_for(media_file: MediaFile) -> Captioned | None:
    """Return the captions of a file as a judge needs them, ``None`` without any that are read."""
    pairings = list(media_file.pairings.select_related("captions"))
    read_ones = [(one, document) for one in pairings if (document := one.captions.parsed)]
    if not read_ones:
        return None
    inspection = media_file.inspection
    scan = inspection.load_scan() if inspection else None
    rate = inspection.facts.best("picture.frame_rate") if inspection and inspection.facts else None
    burned = {document.name: seen for one, document in read_ones if (seen := one.seen)}
    return Captioned(
        documents=tuple(document for _, document in read_ones),
        evidence=evidence_of(scan, rate) if scan and rate and len(scan.pictures) else None,
        burned=burned or None,
    )


def take_up_stalled(caption_ids: list[int], tracks_of: list[int], pairing_ids: list[int]) -> None:
    """Queue work again whose worker died; give up on what killed too many."""
    from brisk_web.captions.tasks import look_task, read_captions_task, read_tracks_task

    for captions in CaptionFile.objects.filter(pk__in=caption_ids, state=CaptionFile.State.QUEUED):
        if captions.attempt >= MOST_ATTEMPTS:
            says = f"the worker died {captions.attempt} times while reading it"
            CaptionFile.objects.filter(pk=captions.pk).update(state=CaptionFile.State.FAILED, error=says)
            _follow(captions)
        else:
            read_captions_task.defer(caption_id=captions.pk)
    for inspection in Inspection.objects.filter(pk__in=tracks_of, text_tracks__isnull=True):
        read_tracks_task.defer(tracks_of=inspection.pk)
    for pairing in Pairing.objects.filter(pk__in=pairing_ids, burned__isnull=True, attempt__lt=MOST_ATTEMPTS):
        Pairing.objects.filter(pk=pairing.pk).update(attempt=F("attempt") + 1)
        look_task.defer(pairing_id=pairing.pk)
