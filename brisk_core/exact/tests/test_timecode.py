from collections.abc import Iterable, Iterator
from fractions import Fraction
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from brisk_core.errors import ValueRefused
from brisk_core.exact import Timecode, nominal_frames

NTSC = Fraction(30000, 1001)
RATES = (
    Fraction(24),
    Fraction(24000, 1001),
    Fraction(25),
    Fraction(30),
    NTSC,
    Fraction(50),
    Fraction(60000, 1001),
    Fraction(60),
)


MINUTES = (*range(21), *range(59, 62), *range(1430, 1440))  # two whole cycles of ten, an hour's edge, the day's end


def labels_of(base: int, drop: bool, minutes: Iterable[int]) -> Iterator[tuple[int, str]]:
    """Frame numbers and labels by the rule of ST 12-1 alone: labels are left out one by one, nothing is computed."""
    count, wanted = 0, set(minutes)
    for minute in range(24 * 60):
        skipped = base // 15 if drop and minute % 10 else 0
        if minute not in wanted:
            count += 60 * base - skipped
            continue
        for second in range(60):
            for frame in range(skipped if second == 0 else 0, base):
                yield count, f"{minute // 60:02}:{minute % 60:02}:{second:02}{';' if drop else ':'}{frame:02}"
                count += 1


class WholeDayTest(TestCase):
    """Every frame of chosen minutes here; ``python -m brisk_core.exact.tests.test_timecode`` goes through the day."""

    def check(self, rate: Fraction, drop: bool, minutes: Iterable[int]) -> None:
        for frames, label in labels_of(round(rate), drop, minutes):
            if (
                str(Timecode(frames=frames, rate=rate, drop=drop)) != label
                or Timecode.parse(label, rate).frames != frames
            ):
                self.fail(f"{label} at {rate} is not frame {frames}")

    def test_drop_frame(self) -> None:
        for rate in (NTSC, Fraction(60000, 1001)):
            self.check(rate, True, MINUTES)

    def test_without_dropping(self) -> None:
        for rate in (Fraction(24000, 1001), Fraction(25), Fraction(50)):
            self.check(rate, False, MINUTES[::4])

    def test_the_day_has_as_many_labels_as_counted(self) -> None:
        *_, (last, label) = labels_of(30, True, [1439])
        self.assertEqual((last + 1, label), (Timecode.frames_of_day(NTSC, True), "23:59:59;29"))

    @settings(max_examples=300)
    @given(st.sampled_from(RATES), st.booleans(), st.integers(0, 10_000_000))
    def test_frames_go_there_and_back(self, rate: Fraction, drop: bool, frames: int) -> None:
        drop = drop and rate.denominator == 1001 and round(rate) % 30 == 0
        frames %= Timecode.frames_of_day(rate, drop)
        timecode = Timecode(frames=frames, rate=rate, drop=drop)
        self.assertEqual(Timecode.parse(str(timecode), rate), timecode)


class RefusalTest(TestCase):
    def refuses(self, text: str, rate: Fraction, says: str) -> None:
        with self.assertRaises(ValueRefused) as caught:
            Timecode.parse(text, rate)
        self.assertEqual(str(caught.exception), says)

    def test_each_part_is_named(self) -> None:
        self.refuses("10:00:61:00", Fraction(25), "met '10:00:61:00' as a timecode at 25: 61 seconds; expected 0 to 59")
        self.refuses("10:00:00:25", Fraction(25), "met '10:00:00:25' as a timecode at 25: 25 frames; expected 0 to 24")
        self.refuses("ten", Fraction(25), "met 'ten' as a timecode; expected HH:MM:SS:FF, such as 10:00:00:00")

    def test_labels_that_drop_frame_leaves_out(self) -> None:
        self.refuses("00:01:00;00", NTSC, "met '00:01:00;00'; drop-frame counting leaves this label out")
        self.assertEqual(Timecode.parse("00:10:00;00", NTSC).frames, 17982)

    def test_drop_frame_exists_only_for_30_over_1_001(self) -> None:
        with self.assertRaisesRegex(ValueRefused, "drop-frame timecode at 25 frames a second"):
            Timecode.parse("10:00:00;00", Fraction(25))

    def test_counting_on_past_midnight(self) -> None:
        last = Timecode.parse("23:59:59:24", Fraction(25))
        self.assertEqual(str(last.plus(1)), "00:00:00:00")


if __name__ == "__main__":
    for whole_day in ((NTSC, True), (Fraction(60000, 1001), True), (Fraction(25), False), (Fraction(50), False)):
        WholeDayTest().check(*whole_day, range(24 * 60))
        print(*whole_day, "every frame of 24 h goes there and back")


class EdgesOfTimecodeTest(TestCase):
    def test_short_fields_and_every_separator(self) -> None:
        self.assertEqual(Timecode.parse("1:2:3:4", Fraction(25)).frames, ((1 * 60 + 2) * 60 + 3) * 25 + 4)
        for separator in ";.,":
            self.assertTrue(Timecode.parse(f"00:00:00{separator}00", NTSC).drop)
        self.assertEqual(str(Timecode.parse("00:00:00:100", Fraction(120))), "00:00:00:100")

    def test_slow_rates_count_at_least_one_frame_a_second(self) -> None:
        self.assertEqual(
            [nominal_frames(Fraction(one)) for one in ("1/2", "1", "3/2", "2", "24000/1001")], [1, 1, 2, 2, 24]
        )

    def test_the_last_label_of_a_field_and_one_more(self) -> None:
        self.assertEqual(str(Timecode.parse("23:59:59:24", Fraction(25))), "23:59:59:24")
        for text in ("24:00:00:00", "00:60:00:00", "00:00:60:00", "00:00:00:25", "00:00:00", "x", "-1:00:00:00"):
            with self.assertRaises(ValueRefused, msg=text):
                Timecode.parse(text, Fraction(25))

    def test_what_no_timecode_is(self) -> None:
        day = 24 * 3600 * 25
        self.assertEqual(Timecode(frames=day - 1, rate=Fraction(25)).plus(1).frames, 0)
        for frames in (-1, day):
            with self.assertRaises(ValueRefused):
                Timecode(frames=frames, rate=Fraction(25))
        for rate in (Fraction(25), Fraction(24000, 1001), Fraction(30)):
            with self.assertRaisesRegex(ValueRefused, "drop-frame counting exists only"):
                Timecode(frames=0, rate=rate, drop=True)
            with self.assertRaisesRegex(ValueRefused, "drop-frame counting exists only"):
                Timecode.parse("00:00:00;00", rate)
        self.assertEqual(Timecode.frames_of_day(NTSC, drop=True), 2_589_408)  # ST 12-1, table 3
