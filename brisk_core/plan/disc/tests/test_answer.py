from dataclasses import replace
from fractions import Fraction
from typing import Any
from unittest import TestCase

from brisk_core.errors import PlanRefused
from brisk_core.plan.disc.answer import answer_disc
from brisk_core.plan.disc.capacity import ceiling_of, weigh_disc
from brisk_core.plan.disc.document import DiscFile
from brisk_core.plan.disc.kinds import KINDS, SECTOR
from brisk_core.plan.disc.tests.plans import CLIP, MENU, RIGHT, SHORT, disc
from brisk_core.plan.settings import planned_inspection
from brisk_core.spec import shelf_specs

HD = {
    "id": "film", "kind": "clip", "name": "Film", "length": "1:30:00", "rate": 24, "size": "1920x1080", "codec": "avc",
    "scan": "progressive", "chroma": "4:2:0", "bit_depth": 8, "sounds": ["ac3 448 kb/s 6 channels"], "then": "stop",
}  # fmt: skip


def answer(*items: dict[str, Any], files: dict[str, DiscFile] | None = None, **more: Any) -> dict[str, Any]:
    return answer_disc(disc(items=list(items) or None, files=files, **more), shelf_specs())


def says(found: dict[str, Any], kind: str) -> list[str]:
    return [one["says"] for one in found["faults"] if one["kind"] == kind]


