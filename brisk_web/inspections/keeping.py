"""What inspections leave in the data folder, and when it is removed."""

from __future__ import annotations

import logging
import shutil
import time
from pathlib import Path

from django.conf import settings

from brisk_core import sandbox
from brisk_web.inspections.models import Inspection
from brisk_web.storage import shared
from brisk_web.work.tidying import Removal, keeper, paths_to_remove, size_of

log = logging.getLogger(__name__)

FRAMES_KEPT_S = 14 * 86400  # since anybody looked at a frame of a file
_LEFT_S = 86_400  # after which a folder that a reader wrote into belongs to nobody
_HOUR_S = 3600.0
_REMOVALS = 5  # attempts at a folder
_WRITTEN_S = 0.2  # a picture takes to be written


@keeper(
    "Decoded pictures",
    f"{FRAMES_KEPT_S // 86400} days after somebody looked at one of the file, or the oldest when they take more room "
    "than the house gives them; they are made again when somebody asks",
)
def tidy_frames() -> Removal:
    """Decoded pictures of inspections that are gone, that nobody looks at, or that are too many in all."""
    top = Path(settings.DATA_FOLDER) / "frames"
    folders = [folder for folder in top.iterdir() if folder.is_dir()] if top.is_dir() else []
    known = {str(pk) for pk in Inspection.objects.values_list("pk", flat=True)}
    now, left, going = time.time(), settings.LARGEST_FRAME_CACHE, []
    for folder in sorted(folders, key=lambda folder: -folder.stat().st_mtime):
        size = size_of(folder)
        if folder.name in known and now - folder.stat().st_mtime < FRAMES_KEPT_S and size <= left:
            left -= size
        else:
            going.append(folder)
    return paths_to_remove(going, _remove)


def _remove(folder: Path) -> bool:
    """Remove a folder; a picture that is being written to it right now is waited for. Is it gone?"""
    for _ in range(_REMOVALS):
        shutil.rmtree(folder, ignore_errors=True)
        if not folder.exists():
            return True
        time.sleep(_WRITTEN_S)
    return False


@keeper(
    "Packets and series of inspections that are gone", "with their inspection; what killed readers left, after a day"
)
def tidy_series() -> Removal:
    """Series and parts of inspections that are gone, and what killed readers left."""
    top = Path(settings.DATA_FOLDER) / "series"
    known = set(Inspection.objects.values_list("pk", flat=True))
    going = []
    try:
        there = shared.names(top)
    except shared.SharedStoreAway as away:
        log.warning("%s", away)
        there = []
    here = [path.name for path in top.iterdir()] if top.is_dir() else []
    for path in sorted({top / name for name in [*here, *there]}):
        is_left = path.name.startswith(sandbox.APART) and time.time() - path.stat().st_mtime > _LEFT_S
        number = _number_in(path)
        if is_left or (number is not None and number not in known):
            going.append(path)
    return paths_to_remove(going, shared.drop)


_forgotten_at = 0.0  # when this process looked last, on its own clock


def forget_copies() -> int:
    """Remove the copies here of what another machine may bring at any time, once a day old; return how many.

    Only where machines share a store, and once an hour in a process: workers call it after what they did.
    """
    global _forgotten_at
    if not settings.SHARED or time.monotonic() - _forgotten_at < _HOUR_S:
        return 0
    _forgotten_at = time.monotonic()
    top = Path(settings.DATA_FOLDER) / "series"
    active = set(Inspection.objects.filter(state__in=Inspection.ACTIVE).values_list("pk", flat=True))
    # When it came here; the time of the last change is that of the one in the store.
    old = [path for path in (top.iterdir() if top.is_dir() else ()) if time.time() - path.stat().st_ctime > _LEFT_S]
    return paths_to_remove(path for path in old if _number_in(path) not in active).remove()


def _number_in(path: Path) -> int | None:
    """The inspection to which something in the folder of series belongs, by its name."""
    number = path.name.removesuffix(".npz").partition("-")[0]
    return int(number) if number.isdigit() else None
