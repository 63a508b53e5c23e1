"""The samples and their inspections, made once for all tests of all processes."""

from __future__ import annotations

import fcntl
import hashlib
import json
import os
import shutil
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

import av

from brisk_core.facts import Inspection, inspection_from_json, inspection_to_json, keys
from brisk_core.inspect import digest, inspect
from brisk_core.reading import Source

_REPOSITORY = Path(__file__).resolve().parents[3]


@dataclass(frozen=True, slots=True, kw_only=True)
class Canned:
    """An inspection to its full depth that was made before, and the series of pictures and sound it left."""

    document: dict[str, Any]  #: of schema ``brisk-sentry/inspection/1``
    scan_path: Path

    @property
    def inspection(self) -> Inspection:
        """The inspection itself."""
        return inspection_from_json(self.document)

    @property
    def checksum(self) -> str:
        """The XXH3-128 digest of the file."""
        return checksum_of(self.inspection)


def checksum_of(inspection: Inspection) -> str:
    """Return the XXH3-128 digest of an inspected file, empty where it was not taken."""
    return str((inspection[keys.FILE_CHECKSUM] or {}).get("xxh3_128", ""))


def shared_samples() -> Path:
    """Return the folder of the samples; one process builds them if they are not there, the others wait for it."""
    folder = _folder()
    with _alone(folder / "build.lock"):
        command = [sys.executable, "-m", "brisk_core.samples", str(folder)]  # a test process may have no children
        made = subprocess.run(command, cwd=_REPOSITORY, capture_output=True, text=True, check=True)
    return Path(made.stdout.strip().splitlines()[-1])


def canned(url: str) -> Canned:
    """Return the inspection of a file; one process makes it if the core as it is now never inspected this file."""
    source = Source.at(url)
    checksum = digest(source)
    folder = _folder() / f"canned-{_core_key()}"
    folder.mkdir(exist_ok=True)
    kept = folder / f"{checksum}-{hashlib.sha256(source.name.encode()).hexdigest()[:8]}"
    document, scan_path = kept.with_suffix(".json"), kept.with_suffix(".npz")
    with _alone(kept.with_suffix(".lock")):
        if not document.exists():
            found = inspect(source, checksum=checksum, scan_path=scan_path).inspection
            part = document.with_suffix(".part")  # whole or not at all: a run may be ended at any moment
            part.write_text(json.dumps(inspection_to_json(found)))
            part.replace(document)
    return Canned(document=json.loads(document.read_text()), scan_path=scan_path)


def _folder() -> Path:
    folder = Path(os.environ.get("BRISK_SAMPLES", _REPOSITORY / "var" / "demo"))
    folder.mkdir(parents=True, exist_ok=True)
    return folder


@contextmanager
def _alone(path: Path) -> Iterator[None]:
    with path.open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield


@cache
def _core_key() -> str:
    """A key that changes with the code of the core, tests aside, and with the decoding library."""
    key = hashlib.sha256(av.__version__.encode())
    for path in sorted((_REPOSITORY / "brisk_core").rglob("*.py")):
        if "tests" not in path.parts:
            key.update(path.read_bytes())
    name = key.hexdigest()[:16]
    for old in _folder().glob("canned-*"):
        if old.name != f"canned-{name}":
            shutil.rmtree(old, ignore_errors=True)
    return name
