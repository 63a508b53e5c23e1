import unittest
from fractions import Fraction
from typing import Any

from brisk_core.errors import PlanRefused
from brisk_core.plan.target import plan_target, spell_delay
from brisk_core.spec import Spec, parse_spec, shelf_specs

_COPIES = [
    {"label": "360p", "lines": 360, "rate_at_most": 30, "delay": 0},
    {"label": "1080p", "lines": 1080, "delay": "30 min", "codec": "avc", "bit_rate": "5 Mb/s"},
]


def site(*rows: dict[str, Any], copies: Any = _COPIES) -> Spec:
    return parse_spec(
        {
            "brisk_spec": 1, "id": "site", "name": "Site", "family": "web", "source": "a guide", "issued": "2026-03-01",
            "lines": [{"id": "rate", "characteristic": "picture.frame_rate", "condition": {"equals": 25}}],
            "ladder": {"rows": list(rows)} | ({"copies": copies} if copies else {}),
        }
    )  # fmt: skip


def row(spec: Spec, learnt: Any = None, screen: str = "1920x1080", **render: Any) -> dict[str, Any]:
    asked = {"renders": [{"size": "1920x1080", "rate": 60} | render], "screen": screen}
    found: dict[str, Any] = plan_target(asked, spec, learnt=learnt)["rows"][0]
    return found


KEPT = {"otherwise": "kept"}


class SentenceTest(unittest.TestCase):
    def test_kept_with_frames_left_out_of_one_copy(self) -> None:
        found = row(site(KEPT))
        self.assertEqual(
            found["says"],
            "Kept as it is; shown as 360p at once, 1080p after about 30 minutes; "
            "30 of 60 frames a second are left out of 360p.",
        )
        self.assertEqual([one["rate"] for one in found["copies"]], ["30", "60"])
        self.assertEqual([one["size"] for one in found["copies"]], [[640, 360], [1920, 1080]])

    def test_no_frame_is_left_out_where_the_rate_fits(self) -> None:
        self.assertEqual(
            row(site(KEPT), rate="30")["says"], "Kept as it is; shown as 360p at once, 1080p after about 30 minutes."
        )
        left = row(site(KEPT), rate="120")["copies"][0]
        self.assertEqual((left["rate"], left["left_out"]), ("30", "90"))

    def test_scaled_to_the_next_smaller_copy(self) -> None:
        scaled = site({"otherwise": "scaled"})
        self.assertIn("Scaled to 640 × 360; shown as 360p at once", row(scaled)["says"])
        self.assertIn("Scaled to 1920 × 1080", row(scaled, size="3840x2160")["says"])
        # pixels that are not square: as tall as a copy, but not it
        self.assertIn("Scaled to 1920 × 1080", row(scaled, size="1440x1080", pixel_aspect="4:3")["says"])
        self.assertIn("Scaled to 608 × 1080", row(scaled, size="1080x1920")["says"])

    def test_every_second_frame_left_out_on_arrival(self) -> None:
        found = row(site({"otherwise": ["frames left out", "encoded anew"]}), rate="50")
        self.assertIn("Every second frame left out and encoded anew; shown", found["says"])
        self.assertIn("25 of 50 frames a second are left out.", found["says"])
        self.assertEqual([one["rate"] for one in found["copies"]], ["25", "25"])

    def test_refused_with_its_reason_or_the_row(self) -> None:
        when = {"when": {"picture.frame_rate": {"at_least": 50}}, "outcome": "refused"}
        self.assertEqual(row(site(when, KEPT))["says"], "Refused: frame rate ≥ 50.")
        self.assertEqual(row(site(when | {"why": "Too fast."}, KEPT))["says"], "Refused: too fast.")
        self.assertEqual(row(site(when, KEPT))["copies"], [])
        self.assertEqual(row(site({"otherwise": "refused"}))["says"], "Refused: nothing that the ladder takes fits it.")

    def test_not_known_is_never_kept(self) -> None:
        spec = site({"when": {"picture.codec": {"equals": "avc"}}, "outcome": "kept"}, {"otherwise": "refused"})
        found = row(spec)
        self.assertEqual(
            (found["outcomes"], found["says"]), (None, "Not known: it depends on codec, which is not known.")
        )

    def test_a_smaller_picture_has_no_larger_copy_but_always_one(self) -> None:
        self.assertEqual([one["label"] for one in row(site(KEPT), size="1280x720")["copies"]], ["360p"])
        small = row(site(KEPT), size="320x180")["copies"]
        self.assertEqual([one["size"] for one in small], [[320, 180]])
        self.assertEqual(row(site(KEPT, copies=None))["says"], "Kept as it is.")

    def test_delays_are_learnt_from_hand_offs(self) -> None:
        found = row(site(KEPT), {"1080p": 300.4, "other": 5})
        self.assertIn("1080p after about 5 minutes", found["says"])
        self.assertEqual([(one["delay_s"], one["learnt"]) for one in found["copies"]], [(0.0, False), (300.0, True)])

    def test_the_copy_that_a_screen_needs(self) -> None:
        for screen, copy, says in (
            ("640x360", "360p", "A screen of 640 × 360 needs 360p."),
            ("640x480", "360p", "A screen of 640 × 480 needs 360p."),  # the picture takes 360 of its lines
            ("642x362", "1080p", "A screen of 642 × 362 needs 1080p."),
            ("3840x2160", "1080p", "A screen of 3840 × 2160 enlarges 1080p 2 times."),
        ):
            found = row(site(KEPT), screen=screen)
            self.assertEqual((found["screen_copy"], found["screen_says"]), (copy, says))

    def test_delays_in_words(self) -> None:
        for seconds, words in (
            (None, "some time later"), (0, "at once"), (1, "after about 1 second"), (60, "after about 1 minute"),
            (75, "after about 75 seconds"), (120, "after about 2 minutes"), (5400, "after about 90 minutes"),
            (3600, "after about 1 hour"), (10_800, "after about 3 hours"), (200_000, "after about 2 days"),
        ):  # fmt: skip
            self.assertEqual(spell_delay(None if seconds is None else Fraction(seconds)), words)


