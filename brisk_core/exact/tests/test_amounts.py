from fractions import Fraction
from unittest import TestCase

from brisk_core.errors import ValueRefused
from brisk_core.exact import (
    display_aspect,
    parse_area,
    parse_bit_rate,
    parse_bits,
    parse_bytes,
    parse_ratio,
    parse_seconds,
    parse_size,
    spell_bit_rate,
    spell_bit_rate_exactly,
    spell_bytes,
    spell_seconds,
    spell_size,
)


class EdgeTest(TestCase):
    def test_nothing_is_an_amount_and_less_is_not(self) -> None:
        for read in (parse_bit_rate, parse_bytes):
            self.assertEqual(read(0), 0)
            with self.assertRaises(ValueRefused):
                read(-1)

    def test_a_thousand_of_each_unit(self) -> None:
        self.assertEqual([parse_bit_rate(text) for text in ("1 kb/s", "1 Mb/s", "1 Gb/s")], [10**3, 10**6, 10**9])
        self.assertEqual([parse_bytes(text) for text in ("1 kB", "1 MB", "1 GB", "1 KiB")], [10**3, 10**6, 10**9, 1024])

    def test_digits_that_are_shown(self) -> None:
        for bits, says in (
            (100_000_000, "100 Mb/s"),
            (10_000_000, "10 Mb/s"),
            (9_870_000, "9.87 Mb/s"),
            (1000, "1 kb/s"),
        ):
            self.assertEqual(spell_bit_rate(bits), says)

    def test_exact_values_stay_as_they_are(self) -> None:
        self.assertEqual(parse_seconds(Fraction(1, 3)), Fraction(1, 3))
        self.assertEqual((parse_ratio(Fraction(16, 9)), parse_ratio(2)), (Fraction(16, 9), 2))
        for value in (Fraction(0), 0, Fraction(-1)):
            with self.assertRaises(ValueRefused):
                parse_ratio(value)


class BitsTest(TestCase):
    def test_units_are_decimal(self) -> None:
        for text, rate in (("50 Mb/s", 50_000_000), ("192 kb/s", 192_000), ("1.5 Mbit/s", 1_500_000), (800, 800)):
            self.assertEqual(parse_bit_rate(text), rate)
        self.assertEqual(parse_bytes("20 MB"), 20_000_000)
        self.assertEqual(parse_bytes("1 GiB"), 1 << 30)

    def test_refusals(self) -> None:
        for value in ("50 MB/s", "fast", -1, True, "0.0000001 kb/s"):
            with self.assertRaises(ValueRefused):
                parse_bit_rate(value)

    def test_spelling(self) -> None:
        self.assertEqual(spell_bit_rate(49_812_345), "49.8 Mb/s")
        self.assertEqual(spell_bit_rate(192_000), "192 kb/s")
        self.assertEqual(spell_bit_rate_exactly(10_080_000), "10.08 Mb/s")
        self.assertEqual(spell_bit_rate_exactly(10_080_500), "10080.5 kb/s")
        self.assertEqual(
            [spell_bit_rate_exactly(one) for one in (10**6, 10**3, 999)], ["1 Mb/s", "1 kb/s", "999 bit/s"]
        )
        self.assertEqual(spell_bit_rate_exactly(1_234_567_891), "1234567.891 kb/s")
        self.assertEqual(spell_bytes(3_100_000_000), "3.1 GB")
        self.assertEqual(spell_bytes(512), "512 B")


class SizesTest(TestCase):
    def test_reading(self) -> None:
        for value in ("1920×1080", "1920 x 1080", [1920, 1080], (1920, 1080)):
            self.assertEqual(parse_size(value), (1920, 1080))
        self.assertEqual(spell_size((3840, 2160)), "3840 × 2160")
        for value in ("1920", [1920], [1920, 0], [True, 2], "0x100"):
            with self.assertRaisesRegex(ValueRefused, "expected width and height"):
                parse_size(value)

    def test_display_shape_of_standard_definition_and_of_turned_pictures(self) -> None:
        self.assertEqual(display_aspect((720, 576), parse_ratio("64:45")), Fraction(16, 9))
        self.assertEqual(display_aspect((1920, 1080), Fraction(1), 90), Fraction(9, 16))


class DurationTest(TestCase):
    def test_reading_is_exact(self) -> None:
        self.assertEqual(parse_seconds("40 ms"), Fraction(1, 25))
        self.assertEqual(parse_seconds("1001/100"), Fraction(1001, 100))
        self.assertEqual(parse_seconds(0.1), Fraction(1, 10))
        with self.assertRaisesRegex(ValueRefused, "expected such as"):
            parse_seconds("soon")

    def test_spelling(self) -> None:
        self.assertEqual(spell_seconds(Fraction(251, 25)), "10.04 s")
        self.assertEqual(spell_seconds(Fraction(3723)), "1:02:03")
        self.assertEqual(spell_seconds(Fraction(-1, 25)), "−0.04 s")


