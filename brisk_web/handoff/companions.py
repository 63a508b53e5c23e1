"""Verbs of what comes along with a deliverable: bring words or a file, take a poster, remove; and where each stands."""

from __future__ import annotations

import hashlib
import os
import shutil
import tempfile
from collections import defaultdict
from collections.abc import Iterable, Sequence
from datetime import datetime
from functools import lru_cache
from pathlib import Path, PurePosixPath
from typing import Any

import fsspec
from django.conf import settings
from django.contrib.auth.models import User
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from django.db.models import prefetch_related_objects
from django.utils import timezone

from brisk_core import sandbox
from brisk_core.captions.languages import language_in
from brisk_core.errors import UnreadableFile
from brisk_core.handoff.companion_files import format_of_captions
from brisk_core.handoff.companions import Brought as Found
from brisk_core.handoff.companions import Ready, judge_companion
from brisk_core.sandbox import requests
from brisk_core.spec.companions import Companion, CompanionKind, CompanionWeight
from brisk_web.captions.models import Pairing
from brisk_web.handoff.models import Brought
from brisk_web.house.models import in_use
from brisk_web.house.services import record
from brisk_web.jobs.models import Deliverable
from brisk_web.shelf.models import SpecVersion
from brisk_web.storage import shared
from brisk_web.storage.models import MediaFile
from brisk_web.storage.services import StorageRefused, check_name

_LARGEST = 1 << 30  # bytes of a file that comes along
_LONGEST = 20_000  # letters of words
_LIMITS = sandbox.Limits(wall_s=60, processor_s=60)
_WORDS = (CompanionKind.TEXT, CompanionKind.TAGS)


class CompanionRefused(Exception):
    """Something that cannot come along, with a sentence."""


@lru_cache(maxsize=1024)
def _asked_by(version_id: int, published_at: datetime | None) -> tuple[Companion, ...]:
    """What a version asks for, which never changes once it is published."""
    return SpecVersion.objects.select_related("spec", "base").get(pk=version_id).parsed().companions


def asked_of(deliverable: Deliverable) -> tuple[Companion, ...]:
    """What the spec of a deliverable asks to come along, and what must not."""
    return _asked_by(deliverable.spec_version_id, deliverable.spec_version.published_at)


def readiness_of(deliverables: Sequence[Deliverable]) -> dict[int, list[Ready]]:
    """Where the companions of deliverables stand, by their primary keys; nothing of those whose specs ask for none."""
    asking = [one for one in deliverables if asked_of(one)]
    if not asking:
        return {}
    brought: dict[tuple[int, str], list[Found]] = defaultdict(list)
    for row in in_use(Brought.objects.filter(deliverable__in=asking)):
        brought[row.deliverable_id, row.asked].append(row.found)
    captions = _captions_of(asking)
    found = {}
    for one in asking:
        rows = []
        for companion in asked_of(one):
            if companion.weight is CompanionWeight.NEVER:
                alike = [other.id for other in asked_of(one) if other.kind is companion.kind]
                there = [each for id_ in alike for each in brought[one.pk, id_]]
            else:
                beside = captions[one.pk] if companion.kind is CompanionKind.CAPTIONS else []
                there = [*brought[one.pk, companion.id], *beside]
            rows.append(judge_companion(companion, there))
        found[one.pk] = rows
    return found


def readiness(deliverable: Deliverable) -> list[Ready]:
    """Where the companions of one deliverable stand."""
    return readiness_of([deliverable]).get(deliverable.pk, [])


def holding_back(deliverable: Deliverable) -> str:
    """Say in a sentence which companions a deliverable must wait for; empty for none."""
    rows = [one for one in readiness(deliverable) if one.holds_back]
    return " ".join(f"{one.companion.label}: {one.says}" for one in rows)


def _captions_of(deliverables: Sequence[Deliverable]) -> dict[int, list[Found]]:
    """The caption files that stand beside the newest render of each deliverable."""
    prefetch_related_objects(deliverables, "renders")  # asks for nothing that is there already
    attempts = {one.pk: max(one.renders.all(), key=lambda each: each.attempt, default=None) for one in deliverables}
    newest = {pk: attempt.media_file_id for pk, attempt in attempts.items() if attempt}
    beside: dict[int, list[Found]] = defaultdict(list)
    pairings = Pairing.objects.filter(media_file__in=newest.values(), captions__source__isnull=False)
    for one in pairings.select_related("captions__source"):
        beside[one.media_file_id].append(_found_of_captions(one))
    return {pk: beside[file] for pk, file in newest.items()} | {
        one.pk: [] for one in deliverables if one.pk not in newest
    }


