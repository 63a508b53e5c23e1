"""Verbs of captions: take a file in, read it, find where it belongs, pair and part, look at the pictures."""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from pathlib import PurePosixPath

from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import Prefetch, prefetch_related_objects

from brisk_core import sandbox
from brisk_core.captions import Captioned, belongs_to, evidence_of, is_caption_name
from brisk_core.errors import UnreadableFile
from brisk_core.facts import Depth, keys
from brisk_core.sandbox import requests
from brisk_web.captions.events import captions_known
from brisk_web.captions.models import CaptionFile, Look, Pairing, TrackReading
from brisk_web.house.services import record
from brisk_web.inspections.contents import file_with
from brisk_web.inspections.models import Inspection
from brisk_web.storage import shared
from brisk_web.storage.models import MediaFile
from brisk_web.storage.services import StorageRefused, names_beside, register
from brisk_web.work.kernel import Claim, work

_LIMITS = sandbox.Limits(wall_s=120, processor_s=120)
_LOOK_LIMITS = sandbox.Limits(wall_s=900, processor_s=900)


@transaction.atomic
def take_in(source: MediaFile, *, by: User | None = None) -> CaptionFile:
    """Keep a registered file as captions, queue its reading, and pair it with the files of the same name."""
    captions, new = CaptionFile.objects.get_or_create(source=source, defaults={"name": source.name})
    if new:
        read_captions.knock(captions.pk)
        stems = PurePosixPath(source.name).name.split(".")
        for count in range(1, len(stems)):
            beginning = ".".join(stems[:count])
            for media_file in MediaFile.objects.filter(name__istartswith=f"{beginning}.", caption_file__isnull=True):
                if belongs_to(source.name, media_file.name):
                    pair(media_file, captions, by=by)
    return captions


@transaction.atomic
def pair_new(media_file: MediaFile, *, by: User | None = None) -> None:
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
def pair(media_file: MediaFile, captions: CaptionFile, *, by: User | None = None) -> Pairing:
    """Say that captions belong to a file, in place of others of their name; its checks are judged by them."""
    pairing, new = Pairing.objects.get_or_create(media_file=media_file, captions=captions)
    if new:
        if captions.source_id is not None:
            same_name = media_file.pairings.filter(captions__name=captions.name, captions__source__isnull=False)
            same_name.exclude(pk=pairing.pk).delete()
        record("captions.paired", pairing, f"Put {pairing}", by=by)
        _tell([media_file])
        look_again(media_file.inspection)
    return pairing


@transaction.atomic
def part(pairing: Pairing, *, by: User | None) -> None:
    """Say that captions do not belong to a file after all."""
    media_file = pairing.media_file
    record("captions.parted", media_file, f"Removed {pairing.captions.name} from {media_file.name}", by=by)
    pairing.delete()
    _tell([media_file])


def _tell(files: list[MediaFile]) -> None:
    captions_known.send(sender=CaptionFile, media_files=files)


def follow(captions: CaptionFile) -> None:
    """Tell what is known of captions now to the files that they belong to, and look for them in the pictures."""
    files = list(captions.files.select_related("inspection"))
    _tell(files)
    for media_file in files:
        look_again(media_file.inspection)


def notice(inspection: Inspection) -> None:
    """Follow an inspection as it goes on: read its text tracks, and look for captions in its pictures."""
    facts = inspection.facts
    if facts is None or facts.depth is Depth.HEADERS:
        return
    embedded = any(one.kind == "embedded" and one.count for one in facts[keys.TEXT_CAPTIONS] or ())
    if embedded and not inspection.text_tracks.exists():
        reading, new = TrackReading.objects.get_or_create(inspection=inspection)
        if new:
            read_tracks.knock(reading.pk)
    else:
        pair_tracks(inspection)
    look_again(inspection)


def pair_tracks(inspection: Inspection) -> None:
    """Pair the tracks of an inspection with every file of these contents, and with no file that has others by now."""
    tracks = list(inspection.text_tracks.all())
    for media_file in inspection.files.all():
        stale = Pairing.objects.filter(media_file=media_file, captions__inspection__isnull=False)
        stale.exclude(captions__inspection=inspection).delete()
        for track in tracks:
            Pairing.objects.get_or_create(media_file=media_file, captions=track)
        if tracks:
            _tell([media_file])


