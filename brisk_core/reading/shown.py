"""A decoded frame as it is shown: with square pixels, in colours, turned as the wrapper asks. Where it is kept, and how
far two pictures differ.
"""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

_HIGH_DEFINITION_LINES = 576  # above them an undescribed stream is BT.709, else BT.601 (ITU-R BT.1361 practice)


def frame_path(folder: Path, number: int) -> Path:
    """Return where the picture of a frame is kept."""
    return folder / f"{number:08}.jpg"


def frame_aspect(frame: Any) -> Fraction:
    """Return the width of a frame's pixels over their height, 1 where it is not stated."""
    aspect = getattr(frame, "sample_aspect_ratio", None)
    return Fraction(aspect) if aspect else Fraction(1)


def shown_size(width: int, height: int, aspect: Fraction, widest: int) -> tuple[int, int]:
    """Return the size at which a frame is shown with square pixels."""
    shown = round(width * aspect)
    across = max(2, min(shown, widest))
    return across, max(2, round(height * across / shown))


def to_image(frame: Any, size: tuple[int, int]) -> Image.Image:
    """Return a frame in colours, scaled, turned as the display matrix asks."""
    colours = "ITU709" if frame.height > _HIGH_DEFINITION_LINES else "ITU601"
    image: Image.Image = frame.reformat(
        width=size[0], height=size[1], format="rgb24", src_colorspace=colours
    ).to_image()
    turn = round(getattr(frame, "rotation", 0)) % 360
    return image.rotate(turn, expand=True) if turn else image


def difference_of_pictures(first: Path, last: Path) -> float | None:
    """Return the mean difference of two pictures of one size in levels of 8 bit, ``None`` where one cannot be read."""
    try:
        with Image.open(first) as one, Image.open(last) as two:
            if one.size != two.size:
                return None
            pair = [np.asarray(picture.convert("RGB"), dtype=np.float32) for picture in (one, two)]
    except OSError:
        return None
    return float(np.abs(pair[0] - pair[1]).mean())
