from dataclasses import replace
from fractions import Fraction
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from brisk_core.errors import PlanRefused
from brisk_core.facts import Scan
from brisk_core.plan import WRAPPERS, Coding, Programme, Sound, file_size, fit, longest, ways_up
from brisk_core.plan.settings import planned_inspection, rate_bounds
from brisk_core.spec import judge, shelf_specs

FILM = Programme(
    name="Film", frames=25 * 600, rate=Fraction(25), size=(1920, 1080), sounds=(Sound(codec="aac", bit_rate=128_000),)
)
PLAIN = Coding(wrapper="mp4", group=Fraction(2))


class BitsTest(TestCase):
    def test_by_hand(self) -> None:
        """One second of pictures alone at 8 Mb/s is 1,000,000 bytes, and the boxes around 25 pictures that were not
        reordered: 48 + 116 + 100 for the file, 533 + 8 for the track (with its entry and four tables), 4 × 25 sizes, one
        run of composition times, one chunk and its run.
        """
        second = Programme(name="a", frames=25, rate=Fraction(25), size=(640, 360))
        coding = Coding(wrapper="mp4", group=Fraction(2), reorders=False)
        track = 8 + 92 + 36 + 8 + 32 + 45 + 8 + 20 + 36 + 8 + 170 + 4 * 16 + 8
        self.assertEqual(file_size(second, 8_000_000, coding), 1_000_000 + 48 + 116 + 100 + track + 4 * 25 + 8 + 12 + 4)

    def test_what_a_file_may_not_take_the_others_get(self) -> None:
        """Two files of one kind share 100 MB; where one may have 200 kb/s only, the other gets what that leaves."""
        even = fit(100_000_000, [FILM, FILM], PLAIN)
        held = fit(100_000_000, [FILM, FILM], PLAIN, most=[200_000, None])
        self.assertEqual(held.shares[0].picture_rate, 200_000)
        more = held.shares[1].picture_rate - even.shares[1].picture_rate
        self.assertAlmostEqual(more, even.shares[0].picture_rate - 200_000, delta=2_000)
        self.assertLessEqual(held.size, held.room)
        all_held = fit(100_000_000, [FILM, FILM], PLAIN, most=[200_000, 300_000])
        self.assertEqual([one.picture_rate for one in all_held.shares], [200_000, 300_000])

    def test_what_fits_fits_and_a_bit_more_does_not(self) -> None:
        for wrapper in WRAPPERS:
            coding = replace(PLAIN, wrapper=wrapper)
            found = fit(100_000_000, [FILM], coding)
            rate = found.shares[0].picture_rate
            self.assertEqual(found.room, 98_000_000)
            self.assertLessEqual(file_size(FILM, rate, coding), found.room)
            self.assertGreater(file_size(FILM, rate + 1, coding), found.room - 1)
            self.assertEqual(found.left, 100_000_000 - found.size)
            self.assertGreater(found.shares[0].overhead, 0)
            self.assertGreater(file_size(FILM, rate + 50, coding), found.room)

    def test_files_that_share_get_equal_bits_a_pixel_by_weight(self) -> None:
        short = replace(FILM, name="Short", frames=25 * 60, size=(960, 540))
        heavy = replace(FILM, name="Heavy", frames=25 * 60, weight=Fraction(3, 2))
        first, second, third = fit(200_000_000, [FILM, short, heavy], PLAIN).shares
        self.assertAlmostEqual(float(first.bits_a_pixel), float(second.bits_a_pixel), places=5)
        self.assertAlmostEqual(float(third.bits_a_pixel), 1.5 * float(first.bits_a_pixel), places=5)

    def test_backwards(self) -> None:
        frames = longest(50_000_000, FILM, 2_000_000, PLAIN)
        self.assertLessEqual(file_size(replace(FILM, frames=frames), 2_000_000, PLAIN), 49_000_000)
        self.assertGreater(file_size(replace(FILM, frames=frames + 1), 2_000_000, PLAIN), 49_000_000)
        self.assertEqual(longest(100, FILM, 2_000_000, PLAIN), 0)

    @settings(max_examples=60)
    @given(
        cap=st.integers(2_000_000, 10**11),
        frames=st.integers(1, 200_000),
        rate=st.sampled_from([Fraction(24000, 1001), Fraction(25), Fraction(60)]),
        wrapper=st.sampled_from(sorted(WRAPPERS)),
        reserve=st.integers(0, 90),
    )
    def test_forward_and_backward_agree(
        self, cap: int, frames: int, rate: Fraction, wrapper: str, reserve: int
    ) -> None:
        programme = replace(FILM, frames=frames, rate=rate)
        coding = replace(PLAIN, wrapper=wrapper)
        try:
            found = fit(cap, [programme], coding, reserve=Fraction(reserve))
        except PlanRefused as error:
            self.assertIn("alone take", str(error))
            return
        kept = found.shares[0].picture_rate
        self.assertLessEqual(found.size, found.room)
        self.assertGreaterEqual(longest(cap, programme, kept, coding, reserve=Fraction(reserve)), frames)
        if kept < 10**10:
            self.assertLess(longest(cap, programme, kept + 100_000, coding, reserve=Fraction(reserve)), frames + 1)

    def test_a_rate_that_is_too_low_has_ways_up(self) -> None:
        share = fit(20_000_000, [FILM], PLAIN).shares[0]
        shorter, fewer, smaller = ways_up(20_000_000, share, 2_000_000, PLAIN)
        self.assertEqual(shorter, "1:13.44 of it would fit at 2 Mb/s")
        self.assertEqual(fewer, "with 1 picture in 16 kept, each would have as many bits")
        self.assertEqual(smaller, "at 480 × 272, each pixel would")
        self.assertLessEqual(480 * 272 * 2_000_000, share.picture_rate * 1920 * 1080 * 1.01)
        self.assertEqual(ways_up(20_000_000, share, 100_000, PLAIN), [])

    def test_intra_coded_pictures_need_no_groups(self) -> None:
        coding = Coding(wrapper="mov", codec="prores")
        pictures = replace(FILM, sounds=())
        self.assertLess(file_size(pictures, 10**8, coding), file_size(pictures, 10**8, replace(coding, codec="avc")))

    def test_everything_that_cannot_be_planned_is_named_at_once(self) -> None:
        wrong = replace(
            FILM, frames=0, rate=Fraction(0), size=(0, 9), weight=Fraction(0), text_bytes=-1,
            sounds=(Sound(codec="aac", bit_rate=0),),
        )  # fmt: skip
        with self.assertRaises(PlanRefused) as met:
            file_size(wrong, 1000, Coding(wrapper="zip", group=Fraction(0)))
        for words in (
            "met wrapper 'zip'", "more than 0 s", "0 frames", "no frame rate", "in pixels", "no weight", "-1 bytes of texts",
            "aac sound",
        ):  # fmt: skip
            self.assertIn(words, str(met.exception))
        for cap, reserve, says in (
            (0, 2, "cap of 0 bytes"),
            (10**6, 100, "reserve of 100 %"),
            (10**6, -1, "reserve of -1"),
        ):
            with self.assertRaisesRegex(PlanRefused, says):
                fit(cap, [FILM], PLAIN, reserve=Fraction(reserve))
        with self.assertRaisesRegex(PlanRefused, "nothing to plan"):
            fit(10**6, [], PLAIN)
        with self.assertRaisesRegex(PlanRefused, "sound, texts and wrapper alone take 10.1 MB"):
            fit(5_000_000, [FILM], PLAIN)
        with self.assertRaisesRegex(PlanRefused, "picture bit rate of -1"):
            file_size(FILM, -1, PLAIN)


