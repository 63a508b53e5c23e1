"""A programme of known truth for the tests: 24 shots that move, its master, and renders of it through real coders."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from fractions import Fraction
from functools import cache
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from brisk_core.inspect import inspect
from brisk_core.master import Against, Side, hold_against
from brisk_core.meters.tests.drawn import Plane
from brisk_core.reading import Source
from brisk_core.scan.tests.encoded import CODINGS, Coding, write

RATE = Fraction(25)
SIZE = (384, 216)
LENGTHS = [int(one) for one in np.random.default_rng(11).integers(10, 20, 24)]
STARTS = [0, *np.cumsum(LENGTHS)[:-1].tolist()]
FRAMES = sum(LENGTHS)
UPLOAD = replace(CODINGS["avc"], options={"preset": "veryfast", "crf": "23"})


def _scene(number: int) -> tuple[NDArray[np.float32], float, float]:
    """A wide picture of clouds, houses and lamps, and how it moves, samples a frame across and down."""
    generator = np.random.default_rng(100 + number)
    wide = cv2.GaussianBlur(generator.normal(0, 1, (400, 900)).astype(np.float32), (0, 0), 3 + number % 5)
    coarse = cv2.GaussianBlur(generator.normal(0, 1, (400, 900)).astype(np.float32), (0, 0), 40)
    scene = 118 + wide / wide.std() * 18 + coarse / coarse.std() * 30
    for _ in range(14):
        x, y = int(generator.integers(0, 880)), int(generator.integers(0, 380))
        w, h = int(generator.integers(12, 90)), int(generator.integers(12, 70))
        scene[y : y + h, x : x + w] = generator.uniform(22, 230)
    speed = generator.uniform(1.5, 4.5) * (1 if generator.random() > 0.5 else -1)
    return scene.clip(16, 235).astype(np.float32), speed, generator.uniform(-0.6, 0.6)


_SCENES = [_scene(number) for number in range(len(LENGTHS))]


def picture(time: Fraction | float, *, shot: int | None = None, into: float | None = None) -> Plane:
    """The programme at a time in frames of its own rate; or a shot at some frames into it."""
    if shot is None:
        shot = max(index for index, start in enumerate(STARTS) if start <= time)
        into = float(time) - STARTS[shot]
    scene, across, down = _SCENES[shot]
    assert into is not None
    left = 250 + across * (into - 15)
    top = 90 + down * (into - 15)
    grid = np.array([[1, 0, left], [0, 1, top]], np.float32)
    seen = cv2.warpAffine(scene, grid, SIZE, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
    grain = np.random.default_rng(int(float(time) * 1000) % (1 << 31)).normal(0, 1.2, (SIZE[1], SIZE[0]))
    return np.asarray((seen + grain).clip(0, 255), np.uint8)


def pictures(order: Sequence[int] | None = None) -> list[Plane]:
    """Pictures of the programme by their numbers, all by default."""
    return [_whole_frame(number) for number in (order if order is not None else range(FRAMES))]


@cache
def _whole_frame(number: int) -> Plane:
    return picture(number)


def shot_frames(*shots: int) -> list[int]:
    """Numbers of the pictures of some shots, counted from 1, in the order given."""
    return [number for shot in shots for number in range(STARTS[shot - 1], STARTS[shot - 1] + LENGTHS[shot - 1])]


def sound(seconds: float, seed: int = 5) -> NDArray[np.float32]:
    """Two channels of noise that comes and goes, each its own."""
    generator = np.random.default_rng(seed)
    count = round(seconds * 48000)
    swell = 0.12 * (1.2 + np.sin(np.arange(count) / 48000 * 2 * np.pi * np.array([[0.7], [1.1]])))
    raw = generator.normal(0, 1, (2, count)).astype(np.float32)
    soft = cv2.blur(raw, (9, 1))
    return np.asarray(soft * swell, np.float32)


def side(path: Path) -> Side:
    """A file, inspected to its full depth."""
    series_path, scan_path = path.with_suffix(".series.npz"), path.with_suffix(".scan.npz")
    source = Source.at(str(path))
    inspection = inspect(source, series_path=series_path, scan_path=scan_path).inspection
    return Side(source=source, inspection=inspection, series_path=series_path, scan_path=scan_path)


def render(
    folder: Path, name: str, planes: Sequence[Plane], coding: Coding = UPLOAD, heard: NDArray[np.float32] | None = None
) -> Side:
    """Write planes as a file and inspect it."""
    return side(write(folder / name, planes, coding, heard))


def against(file: Side, master: Side, **more: Any) -> Against:
    """Hold a file against a master, its shots named by their numbers."""
    names = [(start, f"S{number}") for number, start in enumerate(STARTS, 1)]
    return hold_against(file, master, names=names, **more)
