"""Single pictures of a file, exact to the frame, written as JPEG for the frame viewer."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import Any

import av

from brisk_core.errors import UnreadableFile
from brisk_core.packets import load_series
from brisk_core.reading import Source, open_container

_QUALITY = 88
#: Seconds before the frame at which decoding begins, tried in turn: a seek by decode time can land too late in
#: wrappers without an index. None is the start of the file.
_EARLIER = (0, 2, 10, None)
_HIGH_DEFINITION_LINES = 576  # above them an undescribed stream is BT.709, else BT.601 (ITU-R BT.1361 practice)


def frame_path(folder: Path, number: int) -> Path:
    """Return where the picture of a frame is kept."""
    return folder / f"{number:08}.jpg"


def write_frames(source: Source, series_path: Path, folder: Path, first: int, count: int, widest: int) -> list[int]:
    """Decode frames ``first`` to ``first + count`` in presentation order and write them; return the numbers written.

    A frame is found by its presentation time in the packet series, so the number is exact whatever the seek does.
    Pictures wider than ``widest`` are scaled down. Raises ``UnreadableFile`` when not even the first can be decoded.
    """
    series = load_series(series_path)
    pts = series.presented_pts()
    if not 0 <= first < len(pts):
        raise UnreadableFile(f"there is no frame {first}; the file has {len(pts)} frames")
    wanted = {int(pts[number]): number for number in range(first, min(first + count, len(pts)))}
    folder.mkdir(parents=True, exist_ok=True)
    written: list[int] = []
    with open_container(source) as container:
        stream = container.streams.video[0]
        stream.thread_type = "AUTO"
        start = int(pts[first])
        for seconds in _EARLIER:
            target = 0 if seconds is None else max(start - int(seconds / series.time_base), 0)
            container.seek(target, stream=stream, backward=True)
            written = _decode(container, stream, wanted, folder, widest)
            if first in written:
                return written
    raise UnreadableFile(f"frame {first} cannot be decoded")


def _decode(container: Any, stream: Any, wanted: dict[int, int], folder: Path, widest: int) -> list[int]:
    written: list[int] = []
    last = max(wanted)
    try:
        for frame in container.decode(stream):
            if frame.pts is None:
                continue
            if frame.pts in wanted:
                _write(frame, stream.sample_aspect_ratio or Fraction(1), frame_path(folder, wanted[frame.pts]), widest)
                written.append(wanted[frame.pts])
            if frame.pts >= last:
                break
    except (av.FFmpegError, IndexError, UnicodeDecodeError):
        pass  # a damaged place: what was decoded before it stands
    return written


def _write(frame: Any, pixel_aspect: Fraction, path: Path, widest: int) -> None:
    """Write a frame in the shape a viewer sees: square pixels, turned as the display matrix asks."""
    shown = round(frame.width * pixel_aspect)
    width = max(2, min(shown, widest))
    height = max(2, round(frame.height * width / shown))
    colours = "ITU709" if frame.height > _HIGH_DEFINITION_LINES else "ITU601"
    picture = frame.reformat(width=width, height=height, format="rgb24", src_colorspace=colours)
    part = path.with_suffix(".part")
    image = picture.to_image()
    if turn := round(getattr(frame, "rotation", 0)) % 360:
        image = image.rotate(turn, expand=True)
    image.save(part, format="JPEG", quality=_QUALITY, subsampling=0)
    part.replace(path)
