from collections.abc import Callable
from functools import lru_cache, partial
from unittest import TestCase

import cv2
import numpy as np

from brisk_core.meters import Picture, Samples
from brisk_core.meters.enlargement import Enlarged, EnlargementMeter, find_enlarged
from brisk_core.meters.folding import FoldTotal, folding_of
from brisk_core.meters.spectrum import DetailMeter, is_looked_at
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


def told(
    draw: Callable[[int], Plane],
    looked: int = 3,
    cuts: tuple[int, ...] = (),
    *,
    fields: bool = False,
    alone: bool = False,
) -> tuple[Enlarged, ...]:
    """What is found in the pictures of a film of which only those that are looked at are drawn; ``alone`` leaves out
    what they show together.
    """
    meter = EnlargementMeter()
    numbers = [number for number in range(12 * looked) if is_looked_at(number)][:looked]
    rows = np.zeros(numbers[-1] + 1, meter.row)
    for number in numbers:
        picture = Picture(number=number, planes=(draw(number),), samples=Samples(bits=8))
        rows[number] = meter.measure(picture, ())
    total = FoldTotal() if alone else meter.total
    return find_enlarged(rows, np.array(cuts, np.intp), (WIDTH, HEIGHT), total, fields=fields)


def grainy(draw: Callable[[int], Plane], number: int, deviation: float) -> Plane:
    """A picture with grain that nobody enlarged."""
    grain = np.random.default_rng(number).normal(0, deviation, (HEIGHT, WIDTH))
    return np.asarray((draw(number) + grain).clip(16, 235), np.uint8)


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

    def test_drawings_that_come_again_far_apart_are_silent(self) -> None:
        down, across = np.mgrid[0:HEIGHT, 0:WIDTH]

        def drawn(number: int, kind: str, quality: int) -> Plane:
            picture = {
                "steps of 200": 33 + (across + down + 3 * number) % 200 * 0.86,
                "steps of 77": 20 + (across * 1.3 + down * 0.7 + 3 * number) % 77 * 2.5,
                "dots": 60 + 130 * (((down + number) % 72 - 24) ** 2 + ((across + 2 * number) % 72 - 24) ** 2 < 200),
            }[kind]
            still = cv2.imencode(".jpg", picture.astype(np.uint8), [cv2.IMWRITE_JPEG_QUALITY, quality])[1]
            return np.asarray(cv2.imdecode(still, cv2.IMREAD_GRAYSCALE), np.uint8)

        for kind in ("steps of 200", "steps of 77", "dots"):
            for quality in (60, 90):
                self.assertEqual(told(partial(drawn, kind=kind, quality=quality), 5), (), (kind, quality))

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


class TogetherTest(TestCase):
    """What one picture does not tell, those of a shot or of a file tell together."""

    def test_grain_hides_it_in_one_picture_and_not_in_several(self) -> None:
        for factor in (1.25, 1.5, 1.875):
            with self.subTest(factor=factor):
                hidden = partial(grainy, partial(enlarged, cloth, factor=factor, way=cv2.INTER_CUBIC), deviation=11.0)
                self.assertEqual(told(hidden, 8, alone=True), ())
                (found,) = told(hidden, 8)
                self.assertAlmostEqual(found.factor, factor, delta=0.02)
                self.assertAlmostEqual(found.across, factor, delta=0.02)
        self.assertEqual(told(partial(grainy, partial(cloth, size=(WIDTH, HEIGHT)), deviation=11.0), 8), ())

    def test_a_shot_among_others_and_one_that_moves_its_grid(self) -> None:
        def film(number: int) -> Plane:
            if 100 <= number < 250:
                picture = enlarged(cloth, number, factor=1.5, way=cv2.INTER_CUBIC)
                return np.roll(picture, 1 if number >= 180 else 0, 1)  # a second shot of the same, reframed
            return cloth(number, (WIDTH, HEIGHT))

        (found,) = told(lambda number: grainy(film, number, 8.0), 26, cuts=(100, 180, 250))
        self.assertEqual((found.start, found.end), (100, 250))

    def test_fields_tell_of_the_samples_of_a_line_only(self) -> None:
        def woven(number: int, across: float) -> Plane:
            first, second = (
                enlarged(cloth, 2 * number + at, factor=1.0, across=across, way=cv2.INTER_CUBIC) for at in (0, 1)
            )
            picture = first.copy()
            picture[1::2] = second[1::2]
            return picture

        (found,) = told(partial(woven, across=1.5), 4, fields=True)
        self.assertAlmostEqual(found.across, 1.5, delta=0.02)
        self.assertEqual(found.factor, 1.0)
        self.assertEqual(told(partial(woven, across=1.0), 4, fields=True), ())

    def test_walls_and_screens_are_silent(self) -> None:
        rows, columns = np.mgrid[:HEIGHT, :WIDTH]

        def bricks(number: int, wide: int, high: int) -> Plane:
            wall = np.full((HEIGHT, WIDTH), 150.0)
            wall[((columns + rows // high % 2 * (wide // 2)) % wide < 2) | (rows % high < 2)] = 70
            return grainy(lambda _: np.asarray(cv2.GaussianBlur(wall, (0, 0), 0.6), np.uint8), number, 1.5)

        def screen(number: int, pitch: int) -> Plane:
            lit = cloth(number, (WIDTH, HEIGHT)).astype(np.float32)
            lit[:, ::pitch] *= 0.6
            lit[::pitch] *= 0.6
            return lit.astype(np.uint8)

        for wide, high in ((40, 16), (24, 10), (33, 14)):
            self.assertEqual(told(partial(bricks, wide=wide, high=high), 6), (), (wide, high))
        for pitch in (3, 5):
            self.assertEqual(told(partial(screen, pitch=pitch), 6), (), pitch)

    def test_a_band_of_words_that_was_enlarged_does_not_speak_for_the_picture(self) -> None:
        words = np.full((60, 853), 60, np.uint8)
        for at in range(6):
            cv2.putText(
                words, f"Canal news {at}", (5 + at * 140, 35), cv2.FONT_HERSHEY_SIMPLEX, 0.9, 220, 1, cv2.LINE_AA
            )
        band = cv2.resize(words, (WIDTH, 90), interpolation=cv2.INTER_CUBIC)

        def captioned(number: int) -> Plane:
            picture = cloth(number % 60, (WIDTH, HEIGHT)).copy()
            picture[600:690] = band
            return picture

        self.assertEqual(told(captioned, 24), ())

    def test_totals_of_parts_are_that_of_the_whole(self) -> None:
        draw = partial(enlarged, cloth, factor=1.5, way=cv2.INTER_CUBIC)
        whole, first, second = FoldTotal(), FoldTotal(), FoldTotal()
        size = (WIDTH, HEIGHT)
        for number in (0, 17, 34, 39, 56, 61):
            folding = folding_of(draw(number), 8)
            assert folding
            for total in (whole, first if number < 36 else second):
                total.take(folding, number, size)
        kept = FoldTotal()
        kept.from_arrays(second.to_arrays())
        first.join(kept)
        one, other = whole.together(size), first.together(size)
        assert one
        assert other
        np.testing.assert_allclose(other.across, one.across, rtol=1e-4)
        np.testing.assert_allclose(other.down, one.down, rtol=1e-4)
        self.assertEqual((one.looked, other.looked), (6, 6))
        self.assertIsNone(whole.together((WIDTH, 1080)))
