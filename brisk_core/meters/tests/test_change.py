from itertools import pairwise
from unittest import TestCase

import cv2
import numpy as np

from brisk_core.meters.change import ChangeMeter, find_cuts, judge_steadiness, mean_change
from brisk_core.meters.tests.drawn import Plane, cuts_of, measure, mix, moment, steadiness_of


def shots(lengths: list[int], grain: float = 2) -> list[Plane]:
    pictures = []
    for number, length in enumerate(lengths):
        pictures += [moment(at, number % 3 + 1, grain) for at in range(length)]
    return pictures


class RepeatsTest(TestCase):
    def test_exact_numbers_of_repeated_pictures(self) -> None:
        pictures = [moment(number, grain=2) for number in range(60)]
        pictures[30] = pictures[29]
        pictures[40:43] = [pictures[39]] * 3
        found = steadiness_of(pictures)
        self.assertEqual(found.repeats, ((30, 31), (40, 43)))

    def test_a_coder_that_does_not_repeat_exactly(self) -> None:
        pictures = [moment(number, grain=2) for number in range(60)]
        noise = np.random.default_rng(1).normal(0, 0.7, pictures[29].shape)
        pictures[30] = np.asarray((pictures[29] + noise).clip(0, 255), np.uint8)
        self.assertEqual(steadiness_of(pictures).repeats, ((30, 31),))

    def test_nothing_in_clean_pans_still_shots_and_still_grain(self) -> None:
        still = [moment(0)] * 10
        grainy = [moment(0.001 * at, grain=3) for at in range(40)]
        for pictures in ([moment(at, grain=2) for at in range(60)], [moment(at) for at in range(60)], still, grainy):
            found = steadiness_of(pictures)
            self.assertEqual((found.repeats, found.freezes), ((), ()))

    def test_a_freeze_from_the_picture_that_stays(self) -> None:
        pictures = [moment(number, grain=2) for number in range(60)]
        pictures[20:35] = [pictures[20]] * 15
        found = steadiness_of(pictures)
        self.assertEqual((found.freezes, found.repeats), (((20, 35),), ()))

    def test_patterns_of_repeats_have_names(self) -> None:
        doubled = [moment(number // 2, grain=2) for number in range(80)]
        self.assertEqual(steadiness_of(doubled).cadence, "2:2")
        four_of_five = [moment(number * 4 // 5, grain=2) for number in range(80)]
        self.assertEqual(steadiness_of(four_of_five).cadence, "4:1 repeat")
        self.assertEqual(steadiness_of([moment(at, grain=2) for at in range(80)]).cadence, "none")
        self.assertIsNone(steadiness_of([moment(0)] * 40).cadence)

    def test_drawings_held_over_a_standing_ground_are_no_repeats(self) -> None:
        pictures = []
        for number in range(80):
            picture = moment(0)
            left = number // 2 * 8 % 250
            cv2.rectangle(picture, (left, 120), (left + 60, 180), 235, -1)
            pictures.append(picture)
        found = steadiness_of(pictures)
        self.assertEqual((found.repeats, found.freezes, found.cadence), ((), (), "none"))

    def test_a_flash_beside_slow_motion_makes_no_repeat_and_hides_none(self) -> None:
        pictures = [moment(number * 0.2, grain=0.5) for number in range(60)]
        lit = [np.asarray(np.clip(picture * 0.35 + 150, 16, 235), np.uint8) for picture in pictures]
        pictures[30:32] = lit[30:32]
        self.assertEqual(flashed(pictures), ())
        pictures[31] = pictures[30]
        self.assertEqual(flashed(pictures), ((31, 32),))

    def test_a_still_card_that_a_coder_touches_up_now_and_then_repeats_nothing(self) -> None:
        pictures = []
        for number in range(60):
            picture = np.full((288, 352), 20, np.uint8)
            cv2.putText(picture, f"CARD {number // 26}", (60, 150), cv2.FONT_HERSHEY_SIMPLEX, 1.2, 220, 2)
            places, touched = slice(120, 152), number // 12 + (number % 12 == 0)
            noise = np.random.default_rng(touched).normal(0, 4, (32, 24))
            picture[places, 64:88] = np.clip(picture[places, 64:88] + noise, 16, 235)
            pictures.append(picture)
        self.assertEqual(steadiness_of(pictures, freeze=30).repeats, ())


def flashed(pictures: list[Plane]) -> tuple[tuple[int, int], ...]:
    change = measure([ChangeMeter()], pictures).rows("change")
    light = np.array([picture.mean() for picture in pictures])
    return judge_steadiness(change, find_cuts(change), 12, light).repeats


class CutsTest(TestCase):
    def test_every_hard_cut_and_nothing_else(self) -> None:
        lengths = [20, 13, 31, 8, 25, 40, 9, 22]
        starts = np.cumsum(lengths)[:-1].tolist()
        self.assertEqual(cuts_of(shots(lengths)), starts)

    def test_dissolves_fades_and_flashes_are_no_cuts(self) -> None:
        pictures = shots([20])
        pictures += [mix(moment(20 + at), moment(at, 2), at / 24) for at in range(25)]
        pictures += [moment(25 + at, 2) for at in range(20)]
        pictures += [mix(moment(45 + at, 2), np.full_like(pictures[0], 16), at / 24) for at in range(25)]
        self.assertEqual(cuts_of(pictures), [])
        flashed = shots([40])
        flashed[15] = np.asarray((flashed[15].astype(np.int16) + 110).clip(0, 235), np.uint8)
        self.assertEqual(cuts_of(flashed), [])

    def test_quick_fades_into_white_and_out_of_it_are_no_cuts_and_a_cut_to_white_is_one(self) -> None:
        white, shown = np.full((288, 352), 235, np.uint8), [moment(number, grain=0) for number in range(60)]
        out = [*shown[:20], *(mix(shown[20 + at], white, at / 12) for at in range(1, 13)), *[white] * 12]
        self.assertEqual(cuts_of(out), [])
        self.assertEqual(cuts_of(out[::-1]), [])
        self.assertEqual(cuts_of([*shown[:20], *[white] * 12, *shown[30:50]]), [20, 32])

    def test_fast_pans_are_no_cuts(self) -> None:
        self.assertEqual(cuts_of([moment(at * 4) for at in range(60)]), [])


class MeanChangeTest(TestCase):
    def change(self, pictures: list[Plane]) -> float | None:
        rows = measure([ChangeMeter()], pictures).rows("change")
        return mean_change(rows, find_cuts(rows))

    def test_it_is_the_mean_difference_of_pictures_within_shots(self) -> None:
        """Held against the difference of the samples themselves; a cut between two still shots does not count."""
        ground = moment(0).clip(60, 180)
        steps = np.cumsum([0, 4, -8] * 8)
        stepped = [np.asarray(ground + step % 24, np.uint8) for step in steps]
        expected = np.mean([np.abs(a.astype(int) - b).mean() for a, b in pairwise(stepped)])
        found = self.change(stepped)
        assert found is not None
        self.assertAlmostEqual(found, expected, delta=0.05)
        still = [moment(0, seed=1)] * 12 + [moment(0, seed=2)] * 12
        self.assertEqual(self.change(still), 0)

    def test_faster_motion_is_more_and_one_picture_says_nothing(self) -> None:
        slow, fast = (self.change([moment(at * pace) for at in range(24)]) for pace in (0.2, 1.0))
        assert slow is not None
        assert fast is not None
        self.assertGreater(fast, 2 * slow)
        self.assertIsNone(self.change([moment(0)]))


def title(share: float) -> Plane:
    """Letters on a flat dark ground, faded in by a share."""
    picture = np.full((288, 352), 4, np.uint8)
    cv2.putText(picture, "A LAMP", (60, 150), cv2.FONT_HERSHEY_DUPLEX, 1.6, 4 + round(210 * share), 3, cv2.LINE_AA)
    return picture


class TitlesTest(TestCase):
    """A title on a flat ground comes and goes by fades; the cut is where the ground comes."""

    def test_a_fade_out_of_a_flat_picture_is_no_cut(self) -> None:
        for steps in (6, 12, 25):
            fades = [title(min(number / steps, 1, (59 - number) / steps)) for number in range(60)]
            self.assertEqual(cuts_of(fades), [], steps)
            pan = [moment(number) for number in range(30)]
            self.assertEqual(cuts_of([*pan, *fades, *pan]), [30, 90], steps)

    def test_letters_that_are_there_at_once_are_a_cut(self) -> None:
        flat, there = [title(0)] * 20, [title(1)] * 20
        self.assertEqual(cuts_of([*flat, *there, *flat]), [20, 40])
        growing = [title(0.5 + number / 40) for number in range(20)]
        self.assertEqual(cuts_of([*flat, *growing]), [20])