def look_again(inspection: Inspection | None) -> None:
    """Queue looking at the pictures for captions that nobody has looked for yet, once all of them are scanned."""
    facts = inspection.facts if inspection else None
    if inspection is None or facts is None or facts.depth is not Depth.FULL:
        return
    waiting = Pairing.objects.filter(media_file__inspection=inspection, captions__state=CaptionFile.State.DONE)
    for pairing in waiting.filter(look__isnull=True):
        look, new = Look.objects.get_or_create(pairing=pairing)
        if new:
            look_at_pictures.knock(look.pk)


@work("headers", CaptionFile, doing="reading it", priority=5, related=("source__root",), ended=follow)
def read_captions(claim: Claim[CaptionFile]) -> None:
    """Read a caption file."""
    source = claim.row.source
    if source is None:
        raise UnreadableFile("the file's record is gone")
    source.require_unchanged()
    request = requests.Captions(url=source.url, name=source.name)
    claim.end(document=sandbox.run(request, limits=_LIMITS, should_stop=claim.should_stop))


@work("scan", TrackReading, doing="reading the captions inside", priority=5, related=("inspection",))
def read_tracks(claim: Claim[TrackReading]) -> None:
    """Read the captions inside an inspected file; a document says so where they cannot be read."""
    inspection = claim.row.inspection
    media_file = file_with(inspection)
    known = {"inspection": inspection}
    try:
        request = requests.Embedded(url=media_file.url)
        documents = sandbox.run(request, should_stop=claim.should_stop)
    except (sandbox.Cancelled, sandbox.Interrupted):
        raise
    except UnreadableFile as error:
        tracks = [CaptionFile(name="captions inside", state=CaptionFile.State.FAILED, error=str(error), **known)]
    else:
        tracks = [
            CaptionFile(name=document["name"], state=CaptionFile.State.DONE, document=document, **known)
            for document in documents
        ]
    with transaction.atomic():
        claim.end()
        CaptionFile.objects.bulk_create(tracks)
        pair_tracks(inspection)
        look_again(inspection)


def _looked(look: Look) -> None:
    _tell([look.pairing.media_file])


@work(
    "scan",
    Look,
    doing="looking at the pictures",
    priority=5,
    related=("pairing__media_file__inspection", "pairing__media_file__root", "pairing__captions"),
    ended=_looked,
)
def look_at_pictures(claim: Claim[Look]) -> None:
    """Look whether captions are in the picture already."""
    pairing = claim.row.pairing
    inspection = pairing.media_file.inspection
    if inspection is None or inspection.document is None or not pairing.captions.document:
        raise UnreadableFile("the captions or the pictures have not been read")
    pairing.media_file.require_unchanged()
    shared.bring(inspection.series_path)
    request = requests.Burned(
        url=pairing.media_file.url,
        inspection=inspection.document,
        series_path=str(inspection.series_path),
        document=pairing.captions.document,
    )
    try:
        found = sandbox.run(request, limits=_LOOK_LIMITS, should_stop=claim.should_stop)
    except (sandbox.Cancelled, sandbox.Interrupted):
        raise
    except UnreadableFile:
        found = {"looked": 0, "seen": 0, "frames": []}  # the lines on the pictures tell why they cannot be decoded
    claim.end(document=found)


def with_captions(files: Sequence[MediaFile]) -> None:
    """Fetch the captions of some files at once, so that ``captioned_for`` asks nothing for each."""
    fetch = Prefetch("pairings", Pairing.objects.select_related("captions", "look"))
    prefetch_related_objects(list(files), fetch)


def captioned_for(media_file: MediaFile) -> Captioned | None:
    """Return the captions of a file as a judge needs them, ``None`` without any that are read."""
    fetched = getattr(media_file, "_prefetched_objects_cache", {}).get("pairings")
    pairings = list(media_file.pairings.select_related("captions", "look") if fetched is None else fetched)
    read_ones = [(one, document) for one in pairings if (document := one.captions.parsed)]
    if not read_ones:
        return None
    inspection = media_file.inspection
    scan = inspection.load_scan() if inspection else None
    rate = inspection.facts[keys.PICTURE_FRAME_RATE] if inspection and inspection.facts else None
    burned = {document.name: seen for one, document in read_ones if (seen := one.seen)}
    return Captioned(
        documents=tuple(document for _, document in read_ones),
        evidence=evidence_of(scan, rate) if scan and rate and len(scan.pictures) else None,
        burned=burned or None,
    )
