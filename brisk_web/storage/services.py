"""Verbs of storage: register a file of a root, take an upload in, browse a root."""

from __future__ import annotations

import datetime
import glob
import logging
import os
import shutil
import tempfile
import unicodedata
import uuid
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass, replace
from pathlib import Path, PurePosixPath
from typing import IO, Any, BinaryIO

import fsspec
from django.conf import settings
from django.contrib.auth.models import User
from django.db import connection, transaction
from django.db.models import F, Q, Sum
from django.utils import timezone

from brisk_core.exact import spell_bytes
from brisk_web.house.services import record
from brisk_web.storage import shared
from brisk_web.storage.events import media_registered
from brisk_web.storage.models import MediaFile, StorageRoot, Upload
from brisk_web.storage.places import PlaceRefused, check_place, state_in_store
from brisk_web.work.sweep import FORGOTTEN_S, mender
from brisk_web.work.tidying import Removal, keeper, size_of

log = logging.getLogger(__name__)

UPLOAD_LIFE = datetime.timedelta(days=2)  # an upload that nobody touched for so long is dropped
_LONGEST_NAME = 255
MOST_UPLOADS = 200  #: that one person may have open
_BLOCK = _IN_MEMORY = 1 << 20  # bytes of a chunk that are read at once, and kept in memory
LARGEST_CHUNK = 32 << 20  #: bytes of one call that goes on with an upload; the page sends 8 MiB
_CHUNK = 8 << 20  # bytes of a file that comes whole, between two steps of the database
_LOCK_CLASS = 0x55706C64  # of PostgreSQL's advisory locks: uploads that become files
KEPT_FREE = 1 << 30  #: bytes of the disk that no upload may take


class StorageRefused(Exception):
    """A name, path or upload that cannot be taken, with a sentence."""


class WrongOffset(StorageRefused):
    """A chunk that does not begin where the upload ends."""


def check_name(name: str) -> str:
    """Return a plain file name; raises ``StorageRefused`` for one with path parts or unprintable characters."""
    if not name or len(name.encode()) > _LONGEST_NAME:
        raise StorageRefused(f"met a name of {len(name)} characters; expected 1 to {_LONGEST_NAME} bytes")
    if "/" in name or "\\" in name or name in (".", ".."):
        raise StorageRefused(f"met {name!r} as a file name; expected a name without path parts")
    if any(unicodedata.category(sign) in ("Cc", "Cs") for sign in name):
        raise StorageRefused(f"met {name!r} as a file name; expected printable characters")
    return name


def upload_root() -> StorageRoot:
    """Return the root that uploads go to, made on first use: in the store that machines share, else the data folder."""
    if place := shared.address("renders"):
        made = {"name": "Uploads (shared)", "takes_uploads": True}
        return StorageRoot.objects.get_or_create(url=place, defaults=made)[0]
    folder = Path(settings.DATA_FOLDER) / "renders"
    folder.mkdir(parents=True, exist_ok=True)
    root = StorageRoot.objects.filter(takes_uploads=True, url__startswith="/").first()
    return (
        root
        or StorageRoot.objects.get_or_create(url=str(folder), defaults={"name": "Uploads", "takes_uploads": True})[0]
    )


@transaction.atomic
def add_root(name: str, url: str, *, by: User | None) -> StorageRoot:
    """Add a storage root: a folder of this machine by its whole path, or anything fsspec reaches.

    Raises ``StorageRefused`` when there is no such folder, when it lies in no place that is allowed, or when the name
    or the folder is known already.
    """
    name, url = name.strip(), url.strip().rstrip("/")
    if not name or not url:
        raise StorageRefused("a storage root needs a name and a folder")
    try:
        url = check_place(url)
    except PlaceRefused as error:
        raise StorageRefused(str(error)) from error
    try:
        filesystem, path = fsspec.url_to_fs(url)
        there = filesystem.isdir(path)
    except Exception as error:  # each store has errors of its own
        raise StorageRefused(f"met {url!r} as a folder; it cannot be reached ({error})") from error
    if not there:
        raise StorageRefused(f"there is no folder {url}")
    if StorageRoot.objects.filter(Q(name=name) | Q(url=url)).exists():
        raise StorageRefused("a storage root has this name or this folder already")
    root = StorageRoot.objects.create(name=name, url=url)
    record("root.added", root, f"Added the storage root {name}", by=by)
    return root


