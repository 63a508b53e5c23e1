"""What inspections leave in the data folder, and when it is removed."""

from __future__ import annotations

import shutil
import time
from pathlib import Path

from django.conf import settings

from brisk_core import sandbox
from brisk_web.inspections.models import Inspection
from brisk_web.work.sweep import keeper

FRAMES_KEPT_S = 14 * 86400  # since anybody looked at a frame of a file
_LEFT_S = 86_400  # after which a folder that a reader wrote into belongs to nobody
_REMOVALS = 5  # attempts at a folder
_WRITTEN_S = 0.2  # a picture takes to be written


def _size(folder: Path) -> int:
    return sum(path.stat().st_size for path in folder.rglob("*") if path.is_file())


@keeper
def tidy_frames() -> int:
    """Remove decoded pictures of inspections that are gone, that nobody looks at, or that are too many in all.

    The pictures looked at last stay; they are made again when somebody asks. Returns how many folders were removed.
    """
    top = Path(settings.DATA_FOLDER) / "frames"
    folders = [folder for folder in top.iterdir() if folder.is_dir()] if top.is_dir() else []
    known = {str(pk) for pk in Inspection.objects.values_list("pk", flat=True)}
    now, left, removed = time.time(), settings.LARGEST_FRAME_CACHE, 0
    for folder in sorted(folders, key=lambda folder: -folder.stat().st_mtime):
        size = _size(folder)
        if folder.name in known and now - folder.stat().st_mtime < FRAMES_KEPT_S and size <= left:
            left -= size
        else:
            removed += _remove(folder)
    return removed


def _remove(folder: Path) -> bool:
    """Remove a folder; a picture that is being written to it right now is waited for. Is it gone?"""
    for _ in range(_REMOVALS):
        shutil.rmtree(folder, ignore_errors=True)
        if not folder.exists():
            return True
        time.sleep(_WRITTEN_S)
    return False


@keeper
def tidy_series() -> int:
    """Remove series and parts of inspections that are gone, and what killed readers left; return how many."""
    top = Path(settings.DATA_FOLDER) / "series"
    known = set(Inspection.objects.values_list("pk", flat=True))
    removed = 0
    for path in top.iterdir() if top.is_dir() else ():
        number = path.name.removesuffix(".npz").partition("-")[0]
        is_left = path.name.startswith(sandbox.APART) and time.time() - path.stat().st_mtime > _LEFT_S
        if is_left or (number.isdigit() and int(number) not in known):
            shutil.rmtree(path, ignore_errors=True) if path.is_dir() else path.unlink(missing_ok=True)
            removed += 1
    return removed
