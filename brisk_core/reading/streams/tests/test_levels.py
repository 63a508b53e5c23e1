"""Levels against examples that can be checked by hand from the standards' tables."""

from fractions import Fraction
from unittest import TestCase

from brisk_core.reading.streams.levels import Demand, excesses, limits_of, lowest_level

HD = (1920, 1088)


class LevelTest(TestCase):
    def over(self, codec: str, profile: str, level: str, demand: Demand, tier: str | None = None) -> list[str]:
        limits = limits_of(codec, profile, level, tier)
        assert limits
        return excesses(limits, demand)

    def test_1080_lines_need_level_4_in_avc(self) -> None:
        demand = Demand(coded_size=HD, frame_rate=Fraction(25))
        self.assertEqual(self.over("avc", "High", "4", demand), [])
        over = self.over("avc", "High", "3.1", demand)
        self.assertEqual(
            over[0],
            "a picture of 1920 × 1088 has 8,160 macroblocks; level 3.1 allows 3,600 and no side longer than 2,704",
        )
        self.assertEqual(over[1], "a second has 204,000 macroblocks; level 3.1 allows 108,000")
        self.assertEqual(lowest_level("avc", "High", None, demand), "4")
        self.assertEqual(lowest_level("avc", "High", None, Demand(coded_size=HD, frame_rate=Fraction(50))), "4.2")

    def test_reference_frames_by_the_size_of_the_picture_store(self) -> None:
        self.assertEqual(self.over("avc", "High", "4.1", Demand(coded_size=HD, references=4)), [])
        five = self.over("avc", "High", "4.1", Demand(coded_size=HD, references=5))
        self.assertEqual(five, ["5 reference frames of this size; level 4.1 allows 4"])
        self.assertEqual(self.over("avc", "High", "4.1", Demand(coded_size=(720, 576), references=16)), [])

    def test_bits_grow_with_the_profile(self) -> None:
        demand = Demand(coded_size=HD, bits_per_second=62_500_000, buffer_bits=78_125_000)
        self.assertEqual(self.over("avc", "High", "4.1", Demand(coded_size=HD, bits_per_second=62_500_000)), [])
        self.assertEqual(len(self.over("avc", "Main", "4.1", demand)), 2)
        self.assertEqual(
            self.over("avc", "High 4:2:2 Intra", "4.1", Demand(coded_size=HD, bits_per_second=112_000_000)), []
        )

    def test_hevc_tiers_and_references(self) -> None:
        wide = Demand(coded_size=(3840, 2160), frame_rate=Fraction(60), bits_per_second=50_000_000)
        self.assertEqual(self.over("hevc", "Main 10", "5.1", wide, "High"), [])
        self.assertEqual(len(self.over("hevc", "Main 10", "5.1", wide, "Main")), 1)
        self.assertEqual(lowest_level("hevc", "Main", "Main", wide), "5.2")
        self.assertEqual(self.over("hevc", "Main", "4", Demand(coded_size=(1920, 1080), references=5)), [])
        self.assertEqual(len(self.over("hevc", "Main", "4", Demand(coded_size=(1920, 1080), references=6))), 1)

    def test_mpeg2_by_width_height_rate_and_buffer(self) -> None:
        disc = Demand(coded_size=(720, 576), frame_rate=Fraction(25), bits_per_second=9_800_000, buffer_bits=1_835_008)
        self.assertEqual(self.over("mpeg2", "Main", "Main", disc), [])
        self.assertTrue(self.over("mpeg2", "Main", "Low", disc))
        fast = Demand(coded_size=(720, 480), frame_rate=Fraction(60))
        self.assertIn("60 frames a second; level Main allows 30", self.over("mpeg2", "Main", "Main", fast))

    def test_av1_and_pairs_that_no_table_has(self) -> None:
        self.assertEqual(self.over("av1", "Main", "4.0", Demand(coded_size=(1920, 1080), frame_rate=Fraction(30))), [])
        self.assertIsNone(limits_of("avc", "High", "9.9"))
        self.assertIsNone(limits_of("prores", "422 HQ", "1"))
        self.assertIsNone(limits_of("mpeg2", "Spatially Scalable", "High"))
        self.assertIsNone(lowest_level("avc", "High", None, Demand(coded_size=(30000, 30000))))
