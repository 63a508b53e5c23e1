from fractions import Fraction
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from brisk_core.edit.rate_change import change_rate
from brisk_core.errors import PlanRefused
from brisk_core.plan.rates import Manner, Material, Target, rank, ways

F24, F23, F25, F29, F30, F50, F60 = (
    Fraction(24), Fraction(24000, 1001), Fraction(25), Fraction(30000, 1001), Fraction(30), Fraction(50), Fraction(60),
)  # fmt: skip
STANDARD = [F23, F24, F25, F29, F30, F50, Fraction(60000, 1001), F60]
HOUR = Fraction(3600)


class WaysTest(TestCase):
    def best(self, source: Fraction, rate: Fraction, *, interlaced: bool = False) -> tuple[str, str]:
        way = ways(source, Target(rate=rate, interlaced=interlaced))[0]
        return way.manner.value, way.says

    def test_by_hand(self) -> None:
        """24 to 25: one frame a second comes early when all is played faster, 12·log2(25/24) = 0.71 semitones higher. In
        time, 23 frames stand 1 for 1 1/24 and one stands 2: 23/24 + 23/24 of a frame, a fourth more for the long pattern,
        and a hundredth for the frame that is coded twice.
        """
        speed, repeated, blended = ways(F24, Target(rate=F25))
        self.assertEqual(
            (speed.wrongly_timed, speed.says), (1, "all played 4.17 % faster, sound 0.71 semitones higher")
        )
        self.assertEqual(repeated.wrongly_timed, Fraction(23, 12) * Fraction(5, 4) + Fraction(1, 100))
        self.assertEqual(repeated.says, "1 frame of each second repeated, unevenly")
        self.assertEqual(blended.wrongly_timed, 12)

    def test_what_the_trade_does(self) -> None:
        for source, rate, interlaced, manner, words in (
            (F25, F25, False, "nothing", "as it is"),
            (F25, F25, True, "carried as fields", "both fields of one moment"),
            (F24, F25, False, "speed", "4.17 % faster"),
            (F25, F24, False, "speed", "4 % slower"),
            (F30, F29, False, "speed", "0.1 % slower"),
            (F23, F29, True, "pulldown", "two and three fields"),
            (F24, F29, True, "speed", "then in two and three fields in turn (3:2)"),
            (F25, F50, False, "repeated", "every frame shown 2 times"),
            (F50, F25, True, "carried as fields", "all its motion, half its lines"),
            (F50, F25, False, "left out", "25 frames of each second left out"),
            (F24, F60, False, "repeated", "36 frames of each second repeated, unevenly"),
            (F30, F25, False, "left out", "5 frames of each second left out"),
        ):
            found = self.best(source, rate, interlaced=interlaced)
            self.assertEqual(found[0], manner, (source, rate, interlaced, found))
            self.assertIn(words, found[1])

    def test_29_97_is_not_30(self) -> None:
        self.assertGreater(ways(F30, Target(rate=F29))[0].wrongly_timed, 0)
        self.assertGreater(ways(F29, Target(rate=F30))[0].wrongly_timed, 0)

    @given(source=st.sampled_from(STANDARD), rate=st.sampled_from(STANDARD), interlaced=st.booleans())
    def test_harm_is_nought_only_where_nothing_happens(
        self, source: Fraction, rate: Fraction, interlaced: bool
    ) -> None:
        for way in ways(source, Target(rate=rate, interlaced=interlaced)):
            self.assertIs(way.wrongly_timed == 0, source == rate, way)

    @given(
        source=st.integers(5, 120).map(Fraction), rate=st.integers(5, 120).map(Fraction), seconds=st.integers(1, 9000)
    )
    def test_frames_are_counted_as_a_change_of_rate_makes_them(
        self, source: Fraction, rate: Fraction, seconds: int
    ) -> None:
        """The times that frames stand, counted one by one over a cycle of the pattern."""
        change = change_rate(source, rate)
        held = [way for way in ways(source, Target(rate=rate)) if way.manner in (Manner.REPEATED, Manner.LEFT_OUT)]
        if not change.whole or not held or (rate / source).denominator == 1:
            return
        cycle = len(change.steps)
        sources = int(cycle * source / rate)
        stands = [0] * sources
        for step in change.steps:
            stands[step.first % sources] += 1
        off = sum((abs(one - rate / source) for one in stands), Fraction(0)) * source / sources
        more = max(rate - source, Fraction(0)) / 100  # frames that are coded twice
        self.assertIn(held[0].wrongly_timed - more, (off, off * Fraction(5, 4)))
        self.assertEqual(held[0].harm(Fraction(seconds)), held[0].wrongly_timed * seconds)

    def test_targets_in_order_of_harm(self) -> None:
        materials = [Material(rate=F24, seconds=HOUR), Material(rate=F25, seconds=HOUR / 10)]
        plans = rank(materials, [Target(rate=rate) for rate in (F60, F25, F24, F29)])
        self.assertEqual([plan.target.words for plan in plans], ["24", "25", "29.97", "60"])
        self.assertEqual(plans[0].harm, 360)  # 25 played as 24: one frame a second of six minutes
        self.assertEqual([way.manner for way in plans[1].ways], [Manner.SPEED, Manner.NOTHING])
        self.assertEqual(rank(materials[:1], [Target(rate=F24)])[0].harm, 0)

    def test_bad_input(self) -> None:
        with self.assertRaisesRegex(PlanRefused, "expected both above 0"):
            ways(Fraction(0), Target(rate=F25))
        with self.assertRaisesRegex(PlanRefused, "at least one rate of material and one target"):
            rank([], [Target(rate=F25)])
        with self.assertRaisesRegex(PlanRefused, "met a length of 0 s"):
            rank([Material(rate=F25, seconds=Fraction(0))], [Target(rate=F25)])
