"""Where the bytes of a file come from: a local path, or anything fsspec reaches by ranges."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import BinaryIO, cast

import fsspec

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
        filesystem, path = fsspec.url_to_fs(url)
        try:
            info = filesystem.info(path)
        except OSError as error:
            raise UnreadableFile(f"cannot open {url}: {error.strerror or error}") from error
        if info["type"] != "file":
            raise UnreadableFile(f"{url} is a {info['type']}; expected a file")
        # Children that read for us stand in another folder, so a path must not depend on it.
        whole = path if "file" in filesystem.protocol else url
        return cls(url=whole, name=name or PurePosixPath(path).name, size=int(info["size"]))

    @property
    def local_path(self) -> str | None:
        """The path on this machine, ``None`` when the bytes come from elsewhere."""
        filesystem, path = fsspec.url_to_fs(self.url)
        return path if "file" in filesystem.protocol else None

    def open(self) -> BinaryIO:
        """Open the file for reading by ranges; raises ``UnreadableFile``."""
        try:
            if path := self.local_path:
                return open(path, "rb")
            return cast(BinaryIO, fsspec.open(self.url, "rb").open())
        except OSError as error:
            raise UnreadableFile(f"cannot open {self.url}: {error.strerror or error}") from error
