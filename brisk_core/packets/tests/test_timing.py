from fractions import Fraction
from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from brisk_core.exact import STANDARD_RATES
from brisk_core.facts import Span
from brisk_core.packets.series import LAST_TIME, NO_TIME
from brisk_core.packets.timing import find_disorder, find_duplicates, find_gaps, fit_rate

BASES = (Fraction(1, 1000), Fraction(1, 90000), Fraction(1, 12800), Fraction(1, 48000))


def grid(rate: Fraction, base: Fraction, count: int, first: int = 0) -> np.ndarray:
    """Presentation times of an even grid, rounded to ticks as writers do."""
    return np.array([first + round(number / (rate * base)) for number in range(count)], dtype=np.int64)


class FitTest(TestCase):
    def test_times_as_far_apart_as_a_damaged_file_may_claim(self) -> None:
        fit = fit_rate(np.array([-LAST_TIME, 0, LAST_TIME], np.int64), Fraction(1, 1000))
        assert fit
        self.assertEqual((fit.standard, fit.mean_step), (False, LAST_TIME))

    @settings(max_examples=200)
    @given(
        st.sampled_from(sorted(STANDARD_RATES)), st.sampled_from(BASES), st.integers(150, 400), st.integers(0, 10**7)
    )
    def test_rounded_grids_give_their_exact_rate(self, rate: Fraction, base: Fraction, count: int, first: int) -> None:
        if 1 / (rate * base) < 20:  # a clock of a few ticks a frame cannot tell neighbours apart
            return
        span = count / rate
        if base / span > Fraction(1, 4000):  # too short for the clock: 1/1001 is less than its grain
            return
        fit = fit_rate(grid(rate, base, count, first), base)
        assert fit
        self.assertEqual((fit.rate, fit.constant), (rate, True))

    def test_a_variable_rate_gives_the_mean(self) -> None:
        random = np.random.default_rng(1)
        pts = np.cumsum(random.integers(2400, 3900, 500))
        fit = fit_rate(pts, Fraction(1, 90000))
        assert fit
        self.assertFalse(fit.standard)
        self.assertFalse(fit.constant)
        self.assertEqual(fit.rate, Fraction(499 * 90000, int(pts[-1] - pts[0])))

    def test_one_long_step_is_not_a_constant_rate(self) -> None:
        pts = np.delete(grid(Fraction(25), Fraction(1, 90000), 100), 40)
        fit = fit_rate(pts, Fraction(1, 90000))
        assert fit
        self.assertFalse(fit.constant)

    def test_too_few_frames_give_nothing(self) -> None:
        self.assertIsNone(fit_rate(np.array([5]), Fraction(1, 1000)))
        self.assertIsNone(fit_rate(np.array([5, 5]), Fraction(1, 1000)))


class GapTest(TestCase):
    def test_missing_frames_are_named_where_they_are_missing(self) -> None:
        pts = np.delete(grid(Fraction(25), Fraction(1, 90000), 100), [40, 41])
        self.assertEqual(
            find_gaps(pts, Fraction(25), Fraction(1, 90000)),
            (Span(start=39, end=40, detail="0.12 s to the next frame, room for 2 more"),),
        )

    def test_rounding_is_no_gap(self) -> None:
        pts = grid(Fraction(24000, 1001), Fraction(1, 1000), 500)
        self.assertEqual(find_gaps(pts, Fraction(24000, 1001), Fraction(1, 1000)), ())


class OddTimesTest(TestCase):
    def test_frames_with_the_same_time(self) -> None:
        found = find_duplicates(np.array([0, 40, 40, 80, 80, 80]))
        self.assertEqual([(span.start, span.end) for span in found], [(2, 3), (4, 5), (5, 6)])
        self.assertEqual(find_duplicates(np.array([0, 40, 80])), ())

    def test_decode_times_that_go_back_or_come_too_late(self) -> None:
        found = find_disorder(np.array([80, 40, 120, 160]), np.array([0, 40, 20, 200]))
        self.assertEqual(
            [(span.start, span.detail) for span in found],
            [(2, "decode time goes back"), (3, "decoded after it should be shown")],
        )

    def test_packets_without_decode_times_are_passed_over(self) -> None:
        self.assertEqual(find_disorder(np.array([0, 40]), np.array([NO_TIME, NO_TIME])), ())
        self.assertEqual(find_disorder(np.array([0, 40, 80]), np.array([0, NO_TIME, 80])), ())

    def test_very_many_are_counted(self) -> None:
        found = find_duplicates(np.zeros(3000, dtype=np.int64))
        self.assertEqual(len(found), 1000)
        self.assertTrue(found[-1].detail.endswith("1999 more places"))
