from collections.abc import Callable
from functools import lru_cache, partial
from unittest import TestCase

import cv2
import numpy as np

from brisk_core.meters import Picture, Samples
from brisk_core.meters.enlargement import Enlarged, EnlargementMeter, find_enlarged
from brisk_core.meters.spectrum import DetailMeter
from brisk_core.meters.tests.drawn import Plane

WIDTH, HEIGHT = 1280, 720
Draw = Callable[[int, tuple[int, int]], Plane]  # of a picture by its number, at a size


@lru_cache(maxsize=1)
def _weave() -> Plane:
    generator = np.random.default_rng(3)
    widths = (1, 2, 4, 8)
    return np.asarray(
        sum(width * cv2.GaussianBlur(generator.normal(0, 1, (820, 1500)), (0, 0), 0.4 * width) for width in widths)
    )


@lru_cache(maxsize=32)
def cloth(number: int, size: tuple[int, int]) -> Plane:
    """Texture that moves, as fine as its size."""
    place = np.array([[1, 0, 40 + 2.3 * number], [0, 1, 20 + 0.7 * number]])
    seen = cv2.warpAffine(_weave(), place, (WIDTH, HEIGHT), flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP)
    return np.asarray((128 + 18 * cv2.resize(seen, size, interpolation=cv2.INTER_AREA)).clip(16, 235), np.uint8)


@lru_cache(maxsize=32)
def cards(number: int, size: tuple[int, int]) -> Plane:
    """Drawn shapes with soft edges that turn and pass."""
    grain = np.random.default_rng(9).normal(0, 1, (HEIGHT, WIDTH))
    picture = np.full((HEIGHT, WIDTH), 90.0) + 14 * cv2.GaussianBlur(grain, (0, 0), 1.2)
    for card in range(60):
        middle = (20 + card * 19 + number * (1 + card % 5), 40 + card * 83 % 640)
        box = cv2.boxPoints((middle, (70, 40), number * 2.0 + card * 17))
        cv2.fillPoly(picture, [np.rint(box * 16).astype(np.int32)], 40.0 + card * 29 % 180, cv2.LINE_AA, 4)
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA).clip(16, 235), np.uint8)


def enlarged(draw: Draw, number: int, factor: float, way: int, across: float | None = None) -> Plane:
    small = draw(number, (round(WIDTH / (across or factor)), round(HEIGHT / factor)))
    return np.asarray(cv2.resize(small, (WIDTH, HEIGHT), interpolation=way), np.uint8)


#: Numbers of pictures that are looked at.
LOOKED = (0, 17, 34, 39, 56, 61, 78, 83, 100, 105)


def told(draw: Callable[[int], Plane], looked: int = 3, cuts: tuple[int, ...] = ()) -> tuple[Enlarged, ...]:
    """What is found in the pictures of a film of which only those that are looked at are drawn."""
    meter = EnlargementMeter()
    rows = np.zeros(LOOKED[looked - 1] + 1, meter.row)
    for number in LOOKED[:looked]:
        picture = Picture(number=number, planes=(draw(number),), samples=Samples(bits=8))
        rows[number] = meter.measure(picture, ())
    return find_enlarged(rows, np.array(cuts, np.intp), HEIGHT)