@transaction.atomic
def rename_root(root: StorageRoot, name: str, *, by: User | None) -> None:
    """Give a storage root another name."""
    before, root.name = StorageRoot.objects.get(pk=root.pk).name, name
    root.save(update_fields=["name"])
    record("root.renamed", root, f"Renamed the storage root {before} to {name}", by=by)


@dataclass(frozen=True, slots=True, kw_only=True)
class Entry:
    """One entry of a folder in a root."""

    name: str
    path: str  #: below the root
    is_folder: bool
    size: int
    known: MediaFile | None = None  #: what it is registered as, where that was asked


def _confined(root: StorageRoot, path: str) -> tuple[Any, str]:
    """Return the file system and the full path of something below a root, links resolved and not leading out."""
    if "\x00" in path:
        raise StorageRefused(f"met {path!r}; expected a path without zero bytes")
    parts = PurePosixPath(path).parts
    if ".." in parts or path.startswith("/"):
        raise StorageRefused(f"met {path!r}; expected a path below {root.name} without ..")
    filesystem, base = fsspec.url_to_fs(root.url)
    full = f"{base.rstrip('/')}/{path}".rstrip("/")
    if "file" in filesystem.protocol:
        try:
            resolved, top = Path(full).resolve(), Path(base).resolve()
        except OSError as error:  # a name too long, links in a ring
            raise StorageRefused(f"cannot look at {path!r}: {error.strerror or error}") from error
        if resolved != top and top not in resolved.parents:
            raise StorageRefused(f"{path!r} leads out of {root.name}")
    return filesystem, full


@contextmanager
def _refusing(what: str) -> Iterator[None]:
    """Turn what a store says while it is asked into ``StorageRefused``; each has errors of its own."""
    try:
        yield
    except Exception as error:
        raise StorageRefused(f"cannot {what}: {getattr(error, 'strerror', None) or error}") from error


def browse(root: StorageRoot, path: str = "") -> list[Entry]:
    """Return the entries of a folder, folders first; raises ``StorageRefused`` when there is none."""
    filesystem, full = _confined(root, path)
    with _refusing(f"list {path or root.name}"):
        found = filesystem.ls(full, detail=True)
    entries = []
    for info in found:
        name = PurePosixPath(info["name"]).name
        below = f"{path}/{name}" if path else name
        folder = info["type"] == "directory"
        if not name.startswith(".") and info["type"] in ("directory", "file"):
            entries.append(Entry(name=name, path=below, is_folder=folder, size=int(info["size"] or 0)))
    return sorted(entries, key=lambda entry: (not entry.is_folder, entry.name.casefold()))


def known_among(root: StorageRoot, entries: Sequence[Entry]) -> list[Entry]:
    """Return entries of a root with the file that each is registered as."""
    known = {file.path: file for file in MediaFile.objects.filter(root=root, path__in=[one.path for one in entries])}
    return [replace(one, known=known.get(one.path)) for one in entries]


def require_folder(root: StorageRoot, folder: str) -> None:
    """Raise ``StorageRefused`` unless there is such a folder below a root; empty is the root itself."""
    filesystem, full = _confined(root, folder)
    with _refusing(f"look at {folder or root.name}"):
        there = filesystem.isdir(full)
    if not there:
        raise StorageRefused(f"there is no folder “{folder}” in {root.name}" if folder else f"{root.name} is not there")


def list_files(root: StorageRoot, folder: str, *, most: int) -> dict[str, tuple[int, int]]:
    """Return size in bytes and time of the last change in nanoseconds of the files in a folder and in those below it,
    by their paths below the root. Hidden ones are left out, and no link to a folder is followed.

    Raises ``StorageRefused`` when there is no such folder, or more than ``most`` files.
    """
    require_folder(root, folder)
    filesystem, full = _confined(root, folder)
    where = folder or root.name
    with _refusing(f"list {where}"):
        files = _walk_here(full, most) if root.is_here else _walk_there(filesystem, full)
    if len(files) > most:
        raise StorageRefused(f"met more than {most:,} files in {where}; expected at most so many in a folder")
    return {f"{folder}/{path}" if folder else path: state for path, state in files.items()}


