"""A folder that this machine reaches: a disk, a share, a mounted card."""

from __future__ import annotations

import os
import shutil
from pathlib import Path

from brisk_core.errors import DISK_FULL
from brisk_core.handoff import safe_path
from brisk_web.handoff.doors.door import CHUNK, DoorClosed, DoorRefused, Told, digest, is_small


class FolderDoor:
    """A folder as a destination."""

    def __init__(self, folder: str) -> None:
        self._folder = Path(folder)
        if not self._folder.is_dir():
            raise DoorClosed(f"The folder {folder} is not there; is it mounted?")

    def _at(self, path: str) -> Path:
        return self._folder / safe_path(path)

    def free(self) -> int | None:
        """Return the free bytes of the disk."""
        return shutil.disk_usage(self._folder).free

    def size_of(self, path: str) -> int | None:
        """Return the size of a file."""
        at = self._at(path)
        return at.stat().st_size if at.is_file() else None

    def send(self, source: Path, path: str, told: Told) -> None:
        """Write what is missing of a file, and put it on the disk."""
        at = self._at(path)
        try:
            at.parent.mkdir(parents=True, exist_ok=True)
            with open(source, "rb") as reading, open(at, "ab") as writing:
                if writing.tell() > os.fstat(reading.fileno()).st_size:
                    writing.truncate(0)
                reading.seek(writing.seek(0, os.SEEK_END))
                while chunk := reading.read(CHUNK):
                    writing.write(chunk)
                    told(writing.tell())
                writing.flush()
                os.fsync(writing.fileno())
        except OSError as error:
            raise _said(error) from error

    def holds(self, path: str, source: Path, xxh128: str, told: Told) -> bool:
        """Read the file back."""
        try:
            with open(self._at(path), "rb") as reading:
                return digest(iter(lambda: reading.read(CHUNK), b""), told) == xxh128
        except OSError as error:
            raise _said(error) from error

    def read(self, path: str, most: int) -> bytes | None:
        """Return a small file."""
        if not is_small(path, self.size_of(path), most):
            return None
        try:
            return self._at(path).read_bytes()[:most]
        except OSError as error:
            raise _said(error) from error

    def remove(self, path: str) -> None:
        """Remove a file."""
        self._at(path).unlink(missing_ok=True)

    def give_name(self, part: str, path: str) -> None:
        """Give a file its name in one step that fails where it is taken."""
        try:
            os.link(self._at(part), self._at(path))
        except FileExistsError as error:
            raise DoorRefused(f"{path} is there already; nothing is overwritten.") from error
        except OSError:  # no links on this file system
            if self._at(path).exists():
                raise DoorRefused(f"{path} is there already; nothing is overwritten.") from None
            os.rename(self._at(part), self._at(path))
        self._at(part).unlink(missing_ok=True)

    def close(self) -> None:
        """Nothing is open."""


def _said(error: OSError) -> DoorClosed:
    if error.errno in DISK_FULL:
        return DoorClosed("The disk over there is full.")
    return DoorClosed(f"The folder over there cannot be written: {error.strerror or error}")
