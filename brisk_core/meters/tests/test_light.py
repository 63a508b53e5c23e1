from unittest import TestCase

import cv2
import numpy as np

from brisk_core.meters import MeterRows, Picture, Samples
from brisk_core.meters.light import LightMeter, find_black, find_flashes
from brisk_core.meters.tests.drawn import Plane, measure, mix, moment

RATE = 25


def flashing(
    times_a_second: float, seconds: int = 4, share: float = 1.0, bright: int = 200, dark: int = 40
) -> list[Plane]:
    """A part of the picture that goes up and down so many times a second."""
    pictures = []
    for number in range(seconds * RATE):
        picture = np.full((288, 352), 60, np.uint8)
        on = int(number * times_a_second * 2 / RATE) % 2
        picture[: round(288 * share)] = bright if on else dark
        pictures.append(picture)
    return pictures


def flashes(planes: list[Plane]) -> tuple[tuple[int, int, str], ...]:
    return find_flashes(measure([LightMeter()], planes).rows("light"), RATE)


class BlackTest(TestCase):
    def test_black_to_the_frame(self) -> None:
        pictures = [moment(number) for number in range(60)]
        for number in range(20, 33):
            pictures[number] = np.full_like(pictures[0], 16)
        self.assertEqual(find_black(measure([LightMeter()], pictures).rows("light"), 16), ((20, 33),))

    def test_a_single_black_picture_is_named_wherever_it_stands(self) -> None:
        for at in (0, 7, 19):
            pictures = [np.full((288, 352), 16 if number == at else 90, np.uint8) for number in range(20)]
            self.assertEqual(find_black(measure([LightMeter()], pictures).rows("light"), 16), ((at, at + 1),))
        self.assertEqual(find_black(measure([LightMeter()], pictures[:19]).rows("light"), 16), ())

    def test_a_dark_picture_with_a_small_light_is_not_black(self) -> None:
        picture = np.full((288, 352), 17, np.uint8)
        lit = picture.copy()
        cv2.circle(lit, (170, 90), 9, 180, -1)
        rows = measure([LightMeter()], [lit] * 10 + [picture] * 10).rows("light")
        self.assertEqual(find_black(rows, 16), ((10, 20),))

    def test_full_range_has_its_black_at_nought(self) -> None:
        rows = measure([LightMeter()], [np.full((288, 352), 2, np.uint8)] * 10, full=True).rows("light")
        self.assertEqual(find_black(rows, 0), ((0, 10),))
        self.assertEqual(
            find_black(measure([LightMeter()], [np.full((288, 352), 60, np.uint8)] * 10).rows("light"), 16), ()
        )


class FlashTest(TestCase):
    def test_both_sides_of_three_a_second(self) -> None:
        self.assertEqual(flashes(flashing(3)), ())
        self.assertEqual([kind for _, _, kind in flashes(flashing(4))], ["general flashes"])

    def test_both_sides_of_a_quarter_of_the_screen(self) -> None:
        self.assertEqual(flashes(flashing(6, share=0.15)), ())
        self.assertTrue(flashes(flashing(6, share=0.4)))

    def test_the_area_is_that_of_the_samples_wherever_they_lie(self) -> None:
        scattered = np.kron(np.random.default_rng(3).random((36, 44)), np.ones((8, 8)))
        rows, columns = np.mgrid[:288, :352]

        def box(share: float) -> Plane:
            side = share**0.5
            return np.asarray((rows - 37 < 288 * side) & (rows >= 37) & (columns - 51 < 352 * side) & (columns >= 51))

        def bands(share: float) -> Plane:
            return np.asarray((rows - 10) % 190 < 288 * share / 2)

        for draw in (lambda share: scattered < share, box, bands):
            for share, told in ((0.1, False), (0.22, False), (0.28, True), (0.6, True)):
                area = draw(share)
                pictures = [
                    np.where(area, 200 if number * 12 // RATE % 2 else 40, 60).astype(np.uint8) for number in range(100)
                ]
                self.assertEqual(bool(flashes(pictures)), told, (draw, share, float(area.mean())))

    def test_both_sides_of_20_candela_and_of_160(self) -> None:
        for dark, bright, told in ((100, 125, False), (100, 131, True), (218, 235, False), (212, 235, True)):
            self.assertEqual(bool(flashes(flashing(6, bright=bright, dark=dark))), told, (dark, bright))

    def test_light_that_swells_is_told_as_light_that_jumps(self) -> None:
        for period, told in ((4, True), (6, True), (12, False)):  # pictures, at 25 a second: 6.25, 4.2 and 2.1 flashes
            swell = [0.5 - 0.5 * np.cos(2 * np.pi * number / period) for number in range(100)]
            pictures = [np.full((288, 352), round(40 + 160 * one), np.uint8) for one in swell]
            self.assertEqual(bool(flashes(pictures)), told, period)

    def test_a_pattern_that_moves_is_no_flash(self) -> None:
        rows, columns = np.mgrid[:288, :352]
        for pitch in (6, 16, 40):
            pictures = [
                np.where((columns + rows + number * pitch // 2) // pitch % 2, 200, 40).astype(np.uint8)
                for number in range(100)
            ]
            self.assertEqual(flashes(pictures), (), pitch)

    def test_changes_below_20_candela_or_between_bright_states_are_harmless(self) -> None:
        self.assertEqual(flashes(flashing(6, bright=100, dark=88)), ())
        self.assertEqual(flashes(flashing(6, bright=235, dark=222)), ())

    def test_cuts_pans_and_fades_are_no_flashes(self) -> None:
        pictures = [moment(number, number // 12 % 3 + 1) for number in range(100)]
        self.assertEqual(flashes(pictures), ())
        fade = [mix(np.full((288, 352), 220, np.uint8), np.full((288, 352), 16, np.uint8), at / 50) for at in range(51)]
        self.assertEqual(flashes(fade + fade[::-1]), ())

    def test_saturated_red_counts_on_its_own(self) -> None:
        rows = MeterRows([LightMeter()])
        for number in range(100):
            red = number // 2 % 2
            planes = (np.full((288, 352), 50 if red else 48, np.uint8), np.full((144, 176), 100 if red else 128, np.uint8),
                      np.full((144, 176), 230 if red else 128, np.uint8))  # fmt: skip
            rows.take(Picture(number=number, planes=planes, samples=Samples(bits=8)))
        self.assertIn("red flashes", {kind for _, _, kind in find_flashes(rows.rows("light"), RATE)})