def _walk_here(folder: str, most: int) -> dict[str, tuple[int, int]]:
    """The files of a folder of this machine, one more than ``most`` at most."""
    found: dict[str, tuple[int, int]] = {}
    waiting = [""]
    while waiting and len(found) <= most:
        below = waiting.pop()
        try:
            entries = list(os.scandir(f"{folder}/{below}"))
        except FileNotFoundError:
            if not below:
                raise
            continue  # it went while others were looked at
        for entry in entries:
            if entry.name.startswith("."):
                continue
            with suppress(FileNotFoundError):
                if entry.is_dir(follow_symlinks=False):
                    waiting.append(f"{below}{entry.name}/")
                elif entry.is_file():
                    now = entry.stat()
                    found[f"{below}{entry.name}"] = (now.st_size, now.st_mtime_ns)
    return found


def _walk_there(filesystem: Any, folder: str) -> dict[str, tuple[int, int]]:
    """The files of a folder that another store keeps."""
    found: dict[str, tuple[int, int]] = {}
    filesystem.invalidate_cache()
    for full, info in filesystem.find(folder, detail=True).items():
        path = str(full).removeprefix(folder).lstrip("/")
        if not any(part.startswith(".") for part in path.split("/")):
            found[path] = state_in_store(info)
    return found


def names_beside(media_file: MediaFile) -> list[str]:
    """Return the names of everything in a file's folder, the file's own left out; nothing where it cannot be listed."""
    folder, _, _ = media_file.path.rpartition("/")
    filesystem, full = _confined(media_file.root, folder)
    try:
        with _refusing(f"list {folder}"):
            names = [PurePosixPath(found).name for found in filesystem.ls(full, detail=False)]
    except StorageRefused:
        return []
    return sorted(name for name in names if name != media_file.name)


@transaction.atomic
def register(root: StorageRoot, path: str, *, by: User | None = None, inspect: bool = True) -> MediaFile:
    """Register a file of a root, and tell so: it will be inspected, or read if it holds captions.

    The same state of a file is registered once.

    Raises ``StorageRefused`` when there is no such file below the root.
    """
    filesystem, full = _confined(root, path)
    filesystem.invalidate_cache(filesystem._parent(full))
    info = None
    with _refusing(f"look at {path}"), suppress(FileNotFoundError, NotADirectoryError):
        info = filesystem.info(full)
    if info is None:
        raise StorageRefused(f"there is no file {path} in {root.name}")
    if info["type"] != "file":
        raise StorageRefused(f"{path} in {root.name} is a {info['type']}; expected a file")
    size, modified_ns = state_in_store(info)
    media_file, new = MediaFile.objects.get_or_create(
        root=root,
        path=path,
        size=size,
        modified_ns=modified_ns,
        defaults={"name": PurePosixPath(path).name, "added_by": by},
    )
    if new:
        record("file.registered", media_file, f"Registered {media_file.name} from {root.name}", by=by)
        media_registered.send(sender=MediaFile, media_file=media_file, by=by, inspect=inspect)
    return media_file


def open_upload(name: str, size: int, *, by: User) -> Upload:
    """Open an upload; raises ``StorageRefused`` for a bad name, or a size that is none or too large."""
    check_name(name)
    if not 0 <= size <= settings.LARGEST_UPLOAD:
        raise StorageRefused(f"met a file of {size} bytes; expected at most {settings.LARGEST_UPLOAD}")
    if size == 0:
        raise StorageRefused(f"{name} is empty; expected a media file")
    _require_room(name, size, by)
    upload = Upload.objects.create(owner=by, name=name, size=size)
    upload.part_path.parent.mkdir(parents=True, exist_ok=True)
    upload.part_path.touch()
    return upload


def _require_room(name: str, size: int, by: User) -> None:
    """Raise ``StorageRefused`` where a person has too many uploads open, or where what is on its way fills the disk."""
    on_their_way = Upload.objects.filter(file=None)
    own = on_their_way.filter(owner=by).count()
    if own >= MOST_UPLOADS:
        raise StorageRefused(
            f"you have {own} uploads open; expected at most {MOST_UPLOADS}: let some of them end first"
        )
    coming = on_their_way.aggregate(rest=Sum(F("size") - F("offset")))["rest"] or 0
    folder = Path(settings.DATA_FOLDER)
    folder.mkdir(parents=True, exist_ok=True)
    left = shutil.disk_usage(folder).free - KEPT_FREE - coming
    if size > left:
        there = spell_bytes(max(left, 0))
        raise StorageRefused(
            f"there is no room for {name}: it has {spell_bytes(size)}, and {there} are left for uploads"
        )


