"""What every door does, and how it says that it cannot."""

from __future__ import annotations

from collections.abc import Callable, Iterable, MutableMapping
from pathlib import Path
from typing import Protocol

import xxhash

PART = ".part"  # ending of what is not whole yet
CHUNK = 1 << 18  # bytes sent at once; progress is told and stops are noticed between two of them

Told = Callable[[int], None]  #: told the bytes that are over there; may raise to stop
Marks = MutableMapping[str, str]  #: what a door remembers between two tries, by path; kept by whoever opened it


class DoorClosed(Exception):
    """Something that may go away by itself: no connection, a broken one, a full disk. With a sentence."""


class DoorRefused(Exception):
    """Something that stays until a person changes it: a refused login, a taken name. With a sentence."""


class Door(Protocol):
    """An open way to a destination; paths are relative to its folder, with slashes."""

    def free(self) -> int | None:
        """Return the free bytes over there, ``None`` where nobody says."""

    def size_of(self, path: str) -> int | None:
        """Return the size of a file, ``None`` where there is none."""

    def send(self, source: Path, path: str, told: Told) -> None:
        """Send a file under the temporary name of a path, going on where an earlier try ended."""

    def holds(self, path: str, source: Path, xxh128: str, told: Told) -> bool:
        """Is a file over there the source, whose XXH3-128 is known? Read back, or by checksums of the protocol."""

    def read(self, path: str, most: int) -> bytes | None:
        """Return a small file, ``None`` where there is none; raises ``DoorRefused`` for more than ``most`` bytes."""

    def remove(self, path: str) -> None:
        """Remove a file, if it is there."""

    def give_name(self, part: str, path: str) -> None:
        """Give a file its right name; raises ``DoorRefused`` where the name is taken."""

    def close(self) -> None:
        """Close the way."""


def digest(chunks: Iterable[bytes], told: Told) -> str:
    """Return the XXH3-128 of what is read back."""
    made, done = xxhash.xxh3_128(), 0
    for chunk in chunks:
        made.update(chunk)
        done += len(chunk)
        told(done)
    return made.hexdigest()


def is_small(path: str, size: int | None, most: int) -> bool:
    """Is a file there that may be read whole? Raises ``DoorRefused`` for one of more than ``most`` bytes."""
    if size is not None and size > most:
        raise DoorRefused(f"{path} has {size:,} bytes; expected at most {most:,}.")
    return size is not None


def refuse_taken(door: Door, path: str) -> None:
    """Raise ``DoorRefused`` where a name is taken, for servers that would overwrite without asking."""
    if door.size_of(path) is not None:
        raise DoorRefused(f"{path} is there already; nothing is overwritten.")


def bring(door: Door, source: Path, path: str, xxh128: str, *, sent: Told, checked: Told) -> None:
    """Bring a file over there under its temporary name and verify it; nothing is done for one that is there and right.

    ``sent`` and ``checked`` are told the bytes of each half of the work. Raises ``DoorRefused`` where something else
    has the name, ``DoorClosed`` where it arrived changed.
    """
    size = door.size_of(path)
    if size is not None:
        # Ours from an earlier try that died while giving names, or somebody else's: its contents tell.
        if size == source.stat().st_size and door.holds(path, source, xxh128, sent):
            return
        raise DoorRefused(f"{path} is there already; nothing is overwritten.")
    door.send(source, path + PART, sent)
    if not door.holds(path + PART, source, xxh128, checked):
        door.remove(path + PART)
        raise DoorClosed(f"{path} reads back otherwise than it was sent; it is sent anew.")
