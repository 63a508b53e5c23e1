"""Small pictures of many frames beside each other in one image: thumbnails of lanes and of the film strip."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PIL import Image

from brisk_core.errors import UnreadableFile
from brisk_core.frames.find import exact_frames
from brisk_core.reading import Source
from brisk_core.reading.shown import frame_aspect, shown_size, to_image
from brisk_core.whole_file import written_whole

MOST_FRAMES = 32  #: in one image
_QUALITY = 80
_MISSING = (90, 90, 88)


def write_strip(source: Source, series_path: Path, numbers: Sequence[int], path: Path, width: int) -> tuple[int, int]:
    """Write the frames as one image, each ``width`` samples wide, in the order given; return the size of one.

    A frame that cannot be decoded stays grey. Raises ``UnreadableFile`` when none can, or for too many frames.
    """
    if not 1 <= len(numbers) <= MOST_FRAMES:
        raise UnreadableFile(f"met {len(numbers)} frames; expected 1 to {MOST_FRAMES} at once")
    found: dict[int, Image.Image] = {}
    size = (width, width)
    for number, frame in exact_frames(source, series_path, numbers):
        size = shown_size(frame.width, frame.height, frame_aspect(frame), width)
        found[number] = to_image(frame, size)
    if not found:
        raise UnreadableFile("none of these frames can be decoded")
    size = next(iter(found.values())).size
    strip = Image.new("RGB", (size[0] * len(numbers), size[1]), _MISSING)
    for at, number in enumerate(numbers):
        if number in found:
            strip.paste(found[number], (at * size[0], 0))
    path.parent.mkdir(parents=True, exist_ok=True)
    with written_whole(path) as unfinished:
        strip.save(unfinished, format="JPEG", quality=_QUALITY)
    return size
