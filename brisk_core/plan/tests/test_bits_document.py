from fractions import Fraction
from typing import Any
from unittest import TestCase

import numpy as np

from brisk_core.errors import PlanRefused, ValueRefused
from brisk_core.packets import PacketSeries
from brisk_core.plan import Sound
from brisk_core.plan.bits_document import BITS_SCHEMA, Render, plan_bits
from brisk_core.plan.sounds import read_sound
from brisk_core.plan.words import read_length
from brisk_core.spec import parse_spec, shelf_specs

FILE = {"name": "Wide", "length": "10:00", "rate": 25, "size": "1920x1080", "sounds": ["aac 128 kb/s"]}
WIDE = shelf_specs()["pebbleview-wide"]  # 10 to 16 Mb/s


class WordsTest(TestCase):
    def test_lengths(self) -> None:
        rate = Fraction(25)
        for text, frames in (
            ("10:00", 15_000), ("1:30:00", 135_000), ("00:10:00:00", 15_000), ("90 s", 2250), ("15000 frames", 15_000),
            ("1 frame", 1), (90, 2250), ("1:00.5", 1512),
        ):  # fmt: skip
            self.assertEqual(read_length(text, rate), frames, text)
        self.assertEqual(read_length("00:01:00;02", Fraction(30000, 1001)), 1800)  # two labels are left out each minute
        for text in ("", "long", "10:0", "00:00:00:99", None):
            with self.assertRaises(ValueRefused, msg=text):
                read_length(text, rate)

    def test_sound(self) -> None:
        self.assertEqual(read_sound("aac 128 kb/s"), Sound(codec="aac", bit_rate=128_000))
        self.assertEqual(read_sound("ac3 448 kb/s x2"), Sound(codec="ac3", bit_rate=448_000, tracks=2))
        plain = read_sound("pcm 24 bit 8 channels")
        self.assertEqual((plain.bit_rate, plain.channels), (24 * 8 * 48_000, 8))
        self.assertEqual(read_sound("pcm 16 bit × 4").tracks, 4)
        for text in ("loud", "aac", "pcm", "pcm 24", "mystery 128 kb/s", "aac 128", None):
            with self.assertRaises(ValueRefused, msg=text):
                print(read_sound(text))


