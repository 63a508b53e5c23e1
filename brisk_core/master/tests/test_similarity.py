from __future__ import annotations

from fractions import Fraction
from typing import Any
from unittest import TestCase

import cv2
import numpy as np

from brisk_core.frames import Still
from brisk_core.master.geometry import Geometry, find_geometry
from brisk_core.master.pairs import Pair
from brisk_core.master.similarity import bears_out, psnr, ssim
from brisk_core.master.sound import lay


def by_the_book(one: Any, other: Any) -> float:
    """Structural similarity as its authors write it, whole pictures at a time."""
    one, other = one.astype(np.float64), other.astype(np.float64)

    def soft(picture: Any) -> Any:
        return cv2.GaussianBlur(picture, (11, 11), 1.5)

    mean_one, mean_other = soft(one), soft(other)
    spread_one, spread_other = soft(one * one) - mean_one**2, soft(other * other) - mean_other**2
    shared = soft(one * other) - mean_one * mean_other
    c1, c2 = 2.55**2, 7.65**2
    top = (2 * mean_one * mean_other + c1) * (2 * shared + c2)
    return float((top / ((mean_one**2 + mean_other**2 + c1) * (spread_one + spread_other + c2))).mean())


def texture(seed: int, size: tuple[int, int], grain: float = 9) -> Any:
    random = np.random.default_rng(seed)
    small = random.uniform(30, 220, (round(size[1] / grain) + 2, round(size[0] / grain) + 2)).astype(np.float32)
    return cv2.resize(small, size, interpolation=cv2.INTER_CUBIC).clip(16, 235)


def pair(own: Any, other: Any, number: int) -> Pair:
    return Pair(own=Still(number=number, luma=own, chroma=None), other=Still(number=number, luma=other, chroma=None))


class SimilarityTest(TestCase):
    def test_it_is_that_of_its_authors(self) -> None:
        random = np.random.default_rng(3)
        for size in ((960, 540), (719, 405), (64, 33), (41, 31), (20, 12)):
            one = texture(1, size)
            noisy = np.asarray(one + random.normal(0, 6, one.shape), np.float32)
            darker = np.asarray(one * np.float32(0.8), np.float32)
            for other in (one, noisy, darker, cv2.GaussianBlur(one, (9, 9), 3), texture(2, size)):
                # Only every second line is the middle of a window where there are many of them.
                self.assertAlmostEqual(ssim(one, other), by_the_book(one, other), delta=0.012 if size[1] > 32 else 1e-4)

    def test_a_fault_in_any_line_is_seen(self) -> None:
        one = texture(1, (320, 180))
        for line in (0, 1, 88, 89, 178, 179):
            other = one.copy()
            other[line] = 235
            self.assertLess(ssim(one, other), 0.999, line)

    def test_tiny_pictures_have_a_likeness(self) -> None:
        for size in ((1, 1), (3, 200), (200, 3), (5, 5), (6, 6)):
            one = np.full(size, 90, np.float32)
            self.assertAlmostEqual(ssim(one, one), 1, 3)
            self.assertLess(ssim(one, one + 80), 0.9)

    def test_pictures_of_two_sizes_are_refused(self) -> None:
        one = texture(1, (64, 40))
        for other in (one[:-1], one[:, :-1], one[:0]):
            for compare in (ssim, psnr):
                self.assertRaises(ValueError, compare, one, other)

    def test_the_ratio_of_signal_to_noise(self) -> None:
        one = texture(1, (320, 180))
        self.assertAlmostEqual(psnr(one, one + np.float32(5)), 10 * np.log10(255**2 / 25), 3)
        self.assertEqual(psnr(one, one), 99.0)


class GeometryTest(TestCase):
    """One picture that is sure is enough only where others bear it out."""

    def pairs(self, moved: float) -> list[Pair]:
        def shown(seed: int, across: float) -> Any:
            own = texture(seed, (960, 540))
            return pair(cv2.warpAffine(own, np.float32([[1, 0, across], [0, 1, 0]]), (960, 540)), own, seed)

        return [shown(1, 0), *(shown(seed, moved) for seed in range(2, 8))]

    def test_a_shot_that_lies_elsewhere_is_not_taken_for_borne_out(self) -> None:
        plain = Geometry(
            scale=(1, 1), shift=(0, 0), mirrored=False, pairs=1, file_size=(960, 540), master_size=(960, 540)
        )
        self.assertTrue(bears_out(plain, self.pairs(0)[1:3]))
        self.assertFalse(bears_out(plain, self.pairs(25)[1:3]))
        self.assertFalse(bears_out(plain, []))

    def test_most_pictures_decide(self) -> None:
        size = (960, 540)
        for moved in (0, 25):
            found = find_geometry(self.pairs(moved), size, size, bears_out)
            assert found is not None
            self.assertAlmostEqual(found.shift[0], moved, delta=0.2)

    def test_a_picture_that_is_its_own_mirror_image_does_not_hide_that_all_are_mirrored(self) -> None:
        half = texture(1, (480, 540))
        alike = np.ascontiguousarray(np.hstack([half, half[:, ::-1]]))
        turned = [pair(np.ascontiguousarray(one.own.luma[:, ::-1]), one.other.luma, 1) for one in self.pairs(0)]
        found = find_geometry([pair(alike, alike, 0), *turned], (960, 540), (960, 540), bears_out)
        assert found is not None
        self.assertTrue(found.mirrored)

    def test_mirrored_pictures_are_found_without_looking_at_all(self) -> None:
        asked = []
        turned = [pair(np.ascontiguousarray(one.own.luma[:, ::-1]), one.other.luma, 1) for one in self.pairs(0)]
        found = find_geometry(turned, (960, 540), (960, 540), lambda *what: bool(asked.append(what)) or True)
        assert found is not None
        self.assertTrue(found.mirrored)


class SidesTest(TestCase):
    def test_exchanged_channels_are_found_at_their_place(self) -> None:
        random = np.random.default_rng(5)
        master = random.normal(0, 0.1, (2, 480_000)).astype(np.float32)
        own = master[:, 96_000 + 480 : 96_000 + 480 + 288_000]
        for file, crossed in ((own, False), (own[::-1], True), (-own, False)):
            laid = lay(np.ascontiguousarray(file), master, 3.0, Fraction(1))
            assert laid is not None
            self.assertAlmostEqual(laid.late, -0.01, 4)
            self.assertEqual(laid.crossed > 0.12, crossed)