class DocumentTest(unittest.TestCase):
    def test_mistakes_are_named(self) -> None:
        for asked, spec, place in (
            ({"renders": [{"size": "1x"}]}, site(KEPT), "render 1, size"),
            ({"renders": [{"size": "640x360"}], "screen": "big"}, site(KEPT), "screen"),
            ({"renders": [{"size": "640x360"}], "lines": 3}, site(KEPT), "plan"),
            ({"renders": "all"}, site(KEPT), "renders"),
            ({}, site(KEPT), "plan"),
            ({"renders": [{"size": "640x360"}]}, None, "spec"),
            ({"renders": [{"size": "640x360"}]}, shelf_specs()["disc-hd-avc-25"], "spec"),
        ):
            with self.subTest(asked), self.assertRaises(PlanRefused) as refused:
                plan_target(asked, spec)
            self.assertIn(place, {one.place for one in refused.exception.mistakes})

    def test_the_shelf_says_what_becomes_of_what_it_asks_for(self) -> None:
        """What a sheet orders is kept as it is by its own ladder."""
        render = {"rate": 25, "wrapper": "mp4", "codec": "avc", "chroma": "4:2:0", "length": "10:00"}
        for id_, size in (
            ("pebbleview-wide", "1920x1080"), ("pebbleview-wide", "1280x720"), ("pebbleview-square", "1080x1080"),
            ("pebbleview-tall", "1080x1920"), ("upload-wide-1080", "854x480"), ("upload-wide-2160", "3840x2160"),
        ):  # fmt: skip
            self.assertEqual(row(shelf_specs()[id_], size=size, **render)["outcomes"], ["kept"], id_)
