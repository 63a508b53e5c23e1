"""Bytes of other stores for a child that can reach nobody: it asks who started it for ranges, and gets those alone."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from brisk_core.errors import UnreadableFile

MOST = 4 << 20  #: bytes of one range
SIZE_BYTES = 8  #: before the bytes of an answer: how many they are, signed; less than 0 where the store does not answer


class Ranges:
    """The files of other stores that one child may read."""

    def __init__(self, urls: Iterable[str]) -> None:
        """Look each of them up; raises ``UnreadableFile`` where there is none, or its store cannot be reached."""
        self._files: list[tuple[Any, str, int]] = []
        self.told: list[tuple[str, int]] = []  #: address and size in bytes, in order
        for url in urls:
            import fsspec  # only where something lies elsewhere

            try:
                filesystem, path = fsspec.url_to_fs(url)
                info = filesystem.info(path)
            except Exception as error:  # each store has errors of its own
                raise UnreadableFile(f"cannot open {_name(url)} where it lies: {_words(error)}") from error
            if info["type"] != "file":
                raise UnreadableFile(f"{_name(url)} is a {info['type']}; expected a file")
            self._files.append((filesystem, path, int(info["size"])))
            self.told.append((url, int(info["size"])))

    def read(self, asked: object) -> bytes:
        """Return the bytes of a range that a child asks for: number of the file, first byte, count.

        A child may be hostile: what is no range of a file that it was asked about gives ``ValueError``. Raises
        ``OSError`` where the store does not answer.
        """
        if not (isinstance(asked, list) and len(asked) == 3 and all(type(one) is int for one in asked)):
            raise ValueError(f"met {asked!r}; expected the number of a file, a first byte and a count")
        number, first, count = asked
        if not (0 <= number < len(self._files) and first >= 0 and 0 < count <= MOST):
            raise ValueError(f"met {asked!r}; expected a range of one of {len(self._files)} files")
        filesystem, path, size = self._files[number]
        end = min(first + count, size)
        if first >= end:
            return b""
        try:
            return bytes(filesystem.cat_file(path, start=first, end=end))
        except Exception as error:
            raise OSError(_words(error)) from error


def _name(url: str) -> str:
    return url.rpartition("/")[2] or url


def _words(error: Exception) -> str:
    return str(getattr(error, "strerror", None) or error or type(error).__name__)
