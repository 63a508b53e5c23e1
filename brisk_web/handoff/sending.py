"""Sending: a worker takes a hand-off, sends, verifies, names it; whoever is killed is taken up where it was."""

from __future__ import annotations

import json
import os
import random
import shutil
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path, PurePosixPath

import fsspec
from django.conf import settings
from django.db import connection
from django.db.models import Q
from django.db.models.functions import Now
from django.utils import timezone

from brisk_core.exact import spell_bytes
from brisk_core.handoff import Item, digests_of, make_package
from brisk_core.whole_file import written_whole
from brisk_web.decisions.models import standing
from brisk_web.decisions.services import void_what_changed
from brisk_web.handoff.companions import words_along
from brisk_web.handoff.doors import PART, DoorClosed, DoorRefused, bring
from brisk_web.handoff.events import not_sent
from brisk_web.handoff.looking import ask_for_look
from brisk_web.handoff.models import Brought, Destination, HandOff
from brisk_web.handoff.opening import open_door
from brisk_web.house.services import record
from brisk_web.storage import shared
from brisk_web.storage.models import MediaFile
from brisk_web.storage.services import KEPT_FREE
from brisk_web.work.kernel import Claim, Overtaken, work
from brisk_web.work.models import Work
from brisk_web.work.tidying import Removal, keeper, paths_to_remove

_PAUSES_S = (5, 15, 60, 300, 900)  # before each try that follows a failure; the last one again and again
_MOST_FAILURES = 12
_BLOCK = 4 << 20  # bytes of a file of another store that are fetched at once
_WAIT_FOR_SLOT_S = 2
_WAIT_FOR_HOURS_S = 60
_LOCK_CLASS = 0x42726974  # of PostgreSQL's advisory locks: slots of destinations


@dataclass(frozen=True, slots=True, kw_only=True)
class _File:
    """A file of a hand-off: where it lies and what it is called over there."""

    source: Path
    path: str
    size: int
    xxh128: str


def _ended(row: HandOff) -> None:
    if row.state == Work.State.FAILED:
        record("handoff.failed", row, f"Could not send {row}: {row.error}")
        not_sent.send(sender=HandOff, handoff=row)
        return
    record("handoff.sent", row, f"Sent {row}, verified over there")
    ask_for_look(row)


@work(
    "handoff",
    HandOff,
    doing="sending",
    only_while=Q(paused=False) & (Q(not_before=None) | Q(not_before__lte=Now())),
    related=("render__media_file__root", "render__deliverable__job", "destination"),
    ended=_ended,
)
def send(claim: Claim[HandOff]) -> None:
    """Send a hand-off to its destination."""
    row = claim.row
    if not row.destination.is_open(timezone.localtime().time()):
        _wait(claim, _WAIT_FOR_HOURS_S, f"waits until {row.destination.opens:%H:%M}, when it may be sent")
        return
    with _slot(row.destination) as free:
        if not free:
            _wait(claim, _WAIT_FOR_SLOT_S, "waits until another one to this destination is there")
            return
        try:
            _send(claim)
        except DoorRefused as refused:
            claim.fail(str(refused))
        except (DoorClosed, shared.SharedStoreAway) as closed:
            _try_again(claim, str(closed))


def _wait(claim: Claim[HandOff], seconds: float, says: str) -> None:
    until = timezone.now() + timedelta(seconds=seconds)
    claim.write(state=Work.State.QUEUED, queued_at=Now(), tries=0, not_before=until, says=says)


def _try_again(claim: Claim[HandOff], says: str) -> None:
    """Wait a growing while and try again, or give up; a try that got further begins the count anew."""
    done = HandOff.objects.values_list("done", flat=True).get(pk=claim.row.pk)
    failures = 1 if done > claim.row.furthest else claim.row.failures + 1
    if failures >= _MOST_FAILURES:
        claim.fail(f"{says} Given up after {failures} tries.")
        return
    pause = _PAUSES_S[min(failures, len(_PAUSES_S)) - 1] * random.uniform(0.8, 1.2)  # noqa: S311 - spreads tries
    claim.write(failures=failures, furthest=max(done, claim.row.furthest))
    _wait(claim, pause, f"{says} Tries again at {timezone.localtime() + timedelta(seconds=pause):%H:%M:%S}.")


