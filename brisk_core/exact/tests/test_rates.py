from fractions import Fraction
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from brisk_core.errors import ValueRefused
from brisk_core.exact import STANDARD_RATES, RateFamily, nearest_standard_rate, parse_rate, rate_family, spell_rate
from brisk_core.exact.rates import rate_of_steps


class ParsingTest(TestCase):
    def test_labels_name_exact_fractions(self) -> None:
        for text, rate in (
            ("23.976", Fraction(24000, 1001)),
            ("23.98", Fraction(24000, 1001)),
            ("29.97", Fraction(30000, 1001)),
            ("59.94", Fraction(60000, 1001)),
            ("119.88", Fraction(120000, 1001)),
            ("30000/1001", Fraction(30000, 1001)),
            ("25.0", Fraction(25)),
            ("28.8", Fraction(144, 5)),
        ):
            self.assertEqual(parse_rate(text), rate, text)
        self.assertEqual(parse_rate(25), Fraction(25))
        self.assertEqual(parse_rate(29.97), Fraction(30000, 1001))

    def test_23_976_is_never_24(self) -> None:
        self.assertNotEqual(parse_rate("23.976"), parse_rate("24"))
        self.assertNotEqual(parse_rate("29.97"), parse_rate("30"))

    def test_refusals_say_what_was_met_and_expected(self) -> None:
        for value in ("fast", "25/0", "", None, True, [25]):
            with self.assertRaisesRegex(ValueRefused, "expected frames a second"):
                parse_rate(value)
        with self.assertRaisesRegex(ValueRefused, "met '5000' as a frame rate; expected between 1/1000 and 1000"):
            parse_rate("5000")

    @given(st.sampled_from(sorted(STANDARD_RATES)))
    def test_every_standard_rate_is_read_back_from_its_spelling(self, rate: Fraction) -> None:
        self.assertEqual(parse_rate(spell_rate(rate)), rate)
        self.assertEqual(parse_rate(f"{rate.numerator}/{rate.denominator}"), rate)


class NearestTest(TestCase):
    def test_the_tolerance_never_confuses_a_rate_with_its_1001_neighbour(self) -> None:
        self.assertEqual(nearest_standard_rate(Fraction("23.976024")), Fraction(24000, 1001))
        self.assertEqual(nearest_standard_rate(Fraction(24)), Fraction(24))
        self.assertIsNone(nearest_standard_rate(Fraction("23.988")))

    def test_non_standard_rates_have_no_standard_and_no_family(self) -> None:
        for text in ("28.8", "29.983"):
            self.assertIsNone(nearest_standard_rate(Fraction(text)))
            self.assertIsNone(rate_family(Fraction(text)))
            self.assertEqual(spell_rate(Fraction(text)), f"{text} (non-standard)")

    def test_families(self) -> None:
        self.assertIs(rate_family(Fraction(50)), RateFamily.TWENTY_FIVE)
        self.assertIs(rate_family(Fraction(60000, 1001)), RateFamily.THIRTY_1001)

    def test_steps_of_a_coarse_clock_give_the_standard_rate(self) -> None:
        millisecond = Fraction(1, 1000)
        self.assertEqual(rate_of_steps(Fraction("23.9762"), 41, 42, millisecond), Fraction(24000, 1001))
        self.assertEqual(rate_of_steps(Fraction("23.9762"), 30, 60, millisecond), Fraction("23.9762"))


class TableOfRatesTest(TestCase):
    #: Numerator over 1001 or 1, the label people write, and the family; worked out by hand.
    TABLE = (
        ("12", 12, 1, "film"), ("11.988", 12000, 1001, "film/1.001"), ("12.5", 25, 2, "25"), ("14.985", 15000, 1001, "30/1.001"),
        ("15", 15, 1, "30"), ("23.976", 24000, 1001, "film/1.001"), ("24", 24, 1, "film"), ("25", 25, 1, "25"),
        ("29.97", 30000, 1001, "30/1.001"), ("30", 30, 1, "30"), ("47.952", 48000, 1001, "film/1.001"), ("48", 48, 1, "film"),
        ("50", 50, 1, "25"), ("59.94", 60000, 1001, "30/1.001"), ("60", 60, 1, "30"), ("96", 96, 1, "film"), ("100", 100, 1, "25"),
        ("119.88", 120000, 1001, "30/1.001"), ("120", 120, 1, "30"),
    )  # fmt: skip

    def test_every_standard_rate(self) -> None:
        self.assertEqual(len(STANDARD_RATES), len(self.TABLE))
        for label, over, under, family in self.TABLE:
            rate = Fraction(over, under)
            self.assertEqual((parse_rate(label), spell_rate(rate)), (rate, label))
            found = rate_family(rate)
            self.assertEqual(found and found.value, family)
            self.assertEqual(abs(float(rate) - float(label)) < 0.0005, True, label)
            self.assertEqual(parse_rate(rate), rate)
            self.assertEqual(nearest_standard_rate(rate * (1 + Fraction(1, 10_000))), rate)
            self.assertIsNone(nearest_standard_rate(rate * (1 + Fraction(2, 10_000))))

    def test_the_edges_of_what_is_a_rate(self) -> None:
        self.assertEqual(
            (parse_rate("1/1000"), parse_rate(1000), parse_rate("47.95")),
            (Fraction(1, 1000), 1000, Fraction(48000, 1001)),
        )
        for refused in ("1/1001", 1001, 0, "25/0", True, None, "fast", [], "1000.1", -25):
            with self.assertRaises(ValueRefused, msg=repr(refused)):
                parse_rate(refused)

    def test_steps_that_miss_a_period_by_more_than_a_tick_are_of_another_rate(self) -> None:
        base, mean = Fraction(1, 1000), Fraction(25)
        self.assertEqual(rate_of_steps(mean, 39, 41, base), 25)
        near = mean * (1 + Fraction(1, 20_000))
        self.assertEqual(rate_of_steps(near, 40, 40, base), 25)
        self.assertEqual(rate_of_steps(near, 39, 41, base), 25)  # exactly a tick off on both sides
        for smallest, largest in ((38, 40), (40, 42), (20, 60)):
            self.assertEqual(rate_of_steps(near, smallest, largest, base), near)
