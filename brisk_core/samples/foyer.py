"""Seven clips for the deck of the foyer: lamps with alpha that are laid over a live picture of the canal.

Two of them vanish from the deck, which shows 1920 × 1080 at 25 only; one has its colour multiplied by alpha already.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from math import cos, pi, sin
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

_FRAMES = 12
_WARM = (1.0, 0.78, 0.42)  # colour of lamp light, red to blue


@dataclass(frozen=True, slots=True, kw_only=True)
class Lamp:
    """A clip of a lamp."""

    name: str
    across: float  #: where it hangs, share of the width
    size: tuple[int, int] = (1920, 1080)
    rate: Fraction = Fraction(25)
    multiplied: bool = False  #: is colour multiplied by alpha already?
    goes_round: bool = True  #: does its last frame lead over to the first?


LAMPS = (
    Lamp(name="WHF_LAMP_LOCK_V01.mov", across=0.2),
    Lamp(name="WHF_LAMP_BRIDGE_V01.mov", across=0.45),
    Lamp(name="WHF_LAMP_QUAY_V02.mov", across=0.7),
    Lamp(name="WHF_LAMP_BOAT_V01.mov", across=0.3, multiplied=True),
    Lamp(name="WHF_LAMP_GATE_V01.mov", across=0.6, goes_round=False),
    Lamp(name="WHF_LAMP_TOWER_V01.mov", across=0.5, rate=Fraction(30_000, 1001)),
    Lamp(name="WHF_LAMP_YARD_V01.mov", across=0.8, size=(1280, 720)),
)

#: The edit of each lamp, as a list of cuts.
LAMPS_EDIT = f"""TITLE: FOYER LAMPS
FCM: NON-DROP FRAME

001  LAMP     V     C        00:00:00:00 00:00:00:{_FRAMES} 10:00:00:00 10:00:00:{_FRAMES}
"""


def write_foyer(folder: Path) -> None:
    """Write the clips."""
    for lamp in LAMPS:
        _write(folder / lamp.name, lamp)


def _write(path: Path, lamp: Lamp) -> None:
    with av.open(str(path), "w") as container:
        stream = container.add_stream("prores_aw", rate=lamp.rate)
        stream.width, stream.height, stream.pix_fmt = *lamp.size, "yuva444p10le"
        stream.thread_count = 2
        context = stream.codec_context
        context.color_primaries = context.color_trc = context.colorspace = 1  # BT.709
        for number in range(_FRAMES):
            frame = av.VideoFrame.from_ndarray(draw(lamp, number), "rgba64le")
            container.mux(stream.encode(frame.reformat(format="yuva444p10le", dst_colorspace="itu709")))
        container.mux(stream.encode(None))


def draw(lamp: Lamp, number: int) -> NDArray[np.uint16]:
    """Return a frame, height by width by red, green, blue and alpha, 16 bit: a lamp whose light swells and swings."""
    width, height = lamp.size
    turn = number / _FRAMES if lamp.goes_round else number / _FRAMES / 2
    right = np.arange(width, dtype=np.float32)[None, :] - np.float32(width * (lamp.across + 0.03 * sin(2 * pi * turn)))
    down = np.arange(height, dtype=np.float32)[:, None] - np.float32(height * 0.4)
    far = np.hypot(down, right) / np.float32(0.16 * height * (1.2 + 0.25 * cos(2 * pi * turn)))
    alpha = np.clip(np.float32(1.35) - far, 0, 1) ** 2
    light = np.clip(np.float32(1.3) - np.float32(0.5) * far, np.float32(0.35), 1)
    picture = np.empty((height, width, 4), dtype=np.uint16)
    for channel, share in enumerate(_WARM):
        picture[..., channel] = light * (alpha if lamp.multiplied else 1) * np.float32(share * 65_535)
    picture[..., 3] = alpha * np.float32(65_535)
    return picture
