from collections.abc import Callable
from unittest import TestCase

import cv2
import numpy as np

from brisk_core.meters import MeterRows, Picture, Samples
from brisk_core.meters.levels import LevelMeter, LumaHistogram, RangeVerdict, bits_used, judge_range, summarise_levels
from brisk_core.meters.tests.drawn import Plane, moment


def spread(seed: int) -> Plane:
    """A picture that uses all of narrow range."""
    picture = moment(seed % 40).astype(np.float64)
    low, high = picture.min(), picture.max()
    return np.asarray(np.round(16 + (picture - low) * 219 / (high - low)), np.uint8)


def verdict(planes: list[Plane], *, full: bool = False) -> RangeVerdict:
    histogram = LumaHistogram()
    for number, plane in enumerate(planes):
        histogram.take(Picture(number=number * 4, planes=(plane,), samples=Samples(bits=8, full=full)))
    return judge_range(histogram, full=full)


def squeeze(plane: Plane) -> Plane:
    return np.asarray(np.round(16 + plane * (219 / 255)), np.uint8)


def stretch(plane: Plane) -> Plane:
    return np.asarray(np.clip(np.round((plane.astype(np.float64) - 16) * 255 / 219), 0, 255), np.uint8)


class LevelsTest(TestCase):
    def summary(self, *planes: np.ndarray, bits: int = 8) -> dict:  # type: ignore[type-arg]
        rows = MeterRows([LevelMeter()])
        for number, plane in enumerate(planes):
            rows.take(
                Picture(number=number, planes=(plane, plane[::2, ::2], plane[::2, ::2]), samples=Samples(bits=bits))
            )
        found = summarise_levels(rows.rows("levels"))
        assert found
        return found

    def test_counts_are_exact_at_every_depth(self) -> None:
        random = np.random.default_rng(3)
        for bits in (8, 10, 12, 16):
            plane = random.integers(0, 1 << bits, (288, 352)).astype(np.uint8 if bits == 8 else np.uint16)
            found = self.summary(plane, bits=bits)
            floor, ceiling = 16 << (bits - 8), 235 << (bits - 8)
            self.assertEqual((found["min"], found["max"]), (int(plane.min()), int(plane.max())))
            self.assertAlmostEqual(found["below_narrow"], float((plane < floor).mean()), places=12)
            self.assertAlmostEqual(found["above_narrow"], float((plane > ceiling).mean()), places=12)
            chroma = plane[::2, ::2]
            self.assertAlmostEqual(
                found["chroma"]["above_narrow"], float((chroma > 240 << (bits - 8)).mean()), places=12
            )

    def test_single_samples_outside_vanish_after_the_low_pass(self) -> None:
        plane = np.full((288, 352), 120, np.uint8)
        plane[::7, ::7] = 5
        found = self.summary(plane)
        self.assertGreater(found["below_narrow"], 0.01)
        self.assertEqual(found["filtered_below"], 0)

    def test_the_worst_picture_is_named(self) -> None:
        clean, bad = np.full((288, 352), 120, np.uint8), np.full((288, 352), 250, np.uint8)
        found = self.summary(clean, clean, bad, clean)["luma"]
        self.assertEqual((found["worst_frame"], found["worst_share"]), (2, 1.0))

    def test_low_bits_that_are_never_set_are_not_used(self) -> None:
        rows = MeterRows([LevelMeter()])
        plane = moment(0).astype(np.uint16) << 4  # eight bits in twelve
        rows.take(Picture(number=0, planes=(plane,), samples=Samples(bits=12)))
        self.assertEqual(bits_used(rows.rows("levels"), LumaHistogram()), 8)


class DepthTest(TestCase):
    """How many of ten bits are used, by the histogram: clouds that drift, carried from 8 bits or drawn in ten."""

    def used(self, carry: Callable[[np.ndarray], np.ndarray], noise: float = 0.0, bits: int = 10) -> int | None:  # type: ignore[type-arg]
        generator = np.random.default_rng(4)
        wide = cv2.GaussianBlur(generator.normal(0, 1, (400, 700)).astype(np.float32), (0, 0), 6)
        clouds = 120 + wide / wide.std() * 34
        rows, histogram = MeterRows([LevelMeter()]), LumaHistogram()
        for number in range(0, 24, 4):
            seen = carry(clouds[20:308, 10 + 2 * number : 362 + 2 * number].clip(17, 234).astype(np.float64))
            coded = (seen + generator.normal(0, 1, seen.shape) * noise).round().clip(0, 1023)
            plane = coded.astype(np.uint16) << (bits - 10)
            picture = Picture(number=number, planes=(plane,), samples=Samples(bits=bits))
            histogram.take(picture)
            rows.take(picture)
        return bits_used(rows.rows("levels"), histogram)

    def test_eight_bits_that_were_carried_into_ten(self) -> None:
        ways = {
            "shifted": lambda seen: seen.round() * 4,
            "filled": lambda seen: seen.round() * 4 + seen.round() // 64,
            "scaled": lambda seen: (seen.round() * 1023 / 255).round(),
        }
        for name, way in ways.items():
            for noise in (0.0, 0.5, 0.9):  # what a coder of many bits adds
                with self.subTest(name, noise=noise):
                    self.assertEqual(self.used(way, noise), 8)
        self.assertEqual(self.used(ways["filled"], bits=12), 8)

    def test_ten_bits_that_are_used(self) -> None:
        ways = {
            "drawn in ten": lambda seen: seen * 4,
            "narrowed in ten": lambda seen: (seen * 4).round() * 876 / 1023 + 64,
            "stretched in ten": lambda seen: ((seen * 4).round() - 64) * 1023 / 876,
            "few colours": lambda seen: (seen // 20 * 20) * 4 + 1,
            "a slope": lambda seen: np.tile(np.linspace(64, 940, seen.shape[1]), (seen.shape[0], 1)),
        }
        for name, way in ways.items():
            for noise in (0.0, 0.5):
                with self.subTest(name, noise=noise):
                    self.assertEqual(self.used(way, noise), 10)


class RangeTest(TestCase):
    planes = [spread(number) for number in range(20)]

    def test_narrow_range_as_it_should_be(self) -> None:
        found = verdict(self.planes)
        self.assertEqual((found.range, found.shift), ("narrow", "none"))

    def test_full_range_that_says_so_is_no_mistake(self) -> None:
        full = [np.asarray(np.round((plane.astype(np.float64) - 16) * 255 / 219), np.uint8) for plane in self.planes]
        found = verdict(full, full=True)
        self.assertEqual((found.range, found.shift), ("full", "none"))

    def test_squeezed_once_and_twice(self) -> None:
        once = [squeeze(plane) for plane in self.planes]
        self.assertEqual(verdict(once).shift, "squeezed")
        self.assertEqual(verdict([squeeze(plane) for plane in once]).shift, "squeezed-twice")

    def test_stretched_once_and_twice(self) -> None:
        once = [stretch(plane) for plane in self.planes]
        self.assertEqual(verdict(once).shift, "stretched")
        self.assertEqual(verdict([stretch(plane) for plane in once]).shift, "stretched-twice")

    def test_flat_and_dark_material_says_nothing(self) -> None:
        for plane in (np.full((288, 352), 120, np.uint8), np.asarray(moment(0) // 6 + 14, np.uint8)):
            found = verdict([plane] * 20)
            self.assertEqual((found.range, found.shift), (None, None))
            self.assertIn("too flat", found.says)