def append(upload: Upload, offset: int, body: BinaryIO, length: int) -> Upload:
    """Append a chunk; raises ``WrongOffset`` when it does not begin where the upload ends.

    A chunk that breaks off keeps what has arrived. The last one makes the file. All of it is received before the
    database is asked for anything: a slow line holds no row and no transaction.
    """
    with tempfile.SpooledTemporaryFile(max_size=_IN_MEMORY) as chunk:
        arrived = _receive(chunk, body, length)
        with transaction.atomic():
            upload = _locked(upload)
            wrong = _mend(upload) or upload.offset != offset
            if not wrong:
                room = upload.size - upload.offset
                if length > room:
                    raise StorageRefused(f"met a chunk of {length} bytes; expected at most {room}")
                _write_chunk(upload, chunk)
                upload.offset += arrived
                if upload.is_whole and not upload.target:
                    upload.target = f"{_fresh_folder()}/{upload.name}"
                upload.save(update_fields=["offset", "target", "touched_at"])
    if wrong:  # told once what was mended is kept
        raise WrongOffset(f"met a chunk at byte {offset}; expected byte {upload.offset}")
    return finish(upload)


def receive(name: str, size: int, body: BinaryIO, *, by: User) -> MediaFile:
    """Take a whole file from its line and register it; raises ``StorageRefused``, and then nothing of it is kept."""
    upload = open_upload(name, size, by=by)
    try:
        while upload.file is None:
            before = upload.offset
            upload = append(upload, before, body, min(_CHUNK, size - before))
            if upload.file is None and upload.offset == before:
                raise StorageRefused(f"{name} broke off after {upload.offset:,} of {size:,} bytes; send it again")
    except BaseException:
        upload.part_path.unlink(missing_ok=True)
        Upload.objects.filter(pk=upload.pk, file=None).delete()
        raise
    return upload.file


def look_after(upload: Upload) -> Upload:
    """Return an upload as it really is: what was cut off on its way is mended, what is whole becomes a file."""
    with transaction.atomic():
        upload = _locked(upload)
        _mend(upload)
    return finish(upload)


def _locked(upload: Upload) -> Upload:
    return Upload.objects.select_for_update(of=("self",)).get(pk=upload.pk)


def _mend(upload: Upload) -> bool:
    """Let an upload say what has really arrived, where its bytes are fewer than it says; return whether it was so."""
    if upload.file_id is not None or upload.target:
        return False
    there = upload.part_path.stat().st_size if upload.part_path.exists() else None
    if there is not None and there >= upload.offset:
        return False
    if there is None and (found := _moved_before(upload)):
        upload.target, upload.offset = found, upload.size
    else:
        upload.part_path.parent.mkdir(parents=True, exist_ok=True)
        upload.part_path.touch()
        upload.offset = there or 0
    upload.save(update_fields=["offset", "target", "touched_at"])
    return True


def _moved_before(upload: Upload) -> str | None:
    """Return where an older version moved a whole upload to before it was cut off, ``None`` if it did not."""
    root = upload_root()
    if not root.is_here:
        return None
    for path in Path(root.url).glob(f"*/*/{glob.escape(upload.name)}"):
        below = path.relative_to(root.url).as_posix()
        if path.stat().st_size == upload.size and not MediaFile.objects.filter(root=root, path=below).exists():
            return below
    return None


def finish(upload: Upload, *, wait: bool = True) -> Upload:
    """Make a file of an upload whose bytes have all arrived; done again, it goes on where it was cut off.

    Whoever else does so is waited for, or left to it. Raises ``StorageRefused`` when the bytes are gone.
    """
    if not upload.is_whole or upload.file_id is not None:
        return upload
    root = upload_root()
    with _one_at_a_time(upload, wait) as alone:
        upload.refresh_from_db()
        if not alone or upload.file_id is not None:
            return upload
        # Nothing of the database hangs on the move, so nothing can undo half of it.
        if not _put_in_place(upload, root):
            Upload.objects.filter(pk=upload.pk).update(offset=0, target="")
            raise StorageRefused(f"the bytes of {upload.name} are gone; send the file again")
        with transaction.atomic():
            upload = _locked(upload)
            if upload.file_id is None:
                upload.file = register(root, upload.target, by=upload.owner)
                upload.save(update_fields=["file"])
        upload.part_path.unlink(missing_ok=True)
    return upload


