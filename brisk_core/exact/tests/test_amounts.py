from fractions import Fraction
from unittest import TestCase

from brisk_core.errors import ValueRefused
from brisk_core.exact import (
    display_aspect,
    parse_bit_rate,
    parse_bytes,
    parse_ratio,
    parse_seconds,
    parse_size,
    spell_bit_rate,
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