def _found_of_captions(pairing: Pairing) -> Found:
    read = pairing.captions.parsed
    source = pairing.captions.source
    return Found(
        name=pairing.captions.name,
        size=source.size if source else 0,
        format=format_of_captions(read.format) if read else "",
        count=len(read.captions) if read else None,
        language=language_in(pairing.captions.name) or (read.language if read else ""),
    )


def _asked(deliverable: Deliverable, asked: str) -> Companion:
    found = next((one for one in asked_of(deliverable) if one.id == asked), None)
    if found is None:
        raise CompanionRefused(f"The spec of {deliverable.name} asks for no {asked[:60]!r}.")
    if found.weight is CompanionWeight.NEVER:
        raise CompanionRefused(f"{found.label} must not come along.")
    return found


@transaction.atomic
def bring_words(deliverable: Deliverable, asked: str, text: str, *, by: User) -> Brought | None:
    """Bring words for a companion; empty ones remove what was there. Raises ``CompanionRefused``."""
    companion = _asked(deliverable, asked)
    if companion.kind not in _WORDS:
        raise CompanionRefused(f"{companion.label} is a file; expected one.")
    text = "\n".join(" ".join(row.split()) for row in text.strip().splitlines())
    if len(text) > _LONGEST or "\x00" in text:
        raise CompanionRefused(f"{companion.label} has {len(text)} letters; expected at most {_LONGEST}.")
    before = in_use(Brought.objects.filter(deliverable=deliverable, asked=asked)).first()
    if before and before.text == text:
        return before
    _retire(before)
    if not text:
        if before:
            record("companion.removed", before, f"Removed {companion.label} of {deliverable}", by=by)
        return None
    made = Brought.objects.create(deliverable=deliverable, asked=asked, text=text, made_by=by)
    record("companion.brought", made, f"Wrote {companion.label} of {deliverable}", by=by)
    return made


def bring_file(deliverable: Deliverable, asked: str, upload: UploadedFile[Any], *, by: User) -> Brought:
    """Bring a file for a companion, in place of the one before. Raises ``CompanionRefused``."""
    companion = _asked(deliverable, asked)
    if companion.kind in _WORDS:
        raise CompanionRefused(f"{companion.label} is words; expected no file.")
    try:
        name = check_name(PurePosixPath(upload.name or "").name)
    except StorageRefused as error:
        raise CompanionRefused(str(error)) from error
    if not upload.size or upload.size > _LARGEST:
        raise CompanionRefused(f"{name} has {upload.size or 0} bytes; expected 1 to {_LARGEST}.")
    with tempfile.TemporaryDirectory(dir=_folder()) as folder:
        path = Path(folder) / name
        with path.open("wb") as file:
            for chunk in upload.chunks():
                file.write(chunk)
        return _keep(deliverable, companion, path, by=by)


def take_poster(deliverable: Deliverable, asked: str, frame: int, *, by: User) -> Brought:
    """Make the poster of a frame of the newest render, in the size that is asked for. Raises ``CompanionRefused``."""
    from PIL import Image

    companion = _asked(deliverable, asked)
    render = deliverable.renders.select_related("media_file__root", "media_file__inspection").first()
    inspection = render.media_file.inspection if render else None
    if companion.kind is not CompanionKind.PICTURE:
        raise CompanionRefused(f"{companion.label} is no picture.")
    if render is None or inspection is None or not inspection.has_series:
        raise CompanionRefused("There is no render whose pictures could be taken.")
    wanted = companion.size
    with tempfile.TemporaryDirectory(dir=_folder()) as folder:
        ask = requests.Frames(
            url=render.media_file.url,
            series_path=str(inspection.series_path),
            folder=folder,
            first=frame,
            count=1,
            widest=wanted[0] if wanted else 1920,
            full=bool(inspection.facts and inspection.facts.is_full_range),
        )
        try:
            render.media_file.require_unchanged()
            made = sandbox.run(ask, limits=_LIMITS)
        except UnreadableFile as error:
            raise CompanionRefused(f"Frame {frame} cannot be taken: {error}.") from error
        if frame not in made:
            raise CompanionRefused(f"{render.media_file.name} has no frame {frame} that can be shown.")
        path = next(Path(folder).glob("*.jpg"))
        poster = Path(folder) / f"{PurePosixPath(render.media_file.name).stem}_{asked}.jpg"
        with Image.open(path) as picture:  # made by ourselves a moment ago
            shown = picture.convert("RGB")
            if wanted and abs(shown.width * wanted[1] - shown.height * wanted[0]) > max(wanted):
                raise CompanionRefused(
                    "The picture is {} × {}, another shape than the {} × {} that are asked for.".format(
                        *shown.size, *wanted
                    )
                )
            (shown.resize(wanted, Image.Resampling.LANCZOS) if wanted else shown).save(poster, quality=92)
        return _keep(deliverable, companion, poster, by=by)


