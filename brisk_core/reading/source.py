"""Where the bytes of a file come from: a local path, or anything fsspec reaches by ranges.

A whole local path is a path whatever its name looks like; only a storage root can name another place.
"""

from __future__ import annotations

import os
import stat
from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import BinaryIO, cast

from brisk_core.errors import UnreadableFile


@dataclass(frozen=True, slots=True, kw_only=True)
class Source:
    """A file to read."""

    url: str  #: a whole local path or an fsspec URL
    name: str  #: the name to judge, without folders
    size: int  #: bytes

    @classmethod
    def at(cls, url: str, name: str | None = None) -> Source:
        """Return the source at a path or URL; raises ``UnreadableFile`` when there is no file."""
        if url.startswith("/"):
            return cls.at_path(url, name)
        import fsspec  # a seventh of a second, which files of this machine do without

        try:
            filesystem, path = fsspec.url_to_fs(url)
            info = filesystem.info(path)
        except (OSError, ValueError, ImportError, TypeError) as error:
            raise UnreadableFile(f"cannot open {url}: {getattr(error, 'strerror', '') or error}") from error
        if "file" in filesystem.protocol:
            return cls.at_path(path, name)
        if info["type"] != "file":
            raise UnreadableFile(f"{url} is a {info['type']}; expected a file")
        return cls(url=url, name=name or PurePosixPath(path).name, size=int(info["size"]))

    @classmethod
    def at_path(cls, path: str, name: str | None = None) -> Source:
        """Return the source at a path of this machine; raises ``UnreadableFile`` when there is no file."""
        # Children that read for us stand in another folder and follow no link, so a path must not depend on either.
        whole = os.path.realpath(path)
        try:
            found = os.stat(whole)
        except (OSError, ValueError) as error:
            raise UnreadableFile(f"cannot open {path}: {getattr(error, 'strerror', '') or error}") from error
        if not stat.S_ISREG(found.st_mode):
            what = "directory" if stat.S_ISDIR(found.st_mode) else "device or a pipe"
            raise UnreadableFile(f"{path} is a {what}; expected a file")
        return cls(url=whole, name=name or os.path.basename(os.path.abspath(path)), size=found.st_size)

    @property
    def local_path(self) -> str | None:
        """The path on this machine, ``None`` when the bytes come from elsewhere."""
        return self.url if self.url.startswith("/") else None

    def open(self) -> BinaryIO:
        """Open the file for reading by ranges; raises ``UnreadableFile``."""
        try:
            if path := self.local_path:
                return open(path, "rb")
            import fsspec

            return cast(BinaryIO, fsspec.open(self.url, "rb").open())
        except OSError as error:
            raise UnreadableFile(f"cannot open {self.url}: {error.strerror or error}") from error