class TableOfAmountsTest(TestCase):
    """Every unit and every edge by hand, against values worked out elsewhere."""

    def test_every_unit_of_bits_and_bytes(self) -> None:
        for text, bits in (
            ("1 bit", 1),
            ("1 b", 1),
            ("3 kbit", 3_000),
            ("3 kb", 3_000),
            ("2 Mb", 2_000_000),
            ("1 Gb", 10**9),
        ):
            self.assertEqual(parse_bits(text), bits, text)
        for text, count in (
            ("7 B", 7),
            ("7 bytes", 7),
            ("1 TB", 10**12),
            ("1 MiB", 1 << 20),
            ("1 GiB", 1 << 30),
            ("1 TiB", 1 << 40),
        ):
            self.assertEqual(parse_bytes(text), count, text)
        for text, rate in (("1 bit/s", 1), ("9 bps", 9), ("9 kbps", 9_000), ("9 Mbps", 9_000_000), ("1 Gbps", 10**9)):
            self.assertEqual(parse_bit_rate(text), rate, text)
        for read in (parse_bits, parse_bytes, parse_bit_rate):
            self.assertEqual((read(0), read(1)), (0, 1))
            for refused in (-1, True, 1.5, None, [], "1", "1 x", "0.3 b", "1.5 B"):
                with self.assertRaises(ValueRefused, msg=repr(refused)):
                    read(refused)

    def test_digits_change_at_ten_and_at_a_hundred(self) -> None:
        for rate, text in (
            (0, "0 bit/s"), (1, "1 bit/s"), (999, "999 bit/s"), (1_000, "1 kb/s"), (9_994, "9.99 kb/s"), (10_000, "10 kb/s"),
            (10_040, "10 kb/s"), (10_060, "10.1 kb/s"), (99_960, "100 kb/s"), (100_000, "100 kb/s"), (100_400, "100.4 kb/s"),
            (999_999, "1000 kb/s"), (1_000_000, "1 Mb/s"), (49_780_000, "49.8 Mb/s"), (50_000_000, "50 Mb/s"),
        ):  # fmt: skip
            self.assertEqual(spell_bit_rate(rate), text, rate)

    def test_every_unit_of_time(self) -> None:
        for text, seconds in (
            ("2 min", 120), ("2 h", 7200), ("3", 3), ("1500 ms", Fraction(3, 2)), ("-2 s", -2), ("5/4", Fraction(5, 4)), ("1/1", 1),
            (2, 2), (0.5, Fraction(1, 2)), (Fraction(7, 3), Fraction(7, 3)),
        ):  # fmt: skip
            self.assertEqual(parse_seconds(text), seconds, text)
        for refused in ("1/0", "1 day", True, None, [], "x"):
            with self.assertRaises(ValueRefused):
                parse_seconds(refused)
        for seconds, text in (
            (0, "0 s"), (Fraction(59_999, 1000), "59.999 s"), (60, "1:00"), (Fraction(61_500, 1000), "1:01.5"), (-1, "−1 s"),
            (3600, "1:00:00"), (3661, "1:01:01"), (-3600, "−1:00:00"), (Fraction(1, 1000), "0.001 s"),
        ):  # fmt: skip
            self.assertEqual(spell_seconds(Fraction(seconds)), text)

    def test_sizes_areas_and_ratios_at_their_edges(self) -> None:
        self.assertEqual(parse_size([1, 65535]), (1, 65535))
        self.assertEqual(parse_size("1x1"), (1, 1))
        for refused in ([0, 1], [1, 65536], [1], [1, 2, 3], [True, 1], "0x5", None, [1.5, 2], "1920"):
            with self.assertRaises(ValueRefused, msg=repr(refused)):
                parse_size(refused)
        self.assertEqual(parse_area([0, 1, 2, 3]), (0, 1, 2, 3))
        self.assertEqual(parse_area((9, 8, 7, 6)), (9, 8, 7, 6))
        for refused in ([0, 1, 2], [0, 1, 2, -1], [0, 1, 2, True], "0,1,2,3", None, [0, 1, 2, 3, 4]):
            with self.assertRaises(ValueRefused, msg=repr(refused)):
                parse_area(refused)
        for given, ratio in (
            ("16:9", Fraction(16, 9)),
            ("16/11", Fraction(16, 11)),
            (1, Fraction(1)),
            (Fraction(3, 2), Fraction(3, 2)),
        ):
            self.assertEqual(parse_ratio(given), ratio)
        for refused in (0, -1, True, "0:1", "1:0", "1", None, Fraction(0), 1.5):
            with self.assertRaises(ValueRefused, msg=repr(refused)):
                parse_ratio(refused)