def _folder() -> Path:
    folder = Path(settings.DATA_FOLDER) / "companions"
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def _keep(deliverable: Deliverable, companion: Companion, path: Path, *, by: User) -> Brought:
    """Look at a file in the sandbox and keep it, in place of the one before."""
    ask = requests.Companion(url=os.path.realpath(path), name=path.name, kind=companion.kind.value)
    try:
        facts = sandbox.run(ask, limits=_LIMITS)
    except UnreadableFile as error:
        raise CompanionRefused(f"{path.name} cannot be read: {error}.") from error
    if not facts.get("language"):
        facts["language"] = language_in(path.name)
    with path.open("rb") as file:
        digest = hashlib.file_digest(file, "sha256").hexdigest()
    with transaction.atomic():
        _retire(in_use(Brought.objects.filter(deliverable=deliverable, asked=companion.id)).first())
        made = Brought.objects.create(
            deliverable=deliverable, asked=companion.id, name=path.name, size=path.stat().st_size, sha256=digest,
            facts=facts, made_by=by,
        )  # fmt: skip
        made.path.parent.mkdir(parents=True)
        shutil.move(path, made.path)
        _share(made)
        record("companion.brought", made, f"Brought {path.name} as {companion.label} of {deliverable}", by=by)
    return made


def _share(made: Brought) -> None:
    try:
        shared.share(made.path)
    except shared.SharedStoreAway as away:
        raise CompanionRefused(f"{made.name} cannot be kept: {away}.") from away


@transaction.atomic
def remove(brought: Brought, *, by: User) -> bool:
    """Let something no longer come along; it stays on record. Return whether it did until now."""
    if brought.retired_at:
        return False
    _retire(brought)
    record("companion.removed", brought, f"Removed {brought} of {brought.deliverable}", by=by)
    return True


def _retire(brought: Brought | None) -> None:
    if brought is not None:
        Brought.objects.filter(pk=brought.pk).update(retired_at=timezone.now())


def take_captions(deliverable: Deliverable, *, by: User) -> None:
    """Let the captions beside the newest render that fit what is asked come along, as they are now.

    Raises ``CompanionRefused`` for a caption file that is no longer what was read.
    """
    render = deliverable.renders.order_by("-attempt").first()
    for companion in asked_of(deliverable):
        if companion.kind is not CompanionKind.CAPTIONS or companion.weight is CompanionWeight.NEVER or render is None:
            continue
        beside = render.media_file.pairings.filter(captions__source__isnull=False).select_related(
            "captions__source__root"
        )
        fitting = (one for one in beside if judge_companion(companion, [_found_of_captions(one)]).outcome == "pass")
        pairing = next(fitting, None)
        if pairing is not None and pairing.captions.source is not None:
            _keep_captions(deliverable, companion, pairing, pairing.captions.source, by=by)


def _keep_captions(
    deliverable: Deliverable, companion: Companion, pairing: Pairing, source: MediaFile, *, by: User
) -> None:
    try:
        source.require_unchanged()
        with fsspec.open(source.url, "rb") as file:
            data = file.read()
    except Exception as error:  # each store has errors of its own
        raise CompanionRefused(f"{source.name} cannot be taken along: {error}.") from error
    digest, found = hashlib.sha256(data).hexdigest(), _found_of_captions(pairing)
    before = in_use(Brought.objects.filter(deliverable=deliverable, asked=companion.id)).first()
    if before and before.sha256 == digest:
        return
    _retire(before)
    facts = {"format": found.format, "count": found.count, "language": found.language}
    made = Brought.objects.create(
        deliverable=deliverable, asked=companion.id, name=source.name, size=len(data), sha256=digest, facts=facts,
        made_by=by,
    )  # fmt: skip
    made.path.parent.mkdir(parents=True)
    made.path.write_bytes(data)
    _share(made)


def going_along(deliverable: Deliverable) -> list[Brought]:
    """What goes over with a deliverable, in the order in which its spec asks for it."""
    order = {one.id: number for number, one in enumerate(asked_of(deliverable))}
    rows = in_use(Brought.objects.filter(deliverable=deliverable, asked__in=order))
    return sorted(rows, key=lambda one: order[one.asked])


def words_along(rows: Iterable[Brought]) -> dict[str, str]:
    """The words among what goes over, by what they answer."""
    return {one.asked: one.text for one in rows if one.text}
