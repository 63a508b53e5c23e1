"""Copies that are verified while they are written, that appear whole or not at all, and that overwrite nothing."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, BinaryIO

import xxhash

from brisk_core.errors import CoreError

_CHUNK = 1 << 20
_PART = ".part"  # ending of a copy that is being written
_MAKERS: dict[str, Callable[[], Any]] = {
    "md5": lambda: hashlib.md5(usedforsecurity=False),
    "sha1": lambda: hashlib.sha1(usedforsecurity=False),
    "sha256": hashlib.sha256,
    "sha512": hashlib.sha512,
    "xxh64": xxhash.xxh64,
    "xxh3": xxhash.xxh3_64,
    "xxh128": xxhash.xxh3_128,
}


class CopyRefused(CoreError):
    """A copy that cannot be made, or that is not what its source is, with a sentence."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Copied:
    """A copy that is there and verified."""

    size: int  #: bytes
    digests: dict[str, str]  #: hexadecimal, by algorithm


def digests_of(path: Path, algorithms: Iterable[str], told: Callable[[int], None] | None = None) -> Copied:
    """Return size and digests of a file; ``told`` is called with the bytes read so far, and may raise to stop."""
    with open(path, "rb") as file:
        return _read(file, list(algorithms), None, told)


def _read(
    source: BinaryIO, algorithms: list[str], target: BinaryIO | None, told: Callable[[int], None] | None
) -> Copied:
    made = {name: _MAKERS[name]() for name in algorithms}
    size = 0
    while chunk := source.read(_CHUNK):
        for one in made.values():
            one.update(chunk)
        if target is not None:
            target.write(chunk)
        size += len(chunk)
        if told is not None:
            told(size)
    return Copied(size=size, digests={name: one.hexdigest() for name, one in made.items()})


def copy_verified(
    source: Path,
    target: Path,
    algorithms: Iterable[str],
    *,
    expected: tuple[str, str] | None = None,
    told: Callable[[int], None] | None = None,
) -> Copied:
    """Copy a file and read the copy back; return its size and digests.

    The copy is written beside ``target``, put on the disk, read back, and then takes the name in one step that fails
    if the name is taken. ``expected`` is an algorithm with the digest that the source must have. ``told`` is called
    with the bytes written so far, and may raise to stop. Raises ``CopyRefused`` where the name is taken, the source is
    not what was expected, or the copy reads back otherwise; nothing is left behind then.
    """
    wanted = list(dict.fromkeys([*algorithms, *([expected[0]] if expected else [])]))
    if target.exists():
        raise CopyRefused(f"{target.name} is there already; nothing is overwritten")
    target.parent.mkdir(parents=True, exist_ok=True)
    part = target.with_name(f".{target.name}.{os.getpid()}{_PART}")
    try:
        with open(source, "rb") as reading, open(part, "xb") as writing:
            written = _read(reading, wanted, writing, told)
            writing.flush()
            os.fsync(writing.fileno())
        if expected and written.digests[expected[0]] != expected[1]:
            found = written.digests[expected[0]]
            raise CopyRefused(f"{source.name} is not what it was: its {expected[0]} is {found}, not {expected[1]}")
        back = digests_of(part, wanted)
        if back != written:
            raise CopyRefused(f"the copy of {source.name} reads back otherwise than it was written")
        try:
            os.link(part, target)  # fails if the name has been taken meanwhile, which a rename would not
        except FileExistsError as error:
            raise CopyRefused(f"{target.name} is there already; nothing is overwritten") from error
        except OSError:  # a file system without links
            if target.exists():
                raise CopyRefused(f"{target.name} is there already; nothing is overwritten") from None
            os.rename(part, target)
    finally:
        part.unlink(missing_ok=True)
    return written
