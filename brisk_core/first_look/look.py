"""The first look as a whole."""

from __future__ import annotations

from pathlib import Path

import av

from brisk_core.errors import UnreadableFile
from brisk_core.facts import Inspection, keys
from brisk_core.first_look.pictures import Progress, see_pictures
from brisk_core.first_look.sound import hear_sounds
from brisk_core.first_look.tell import FirstLook, told_of
from brisk_core.reading import Source, open_container

LEAST_S = 60.0  #: length of a file from which a first look is worth it; a shorter one is scanned as soon
_LEAST_BYTES = 50_000_000  # from which it is, where the headers tell no length
_USUAL_SIZE = (1920, 1080)  # taken where the headers tell none


def is_worth_it(headers: Inspection) -> bool:
    """Is a file long enough to be looked at first?"""
    duration = headers[keys.WRAPPER_DURATION]
    return headers.file_size >= _LEAST_BYTES if duration is None else float(duration) >= LEAST_S


def first_look(
    source: Source, headers: Inspection, *, folder: Path | None = None, progress: Progress | None = None
) -> FirstLook:
    """Look at a file of which the headers are known; ``folder`` is where small pictures are kept.

    Where the headers tell no length, that is taken which the last times in the file show. Raises ``UnreadableFile``
    when the file cannot be opened, or its length cannot be told.
    """
    duration = float(headers[keys.WRAPPER_DURATION] or 0) or _length(source)
    size = headers[keys.PICTURE_SIZE] or _USUAL_SIZE
    if folder is not None:
        folder.mkdir(parents=True, exist_ok=True)
    pictures = see_pictures(source, duration, size, full=headers.is_full_range, folder=folder, progress=progress)
    return told_of(duration, pictures, hear_sounds(source, duration))


def _length(source: Source) -> float:
    with open_container(source) as container:
        if not container.duration:
            raise UnreadableFile("its length cannot be told, so nobody can look along it")
        return container.duration / av.time_base