class CapacityTest(TestCase):
    def test_media_by_their_standards(self) -> None:
        """2,295,104 sectors of 2,048 bytes (ECMA-349), 4,173,824 (ECMA-364), 12,219,392 and 24,438,784."""
        sectors = {id_: kind.bytes // SECTOR for id_, kind in KINDS.items()}
        self.assertEqual(
            sectors, {"sd-single": 2_295_104, "sd-double": 4_173_824, "hd-single": 12_219_392, "hd-double": 24_438_784}
        )
        self.assertTrue(all(kind.bytes % SECTOR == 0 for kind in KINDS.values()))

    def test_a_clip_by_hand(self) -> None:
        """Ten minutes of 6 Mb/s and 448 kb/s are 483.6 MB; packs and navigation add two to three percent."""
        found = answer()
        film = found["capacity"]["items"][1]
        self.assertTrue(1.01 < film["bytes"] / 483_600_000 < 1.04)
        self.assertEqual(film["bytes"] % SECTOR, 0)
        self.assertEqual((found["met"], found["faults"]), (True, []))

    def test_over_the_disc_by_one_sector(self) -> None:
        used = answer(reserve=0)["capacity"]["used"]
        self.assertEqual(says(answer(reserve=0, bytes=used), "over capacity"), [])
        over = answer(reserve=0, bytes=used - SECTOR)
        self.assertEqual(says(over, "over capacity"), ["over the disc by 2.05 kB (1 sector)"])
        self.assertFalse(over["met"])

    def test_within_the_reserve(self) -> None:
        used = answer(reserve=0)["capacity"]["used"]
        found = answer(reserve=2, bytes=int(used * 1.01))
        self.assertIn("of the reserve are used", says(found, "over capacity")[0])

    def test_a_bit_rate_that_ends_at_the_kinds_own_does_not_fill_the_disc(self) -> None:
        free = {name: value for name, value in CLIP.items() if name != "picture_rate"}
        ends = {}
        for length in ("10:00", "2:00:00"):
            rows = answer(MENU, free | {"length": length}, SHORT)["capacity"]["items"]
            ends[length] = [(row["filled"], row["at_ceiling"]) for row in rows]
        self.assertEqual(ends["10:00"], [(False, False), (True, True), (False, False)])
        self.assertEqual(ends["2:00:00"], [(False, False), (True, False), (False, False)])

    def test_fewer_bits_than_a_codec_takes_for_still_pictures_are_worth_a_look(self) -> None:
        """720 × 576 at 25: MPEG-2 takes 0.15 bits a pixel or 1.56 Mb/s; HD by AVC 0.06 or 2.99 Mb/s at 24."""
        free = {name: value for name, value in CLIP.items() if name != "picture_rate"}
        found = answer(MENU, free | {"length": "7:00:00"}, SHORT)
        (told,) = says(found, "few bits")
        self.assertIn("MPEG-2 takes about 0.15 where little moves, 1.56 Mb/s here", told)
        self.assertTrue(told.startswith("Film: with 0.0"))
        self.assertTrue(found["met"])
        self.assertEqual(says(answer(MENU, free | {"length": "3:00:00"}, SHORT), "few bits"), [])
        poor = answer(HD | {"picture_rate": "1 Mb/s"}, kind="hd-single")
        self.assertIn("AVC takes about 0.06 where little moves, 2.99 Mb/s here", says(poor, "few bits")[0])

    def test_clips_without_a_bit_rate_fill_the_disc(self) -> None:
        free = {name: value for name, value in CLIP.items() if name != "picture_rate"} | {"length": "1:30:00"}
        read = disc(items=[MENU, free, SHORT])
        found = weigh_disc(read)
        self.assertLessEqual(found.used, found.room)
        self.assertLess(found.room - found.used, 100_000)
        self.assertEqual([one.filled for one in found.weights], [False, True, False])

    def test_a_still_screen_takes_its_own_bytes_or_the_buffer_of_a_player(self) -> None:
        """1,835,008 bits (ISO/IEC 13818-2, Main profile at Main level) are 229,376 bytes: 112 sectors."""

        def size(row: dict[str, Any], **files: DiscFile) -> tuple[int, tuple[str, ...]]:
            weight = weigh_disc(disc(items=[MENU | row, CLIP, SHORT], files=files)).weights[0]
            return weight.bytes, weight.says

        def picture(size: int, frames: int, codec: str = "mpeg2") -> DiscFile:
            facts = planned_inspection(
                picture_frame_count=frames,
                picture_frame_rate=Fraction(25),
                picture_codec=codec,
                bitrate_average=4_000_000,
            )
            return DiscFile(inspection=replace(facts, file_size=size))

        self.assertEqual(size({}), (229_376, ()))
        self.assertEqual(size({"bytes": "90 kB"}), (44 * SECTOR, ()))
        self.assertEqual(size({"bytes": 229_376}), (229_376, ()))
        self.assertEqual(
            size({"bytes": 229_377})[1],
            ("a still picture of 229,377 bytes, above the 229,376 that the buffer of a player holds",),
        )
        self.assertEqual(size({"file": "menu"}, menu=picture(50_000, 1))[0], 25 * SECTOR)
        self.assertEqual(size({"file": "menu", "bytes": 2048}, menu=picture(50_000, 1))[0], SECTOR)
        self.assertEqual(size({"file": "menu"}, menu=picture(50_000, 1, "other"))[0], 229_376, "a drawing")
        self.assertEqual(size({"file": "menu"}, menu=picture(9_000_000, 250))[0], 2442 * SECTOR, "10 s of 4 Mb/s")

    def test_a_screen_of_bytes_and_one_that_moves(self) -> None:
        for wrong, says in (
            ({"loop": "20 s", "bytes": "90 kB"}, "met bytes of a picture that moves"),
            ({"bytes": "0"}, "met '0' as a size in bytes"),
            ({"bytes": "big"}, "met 'big'"),
            ({"file": "gone"}, "met 'gone', which is not at hand"),
        ):
            with self.assertRaisesRegex(PlanRefused, says):
                disc(items=[MENU | wrong, CLIP, SHORT])

    def test_weights_share_what_is_left(self) -> None:
        free = {name: value for name, value in CLIP.items() if name != "picture_rate"} | {"length": "1:00:00"}
        rows = [MENU, free | {"weight": 2}, free | {"id": "short", "name": "Short", "then": "back"}]
        _, film, short = weigh_disc(disc(items=rows)).weights
        assert film.picture_rate is not None
        assert short.picture_rate is not None
        self.assertAlmostEqual(film.picture_rate / short.picture_rate, 2, places=3)

    def test_never_over_the_ceiling(self) -> None:
        free = {name: value for name, value in CLIP.items() if name != "picture_rate"}
        loud = free | {"id": "short", "name": "Short", "sounds": ["pcm 24 bit 2 channels x3"], "then": "back"}
        read = disc(items=[MENU, free, loud])
        _, film, short = weigh_disc(read).weights
        self.assertEqual(film.picture_rate, ceiling_of(read, read.clips[0]))
        self.assertEqual(film.picture_rate, 10_080_000 - 448_000)
        self.assertEqual(short.picture_rate, 10_080_000 - 3 * 2 * 24 * 48_000)
        self.assertEqual(answer(MENU, free, loud)["faults"], [])

    def test_what_one_clip_does_not_take_the_others_get(self) -> None:
        free = {name: value for name, value in CLIP.items() if name != "picture_rate"}
        small = free | {"id": "short", "name": "Short", "then": "back"}
        long_ = free | {"length": "2:30:00", "weight": 1}
        heavy = small | {"weight": 9, "length": "5:00"}
        found = weigh_disc(disc(items=[MENU, long_, heavy]))
        self.assertLess(found.room - found.used, 100_000)
        self.assertEqual(found.weights[2].picture_rate, 9_632_000)

    def test_sound_tracks_that_make_all_streams_too_fast(self) -> None:
        """9.5 Mb/s and four tracks of plain stereo, 1.536 Mb/s each: 15.644 of 10.08 Mb/s."""
        found = answer(MENU, CLIP | {"picture_rate": "9500 kb/s", "sounds": ["pcm 16 bit x4"]}, SHORT)
        (said,) = says(found, "too fast")
        self.assertIn("picture and sound of 15.644 Mb/s together, above 10.08 Mb/s: 4 sound tracks take", said)
        self.assertEqual(says(answer(MENU, CLIP | {"picture_rate": "9632 kb/s"}, SHORT), "too fast"), [])
        self.assertEqual(len(says(answer(MENU, CLIP | {"picture_rate": "9633 kb/s"}, SHORT), "too fast")), 1)

    def test_a_peak_is_too_fast_as_well(self) -> None:
        found = answer(MENU, CLIP | {"peak_rate": "9900 kb/s"}, SHORT)
        self.assertIn("picture of 9.9 Mb/s, above the 9.8 Mb/s", says(found, "too fast")[0])

    def test_what_plain_sound_would_cost(self) -> None:
        """Six channels of 16 bit are 4.608 Mb/s instead of 0.448: 312 MB more in ten minutes, 45.7 % of 10.08 Mb/s."""
        (cost,) = answer()["clips"][0]["plain_sound"]
        self.assertEqual((cost["more_bytes"], cost["share"]), (312_000_000, 0.4571))


class AllowedTest(TestCase):
    def test_high_definition_tables(self) -> None:
        for clip, allowed in (
            (HD, True),
            (HD | {"rate": "23.976"}, True),
            (HD | {"rate": 25, "scan": "interlaced"}, True),
            (HD | {"rate": 25}, False),
            (HD | {"size": "1280x720", "rate": 50}, True),
            (HD | {"size": "1280x720", "rate": 25}, False),
            (HD | {"codec": "hevc"}, False),
            (HD | {"sounds": ["aac 192 kb/s"]}, False),
            (HD | {"sounds": "none"}, True),
        ):
            found = answer(clip, kind="hd-single", home=None)
            self.assertEqual(found["clips"][0]["allowed"], allowed, (clip, found["faults"]))

    def test_1280_by_720_at_29_97_is_not_allowed_and_the_nearest_row_is_told(self) -> None:
        found = answer(HD | {"size": "1280x720", "rate": "29.97"}, kind="hd-single", family=30, home=None)
        (said,) = says(found, "not allowed")
        self.assertIn(
            "the nearest row is 1280 × 720, 59.94, progressive (29.97 to 59.94: every frame shown 2 times)", said
        )

    def test_mixed_families(self) -> None:
        found = answer(MENU, CLIP, SHORT | {"rate": "29.97", "size": "720x480"})
        (said,) = says(found, "mixed families")
        self.assertEqual(said, "Short has 29.97 frames a second; the disc is of the 25 family")
        film = HD | {"rate": "23.976"}  # film goes onto discs of both
        self.assertEqual(says(answer(film, kind="hd-single", home=None), "mixed families"), [])

    def test_what_a_plan_does_not_say_is_not_allowed(self) -> None:
        found = answer({name: value for name, value in HD.items() if name != "scan"}, kind="hd-single", home=None)
        self.assertEqual((found["clips"][0]["allowed"], found["untold"]), (None, True))


class ChaptersTest(TestCase):
    def test_chapters_on_pictures_that_can_be_entered(self) -> None:
        self.assertEqual(says(answer(), "chapter"), [])
        found = answer(
            MENU, CLIP | {"chapters": ["0:00", {"at": "1506 frames", "name": "The locks"}, "3000 frames"]}, SHORT
        )
        self.assertEqual(
            says(found, "chapter"),
            [
                "Film: chapter 2 “The locks” at frame 1506 is no picture that a player can enter; the nearest are "
                "frame 1500 and frame 1512"
            ],
        )

    def test_an_open_group_loses_pictures(self) -> None:
        found = answer(MENU, CLIP | {"open_groups": True}, SHORT)
        self.assertEqual(len(says(found, "chapter")), 2)
        self.assertIn("are lost on a jump", says(found, "chapter")[0])

    def test_a_second_apart(self) -> None:
        near = CLIP | {"chapters": ["0:00", "1500 frames", "1524 frames"]}
        self.assertIn("is 0.96 s after the one before it", says(answer(MENU, near, SHORT), "chapter")[0])
        self.assertEqual(says(answer(MENU, CLIP | {"chapters": ["0:00", "36 frames"], "id": "film"}, RIGHT[0] | {"id": "m"}, SHORT | {"then": "m"}, starts_with="menu"), "chapter"), [])  # fmt: skip

    def test_entries_of_a_file(self) -> None:
        facts = planned_inspection(
            picture_size=(720, 576), picture_frame_count=500, gop_open=False, bitrate_average=6_000_000
        )
        row = {"id": "film", "kind": "clip", "file": "film.mpg", "chapters": ["40 frames"], "then": "stop"}
        found = answer(row, home=None, files={"film.mpg": DiscFile(inspection=facts, entries=(0, 37, 74))})
        self.assertIn("the nearest are frame 37 and frame 74", says(found, "chapter")[0])


class MapTest(TestCase):
    def test_layers_by_distance_from_the_start(self) -> None:
        found = answer(*RIGHT, MENU | {"id": "lost", "name": "Lost"}, starts_with="menu", home="menu")
        layers = {one["item"]: one["layer"] for one in found["map"]["items"]}
        self.assertEqual(layers, {"menu": 0, "film": 1, "short": 1, "lost": 2})
        self.assertIn({"from": "menu", "by": "“Play”", "to": "film"}, found["map"]["steps"])
        self.assertFalse(any(one["by"] == "title key" for one in found["map"]["steps"]))
