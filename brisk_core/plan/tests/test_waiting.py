from fractions import Fraction
from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from brisk_core.errors import PlanRefused
from brisk_core.packets import PacketSeries
from brisk_core.plan.waiting import even_media, media_of, wait


class WaitingTest(TestCase):
    def test_by_hand(self) -> None:
        """Ten seconds of 1 Mb/s over 2 Mb/s: two seconds of it are there after one; it never stops."""
        found = wait(even_media(1_250_000, Fraction(10)), line=2_000_000, whole=1_250_000)
        self.assertAlmostEqual(found.start, 1.0)
        self.assertEqual(found.stalls, ())
        self.assertAlmostEqual(found.whole, 5.0)
        self.assertEqual(found.says(index_first=True), "begins after 1 s and never stops")

    def test_an_index_is_fetched_first(self) -> None:
        found = wait(even_media(1_250_000, Fraction(10)), line=2_000_000, index=250_000, whole=1_500_000)
        self.assertAlmostEqual(found.start, 2.0)
        self.assertIn("where a player can jump to the index, else after 6 s", found.says(index_first=False))

    def test_a_line_that_is_too_slow_stops_again_and_again(self) -> None:
        """1 Mb/s over 0.5 Mb/s: four seconds for two; it plays while two more seconds arrive, and so on."""
        found = wait(even_media(1_250_000, Fraction(10)), line=500_000)
        self.assertAlmostEqual(found.start, 4.0)
        self.assertGreater(len(found.stalls), 1)
        self.assertTrue(20 <= found.start + found.stalled + 10 <= 22)  # the last byte is there after 20 s
        self.assertAlmostEqual(found.least_start, 10.0, delta=0.1)

    def test_a_burst_stops_what_the_mean_would_not(self) -> None:
        """Half of the bits in one second of ten: the line of the mean rate stops there, an even file does not."""
        even = even_media(1_250_000, Fraction(10))
        burst = [2_500.0] * 250
        for at in range(200, 225):
            burst[at] = 27_500.0
        self.assertAlmostEqual(sum(burst), sum(even))
        self.assertEqual(wait(even, line=1_100_000).stalls, ())
        (stall,) = wait(burst, line=800_000).stalls
        self.assertTrue(8.0 <= stall.at <= 9.0, stall)

    @settings(max_examples=100, deadline=None)
    @given(media=st.lists(st.integers(0, 100_000), min_size=1, max_size=200), line=st.integers(10_000, 10_000_000))
    def test_everything_is_played_after_it_arrived(self, media: list[float], line: int) -> None:
        """Start, stops and length together are never before the last byte is there; who waits long enough never stops."""
        found = wait(media, line=line)
        length = len(media) / 25
        self.assertGreaterEqual(found.start + found.stalled + length + 1e-6, sum(media) * 8 / line)
        self.assertEqual(found.stalls == (), found.least_start <= found.start + 1e-6)

    def test_the_packets_of_a_render(self) -> None:
        series = PacketSeries(
            time_base=Fraction(1, 25),
            pts=np.array([10, 12, 11], np.int64),
            dts=np.array([10, 11, 12], np.int64),
            sizes=np.array([100, 20, 30], np.uint32),
            types=np.array([73, 80, 66], np.uint8),
            random_access=np.array([True, False, False]),
            last_duration=1,
            sound=(np.array([5, 5, 5, 5], np.uint32),),
        )
        self.assertEqual(media_of(series), [105, 35, 25])

    def test_bad_input(self) -> None:
        for media, line in (([], 1), ([1.0], 0)):
            with self.assertRaises(PlanRefused):
                wait(media, line=line)
