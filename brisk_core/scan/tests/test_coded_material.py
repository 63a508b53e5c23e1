"""Real coders of few and of many bits: what they leave of clean material is no fault, and planted faults are found."""

from collections.abc import Callable
from dataclasses import replace
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase

import cv2
import numpy as np
from numpy.typing import NDArray

from brisk_core.facts import Inspection
from brisk_core.inspect import inspect
from brisk_core.meters.tests.drawn import Plane
from brisk_core.reading import Source
from brisk_core.scan.tests.encoded import CODINGS, Coding, write

SIZE = (640, 360)
COUNT = 60
FEW = Coding(options={"preset": "veryfast", "b": "500000", "g": "50"})  # 2 Mb/s at 720 lines
MANY = Coding(options={"preset": "veryfast", "b": "5000000", "g": "50"})
DISC = replace(CODINGS["mpeg2"], options={"b": "5000000", "g": "12", "bf": "2"})
Draw = Callable[[float], NDArray[np.float32]]


@cache
def ground(seed: int, slope: float = 1.1) -> NDArray[np.float32]:
    """A wide picture with as much detail of each fineness as pictures have."""
    noise = np.fft.rfft2(np.random.default_rng(seed).normal(0, 1, (600, 1400)))
    fineness = np.hypot(np.fft.fftfreq(600)[:, None], np.fft.rfftfreq(1400)[None])
    fineness[0, 0] = 1
    wide = np.fft.irfft2(noise / fineness**slope, (600, 1400))
    return np.asarray((120 + wide / wide.std() * 38).clip(30, 210), np.float32)


def seen(seed: int, across: float, down: float) -> NDArray[np.float32]:
    place = np.array([[1, 0, across], [0, 1, down]], np.float64)
    return np.asarray(
        cv2.warpAffine(ground(seed), place, SIZE, flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP), np.float32
    )


def eased(share: float) -> float:
    share = min(max(share, 0.0), 1.0)
    return share * share * (3 - 2 * share)


def grain(time: float, strength: float) -> NDArray[np.float32]:
    noise = np.random.default_rng(round(time * 100)).normal(0, strength, SIZE[::-1])
    return np.asarray(noise, np.float32)


def slope(time: float) -> NDArray[np.float32]:
    """A drawn slope of grey that a disc crosses."""
    picture = np.tile((150 + np.arange(SIZE[1]) * 0.1)[:, None], (1, SIZE[0])).astype(np.float32)
    cv2.circle(picture, (round((80 + 480 * eased(time / COUNT)) * 16), 180 * 16), 50 * 16, 60.0, -1, cv2.LINE_AA, 4)
    return picture


CLEAN: dict[str, Draw] = {
    "slow pan": lambda time: seen(5, 100 + 0.7 * time, 60),
    "pan": lambda time: seen(11, 50 + 3.7 * time, 50 + 0.4 * time),
    "tilt by halves": lambda time: seen(22, 200, 30 + 1.5 * time),
    "hand-held": lambda time: seen(16, 200 + 5 * np.sin(time / 5), 80 + 3 * np.cos(time / 4)) + grain(time, 1.5),
    "locked": lambda time: seen(12, 100, 100) + grain(time, 2.0),
    "comes to rest": lambda time: seen(27, 100 + 120 * eased((time - 5) / 35), 60),
    "drawn slope": slope,
}
FAULTS: dict[str, tuple[str, int]] = {
    "blend": ("content.blend", 28), "drop": ("content.drop", 28), "freeze": ("content.freeze", 20),
    "comb": ("content.comb", 27), "repeat": ("content.repeat", 28),
}  # fmt: skip


def with_fault(draw: Draw, fault: str) -> list[NDArray[np.float32]]:
    planes = [draw(float(time)) for time in range(COUNT)]
    if fault == "blend":
        planes[28] = (planes[27] + planes[29]) / 2
    elif fault == "drop":
        del planes[28:31]
    elif fault == "freeze":
        planes[20:40] = [planes[20]] * 20
    elif fault == "comb":
        for at in (27, 28, 29):
            planes[at] = planes[at].copy()
            planes[at][1::2] = draw(at + 0.5)[1::2]
    else:
        planes[28] = planes[27]
    return planes


class CodedMaterialTest(TestCase):
    def facts(self, planes: list[NDArray[np.float32]], coding: Coding) -> Inspection:
        whole: list[Plane] = [np.asarray(plane.clip(16, 235), np.uint8) for plane in planes]
        with TemporaryDirectory() as folder:
            return inspect(Source.at(str(write(Path(folder) / "file", whole, coding)))).inspection

    def test_clean_material_of_few_and_of_many_bits_is_silent(self) -> None:
        for name, draw in CLEAN.items():
            planes = [draw(float(time)) for time in range(COUNT)]
            for coding in (FEW, MANY, DISC):
                with self.subTest(name, codec=coding.codec, bits=coding.options["b"]):
                    found = self.facts(planes, coding)
                    for id_ in ("blend", "drop", "freeze", "repeat", "comb", "cuts", "mistakes"):
                        self.assertIn(found.best(f"content.{id_}"), ((), None), id_)
                    self.assertNotIn(found.facts["picture.scan"].observed, ("interlaced", "mixed"))

    def test_planted_faults_are_found_in_a_pan(self) -> None:
        for fault, (id_, at) in FAULTS.items():
            planes = with_fault(CLEAN["pan"], fault)
            for coding in (MANY, DISC):
                with self.subTest(fault, codec=coding.codec):
                    places = [span.start for span in self.facts(planes, coding).best(id_) or ()]
                    self.assertTrue(any(abs(place - at) <= 2 for place in places), places)