class DocumentTest(TestCase):
    def plan(self, cap: str, spec: Any = None, **more: Any) -> dict[str, Any]:
        return plan_bits({"cap": cap, "files": [FILE], **more}, spec)

    def test_within_the_bounds_of_a_spec(self) -> None:
        found = self.plan("1 GB", WIDE)
        (row,) = found["files"]
        self.assertEqual((found["schema"], found["fits"], found["met"], row["says"]), (BITS_SCHEMA, True, True, []))
        self.assertLessEqual(found["size"], 980_000_000)
        self.assertEqual((row["frames"], row["picture_size"], row["rate"]), (15_000, [1920, 1080], "25"))
        self.assertAlmostEqual(row["picture_rate"], (980_000_000 - row["overhead"]) * 8 / 600 - 128_000, delta=60)

    def test_below_them_with_ways_up(self) -> None:
        found = self.plan("500 MB", WIDE)
        self.assertEqual((found["fits"], found["met"]), (True, False))
        self.assertEqual(found["files"][0]["says"][0], "6.4 Mb/s is below the 10 Mb/s that “Mean bit rate” asks for")
        self.assertEqual(len(found["files"][0]["says"]), 4)

    def test_no_more_than_they_allow_whatever_the_cap_does(self) -> None:
        found = self.plan("2 GB", WIDE)
        self.assertTrue(found["met"])
        self.assertEqual(found["files"][0]["picture_rate"], 16_000_000)
        self.assertEqual(found["files"][0]["says"], ["the cap would allow 26 Mb/s; “Mean bit rate” allows 16 Mb/s"])
        self.assertLess(found["size"], 1_250_000_000)

    def test_what_a_spec_cannot_tell_is_not_met(self) -> None:
        """The upload takes a bit rate by size and rate; there is no case for this one."""
        found = plan_bits({"cap": "1 GB", "files": [FILE | {"size": "640x480"}]}, shelf_specs()["upload-wide-1080"])
        self.assertEqual((found["fits"], found["met"], found["untold"]), (True, False, True))
        (bound,) = [one for one in found["files"][0]["bounds"] if one["met"] is None]
        self.assertIn("the spec has no case for", bound["says"])

    def test_a_spec_that_asks_for_the_kind_of_work(self) -> None:
        cases = [
            {"when": {"order.kind": {"equals": "sport"}}, "then": {"at_least": "20 Mb/s"}},
            {"otherwise": {"at_most": "16 Mb/s"}},
        ]
        spec = parse_spec(
            {
                "brisk_spec": 1,
                "id": "kinds",
                "name": "Kinds",
                "family": "web",
                "source": "a test",
                "issued": "2026-03-02",
            }
            | {"lines": [{"id": "rate", "characteristic": "bitrate.average", "condition": {"cases": cases}}]}
        )
        met = {kind: self.plan("1 GB", spec, kind_of_work=kind)["met"] for kind in ("sport", "drama", "")}
        self.assertEqual(met, {"sport": False, "drama": True, "": False})
        with self.assertRaisesRegex(PlanRefused, "kind_of_work: met 'opera'; expected one of drama"):
            self.plan("1 GB", spec, kind_of_work="opera")

    def test_a_plan_that_a_spec_refuses_is_not_met(self) -> None:
        found = self.plan("1 GB", WIDE, codec="hevc")
        self.assertEqual((found["fits"], found["met"], found["untold"]), (True, False, False))
        self.assertEqual([one["line"] for one in found["files"][0]["refused"]], ["codec"])
        self.assertEqual(found["files"][0]["says"][0], "“Codec” asks for avc, planned is hevc")
        self.assertEqual(self.plan("1 GB", WIDE)["files"][0]["refused"], [])

    def test_an_average_need_not_reach_what_a_peak_may(self) -> None:
        disc = shelf_specs()["disc-sd-mpeg2-25"]
        row = {"length": "10:00", "rate": 25, "size": "720x576"}
        found = plan_bits({"cap": "400 MB", "codec": "mpeg2", "wrapper": "mpeg-ps", "files": [row]}, disc)
        self.assertEqual(
            {one["line"]: one["met"] for one in found["files"][0]["bounds"]}, {"bitrate": True, "bitrate-peak": True}
        )

    def test_fewer_bits_than_a_codec_takes_for_still_pictures_are_told(self) -> None:
        """1920 × 1080 at 25: AVC takes 0.06 bits a pixel or 3.11 Mb/s, HEVC 0.03; two thirds of that still pass."""
        row = {"length": "10:00", "rate": 25, "size": "1920x1080"}
        told = {}
        for cap, codec in (("20 MB", "avc"), ("200 MB", "avc"), ("100 MB", "hevc"), ("20 MB", "prores")):
            says = plan_bits({"cap": cap, "codec": codec, "files": [row]})["files"][0]["says"]
            told[cap, codec] = [one.split(",")[0] for one in says]
        self.assertEqual(
            told["20 MB", "avc"],
            [
                "with 0.005 bits a pixel",
                "50.36 s of it would fit at 3.11 Mb/s",
                "with 1 picture in 13 kept",
                "at 552 × 304",
            ],
        )
        self.assertEqual([told["200 MB", "avc"], told["100 MB", "hevc"], told["20 MB", "prores"]], [[], [], []])

    def test_what_is_missing_is_called_so(self) -> None:
        with self.assertRaisesRegex(PlanRefused, "cap: is missing; expected such as .*file 1, length: is missing; exp"):
            plan_bits({"files": [{"rate": 25}]})

    def test_backwards(self) -> None:
        found = self.plan("15 MB", picture_rate="3 Mb/s")
        self.assertEqual((found["fits"], found["says"]), (False, "over the cap by 220.1 MB"))
        self.assertEqual(found["files"][0]["says"], ["alone, 37.48 s of it would fit"])
        reserve = self.plan("238 MB", picture_rate="3 Mb/s")
        self.assertEqual(
            (reserve["fits"], reserve["says"]), (False, "under the cap, but 1.82 MB of the reserve are used")
        )

    def test_what_a_viewer_waits(self) -> None:
        """3 Mb/s and its sound over a line of 4 Mb/s: the index, then two seconds in about 1.6; over 2 Mb/s it stops."""
        found = self.plan("1 GB", picture_rate="3 Mb/s", line="4 Mb/s")
        (waiting,) = found["files"][0]["waiting"]
        self.assertEqual((waiting["of"], waiting["stops"]), ("planned", 0))
        by_hand = (found["files"][0]["overhead"] * 8 + 2 * 3_128_000) / 4_000_000
        self.assertAlmostEqual(waiting["start"], by_hand, places=2)
        (slow,) = self.plan("1 GB", picture_rate="3 Mb/s", line="2 Mb/s")["files"][0]["waiting"]
        self.assertGreater(slow["stops"], 10)
        behind = self.plan("1 GB", picture_rate="3 Mb/s", line="4 Mb/s", index_first="no")["files"][0]["waiting"][0]
        self.assertIn("else after", behind["says"])
        self.assertEqual(self.plan("1 GB")["files"][0]["waiting"], [])

    def test_a_real_render_is_told_beside_the_plan(self) -> None:
        series = PacketSeries(
            time_base=Fraction(1, 25), pts=np.arange(250), dts=np.arange(250), sizes=np.full(250, 40_000, np.uint32),
            types=np.full(250, 73, np.uint8), random_access=np.ones(250, np.bool_), last_duration=1,
        )  # fmt: skip
        renders = {"Wide": Render(series=series, size=10_000_000, index_first=False)}
        found = plan_bits({"cap": "1 GB", "line": "10 Mb/s", "files": [FILE | {"name": "Wide"}]}, None, renders)
        planned, rendered = found["files"][0]["waiting"]
        self.assertEqual((planned["of"], rendered["of"], rendered["whole"]), ("planned", "rendered", 8.0))

    def test_several_files_share_a_cap(self) -> None:
        other = FILE | {"name": "Tall", "size": "1080x1920", "length": "1:00"}
        found = plan_bits({"cap": "600 MB", "files": [FILE, other]})
        first, second = found["files"]
        self.assertAlmostEqual(first["bits_per_pixel"], second["bits_per_pixel"], delta=0.001)
        self.assertEqual(found["size"], first["size"] + second["size"])

    def test_every_mistake_is_named_with_its_place(self) -> None:
        wrong = {
            "length": "long",
            "rate": "a",
            "size": "big",
            "weight": 0,
            "sounds": ["loud"],
            "texts": "-1",
            "colour": 1,
        }
        asked = {
            "cap": "much", "reserve": "100", "wrapper": "zip", "codec": "h", "group": 0, "picture_rate": "fast", "x": 1,
            "files": [*[wrong] * 3, 5, {"sounds": "loud"}],
        }  # fmt: skip
        with self.assertRaises(PlanRefused) as met:
            plan_bits(asked)
        places = [mistake.place for mistake in met.exception.mistakes]
        self.assertGreaterEqual(len(places), 30)
        for place in ("cap", "reserve", "wrapper", "codec", "group", "picture_rate", "plan", "file 1, length", "file 3, rate",
                      "file 2, size", "file 2, weight", "file 3, sound 1", "file 1, texts", "file 1", "file 4", "file 5, sounds"):  # fmt: skip
            self.assertIn(place, places)
        for none in ({}, {"cap": "1 MB"}, {"cap": "1 MB", "files": []}, {"cap": None, "files": [FILE]}):
            with self.assertRaises(PlanRefused):
                plan_bits(none)
