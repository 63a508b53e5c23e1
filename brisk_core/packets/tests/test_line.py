from fractions import Fraction
from unittest import TestCase

from brisk_core.packets import play_over_line
from brisk_core.packets.tests.test_bit_rates import series

RATE = Fraction(25)


class LineTest(TestCase):
    """Three seconds of 25 frames: 1,000, 3,000 and 1,000 bytes a second."""

    def play(self, speed: int, *, index_first: bool = True, file_size: int = 5000):  # type: ignore[no-untyped-def]
        packets = series([40] * 25 + [120] * 25 + [40] * 25, "P" * 75)
        return play_over_line(packets, RATE, speed, file_size=file_size, index_first=index_first)

    def test_a_fast_line_never_stalls(self) -> None:
        play = self.play(24_000)
        self.assertEqual((round(play.first_picture, 3), play.stalls), (0.333, ()))

    def test_a_slow_line_stands_still_where_the_rate_is_high(self) -> None:
        play = self.play(8_000)
        # The first second takes 1 s, the next three; it is needed at 2 s and there at 4 s; the last is there at 5 s.
        self.assertEqual(play.first_picture, 1.0)
        self.assertEqual(play.stalls, ((1, 2.0),))
        self.assertEqual(play.still, 2.0)

    def test_sound_and_wrapper_take_their_share_of_the_line(self) -> None:
        self.assertEqual(self.play(16_000, file_size=10_000).stalls, self.play(8_000).stalls)

    def test_an_index_at_the_end_waits_for_the_whole_file(self) -> None:
        play = self.play(8_000, index_first=False)
        self.assertEqual((play.first_picture, play.stalls), (5.0, ()))

    def test_a_line_without_speed(self) -> None:
        with self.assertRaisesRegex(ValueError, "expected more than 0"):
            self.play(0)
