"""Single samples of a frame with their code values."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from brisk_core.errors import UnreadableFile
from brisk_core.frames.find import exact_frames
from brisk_core.meters.planes import PlaneReader
from brisk_core.reading import Source

MOST_ACROSS, MOST_DOWN = 32, 24  #: samples told at once


def read_samples(
    source: Source, series_path: Path, number: int, x: int, y: int, across: int, down: int
) -> dict[str, Any]:
    """Return the code values around a place: ``x``, ``y`` of the first sample told, rows of each plane, and the depth.

    Chroma rows are told at their own sampling, those that belong to the luma samples. Raises ``UnreadableFile``.
    """
    for _, frame in exact_frames(source, series_path, [number]):
        picture = PlaneReader(full=False).picture(frame, number)
        width, height = picture.size
        across, down = min(across, MOST_ACROSS, width), min(down, MOST_DOWN, height)
        left = max(0, min(x - across // 2, width - across)) // 2 * 2
        top = max(0, min(y - down // 2, height - down)) // 2 * 2
        planes = {}
        for name, plane in zip(("luma", "blue", "red"), picture.planes, strict=False):
            wide, high = width // plane.shape[1], height // plane.shape[0]
            part = plane[top // high : -(-(top + down) // high), left // wide : -(-(left + across) // wide)]
            planes[name] = part.tolist()
        if picture.alpha is not None:
            planes["alpha"] = picture.alpha[top : top + down, left : left + across].tolist()
        return {"x": left, "y": top, "bits": picture.samples.bits, "planes": planes}
    raise UnreadableFile(f"frame {number} cannot be decoded")
