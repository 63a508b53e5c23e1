"""Data images of discs: files with their checksums as ISO 9660, Joliet and UDF, written whole and read back."""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path

import pycdlib
import xxhash
from pycdlib.pycdlibexception import PyCdlibException

from brisk_core.handoff.copying import CopyRefused, digests_of
from brisk_core.handoff.manifests import list_text, safe_path
from brisk_core.handoff.packages import Item
from brisk_core.whole_file import written_whole

_LONGEST_JOLIET = 64  # signs of a name (Joliet specification, 1995)
_LABEL = re.compile(r"[A-Z0-9_]{1,32}")  # of a volume (ECMA-119, 7.4.1 and 8.4.7)
_CHUNK = 1 << 20
LARGEST_FILE = (1 << 32) - 2048  # bytes of one extent of ISO 9660; larger files need several


def make_image(path: Path, items: Sequence[Item], label: str) -> dict[str, str]:
    """Write an image with the files and a list of SHA-256; return the digests (SHA-256) by path.

    Every file is read back from the image and held against its source; an image that differs is not left behind.
    Raises ``CopyRefused`` for a label, a name or a file that such a disc cannot hold, and for an image that is there.
    """
    if path.exists():
        raise CopyRefused(f"{path.name} is there already; nothing is overwritten")
    if not _LABEL.fullmatch(label):
        raise CopyRefused(f"met {label[:40]!r} as a label; expected 1 to 32 capital letters, digits and underscores")
    paths = [safe_path(item.path) for item in items]
    _refuse_what_does_not_fit(items, paths)
    found = {at: digests_of(item.source, ["sha256", "xxh128"]) for item, at in zip(items, paths, strict=True)}
    digests = {at: one.digests["sha256"] for at, one in found.items()}
    manifest = list_text(digests).encode()
    with written_whole(path) as unfinished:
        try:
            _write(unfinished, items, paths, manifest, label)
            for at, one in found.items():
                if _digest_inside(unfinished, at) != one.digests["xxh128"]:
                    raise CopyRefused(f"{at} reads back from the image otherwise than it was written")
        except PyCdlibException as error:
            raise CopyRefused(f"the image cannot be written: {error}") from error
    return digests


def _refuse_what_does_not_fit(items: Sequence[Item], paths: Sequence[str]) -> None:
    if len({one.casefold() for one in paths}) < len(paths):
        raise CopyRefused("two files want one name")
    if "manifest.sha256" in {one.casefold() for one in paths}:
        raise CopyRefused("manifest.sha256 is the name of the list that the image gets")
    for item, at in zip(items, paths, strict=True):
        if long := [part for part in at.split("/") if len(part) > _LONGEST_JOLIET]:
            raise CopyRefused(f"the name {long[0]} has {len(long[0])} signs; a disc holds {_LONGEST_JOLIET}")
        size = item.source.stat().st_size
        if size > LARGEST_FILE:
            raise CopyRefused(f"{at} has {size:,} bytes; an image holds files up to {LARGEST_FILE:,}")


def _write(path: Path, items: Sequence[Item], paths: Sequence[str], manifest: bytes, label: str) -> None:
    iso = pycdlib.PyCdlib()
    iso.new(interchange_level=3, joliet=3, udf="2.60", vol_ident=label)
    listed = path.with_suffix(".list")
    try:
        listed.write_bytes(manifest)
        folders: dict[str, str] = {"": ""}
        for number, (source, at) in enumerate(
            [*((item.source, at) for item, at in zip(items, paths, strict=True)), (listed, "manifest.sha256")]
        ):
            parent, _, _ = at.rpartition("/")
            _make_folders(iso, parent, folders)
            # The plain name is for systems that read nothing newer; it only has to be unique.
            plain = f"{folders[parent]}/F{number:06}.;1"
            iso.add_file(str(source), plain, joliet_path=f"/{at}", udf_path=f"/{at}")
        iso.write(str(path))
    finally:
        iso.close()
        listed.unlink(missing_ok=True)


def _make_folders(iso: pycdlib.PyCdlib, folder: str, known: dict[str, str]) -> None:
    """Make a folder and those above it, each with a plain name of eight signs."""
    if folder in known:
        return
    parent, _, _ = folder.rpartition("/")
    _make_folders(iso, parent, known)
    known[folder] = f"{known[parent]}/D{len(known):06}"
    iso.add_directory(known[folder], joliet_path=f"/{folder}", udf_path=f"/{folder}")


def _digest_inside(image: Path, at: str) -> str:
    iso, made = pycdlib.PyCdlib(), xxhash.xxh3_128()
    iso.open(str(image))
    try:
        with iso.open_file_from_iso(udf_path=f"/{at}") as file:
            while chunk := file.read(_CHUNK):
                made.update(chunk)
    finally:
        iso.close()
    return made.hexdigest()
