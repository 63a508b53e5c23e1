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
