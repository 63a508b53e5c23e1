"""What machines with data folders of their own share: a place in a store, named by ``BRISK_SHARED``.

Without one the machines of a house share the data folder, and nothing here does anything. With one, whoever makes
something in its data folder shares it, and whoever reads brings it first: each folder holds copies, the store the rest.
"""

from __future__ import annotations

import logging
import os
import shutil
import tarfile
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

import fsspec
from django.conf import settings

from brisk_core.errors import UnreadableFile
from brisk_core.sandbox import APART
from brisk_core.whole_file import written_whole
from brisk_web.storage.places import state_in_store

log = logging.getLogger(__name__)


class SharedStoreAway(UnreadableFile):
    """The store that the machines share cannot be read or written."""


def address(below: str) -> str:
    """Return the address of something in the shared store; empty where the machines share the data folder."""
    return f"{settings.SHARED}/{below}" if settings.SHARED else ""


def share(path: Path) -> None:
    """Let other machines have a file of the data folder. Raises ``SharedStoreAway``."""
    if settings.SHARED:
        with _store(path) as (filesystem, there):
            filesystem.put_file(str(path), there)
            _mark(path, _asked(filesystem, there))


def bring(path: Path) -> None:
    """Have a file of the data folder as it was shared last; one that nobody shared stays as it is here.

    Raises ``SharedStoreAway``.
    """
    if not settings.SHARED:
        return
    with _store(path) as (filesystem, there), suppress(FileNotFoundError):
        info = _asked(filesystem, there)
        if path.exists() and (path.stat().st_size, path.stat().st_mtime_ns) == state_in_store(info):
            _mark(path, info)  # somebody wants it now, so it is not old
            return
        path.parent.mkdir(parents=True, exist_ok=True)
        with written_whole(path) as unfinished:
            filesystem.get_file(there, str(unfinished))
            _mark(unfinished, info)


def share_folder(folder: Path, packed: Path) -> None:
    """Let other machines have the files of a folder, as one archive under another name. Raises ``SharedStoreAway``."""
    if not settings.SHARED:
        return
    packed.parent.mkdir(parents=True, exist_ok=True)
    with tarfile.open(packed, "w") as archive:
        for path in sorted(folder.iterdir()) if folder.is_dir() else ():
            archive.add(path, path.name)
    share(packed)
    packed.unlink()


def bring_folder(folder: Path, packed: Path) -> None:
    """Add the files of an archive that was shared to a folder; nothing where none was. Raises ``SharedStoreAway``."""
    if not settings.SHARED:
        return
    folder.mkdir(parents=True, exist_ok=True)
    with (
        _store(packed) as (filesystem, there),
        suppress(FileNotFoundError),
        tempfile.NamedTemporaryFile(prefix=APART, dir=folder.parent) as file,
    ):
        filesystem.get_file(there, file.name)
        with tarfile.open(file.name) as archive:
            archive.extractall(folder, filter="data")


def drop(path: Path) -> None:
    """Remove a file or a folder of the data folder, here and in the store; what the store refuses is logged."""
    if path.is_dir():
        shutil.rmtree(path, ignore_errors=True)
    else:
        path.unlink(missing_ok=True)
    if settings.SHARED:
        try:
            with _store(path) as (filesystem, there), suppress(FileNotFoundError):
                filesystem.rm(there, recursive=True)
        except SharedStoreAway as away:
            log.warning("%s", away)


def names(folder: Path) -> list[str]:
    """Return what lies in a folder of the shared store, nothing where there is none. Raises ``SharedStoreAway``."""
    if not settings.SHARED:
        return []
    with _store(folder) as (filesystem, there), suppress(FileNotFoundError):
        filesystem.invalidate_cache(there)
        return [str(found).rpartition("/")[2] for found in filesystem.ls(there, detail=False)]
    return []


@contextmanager
def _store(path: Path) -> Iterator[tuple[Any, str]]:
    """Give the store and the place in it of something in the data folder."""
    below = path.relative_to(settings.DATA_FOLDER).as_posix()
    try:
        yield fsspec.url_to_fs(address(below))
    except (FileNotFoundError, SharedStoreAway):
        raise
    except Exception as error:  # each store has errors of its own
        raise SharedStoreAway(f"the store that the machines of this house share does not answer ({error})") from error


def _asked(filesystem: Any, there: str) -> Any:
    filesystem.invalidate_cache(filesystem._parent(there))
    return filesystem.info(there)


def _mark(path: Path, info: Any) -> None:
    """Give a file here the time of the one in the store, by which a newer one is known."""
    _, modified_ns = state_in_store(info)
    os.utime(path, ns=(modified_ns, modified_ns))
