"""What the bytes of a file that comes along say of it: which format it has, and what a spec asks of such a file."""

from __future__ import annotations

from typing import Any, BinaryIO

from brisk_core.captions import LARGEST, read_captions
from brisk_core.errors import CaptionsRefused, UnreadableFile
from brisk_core.facts import keys
from brisk_core.reading import Source, inspect_headers
from brisk_core.spec.companions import FORMATS, CompanionKind

_MOST_PIXELS = 200_000_000  # of a picture that is opened


def look_at_companion(source: Source, kind: CompanionKind) -> dict[str, Any]:
    """Return what a file is, for the kind that is asked for.

    ``format`` is one of ``FORMATS``, or empty; of a picture there is its ``picture`` (width and height), of captions
    and chapters their ``count`` and ``language``. Nothing is raised for a file that is something else: it then has no
    format.
    """
    if kind is CompanionKind.SOUND:
        return _of_sound(source)
    with source.open() as file:
        match kind:
            case CompanionKind.PICTURE:
                return _of_picture(file)
            case CompanionKind.CAPTIONS | CompanionKind.CHAPTERS:
                return _of_captions(file, source.name)
            case CompanionKind.PAPER:
                return _of_paper(file, source.size)
            case _:
                return {"format": ""}


def format_of_captions(name: str) -> str:
    """Return what a spec calls the format of captions that were read, such as srt of SRT and stl of EBU-STL."""
    return name.lower().removeprefix("ebu-")


def _of_picture(file: BinaryIO) -> dict[str, Any]:
    from PIL import Image

    try:
        with Image.open(file, formats=("JPEG", "PNG")) as picture:
            size, name = picture.size, str(picture.format).lower()
            if size[0] * size[1] <= _MOST_PIXELS:
                picture.load()  # one that breaks off in the middle is none
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        return {"format": ""}
    return {"format": name, "picture": list(size)}


def _of_captions(file: BinaryIO, name: str) -> dict[str, Any]:
    try:
        read = read_captions(file.read(LARGEST + 1), name)
    except CaptionsRefused:
        return {"format": ""}
    if not read.captions:
        return {"format": ""}
    return {"format": format_of_captions(read.format), "count": len(read.captions), "language": read.language}


def _of_paper(file: BinaryIO, size: int) -> dict[str, Any]:
    """A PDF begins and ends as ISO 32000-1, 7.5.2 and 7.5.5 say."""
    begins = file.read(1024)
    file.seek(max(size - 1024, 0))
    is_whole = b"%PDF-" in begins and b"%%EOF" in file.read(1024)
    return {"format": "pdf" if is_whole else ""}


def _of_sound(source: Source) -> dict[str, Any]:
    try:
        facts = inspect_headers(source)
    except UnreadableFile:
        return {"format": ""}
    wrapper, codecs = str(facts[keys.WRAPPER_FORMAT]), facts[keys.SOUND_CODEC] or ()
    name = str(codecs[0]) if wrapper == "other" and codecs else wrapper  # MP3 and FLAC stand without a wrapper
    is_sound = bool(facts[keys.SOUND_TRACKS]) and name in FORMATS[CompanionKind.SOUND]
    return {"format": name if is_sound else ""}