def _put_in_place(upload: Upload, root: StorageRoot) -> bool:
    """Bring the bytes of an upload to where they stay; are they there? A store has its copy before the part goes."""
    part = upload.part_path
    if root.is_here:
        path = Path(root.url) / upload.target
        if part.exists():
            path.parent.mkdir(parents=True, exist_ok=True)
            shutil.move(part, path)
        return path.exists()
    filesystem, full = _confined(root, upload.target)
    with _refusing(f"put {upload.name} into {root.name}"):
        if part.exists():
            filesystem.put_file(str(part), full)
        filesystem.invalidate_cache(filesystem._parent(full))
        return bool(filesystem.exists(full))


@contextmanager
def _one_at_a_time(upload: Upload, wait: bool) -> Iterator[bool]:
    """Yield whether nobody else is making a file of this upload, once nobody is where that is waited for.

    A store takes its time over a large file, and one that is written twice is another one.
    """
    with connection.cursor() as cursor:
        key = upload.pk.int % (1 << 31)
        if wait:
            cursor.execute("SELECT pg_advisory_lock(%s, %s)", [_LOCK_CLASS, key])
        else:
            cursor.execute("SELECT pg_try_advisory_lock(%s, %s)", [_LOCK_CLASS, key])
        alone = wait or cursor.fetchone()[0]
        try:
            yield alone
        finally:
            if alone:
                cursor.execute("SELECT pg_advisory_unlock(%s, %s)", [_LOCK_CLASS, key])


@mender
def finish_uploads() -> int:
    """Make files of uploads that were cut off between their last byte and their registration; return how many."""
    idle = timezone.now() - datetime.timedelta(seconds=FORGOTTEN_S)
    done = 0
    for upload in Upload.objects.filter(file__isnull=True, offset=F("size"), touched_at__lt=idle).exclude(target=""):
        try:
            done += finish(upload, wait=False).file_id is not None
        except StorageRefused as error:
            log.warning("%s", error)
    return done


def _receive(chunk: IO[bytes], body: BinaryIO, length: int) -> int:
    """Take the bytes of a chunk from its line; return how many arrived before it ended or broke."""
    arrived = 0
    while arrived < length:
        try:
            block = body.read(min(_BLOCK, length - arrived))
        except OSError:  # the line broke: what has arrived counts
            break
        if not block:
            break
        chunk.write(block)
        arrived += len(block)
    chunk.seek(0)
    return arrived


def _write_chunk(upload: Upload, chunk: IO[bytes]) -> None:
    with open(upload.part_path, "r+b") as part:
        part.seek(upload.offset)
        part.truncate()
        shutil.copyfileobj(chunk, part, _BLOCK)


def _fresh_folder() -> str:
    """Return a folder for one upload, below the root."""
    return f"{timezone.now():%Y-%m}/{uuid.uuid4().hex[:8]}"


def keep(name: str, data: bytes, *, by: User | None) -> MediaFile:
    """Keep a small file that came with a form and register it; raises ``StorageRefused`` for a bad name or no bytes."""
    check_name(name)
    if not data:
        raise StorageRefused(f"{name} is empty; expected a file")
    root = upload_root()
    folder = _fresh_folder()
    if root.is_here:
        (Path(root.url) / folder).mkdir(parents=True)
        (Path(root.url) / folder / name).write_bytes(data)
    else:
        filesystem, full = _confined(root, f"{folder}/{name}")
        with _refusing(f"put {name} into {root.name}"):
            filesystem.pipe_file(full, data)
    return register(root, f"{folder}/{name}", by=by)


@keeper("Uploads that broke off", f"{UPLOAD_LIFE.days} days after their last byte, with what came of them")
def drop_expired_uploads() -> Removal:
    """Uploads that nobody has touched for a while, with their parts."""
    expired = Upload.objects.filter(touched_at__lt=timezone.now() - UPLOAD_LIFE)

    def drop() -> int:
        for upload in expired:
            upload.part_path.unlink(missing_ok=True)
        return expired.delete()[0]

    return Removal(len(expired), sum(size_of(upload.part_path) for upload in expired), drop)
