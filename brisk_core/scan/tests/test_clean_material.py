"""A false alarm is as bad as a miss: clean material of many kinds through all meters, and what they say of it."""

from collections.abc import Callable
from fractions import Fraction
from unittest import TestCase

import cv2
import numpy as np

from brisk_core.meters import Picture, Samples
from brisk_core.meters.tests.drawn import Plane, mix, moment, moved_still
from brisk_core.scan import PictureScan
from brisk_core.scan.conclude import PictureVerdicts, judge_pictures

COUNT = 75


def verdicts(draw: Callable[[int], Plane], rate: int = 25) -> PictureVerdicts:
    """What all meters together say of pictures that are drawn by number."""
    scan = PictureScan.begin(0)
    for number in range(COUNT):
        scan.take(Picture(number=number, planes=(draw(number),), samples=Samples(bits=8)))
    return judge_pictures(scan, Fraction(rate), full=False)


def pan(speed: float, grain: float = 1.5) -> Callable[[int], Plane]:
    return lambda number: moment(number * speed, grain=grain)


def captions(number: int) -> Plane:
    """Words that come and go over a pan."""
    picture = moment(number * 0.8, grain=1)
    if number % 30 < 22:
        cv2.putText(picture, f"CANAL {number // 30}", (60, 250), cv2.FONT_HERSHEY_SIMPLEX, 1.1, 235, 3)
    return picture


def crawl(number: int) -> Plane:
    """A line of words that runs through a still picture."""
    picture = moment(0, grain=1)
    cv2.putText(
        picture, "LAMPS ARE LIT AT DUSK ON THE CANAL", (340 - number * 5, 270), cv2.FONT_HERSHEY_SIMPLEX, 0.8, 235, 2
    )
    return picture


def lamp(number: int) -> Plane:
    """A light that goes on and off twice a second in a corner."""
    picture = moment(number * 0.5, grain=1)
    if number // 6 % 2:
        cv2.circle(picture, (60, 60), 40, 235, -1)
    return picture


def zoom(number: int) -> Plane:
    """The picture grows slowly."""
    whole = moment(10, grain=0, size=(704, 300))
    inner = 240 - number
    part = whole[20 : 20 + inner, 40 : 40 + inner * 352 // 288]
    grown = cv2.resize(part, (352, 288), interpolation=cv2.INTER_CUBIC).astype(np.float64)
    noise = np.random.default_rng(number).normal(0, 1.5, grown.shape)
    return np.asarray((grown + noise).clip(16, 235), np.uint8)


def handheld(number: int) -> Plane:
    """A camera that shakes in both directions."""
    random = np.random.default_rng(number)
    picture = moment(20 + 1.5 * np.sin(number / 3) + random.normal(0, 0.2), grain=1.5, size=(352, 300))
    down = int(6 + 5 * np.sin(number / 4.1))
    return np.ascontiguousarray(picture[down : down + 288])


def shaking(number: int) -> Plane:
    """A camera without a stand: it shows one place for one picture now and then."""
    return moved_still(
        12 + 6 * np.cos(number / 8) + 2 * np.sin(number * 1.7), 40 + 8 * np.sin(number / 6) + 3 * np.sin(number * 1.3)
    )


def walker(number: int) -> Plane:
    """Something that moves in front of a standing ground."""
    picture = moment(0, grain=1.5)
    left = 10 + number * 4
    picture[110:230, left : left + 40] = moment(5, 2, 1.5)[110:230, 20:60]
    return picture


def vertical(number: int) -> Plane:
    """Words that roll upwards, two lines a picture."""
    roll = np.full((900, 352), 20, np.uint8)
    for line in range(28):
        cv2.putText(roll, f"NAME {line} OF THE CREW", (30, 30 + line * 30), cv2.FONT_HERSHEY_SIMPLEX, 0.7, 220, 2)
    return np.ascontiguousarray(roll[number * 2 : number * 2 + 288])


def fade(number: int) -> Plane:
    """A slow fade from grey into a picture that stands, with grain."""
    picture = mix(np.full((288, 352), 90, np.uint8), moment(3), number / COUNT)
    noise = np.random.default_rng(number).normal(0, 1.5, picture.shape)
    return np.asarray((picture + noise).clip(16, 235), np.uint8)


def drawn_on_twos(number: int) -> Plane:
    """A drawing that moves every second picture over a ground that moves in every one."""
    picture = moment(number * 0.5)
    left = 30 + number // 2 * 6 % 240
    cv2.rectangle(picture, (left, 100), (left + 50, 180), 220, -1)
    return picture


MATERIAL: dict[str, Callable[[int], Plane]] = {
    "slow pan": pan(0.3), "pan": pan(1), "fast pan": pan(3), "pan without grain": pan(1, 0), "heavy grain": pan(1, 6),
    "captions over a pan": captions, "crawl": crawl, "lamp": lamp, "zoom": zoom, "hand-held": handheld, "walker": walker,
    "shaking": shaking, "moved still": lambda number: moved_still(0, number * 3.8), "credits": vertical, "fade": fade, "drawn on twos": drawn_on_twos,
    "still with grain": lambda number: moment(0.001 * number, grain=2.5),
}  # fmt: skip


class CleanMaterialTest(TestCase):
    def test_nothing_is_found_in_clean_material(self) -> None:
        for name, draw in MATERIAL.items():
            with self.subTest(name):
                found = verdicts(draw)
                self.assertIn(found.fields.scan, (None, "progressive"))
                self.assertEqual(found.fields.spans, ())
                self.assertEqual((found.steadiness.repeats, found.steadiness.freezes), ((), ()))
                self.assertIn(found.steadiness.cadence, (None, "none"))
                self.assertEqual((found.motion.blends, found.motion.source_rate), ((), None))
                self.assertEqual((found.black, found.flashes, list(found.cuts)), ((), (), []))
                self.assertIn(found.area.bars, ("none", None))
                self.assertIn(found.range.shift, ("none", None))