@contextmanager
def _slot(destination: Destination) -> Iterator[bool]:
    """Hold one of the places that a destination allows at once; yields whether one was free.

    A place is a lock of the database's session, so that a worker that dies gives it back.
    """
    with connection.cursor() as cursor:
        taken = None
        for number in range(destination.at_once):
            key = (destination.pk * 16 + number) % (1 << 31)
            cursor.execute("SELECT pg_try_advisory_lock(%s, %s)", [_LOCK_CLASS, key])
            if cursor.fetchone()[0]:
                taken = key
                break
        try:
            yield taken is not None
        finally:
            if taken is not None:
                cursor.execute("SELECT pg_advisory_unlock(%s, %s)", [_LOCK_CLASS, taken])


def _send(claim: Claim[HandOff]) -> None:
    row = claim.row
    void_what_changed([row.render])
    if not standing(row.render.signatures.filter(digest=row.digest)).exists():
        raise DoorRefused("The signature that it goes under no longer stands.")
    along = _along(row)
    files = _files(claim, along)
    total = 2 * sum(one.size for one in files)  # sent, and read back
    door = open_door(row.destination, _Marks(claim), words_along(along))
    try:
        free = door.free()
        missing = sum(one.size - (door.size_of(one.path + PART) or 0) for one in files)
        if free is not None and free < missing:
            raise DoorClosed(
                f"There is no room: {spell_bytes(missing)} are to be written, {spell_bytes(free)} are free."
            )
        done = 0
        for one in files:
            sent, checked = _telling(claim, done, total), _telling(claim, done + one.size, total)
            bring(door, one.source, one.path, one.xxh128, sent=sent, checked=checked)
            done += 2 * one.size
        # Names are given last, and the manifest's last of all: who sees it finds everything it lists.
        for one in files:
            if door.size_of(one.path + PART) is not None:
                door.give_name(one.path + PART, one.path)
    finally:
        door.close()
    claim.end(failures=0, says="")
    remove_packages()


class _Marks(dict[str, str]):
    """What a door remembers between two tries, kept with the hand-off."""

    def __init__(self, claim: Claim[HandOff]) -> None:
        super().__init__(claim.row.marks)
        self._claim = claim

    def __setitem__(self, key: str, value: str) -> None:
        super().__setitem__(key, value)
        self._claim.write(marks=dict(self))

    def __delitem__(self, key: str) -> None:
        super().__delitem__(key)
        self._claim.write(marks=dict(self))


def _telling(claim: Claim[HandOff], before: int, total: int) -> Callable[[int], None]:
    def told(done: int) -> None:
        claim.progress(before + done, max(total, before + done + 1))
        if claim.should_stop():
            raise Overtaken(f"{claim.row} was stopped")

    return told


def _along(row: HandOff) -> list[Brought]:
    """What comes along, as it was when the hand-off began."""
    known = {one.pk: one for one in Brought.objects.filter(pk__in=row.along)}
    return [known[pk] for pk in row.along if pk in known]


def _files_along(row: HandOff, along: Sequence[Brought]) -> list[tuple[Path, str]]:
    """The files that come along and what each is called beside a file: words are written into one of their own."""
    stem = row.name if row.destination.manifests else PurePosixPath(row.name).stem
    found = []
    for one in along:
        if one.name:
            if not one.path.is_file():
                shared.bring(one.path)
            if not one.path.is_file():
                raise DoorRefused(f"{one.name}, which comes along, is no longer there.")
            found.append((one.path, f"{stem}.{one.asked}{PurePosixPath(one.name).suffix.lower()}"))
    if words := words_along(along):
        path = _packages() / str(row.pk) / "words.json"
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(json.dumps(words, ensure_ascii=False, indent=1, sort_keys=True), encoding="utf-8")
        found.append((path, f"{stem}.words.json"))
    return found