class EnlargementTest(TestCase):
    def test_textures_by_every_kernel(self) -> None:
        for factor in (1.1, 1.25, 1.5):
            for way in (cv2.INTER_LINEAR, cv2.INTER_CUBIC, cv2.INTER_LANCZOS4):
                with self.subTest(factor=factor, way=way):
                    (found,) = told(partial(enlarged, cloth, factor=factor, way=way))
                    self.assertEqual((found.start, found.end), (0, 35))
                    self.assertAlmostEqual(found.factor, factor, delta=0.02)

    def test_drawings_are_told_rightly_or_not_at_all(self) -> None:
        for factor in (1.1, 1.25, 1.5, 1.7):
            for way in (cv2.INTER_LINEAR, cv2.INTER_CUBIC):
                found = told(partial(enlarged, cards, factor=factor, way=way))
                for one in found:
                    self.assertAlmostEqual(one.factor, factor, delta=0.02)
                self.assertTrue(found or way != cv2.INTER_LINEAR, factor)

    def test_between_standard_sizes_by_every_kernel(self) -> None:
        for draw in (cloth, cards):
            for factor in (1.5, 1.875, 2.0, 2.25, 3.0, 4.0):
                for way in (cv2.INTER_LINEAR, cv2.INTER_CUBIC, cv2.INTER_LANCZOS4):
                    with self.subTest(draw=draw, factor=factor, way=way):
                        (found,) = told(partial(enlarged, draw, factor=factor, way=way))
                        self.assertAlmostEqual(found.factor, factor, delta=0.05)
                        self.assertAlmostEqual(found.across, factor, delta=0.05)

    def test_one_direction_only(self) -> None:
        for across, down in ((1.5, 1.0), (2.0, 1.0), (1.0, 1.5), (1.0, 2.0), (1.5, 2.0)):
            with self.subTest(across=across, down=down):
                (found,) = told(partial(enlarged, cloth, factor=down, across=across, way=cv2.INTER_CUBIC))
                self.assertAlmostEqual(found.across, across, delta=0.05)
                self.assertAlmostEqual(found.factor, down, delta=0.05)

    def test_blocks_of_a_coder_are_no_fold(self) -> None:
        for size in (4, 8, 16):

            def coded(number: int, size: int = size) -> Plane:
                picture = cloth(number, (WIDTH, HEIGHT)).astype(np.float32)
                for row in range(0, HEIGHT - size + 1, size):
                    for column in range(0, WIDTH - size + 1, size):
                        block = cv2.dct(picture[row : row + size, column : column + size])
                        picture[row : row + size, column : column + size] = cv2.idct(np.round(block / 24) * 24)
                return np.asarray(picture.clip(16, 235), np.uint8)

            self.assertEqual(told(coded, 3), (), size)

    def test_three_times_is_told_from_one_and_a_half(self) -> None:
        (found,) = told(partial(enlarged, cloth, factor=3.0, way=cv2.INTER_CUBIC))
        self.assertAlmostEqual(found.factor, 3.0, delta=0.05)

    def test_pictures_of_their_own_size_are_silent(self) -> None:
        for draw in (cloth, cards):
            self.assertEqual(told(partial(draw, size=(WIDTH, HEIGHT)), 4), ())

    def test_smaller_ones_and_patterns_that_move_are_silent(self) -> None:
        def smaller(number: int) -> Plane:
            whole = cloth(number, (WIDTH, HEIGHT))
            return np.asarray(cv2.resize(whole, (WIDTH * 2 // 3, HEIGHT * 2 // 3), interpolation=cv2.INTER_AREA))

        self.assertEqual(told(smaller), ())
        rows, columns = np.mgrid[:HEIGHT, :WIDTH]
        for pitch in (7, 9, 13):

            def tiles(number: int, pitch: int = pitch) -> Plane:
                dark = (rows + number) // pitch % 2 == (columns + 2 * number) // pitch % 2
                return np.where(dark, 60, 190).astype(np.uint8)

            self.assertEqual(told(tiles, 4), (), pitch)

    def test_small_and_nearly_empty_pictures_say_nothing(self) -> None:
        meter = EnlargementMeter()
        for height, width in ((2, 2), (16, 16), (96, 128), (288, 352), (360, 640), (720, 1280)):
            for lit in (0, 1, 9, 40, 200):
                plane = np.full((height, width), 16, np.uint8)
                plane[: lit % height, : lit % width] = np.random.default_rng(lit).integers(16, 235)
                plane[: lit % height : 2, : lit % width : 3] = 200
                for bits in (8, 10):
                    deep = plane.astype(np.uint16) << 2 if bits == 10 else plane
                    picture = Picture(number=0, planes=(deep,), samples=Samples(bits=bits))
                    self.assertEqual(meter.measure(picture, ())[2], 0.0, (height, width, lit))
                    DetailMeter().measure(picture, ())

    def test_one_shot_among_others(self) -> None:
        def film(number: int) -> Plane:
            if 40 <= number < 76:
                return enlarged(cloth, number, factor=1.5, way=cv2.INTER_CUBIC)
            return cloth(number, (WIDTH, HEIGHT))

        (found,) = told(film, 10, cuts=(40, 76))
        self.assertEqual((found.start, found.end), (40, 76))

    def test_bars_do_not_hide_it(self) -> None:
        def boxed(number: int) -> Plane:
            picture = enlarged(cloth, number, factor=1.25, way=cv2.INTER_CUBIC)
            picture[:90] = picture[-90:] = 16
            return picture

        (found,) = told(boxed)
        self.assertAlmostEqual(found.factor, 1.25, delta=0.02)
