from fractions import Fraction
from typing import Any
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from brisk_core.packets.buffer import fit_buffer
from brisk_core.packets.tests.test_bit_rates import series
from brisk_core.reading.tests.test_headers import MediaTest


class ConstructionTest(TestCase):
    """Streams whose answer is known by hand: 25 frames a second, 1000 bits a frame period at 25,000 bit/s."""

    def fit(self, bits: list[int], size: int, rate: int = 25_000) -> Any:
        return fit_buffer(series([one // 8 for one in bits], "P" * len(bits)), Fraction(25), rate, size)

    def test_pictures_of_one_period_need_one_picture(self) -> None:
        fit = self.fit([1000] * 50, 1000)
        self.assertEqual((fit.smallest, fit.fits, fit.underflows), (1000, True, ()))

    def test_a_large_picture_needs_itself(self) -> None:
        self.assertEqual(self.fit([800, 800, 4000, 800], 4000).smallest, 4000)

    def test_large_pictures_in_a_row_add_up_less_what_arrives_between(self) -> None:
        fit = self.fit([1000, 3000, 3000, 1000, 400, 1000], 4999)
        self.assertEqual((fit.smallest, fit.fits), (5000, False))
        # 3000, then 2000 + 3000, then 4000 + 1000: the second and third are too late; then 4000 + 400 fits.
        self.assertEqual(fit.underflows, ((2, 4),))

    def test_a_pause_lets_the_buffer_catch_up_but_not_run_ahead(self) -> None:
        self.assertEqual(self.fit([0, 0, 0, 0, 8000], 8000).smallest, 8000)

    @given(st.lists(st.integers(1, 4000), min_size=2, max_size=60), st.integers(8_000, 400_000))
    def test_the_smallest_buffer_is_the_edge(self, sizes: list[int], rate: int) -> None:
        bits = [8 * size for size in sizes]
        smallest = self.fit(bits, 0, rate).smallest
        self.assertTrue(self.fit(bits, smallest, rate).fits)
        self.assertEqual(self.fit(bits, smallest, rate).underflows, ())
        self.assertFalse(self.fit(bits, smallest - 1, rate).fits)
        self.assertTrue(self.fit(bits, smallest - 1, rate).underflows)


class CodedTest(MediaTest):
    def test_a_constant_rate_stream_fits_the_buffer_it_codes(self) -> None:
        params = "nal-hrd=cbr:vbv-maxrate=600:vbv-bufsize=300:bitrate=600:threads=1"
        path = self.made("a.mp4", size=(320, 240), frames=100, options={"x264-params": params})
        found = self.read(path).facts["bitrate.buffer"]
        self.assertTrue(found.observed["fits"], found)
        self.assertLessEqual(found.observed["smallest_buffer"], found.coded["size"])
        self.assertEqual(found.observed["underflows"], [])

    def test_without_a_coded_buffer_it_is_not_measured(self) -> None:
        self.assertEqual(
            self.read(self.made("a.mp4")).unread["bitrate.buffer"],
            "the stream codes no buffer to hold it against",
        )
