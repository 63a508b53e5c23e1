"""Compiled loops, held against the same sums written the long way."""

from __future__ import annotations

import subprocess
import sys
from unittest import TestCase

import cv2
import numpy as np
from numpy.typing import NDArray

from brisk_core.meters import kernels
from brisk_core.meters.kernels import BAND, BLOCK, NOISE

RANDOM = np.random.default_rng(7)


def random_bands(bands: int, width: int) -> NDArray[np.uint8]:
    """Bands with soft and hard edges: noise over a slope, some of it at both ends of the scale."""
    slope = np.linspace(0, 255, width)[None] + RANDOM.normal(0, 40, (bands * BAND, width))
    return np.clip(slope, 0, 255).astype(np.uint8)


def means(columns: NDArray[np.int64], lines: int) -> NDArray[np.float32]:
    """Rounded means of blocks of some lines, what fills no block left out."""
    height, width = columns.shape
    kept = columns[: height // lines * lines, : width // BLOCK * BLOCK].reshape(height // lines, lines, -1, BLOCK)
    return np.rint(kept.sum(axis=(1, 3)).astype(np.float32) / np.float32(lines * BLOCK))


def alternation(lines: NDArray[np.uint8]) -> NDArray[np.float32]:
    """How far each sample lies outside what its neighbours above and below span, over noise, in blocks."""
    values = lines.astype(np.int64)
    off = np.zeros_like(values)
    above, middle, below = values[:-2], values[1:-1], values[2:]
    off[1:-1] = np.maximum(middle - np.maximum(above, below), np.minimum(above, below) - middle)
    off = np.maximum(off - NOISE, 0)
    off[::BAND] = off[BAND - 1 :: BAND] = 0
    return means(off, BAND)


def woven(top: NDArray[np.uint8], bottom: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Lines of the top field of one picture and of the bottom field of another."""
    lines = top.copy()
    lines[1::2] = bottom[1::2]
    return lines


class BandsTest(TestCase):
    SIZES = ((22, 1920), (22, 719), (3, 16), (1, 40), (40, 33))

    def test_weaves_and_change_of_two_pictures(self) -> None:
        for bands, width in self.SIZES:
            with self.subTest(bands=bands, width=width):
                now, before = random_bands(bands, width), random_bands(bands, width)
                found = kernels.compare_bands(now, before)
                wanted = (alternation(now), alternation(woven(now, before)), alternation(woven(before, now)))
                np.testing.assert_array_equal(found.weaves, np.stack(wanted))
                change = np.abs(now.astype(np.int64) - before)
                np.testing.assert_array_equal(found.changed, means(change, BAND))
                self.assertEqual((found.top, found.bottom), (change[0::2].sum(), change[1::2].sum()))
                self.assertEqual(found.samples, now.size // 2)

    def test_what_is_smaller_than_a_block_is_compared_as_one(self) -> None:
        now, before = np.full((4, 10), 90, np.uint8), np.full((4, 10), 60, np.uint8)
        found = kernels.compare_bands(now, before)
        self.assertEqual(found.changed.tolist(), [[30.0]])
        self.assertEqual(found.weaves.shape, (3, 1, 1))

    def test_detail(self) -> None:
        for bands, width in self.SIZES:
            with self.subTest(bands=bands, width=width):
                lines = random_bands(bands, width)
                field = lines[::2].astype(np.int64)
                across, down = np.zeros_like(field), np.zeros_like(field)
                across[:, :-1] = np.abs(np.diff(field, axis=1))
                down[:-1] = np.abs(np.diff(field, axis=0))
                down[BAND // 2 - 1 :: BAND // 2] = 0
                wanted = means(across, BAND // 2) + means(down, BAND // 2)
                np.testing.assert_array_equal(kernels.detail_of_bands(lines), wanted)

    def test_weights_of_weaves(self) -> None:
        least, shares = (1.5, 6.0, 8.0), (0.2, 0.3, 0.5)
        one, top, bottom = ([0, 9, 9], [9, 0, 9], [9, 9, 0])
        for blocks, wanted in (
            ([one], (9.0, 0.0, 0.0)),
            ([top, top, bottom], (0.0, 18.0, 9.0)),
            ([[0, 2, 2], one], (9.0, 0.0, 0.0)),  # beside strong blocks weak ones do not count
            ([[0, 2, 2], [2, 0, 2]], (2.0, 2.0, 0.0)),
            ([[0, 1, 1]], (0.0, 0.0, 0.0)),
            ([[2, 9, 0]], (0.0, 0.0, 9.0)),
            ([[0, 9, 4]], (0.0, 0.0, 0.0)),  # one moment, but the borders are not alike
        ):
            weaves = np.array(blocks, np.float32).T.reshape(3, 1, -1).copy()
            self.assertEqual(kernels.weigh_weaves(weaves, least, shares), wanted, blocks)


class FitTest(TestCase):
    def test_a_blend_is_told_with_its_weight(self) -> None:
        first, last = random_bands(8, 300), random_bands(8, 300)
        for weight in (0.2, 0.5, 0.8):
            between = np.rint(first + weight * (last.astype(float) - first)).astype(np.uint8)
            found, rest = kernels.fit_between(first, between, last, 6, 10.0, 0.005)
            self.assertAlmostEqual(found, weight, delta=0.005)
            self.assertLess(rest, 0.02)

    def test_it_is_that_of_least_squares_over_what_moves(self) -> None:
        first, between, last = (random_bands(8, 301) for _ in range(3))
        way, gone = (one[::6].astype(float) - first[::6] for one in (last, between))
        moves = np.abs(way) > 10
        weight = (gone * way)[moves].sum() / (way * way)[moves].sum()
        rest = np.abs(gone - weight * way)[moves].mean() / np.abs(way)[moves].mean()
        np.testing.assert_allclose(kernels.fit_between(first, between, last, 6, 10.0, 0.005), (weight, rest))

    def test_what_stands_tells_nothing(self) -> None:
        still = random_bands(8, 300)
        self.assertTrue(np.isnan(kernels.fit_between(still, still, still, 6, 10.0, 0.005)).all())


class PlaneTest(TestCase):
    def planes(self) -> list[tuple[NDArray[np.uint8] | NDArray[np.uint16], int, int]]:
        """Planes of both depths: whole ones, some of wider lines of memory, of every second line or sample."""
        eight = RANDOM.integers(0, 256, (90, 400)).astype(np.uint8)
        ten = RANDOM.integers(0, 1024, (90, 400)).astype(np.uint16)
        wide = RANDOM.integers(0, 256, (3, 70_000)).astype(np.uint8)
        return [
            (plane, floor, ceiling)
            for base, floor, ceiling in ((eight, 16, 235), (ten, 64, 940), (wide, 250, 3))
            for plane in (base, base[:, :333], base[1::2, :100], base[:, ::2], base[:, 7:50], base[:1, :1])
        ]

    def test_counts_outside(self) -> None:
        for plane, floor, ceiling in self.planes():
            with self.subTest(shape=plane.shape, strides=plane.strides):
                wanted = plane.min(), plane.max(), np.sum(plane < floor), np.sum(plane > ceiling)
                self.assertEqual(kernels.count_outside(plane, floor, ceiling), wanted)

    def test_a_plane_that_is_inside_has_none_outside(self) -> None:
        self.assertEqual(kernels.count_outside(np.full((4, 9), 235, np.uint8), 16, 235), (235, 235, 0, 0))

    def test_memory_that_is_only_read(self) -> None:
        plane = np.frombuffer(bytes(range(64)), np.uint8).reshape(4, 16)[:, :10]
        self.assertEqual(kernels.count_outside(plane, 16, 40), (0, 57, 10, 11))

    def test_bends(self) -> None:
        for plane, _, most in self.planes():
            with self.subTest(shape=plane.shape, strides=plane.strides):
                steps = np.diff(plane.astype(np.int64), axis=1)
                bends, slopes, values = kernels.bends_of(plane, most)
                np.testing.assert_array_equal(values, plane.mean(axis=0))
                np.testing.assert_array_equal(slopes, np.minimum(np.abs(steps), most).mean(axis=0))
                np.testing.assert_array_equal(bends, np.minimum(np.abs(np.diff(steps, axis=1)), most).mean(axis=0))

    def test_rounding_is_that_of_the_library(self) -> None:
        for _ in range(20):
            now, before = random_bands(4, 64), random_bands(4, 64)
            wanted = cv2.resize(cv2.absdiff(now, before), (4, 4), interpolation=cv2.INTER_AREA)
            np.testing.assert_array_equal(kernels.compare_bands(now, before).changed, wanted)


class ShapesTest(TestCase):
    """Compiled loops do not look whether they stay inside, so nothing of another shape comes to them."""

    def test_bands_of_two_shapes(self) -> None:
        large, small = random_bands(4, 64), random_bands(4, 48)
        for work in (
            lambda: kernels.compare_bands(large, small),
            lambda: kernels.compare_bands(large, large[:-6]),
            lambda: kernels.fit_between(large, large, small, 6, 10.0, 0.005),
        ):
            with self.assertRaisesRegex(ValueError, "met bands of 2 shapes"):
                work()

    def test_a_plane_without_samples(self) -> None:
        with self.assertRaisesRegex(ValueError, "without samples"):
            kernels.count_outside(np.zeros((0, 8), np.uint8), 16, 235)

    def test_the_narrowest_lines_bend_nowhere(self) -> None:
        for width in (1, 2):
            bends, steps, values = kernels.bends_of(np.full((4, width), 9, np.uint8), 12)
            self.assertEqual((len(bends), len(steps), values.tolist()), (0, width - 1, [9.0] * width))


class LoadingTest(TestCase):
    def test_headers_are_read_without_the_compiler(self) -> None:
        code = "import sys, brisk_core.inspect, brisk_core.frames; print('numba' in sys.modules)"
        said = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
        self.assertEqual(said.stdout.strip(), "False")
