"""Where the bytes of a file come from: a local path, or anything fsspec reaches by ranges.

A whole local path is a path whatever its name looks like; only a storage root can name another place.
"""

from __future__ import annotations

import io
import os
import stat
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import Any, BinaryIO, cast

from brisk_core.errors import UnreadableFile

Range = Callable[[int, int], bytes]  #: the bytes from one on, as many as are asked for or as there are
_PLACES = 8  # in a file at which reading goes on in turns
_LEAST_AHEAD, _MOST_AHEAD = 1 << 16, 4 << 20  # bytes that are fetched at once: more the longer reading goes straight on
_lent: dict[str, tuple[int, Range]] = {}  # size and ranges, by address


def lend(url: str, size: int, read: Range) -> None:
    """Let the bytes of an address come from a function from now on, in this process."""
    _lent[url] = (size, read)


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
        if url in _lent:
            return cls(url=url, name=name or PurePosixPath(url).name, size=_lent[url][0])
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
            if self.url in _lent:
                return io.BufferedReader(_Lent(*_lent[self.url]), _LEAST_AHEAD)
            import fsspec

            return cast(BinaryIO, fsspec.open(self.url, "rb").open())
        except OSError as error:
            raise UnreadableFile(f"cannot open {self.url}: {error.strerror or error}") from error


@dataclass(slots=True)
class _Piece:
    """Bytes that were fetched, and how many are fetched where reading goes on behind them."""

    first: int
    data: bytes = b""
    ahead: int = _LEAST_AHEAD

    @property
    def end(self) -> int:
        return self.first + len(self.data)


class _Lent(io.RawIOBase):
    """A file whose bytes come in ranges; what is read straight on is fetched ahead, in larger and larger pieces.

    Pictures and sound may lie far from each other and are read in turns, so it goes on at several places.
    """

    def __init__(self, size: int, fetch: Range) -> None:
        self._size = size
        self._fetch = fetch
        self._at = 0
        self._pieces: list[_Piece] = []  # the one that was read last comes last

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def tell(self) -> int:
        return self._at

    def seek(self, offset: int, whence: int = os.SEEK_SET) -> int:
        base = {os.SEEK_SET: 0, os.SEEK_CUR: self._at, os.SEEK_END: self._size}[whence]
        if base + offset < 0:
            raise ValueError(f"met a place {base + offset}; expected one in the file")
        self._at = base + offset
        return self._at

    def readinto(self, buffer: Any) -> int:
        if self._at >= self._size:
            return 0
        piece = self._piece()
        inside = self._at - piece.first
        part = piece.data[inside : inside + len(buffer)]
        buffer[: len(part)] = part
        self._at += len(part)
        return len(part)

    def _piece(self) -> _Piece:
        """Return a piece with the byte that is read next."""
        found = next((one for one in self._pieces if one.first <= self._at < one.end), None)
        before = None if found else next((one for one in self._pieces if one.end == self._at), None)
        if found is None:
            found = _Piece(self._at, ahead=min(2 * before.ahead, _MOST_AHEAD) if before else _LEAST_AHEAD)
            found.data = self._fetch(self._at, min(found.ahead, self._size - self._at))
        others = [one for one in self._pieces if one is not found and one is not before]
        self._pieces = [*others[1 - _PLACES :], found]
        return found