class SettingsTest(TestCase):
    """A planned render is judged by the judge of files."""

    planned = planned_inspection(
        picture_size=(1920, 1080), picture_frame_rate=Fraction(25), picture_codec="avc", picture_scan=Scan.PROGRESSIVE
    )

    def test_what_is_given_is_judged_and_what_is_not_is_not_measured(self) -> None:
        check = judge(shelf_specs()["pebbleview-wide"], self.planned, integrity=False)
        outcomes = {finding.line.id: finding.outcome.value for finding in check.findings}
        self.assertEqual((outcomes["codec"], outcomes["size"], outcomes["bitrate"]), ("pass", "pass", "not measured"))

    def test_bounds_of_a_bit_rate_by_plain_lines_and_by_cases(self) -> None:
        bounds = {
            name: [(bound.line.id, bound.least, bound.most) for bound in rate_bounds(spec, self.planned)]
            for name, spec in shelf_specs().items()
        }
        self.assertEqual(bounds["pebbleview-wide"], [("bitrate", 10_000_000, 16_000_000)])
        self.assertEqual(bounds["pebbleview-square"], [])  # it asks for none
        self.assertIn(("bitrate-peak", None, 40_000_000), bounds["disc-hd-avc-25"])

    def test_a_name_that_is_no_characteristic(self) -> None:
        with self.assertRaisesRegex(KeyError, "expected the name of a characteristic"):
            planned_inspection(colour_of_the_box="red")
