"""What a backup holds: ``manifest.json`` beside ``database.dump`` and the folder ``data``."""

from __future__ import annotations

import hashlib
import json
import shutil
from collections.abc import Iterator
from dataclasses import asdict, dataclass
from pathlib import Path, PurePosixPath
from typing import Any

SCHEMA = "brisk-sentry/backup/1"
MANIFEST, DUMP, DATA = "manifest.json", "database.dump", "data"
_BLOCK = 1 << 20
_MOST_NAMED = 3  # files that a refusal names

#: What is made anew, or belongs to what runs: the cluster, decoded pictures, style sheets, other houses.
_LEFT_OUT = frozenset({"postgres", "frames", "static", "empty", "test", "address", "accounts"})
_LEFT_OUT_ENDINGS = (".log", ".conf", ".pid", ".lock")


class BackupRefused(Exception):
    """A backup that cannot be made or brought back, with a sentence."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Kept:
    """One file of a backup."""

    path: str  #: below the backup's folder
    size: int  #: bytes
    sha256: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Manifest:
    """What a backup says of itself."""

    made_at: str  #: ISO 8601
    engine: str
    data_folder: str  #: where the house's data lay
    migrations: tuple[tuple[str, str], ...]  #: application and name of all that were applied
    trail: str  #: head of the audit trail, ``number:digest``
    rows: int  #: rows in all tables
    files: tuple[Kept, ...]

    def write(self, folder: Path) -> None:
        """Write it into the folder of its backup."""
        text = json.dumps({"schema": SCHEMA, **asdict(self)}, ensure_ascii=False, indent=1)
        (folder / MANIFEST).write_text(text, encoding="utf-8")

    @classmethod
    def read(cls, folder: Path) -> Manifest:
        """Read that of a folder; raises ``BackupRefused`` where there is none, or one that cannot be read."""
        path = folder / MANIFEST
        try:
            found: dict[str, Any] = json.loads(path.read_text(encoding="utf-8"))
            schema = found.pop("schema")
            if schema != SCHEMA:
                raise BackupRefused(f"met a backup of the form {schema!r}; expected {SCHEMA}")
            found["files"] = tuple(Kept(**one) for one in found["files"])
            found["migrations"] = tuple((app, name) for app, name in found["migrations"])
            manifest = cls(**found)
        except OSError as error:
            raise BackupRefused(f"there is no backup in {folder}: {path.name} {error.strerror or error}") from error
        except (ValueError, TypeError, KeyError, AttributeError) as error:
            raise BackupRefused(f"cannot read {path}; expected what a backup wrote there") from error
        for one in manifest.files:
            parts = PurePosixPath(one.path).parts
            if ".." in parts or not parts or parts[0] not in (DATA, DUMP):
                raise BackupRefused(f"met {one.path!r} in {path}; expected paths in {DATA}, and {DUMP}")
        return manifest

    def verify(self, folder: Path) -> None:
        """Raise ``BackupRefused`` where a file of the backup is missing, or is not what it was."""
        wrong = []
        for one in self.files:
            path = folder / one.path
            if not path.is_file():
                wrong.append(f"{one.path} is missing")
            elif path.stat().st_size != one.size or digest_of(path) != one.sha256:
                wrong.append(f"{one.path} is not what it was")
        if wrong:
            more = f" and {len(wrong) - _MOST_NAMED} more" if len(wrong) > _MOST_NAMED else ""
            raise BackupRefused(f"the backup is damaged: {'; '.join(wrong[:_MOST_NAMED])}{more}")


def digest_of(path: Path) -> str:
    """Return the SHA-256 of a file, hexadecimal."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def copy(source: Path, target: Path) -> str:
    """Copy a file with its times, by which the house knows it; return the SHA-256 of what was copied."""
    target.parent.mkdir(parents=True, exist_ok=True)
    digest = hashlib.sha256()
    with source.open("rb") as read, target.open("xb") as written:
        while block := read.read(_BLOCK):
            digest.update(block)
            written.write(block)
    shutil.copystat(source, target)
    return digest.hexdigest()


def files_to_keep(data: Path) -> Iterator[Path]:
    """The files of a data folder that a backup keeps, in order."""
    for top in sorted(data.iterdir()):
        if top.name in _LEFT_OUT or top.name.endswith(_LEFT_OUT_ENDINGS) or top.is_symlink():
            continue
        found = sorted(top.rglob("*")) if top.is_dir() else [top]
        yield from (path for path in found if path.is_file() and not path.is_symlink())
