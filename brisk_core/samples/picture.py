"""Drawing of the programme's pictures, as luma and 4:2:2 chroma planes of 8-bit narrow range."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from brisk_core.samples.programme import LENGTH, TITLE, Shot, shot_at

Plane = NDArray[np.uint8]
_GRAIN = 256  # edge of the grain tile
_BAND = 8  # lines of water that drift together


@dataclass(frozen=True, slots=True)
class Drawn:
    """One picture."""

    luma: Plane  #: (height, width)
    blue: Plane  #: (height, width / 2)
    red: Plane  #: (height, width / 2)


def _horizon(height: int) -> int:
    return int(height * 0.56) // 2 * 2


@lru_cache(maxsize=4)
def _background(shot: Shot, width: int, height: int) -> Drawn:
    """The still part of a shot: sky, houses, lamps and their glow, dark water with reflections."""
    random = np.random.default_rng(shot.skyline)
    horizon = _horizon(height)
    level, blue_at, red_at = shot.sky
    luma = np.empty((height, width), np.float32)
    blue = np.full((height, width // 2), 128.0, np.float32)
    red = np.full((height, width // 2), 128.0, np.float32)
    rise = np.linspace(0.35, 1.0, horizon, dtype=np.float32)[:, None]
    luma[:horizon] = 16 + (level - 16) * rise
    blue[:horizon] += (blue_at - 128) * rise
    red[:horizon] += (red_at - 128) * rise
    left = 0
    while left < width:
        house = int(random.integers(width // 24, width // 8))
        top = int(horizon * random.uniform(0.35, 0.8))
        luma[top:horizon, left : left + house] = 26 + 6 * random.random()
        blue[top:horizon, left // 2 : (left + house) // 2] = 130
        red[top:horizon, left // 2 : (left + house) // 2] = 126
        left += house
    luma[horizon:] = np.linspace(level * 0.45 + 8, 22, height - horizon, dtype=np.float32)[:, None]
    blue[horizon:], red[horizon:] = 133, 124
    rows, columns = np.ogrid[:height, :width]
    for number in range(shot.lamps):
        x = int(width * (number + 0.5 + 0.3 * random.random()) / shot.lamps)
        y = int(horizon * random.uniform(0.78, 0.92))
        radius = height / 34
        glow = np.exp(-((columns - x) ** 2 + (rows - y) ** 2) / (2 * radius**2)).astype(np.float32)
        luma += np.minimum(glow * 1.25, 1) * (235 - luma)  # the lamp itself is white
        half = glow[:, ::2]
        blue += half * (96 - blue)
        red += half * (158 - red)
        luma[horizon:, max(x - 5, 0) : x + 5] += 40
        red[horizon:, max(x // 2 - 3, 0) : x // 2 + 3] += 14
    return Drawn(_narrow(luma), _narrow(blue), _narrow(red))


def _narrow(plane: NDArray[np.float32]) -> Plane:
    return np.clip(plane, 16, 235).astype(np.uint8)


@lru_cache(maxsize=1)
def _grain_tile() -> NDArray[np.int16]:
    return np.random.default_rng(5).normal(0, 2.2, (_GRAIN * 2, _GRAIN * 2)).astype(np.int16)


@lru_cache(maxsize=2)
def _ripples(width: int, lines: int) -> NDArray[np.int16]:
    """A strip of water twice as wide as the picture, to be drawn from at a drifting place."""
    random = np.random.default_rng(11)
    strip = random.normal(0, 1, (lines, width * 2)).astype(np.float32)
    for _ in range(3):
        strip = (strip + np.roll(strip, 1, 1) + np.roll(strip, 2, 1)) / 1.9
    waves: NDArray[np.int16] = (strip * 7 / strip.std()).astype(np.int16)
    return waves


@lru_cache(maxsize=64)
def _lettering(text: str, size: int) -> NDArray[np.float32]:
    font = ImageFont.load_default(size)
    box = font.getbbox(text)
    picture = Image.new("L", (int(box[2]) + 4, int(box[3]) + 4))
    ImageDraw.Draw(picture).text((2, 2), text, font=font, fill=255)
    return np.asarray(picture, np.float32) / np.float32(255)


def _write(luma: Plane, text: str, size: int, x: int, y: int) -> None:
    letters = _lettering(text, size)[: luma.shape[0] - y, : luma.shape[1] - x]
    area = luma[y : y + letters.shape[0], x : x + letters.shape[1]]
    area[:] = (area + letters * (208.0 - area)).astype(np.uint8)


def draw(time: Fraction, size: tuple[int, int], label: str = "") -> Drawn:
    """Draw the moment ``time`` (seconds) at ``size``; ``label`` is lettered in the lower left corner."""
    width, height = size
    shot = shot_at(min(time, LENGTH - Fraction(1, 1000)))
    ground = _background(shot, width, height)
    luma, blue, red = ground.luma.astype(np.int16), ground.blue.copy(), ground.red.copy()
    horizon = _horizon(height)
    seconds = float(time)
    strip = _ripples(width, height - horizon)
    for top in range(0, height - horizon, _BAND):
        near = 0.3 + top / (height - horizon)
        drift = int((seconds * 90 * near + top * 37) % width)
        luma[horizon + top : horizon + top + _BAND] += strip[top : top + _BAND, drift : drift + width]
    _add_grain(luma, seconds)
    picture = np.clip(luma, 16, 235).astype(np.uint8)
    _draw_boat(picture, blue, red, shot, float(time - shot.start), horizon)
    if label:
        _write(picture, label, height // 30, width // 40, height - height // 16)
    if shot.start == 0:
        _write(picture, TITLE, min(height, width) // 16, width // 40, height // 14)
    return Drawn(picture, blue, red)


def _add_grain(luma: NDArray[np.int16], seconds: float) -> None:
    tile = _grain_tile()
    x, y = int(seconds * 7919) % _GRAIN, int(seconds * 6101) % _GRAIN
    grain = tile[y : y + _GRAIN, x : x + _GRAIN]
    for top in range(0, luma.shape[0], _GRAIN):
        for left in range(0, luma.shape[1], _GRAIN):
            area = luma[top : top + _GRAIN, left : left + _GRAIN]
            area += grain[: area.shape[0], : area.shape[1]]


def _draw_boat(luma: Plane, blue: Plane, red: Plane, shot: Shot, since: float, horizon: int) -> None:
    """A boat of hull, cabin and lantern that crosses the water; its speed makes motion in every frame and field."""
    height, width = luma.shape
    length = width // 5
    start = 0.1 if shot.boat_speed > 0 else 0.7
    x = round((start + shot.boat_speed * since) * width) // 2 * 2
    y = horizon + (height - horizon) // 3
    tall = max(height // 18, 8)
    for left, right, top, bottom, level in (
        (x, x + length, y, y + tall, 34),
        (x + length // 3, x + length * 2 // 3, y - tall, y, 58),
        (x + length * 4 // 9, x + length * 5 // 9, y - tall * 3 // 4, y - tall // 4, 200),
    ):
        left, right = max(left, 0), min(right, width)
        if right > left:
            luma[top:bottom, left:right] = level
            blue[top:bottom, left // 2 : right // 2] = 100 if level == 200 else 124
            red[top:bottom, left // 2 : right // 2] = 156 if level == 200 else 134


def weave(first: Drawn, second: Drawn) -> Drawn:
    """Weave two moments into one interlaced frame: the first gives the top field, the second the bottom field."""
    planes = []
    for name in ("luma", "blue", "red"):
        plane = getattr(first, name).copy()
        plane[1::2] = getattr(second, name)[1::2]
        planes.append(plane)
    return Drawn(*planes)