def _files(claim: Claim[HandOff], along: Sequence[Brought]) -> list[_File]:
    """The files of a hand-off: the render under its name with what comes along, or a package around them.

    Raises ``DoorRefused`` where the file is another. An upload site takes one file, and words with it.
    """
    row = claim.row
    beside = [] if row.destination.kind == Destination.Kind.SITE else _files_along(row, along)
    source = _local(row, _telling(claim, 0, 1 << 62))
    if not row.destination.manifests:
        found = digests_of(source, ["xxh128"], _telling(claim, 0, 1 << 62))
        if found.digests["xxh128"] != row.checksum:
            raise DoorRefused("The file is not the one that was signed: its checksum is another.")
        files = [_File(source=source, path=row.name, size=found.size, xxh128=row.checksum)]
        for path, name in beside:
            found = digests_of(path, ["xxh128"], _telling(claim, 0, 1 << 62))
            files.append(_File(source=path, path=name, size=found.size, xxh128=found.digests["xxh128"]))
        return files
    folder = _packages() / str(row.pk) / row.name
    if not folder.exists():
        folder.parent.mkdir(parents=True, exist_ok=True)
        inside = f"{row.name}{source.suffix}"
        items = [Item(source=source, path=inside, xxh128=row.checksum)]
        items += [Item(source=path, path=name) for path, name in beside]
        stop = _telling(claim, 0, 1 << 62)
        make_package(folder, items, row.destination.manifests, told=lambda done, _: stop(done))
    paths = sorted((path for path in folder.rglob("*") if path.is_file()), key=lambda path: _order(folder, path))
    files = []
    for path in paths:
        found = digests_of(path, ["xxh128"], _telling(claim, 0, 1 << 62))
        inside = path.relative_to(folder).as_posix()
        files.append(_File(source=path, path=f"{row.name}/{inside}", size=found.size, xxh128=found.digests["xxh128"]))
    return files


def _packages() -> Path:
    """Where packages lie while they are on their way, in a folder for each hand-off."""
    return Path(settings.DATA_FOLDER) / "packages"


@keeper("Packages made to be sent", "once they are there, or nobody sends them any more")
def remove_packages() -> Removal:
    """The packages that are there or that nobody sends any more; one that failed may be tried again."""
    made = {int(path.name): path for path in _packages().glob("*") if path.name.isdecimal()}
    over = HandOff.objects.filter(pk__in=made, state__in=(Work.State.DONE, Work.State.CANCELLED))
    return paths_to_remove(made[pk] for pk in over.values_list("pk", flat=True))


def _order(folder: Path, path: Path) -> tuple[bool, str]:
    """What is listed comes before what lists it."""
    inside = path.relative_to(folder).as_posix()
    return inside.startswith(("ascmhl/", "manifest", "tagmanifest", "bag")), inside


def _local(row: HandOff, told: Callable[[int], None]) -> Path:
    """Where the render lies on this machine, fetched if it lies in another store; ``told`` hears the bytes so far.

    Raises ``DoorRefused`` where it is gone, ``DoorClosed`` where its store or this machine's disk stands in the way.
    """
    media_file = row.render.media_file
    if not media_file.root.is_here:
        return _fetched(row, media_file, told)
    path = Path(media_file.url)
    if not path.is_file() or not os.access(path, os.R_OK):
        raise DoorRefused(f"{media_file.name} is no longer where it was.")
    return path


def _fetched(row: HandOff, media_file: MediaFile, told: Callable[[int], None]) -> Path:
    """A copy of a file of another store, made beside the package; a whole one of an earlier try is taken as it is."""
    path = _packages() / str(row.pk) / "fetched" / media_file.name
    path.parent.mkdir(parents=True, exist_ok=True)
    if path.exists() and path.stat().st_size == media_file.size:
        return path
    free = shutil.disk_usage(path.parent).free
    if media_file.size + KEPT_FREE > free:
        raise DoorClosed(
            f"There is no room here for {media_file.name} on its way: it has {spell_bytes(media_file.size)}, "
            f"{spell_bytes(max(free - KEPT_FREE, 0))} are free."
        )
    done = 0
    try:
        with (
            fsspec.open(media_file.url, "rb") as source,
            written_whole(path) as unfinished,
            unfinished.open("wb") as to,
        ):
            while block := source.read(_BLOCK):
                to.write(block)
                done += len(block)
                told(done)
    except FileNotFoundError as gone:
        raise DoorRefused(f"{media_file.name} is no longer where it was.") from gone
    except Overtaken:
        raise
    except Exception as error:  # each store has errors of its own
        raise DoorClosed(f"The store in which {media_file.name} lies does not answer ({error}).") from error
    return path
