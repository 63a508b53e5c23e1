from fractions import Fraction
from unittest import TestCase

import cv2
import numpy as np

from brisk_core.meters.change import ChangeMeter, find_cuts, judge_steadiness
from brisk_core.meters.motion import MotionMeter, judge_motion
from brisk_core.meters.tests.drawn import converted, measure, mix, moment, motion_of, moved_still


def frames(spans: tuple[tuple[int, int], ...]) -> list[int]:
    return [number for start, end in spans for number in range(start, end)]


class MixturesTest(TestCase):
    def test_every_mixed_picture_of_a_rate_conversion_and_the_rate_it_came_from(self) -> None:
        for source, rate in ((30, 25), (25, 30), (24, 25), (25, 50), (24, 30), (50, 60)):
            for grain in (0, 2):
                with self.subTest(source=source, rate=rate, grain=grain):
                    found = motion_of(converted(Fraction(source), Fraction(rate), 100, grain), Fraction(rate))
                    self.assertEqual(found.source_rate, source)
                    mixed = {number for number in range(100) if (number * Fraction(source, rate)) % 1}
                    wrong = mixed ^ set(frames(found.blends))
                    # Where one picture has all but nothing of the blend, it can as well be called clean.
                    allowed = {
                        n
                        for n in mixed
                        if min((n * Fraction(source, rate)) % 1, -(n * Fraction(source, rate)) % 1) < 0.13
                    }
                    self.assertLessEqual(wrong, allowed)

    def test_nothing_in_the_clean_twin(self) -> None:
        for grain in (0, 2, 4):
            found = motion_of((moment(number, grain=grain) for number in range(120)), Fraction(25))
            self.assertEqual((found.blends, found.source_rate, found.drops), ((), None, ()))

    def test_a_single_mixed_picture(self) -> None:
        pictures = [moment(number, grain=1) for number in range(60)]
        pictures[30] = mix(pictures[29], pictures[31], 0.5)
        self.assertEqual(motion_of(pictures).blends, ((30, 31),))

    def test_what_hardly_moves_is_no_mixture(self) -> None:
        for speed in (0.3, 0.7, 1.1):
            found = motion_of(
                moved_still(0, 40 + 9 * np.sin(number * speed / 9), cv2.INTER_LINEAR) for number in range(90)
            )
            self.assertEqual(found.blends, (), speed)

    def test_what_hardly_moves_is_none_where_one_step_is_not_sure(self) -> None:
        pictures = [moved_still(0, number * 0.5, cv2.INTER_LINEAR) for number in range(60)]
        rows = measure([MotionMeter(), ChangeMeter()], pictures)
        motion, change = rows.rows("motion").copy(), rows.rows("change")
        steadiness = judge_steadiness(change, find_cuts(change), 12)
        for at in (40, 41):
            motion["peak"][at] = 0
            self.assertEqual(judge_motion(motion, find_cuts(change), steadiness, Fraction(25)).blends, (), at)

    def test_a_dissolve_is_no_mixture_of_neighbours(self) -> None:
        pictures = [moment(number) for number in range(20)]
        pictures += [mix(moment(20 + at), moment(at, 2), at / 25) for at in range(25)]
        pictures += [moment(25 + at, 2) for at in range(30)]
        self.assertEqual(motion_of(pictures).blends, ())

    def test_a_counter_that_changes_its_digits_is_no_pattern(self) -> None:
        pictures = []
        for number in range(120):
            picture = moment(0.2 * number, grain=2)
            picture[250:280, 20 : 30 + 14 * (number % 5)] = 235
            pictures.append(picture)
        self.assertIsNone(motion_of(pictures).source_rate)

    def test_a_still_picture_that_is_moved_by_parts_of_a_sample_is_no_mixture(self) -> None:
        for step in (0.8, 3.8, 6.2):  # comes to lie on samples again in every fifth picture
            for by in (cv2.INTER_LINEAR, cv2.INTER_CUBIC):
                found = motion_of((moved_still(0, number * step, by) for number in range(100)), Fraction(25))
                self.assertEqual((found.blends, found.source_rate), ((), None), (step, by))

    def test_a_moved_still_picture_that_was_blended_as_well(self) -> None:
        for step in (2, 4, 6):  # at 30 a second; the same places between samples as above
            pictures = []
            for number in range(100):
                place = number * Fraction(6, 5)
                first, second = (moved_still(0, float((int(place) + at) * step)) for at in (0, 1))
                pictures.append(mix(first, second, float(place % 1)))
            self.assertEqual(motion_of(pictures, Fraction(25)).source_rate, 30, step)


class MissingPicturesTest(TestCase):
    def test_the_picture_after_a_missing_one(self) -> None:
        pictures = [moment(number) for number in range(61) if number != 30]
        self.assertEqual(motion_of(pictures).drops, ((30, 31),))

    def test_two_pictures_in_each_others_place(self) -> None:
        pictures = [moment(number) for number in range(60)]
        pictures[30], pictures[31] = pictures[31], pictures[30]
        found = motion_of(pictures)
        self.assertEqual((found.swaps, found.drops), (((30, 32),), ()))

    def test_what_shakes_or_swings_has_no_pictures_in_each_others_place(self) -> None:
        shaken = np.random.default_rng(5).normal(0, 1, 90)
        swinging = 3 * np.sin(np.arange(90) * 2.1)
        for off in (shaken, swinging, np.where(np.arange(90) == 40, 1.0, 0.0)):
            found = motion_of([moment(5 + number + float(off[number])) for number in range(90)])
            self.assertEqual(found.swaps, ())

    def test_a_cut_is_no_missing_picture(self) -> None:
        pictures = [moment(number) for number in range(30)] + [moment(number, 2) for number in range(30)]
        self.assertEqual(motion_of(pictures).drops, ())
