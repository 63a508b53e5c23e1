"""Planes of decoded frames as arrays, without copies where the frame is planar already."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from brisk_core.meters.picture import Picture, Samples

#: Planar forms that frames of other forms are brought to, by depth up to which they serve; all are lossless for YUV.
_PLANAR_444 = ((8, "yuv444p"), (10, "yuv444p10le"), (12, "yuv444p12le"), (16, "yuv444p16le"))
_PLANAR_444_ALPHA = ((8, "yuva444p"), (10, "yuva444p10le"), (12, "yuva444p12le"), (16, "yuva444p16le"))
_REPACKED = {
    "yuyv422": "yuv422p", "uyvy422": "yuv422p", "yvyu422": "yuv422p", "nv12": "yuv420p", "nv21": "yuv420p",
    "nv16": "yuv422p", "p010le": "yuv420p10le", "p016le": "yuv420p16le", "y210le": "yuv422p10le",
    "uyyvyy411": "yuv411p",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Form:
    """How frames of one pixel format are read."""

    target: str | None  #: planar form they are brought to, None when they are planar
    bits: int
    planes: int  #: of luma and chroma
    alpha: int | None  #: number of the alpha plane


class PlaneReader:
    """Turns frames into pictures; ``full`` says whether the file's range is full by its own word."""

    def __init__(self, *, full: bool) -> None:
        self._full = full
        self._forms: dict[str, _Form] = {}

    def picture(self, frame: Any, number: int) -> Picture:
        """Return the picture of a frame; its planes live as long as the frame does."""
        name = frame.format.name
        form = self._forms.get(name) or self._forms.setdefault(name, _form_of(frame.format))
        if form.target:
            frame = frame.reformat(format=form.target)
        kind = np.dtype("<u2") if form.bits > 8 else np.dtype(np.uint8)
        samples = Samples(bits=form.bits, full=self._full or name.startswith("yuvj"))
        planes = tuple(_plane(frame.planes[at], kind) for at in range(form.planes))
        alpha = _plane(frame.planes[form.alpha], kind) if form.alpha is not None else None
        picture = Picture(number=number, planes=planes, samples=samples, alpha=alpha)
        picture.frame = frame  # keeps the decoder's memory while the planes are looked at
        return picture


def _form_of(pixels: Any) -> _Form:
    bits = max(component.bits for component in pixels.components)
    alpha = any(component.is_alpha for component in pixels.components)
    count = len(pixels.components) - alpha
    if pixels.name in _REPACKED:
        return _Form(_REPACKED[pixels.name], bits if bits <= 8 else (16 if "p01" in pixels.name else bits), 3, None)
    planar_yuv = pixels.is_planar and not pixels.is_rgb and not pixels.is_big_endian and not pixels.has_palette
    if planar_yuv and (count in (1, 3)) and not pixels.name.startswith(("nv", "p0", "p2", "p4")):
        return _Form(None, max(bits, 8), count, count if alpha else None)
    if pixels.name in ("gray", "gray10le", "gray12le", "gray16le"):
        return _Form(None, max(bits, 8), 1, None)
    table = _PLANAR_444_ALPHA if alpha else _PLANAR_444
    depth, target = next((row for row in table if row[0] >= bits), table[-1])
    return _Form(target, depth, 3, 3 if alpha else None)


def _plane(plane: Any, kind: np.dtype[Any]) -> NDArray[Any]:
    """View of a plane's samples, ``(height, width)``."""
    line = plane.line_size // kind.itemsize
    return np.frombuffer(memoryview(plane), kind)[: plane.height * line].reshape(plane.height, line)[:, : plane.width]
