import tempfile
from fractions import Fraction
from pathlib import Path
from unittest import TestCase

import numpy as np

from brisk_core.packets.bit_rates import is_constant, one_second_windows
from brisk_core.packets.groups import find_groups
from brisk_core.packets.series import PacketSeries, load_series, save_series


def series(
    sizes: list[int], types: str, *, rate: Fraction = Fraction(25), order: list[int] | None = None
) -> PacketSeries:
    """A series on an even grid; ``order`` gives the presentation place of each packet in decode order."""
    count = len(sizes)
    places = np.array(order if order is not None else range(count), dtype=np.int64)
    return PacketSeries(
        time_base=1 / rate,
        pts=places,
        dts=np.arange(count, dtype=np.int64),
        sizes=np.array(sizes, dtype=np.uint32),
        types=np.frombuffer(types.encode(), dtype=np.uint8),
        random_access=np.array([kind == "I" for kind in types]),
        last_duration=1,
    )


class WindowTest(TestCase):
    def test_a_burst_of_a_known_size(self) -> None:
        sizes = [1000] * 100
        sizes[50] = 101_000
        windows = one_second_windows(series(sizes, "P" * 100), Fraction(25))
        assert windows
        self.assertEqual(windows.low, 25 * 1000 * 8)
        self.assertEqual(windows.peak, (25 * 1000 + 100_000) * 8)
        self.assertEqual(len(windows.bits), 76)  # windows that begin with frame 0 to 75 lie whole inside 4 s

    def test_a_window_at_23_976_holds_24_frames(self) -> None:
        windows = one_second_windows(series([100] * 48, "P" * 48, rate=Fraction(24000, 1001)), Fraction(24000, 1001))
        assert windows
        self.assertEqual((windows.low, windows.peak), (2400 * 8, 2400 * 8))

    def test_less_than_a_second_has_no_window(self) -> None:
        self.assertIsNone(one_second_windows(series([100] * 24, "P" * 24), Fraction(25)))

    def test_missing_decode_times_are_laid_on_the_frame_grid(self) -> None:
        made = series([1000] * 50, "P" * 50)
        lost = PacketSeries(
            time_base=made.time_base, pts=made.pts, dts=np.full(50, np.iinfo(np.int64).min), sizes=made.sizes,
            types=made.types, random_access=made.random_access, last_duration=1,
        )  # fmt: skip
        windows = one_second_windows(lost, Fraction(25))
        assert windows
        self.assertEqual(windows.peak, 25 * 1000 * 8)


class ConstancyTest(TestCase):
    def test_even_packets_are_constant_and_a_slope_is_not(self) -> None:
        self.assertTrue(is_constant(series([1000] * 500, "P" * 500), Fraction(25), Fraction(200_000)))
        slope = [200 + 4 * number for number in range(500)]
        average = Fraction(sum(slope) * 8, 20)
        self.assertFalse(is_constant(series(slope, "P" * 500), Fraction(25), average))

    def constant(self, sizes: list[int], coded: str | None = None) -> bool | None:
        average = Fraction(sum(sizes) * 8 * 25, len(sizes))
        return is_constant(series(sizes, "P" * len(sizes)), Fraction(25), average, coded)

    def test_a_quiet_film_at_a_variable_rate_is_not_taken_for_constant(self) -> None:
        breathing = [1000 + 200 * (number // 10 % 2) for number in range(500)]
        self.assertTrue(self.constant(breathing))
        self.assertFalse(self.constant(breathing[:250] + [size + 300 for size in breathing[:250]], "variable"))
        self.assertTrue(self.constant([1000] * 500, "variable"), "the stream may stay below its peak throughout")
        peak = [1000] * 500
        peak[200:220] = [2000] * 20
        self.assertFalse(self.constant(peak))

    def test_less_than_five_seconds_do_not_tell(self) -> None:
        self.assertIsNone(self.constant([1000] * 124))
        self.assertTrue(self.constant([1000] * 125))


class GroupTest(TestCase):
    def test_closed_groups(self) -> None:
        types = "IPBBPBB" * 3
        order = [group * 7 + place for group in range(3) for place in (0, 3, 1, 2, 6, 4, 5)]
        groups = find_groups(series([10] * 21, types, order=order), {})
        assert groups
        self.assertEqual((groups.longest, groups.shortest, groups.open), (7, 7, False))
        self.assertEqual((groups.pattern, groups.b_run), ("IBBPBBP", 2))

    def test_open_groups_show_pictures_before_their_entry_point(self) -> None:
        # Presented: I0 B1 B2 P3 B4 B5 I6 B7 B8 P9; B4 and B5 are sent after I6 and need P3.
        types, order = "IPBBIBBPBB", [0, 3, 1, 2, 6, 4, 5, 9, 7, 8]
        groups = find_groups(series([10] * 10, types, order=order), {})
        assert groups
        self.assertEqual((groups.longest, groups.shortest, groups.open), (6, 6, True))
        self.assertEqual(groups.pattern, "IBBPBB")
        closed = find_groups(series([10] * 10, types, order=order), {4: True})
        assert closed
        self.assertIs(closed.open, False)

    def test_unknown_types_say_nothing_of_openness(self) -> None:
        made = series([10] * 4, "I???")
        groups = find_groups(made, {})
        assert groups
        self.assertEqual((groups.longest, groups.open, groups.pattern, groups.b_run), (4, None, None, None))


class SeriesFileTest(TestCase):
    def test_a_series_goes_to_its_file_and_back(self) -> None:
        made = series([10, 20, 30], "IPB", rate=Fraction(30000, 1001), order=[0, 2, 1])
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "1.npz"
            save_series(made, path)
            read = load_series(path)
            self.assertEqual([one.name for one in Path(folder).iterdir()], ["1.npz"])
        self.assertEqual(read.time_base, made.time_base)
        self.assertEqual(read.presented_pts().tolist(), [0, 1, 2])
        self.assertEqual(bytes(read.types), b"IPB")
