from typing import Any
from unittest import TestCase

from brisk_core.errors import PlanRefused
from brisk_core.plan.plays import plan_plays, shipped_profiles
from brisk_core.spec import Spec, parse_spec

CLIP = {
    "name": "wide", "wrapper": "mp4", "codec": "avc", "profile": "High", "level": "4.0", "size": "1920x1080", "rate": 25,
    "scan": "progressive", "chroma": "4:2:0", "bit_depth": 8, "picture_rate": "8 Mb/s", "group": 50, "bytes": "20 MB",
    "fast_start": "yes", "sounds": ["aac 192 kb/s"],
}  # fmt: skip
DISC = CLIP | {
    "wrapper": "mpeg-ps", "codec": "mpeg2", "profile": "Main", "level": "Main", "size": "720x576", "scan": "interlaced",
    "picture_rate": "6 Mb/s", "sounds": ["ac3 448 kb/s 6 channels"],
}  # fmt: skip


def cells(clip: dict[str, Any]) -> dict[str, str]:
    (row,) = plan_plays({"renders": [clip]}, shipped_profiles())["rows"]
    return {id_.removeprefix("player-"): cell["plays"] for id_, cell in row["cells"].items()}


class ProfilesTest(TestCase):
    """What each shipped player makes of renders that are known to play there, and of those that do not."""

    def test_ten_are_shipped_with_their_sources(self) -> None:
        profiles = shipped_profiles()
        self.assertEqual(len(profiles), 10)
        for profile in profiles:
            self.assertRegex(profile.source, "ITU|ISO|SMPTE|RFC|HTML|ETSI")

    def test_a_clip_for_the_web(self) -> None:
        self.assertEqual(
            cells(CLIP),
            {
                "browsers": "plays", "phone": "plays", "small-board": "plays", "television-stick": "plays",
                "laptop-editing": "plays after conversion", "old-phone": "refused", "disc-hd": "refused",
                "disc-sd": "refused", "foyer-deck": "refused", "broadcast-server": "refused",
            },
        )  # fmt: skip

    def test_each_player_has_a_render_that_plays(self) -> None:
        for player, clip in {
            "old-phone": CLIP | {"profile": "Constrained Baseline", "level": "3.0", "size": "640x360"},
            "disc-sd": DISC,
            "disc-hd": CLIP | {"wrapper": "mpeg-ts", "rate": 24, "sounds": ["ac3 448 kb/s 6 channels"]},
            "foyer-deck": CLIP | {"wrapper": "mov", "codec": "prores", "profile": "4444", "sounds": "none"},
            "broadcast-server": CLIP | {
                "wrapper": "mxf-op1a", "codec": "mpeg2", "scan": "interlaced", "chroma": "4:2:2",
                "picture_rate": "50 Mb/s", "sounds": ["pcm 24 bit x4"],
            },
            "laptop-editing": CLIP | {"wrapper": "mov", "codec": "prores", "group": 1, "sounds": ["pcm 24 bit"]},
            "browsers": CLIP | {"wrapper": "webm", "codec": "vp9", "sounds": ["opus 128 kb/s"]},
            "television-stick": CLIP | {"wrapper": "matroska", "scan": "interlaced"},
        }.items():  # fmt: skip
            self.assertEqual(cells(clip)[player], "plays", player)

    def test_one_thing_wrong_is_enough(self) -> None:
        for player, clip, plays in (
            ("browsers", CLIP | {"codec": "hevc"}, "refused"),
            ("browsers", CLIP | {"wrapper": "webm"}, "refused"),
            ("browsers", CLIP | {"bit_depth": 10}, "refused"),
            ("browsers", CLIP | {"fast_start": "no"}, "plays after conversion"),
            ("phone", CLIP | {"level": "5.1"}, "refused"),
            ("phone", CLIP | {"sounds": ["aac 384 kb/s 6 channels"]}, "plays after conversion"),
            ("television-stick", CLIP | {"bytes": 4_294_967_296}, "refused"),
            ("television-stick", CLIP | {"bytes": 4_294_967_295}, "plays"),
            ("disc-sd", DISC | {"rate": "29.97"}, "refused"),
            ("disc-sd", DISC | {"picture_rate": "9801 kb/s"}, "refused"),
            ("disc-hd", CLIP | {"sounds": ["ac3 448 kb/s"], "size": "1280x720", "rate": "29.97"}, "refused"),
        ):
            self.assertEqual(cells(clip)[player], plays, (player, clip))

    def test_what_is_not_known_never_plays(self) -> None:
        for lacking in ("profile", "level", "chroma", "bit_depth", "sounds", "picture_rate"):
            clip = {name: value for name, value in CLIP.items() if name != lacking}
            self.assertEqual(cells(clip)["phone"], "not known", lacking)
        self.assertEqual(cells({"size": "1920x1080", "codec": "prores"})["phone"], "refused")  # what is known is enough

    def test_what_a_plan_leaves_out_is_told_as_that(self) -> None:
        (row,) = plan_plays({"renders": [{"size": "640x360"}]}, shipped_profiles())["rows"]
        found = {one["found"] for one in row["cells"]["player-phone"]["reasons"]}
        self.assertEqual(found, {"the plan does not say"})

    def test_no_sound_is_no_sound_of_a_wrong_kind(self) -> None:
        self.assertEqual(cells(CLIP | {"sounds": "none"})["phone"], "plays")


class CellsTest(TestCase):
    def profile(self, *lines: dict[str, Any]) -> Spec:
        return parse_spec({
            "brisk_spec": 1, "id": "mine", "name": "Mine", "family": "player", "source": "a test",
            "issued": "2026-01-01", "lines": list(lines),
        })  # fmt: skip

    def test_remarks_change_nothing(self) -> None:
        note = {"id": "n", "characteristic": "picture.codec", "condition": {"equals": "hevc"}, "weight": "note"}
        (row,) = plan_plays({"renders": [CLIP]}, [self.profile(note)])["rows"]
        self.assertEqual(row["cells"]["mine"]["plays"], "plays")
        self.assertEqual([one["found"] for one in row["cells"]["mine"]["remarks"]], ["avc"])

    def test_a_refusal_stands_over_what_is_not_known_and_that_over_a_conversion(self) -> None:
        must = {"id": "m", "characteristic": "picture.codec", "condition": {"equals": "hevc"}}
        unknown = {"id": "u", "characteristic": "sound.loudness", "condition": {"at_most": -14}, "weight": "should"}
        should = {"id": "s", "characteristic": "picture.chroma", "condition": {"equals": "4:2:2"}, "weight": "should"}
        for lines, plays in (
            ((must, unknown, should), "refused"),
            ((unknown, should), "not known"),
            ((should,), "plays after conversion"),
        ):
            (row,) = plan_plays({"renders": [CLIP]}, [self.profile(*lines)])["rows"]
            self.assertEqual(row["cells"]["mine"]["plays"], plays)

    def test_every_mistake_is_named(self) -> None:
        wrong = {
            "size": "x",
            "codec": "foo",
            "sounds": 7,
            "rate": "abc",
            "bit_depth": "a",
            "fast_start": "maybe",
            "z": 1,
        }
        with self.assertRaises(PlanRefused) as caught:
            plan_plays({"renders": [wrong, 3], "more": 1}, [])
        self.assertEqual(len(caught.exception.mistakes), 10)
        with self.assertRaisesRegex(PlanRefused, "neither a file nor a planned render"):
            plan_plays({}, [])
