from fractions import Fraction
from typing import Any
from unittest import TestCase

from brisk_core.errors import PlanRefused
from brisk_core.facts import Depth, FactsBuilder, Scan, Span, keys
from brisk_core.plan.deck import Deck, DeckClip, best_setting, keying, seam
from brisk_core.plan.deck_document import plan_deck
from brisk_core.plan.settings import planned_inspection

LAMP = {
    "name": "lamp.mov", "wrapper": "mov", "codec": "prores", "size": "1920x1080", "rate": 25, "scan": "progressive",
    "alpha": "straight", "sounds": "none", "length": "10 s",
}  # fmt: skip


def deck(*clips: dict[str, Any], **asked: Any) -> dict[str, Any]:
    return plan_deck(asked | {"renders": list(clips)})


class AppearsTest(TestCase):
    def test_one_thing_unlike_hides_a_clip(self) -> None:
        found = deck(
            LAMP,
            LAMP | {"name": "small.mov", "size": "1280x720"},
            LAMP | {"name": "fast.mov", "rate": "29.97"},
            LAMP | {"name": "near.mov", "rate": "24.975"},
            LAMP | {"name": "fields.mov", "scan": "interlaced"},
            size="1920x1080",
            rate=25,
        )
        self.assertEqual([one["appears"] for one in found["clips"]], [True, False, False, False, False])
        self.assertEqual(
            [one["needs"] for one in found["clips"][1:]],
            [
                ["export at 1920 × 1080"],
                ["bring it to exactly 25"],
                ["bring it to exactly 25"],
                ["export progressive"],
            ],
        )
        self.assertEqual(found["says"], "1 of 5 clips appear, 4 vanish")
        self.assertFalse(found["met"])

    def test_a_rate_that_varies_hides_a_clip(self) -> None:
        facts = planned_inspection(
            picture_size=(1920, 1080),
            picture_frame_rate=Fraction(25),
            picture_scan=Scan.PROGRESSIVE,
            picture_rate_mode="variable",
        )
        (one,) = plan_deck({}, [DeckClip(name="a", facts=facts)])["clips"]
        self.assertEqual((one["appears"], one["needs"]), (False, ["conform it to a constant rate"]))

    def test_the_setting_that_shows_most(self) -> None:
        many = [LAMP | {"name": f"{at}.mov", "rate": "29.97"} for at in range(3)]
        found = deck(LAMP, *many)
        self.assertEqual((found["setting"]["words"], found["appear"]), ("1920 × 1080, 29.97, progressive", 3))
        self.assertIsNone(best_setting([]))

    def test_what_is_not_known_does_not_appear(self) -> None:
        found = deck({"name": "a", "size": "1920x1080", "rate": 25}, LAMP)
        self.assertEqual([one["appears"] for one in found["clips"]], [None, True])
        self.assertEqual((found["untold"], found["met"]), (True, False))

    def test_some_decks_count_fields(self) -> None:
        fields = LAMP | {"rate": "29.97", "scan": "interlaced"}
        (one,) = deck(fields)["clips"]
        self.assertIn("29.97 interlaced counts as 59.94 fields on some decks", one["remarks"])
        asked = {"size": "1920x1080", "rate": "59.94", "counts_fields": "yes"}
        (one,) = deck(fields, **asked)["clips"]
        self.assertEqual(one["reasons"], ["scan interlaced"])

    def test_sound_and_alpha_of_a_clip_that_appears(self) -> None:
        loud = LAMP | {"sounds": ["pcm 24 bit"]}
        for clip, asked, fault in (
            (loud, {"sound": "forbidden"}, "1 sound track is heard; switch sound off"),
            (LAMP, {"sound": "there"}, "it has no sound; the deck is silent while it plays"),
            (
                LAMP | {"alpha": "none"},
                {"alpha": "needed"},
                "it has no alpha and covers the live picture; export with alpha",
            ),
            (
                LAMP | {"alpha": "opaque"},
                {"alpha": "needed"},
                "its alpha is opaque everywhere and covers the live picture",
            ),
        ):
            found = deck(clip, **asked)
            self.assertEqual((found["clips"][0]["faults"], found["appear"], found["met"]), ([fault], 1, False))
        self.assertTrue(deck(LAMP, sound="forbidden", alpha="needed")["met"])

    def test_a_codec_that_it_does_not_play(self) -> None:
        self.assertEqual(deck(LAMP, codecs="vc3, avc")["clips"][0]["reasons"], ["codec prores"])
        self.assertTrue(deck(LAMP, codecs=["prores"])["clips"][0]["appears"])

    def test_the_switcher(self) -> None:
        self.assertEqual(deck(LAMP, switcher_rate=50)["switcher_sees"], False)
        self.assertIn("nothing is seen", deck(LAMP, switcher_rate=50)["switcher"])
        self.assertEqual(deck(LAMP, switcher_rate=25)["switcher_sees"], True)
        fields = LAMP | {"scan": "interlaced"}
        self.assertEqual(deck(fields, switcher_rate=50)["switcher_sees"], True)

    def test_names(self) -> None:
        asked = {"name_length": 6, "name_signs": "_-"}
        found = deck(LAMP | {"name": "lamp blüte.mov"}, LAMP | {"name": "lamp bloom.mov"}, **asked)
        self.assertEqual(found["clips"][0]["remarks"][1], "its name has signs that the deck refuses: space ü")
        self.assertEqual(found["names"], ["2 clips are called “lamp b” once the deck has cut their names"])
        self.assertEqual(deck(LAMP, **asked)["clips"][0]["remarks"], [])

    def test_fill_and_key(self) -> None:
        fill, key = LAMP | {"name": "lamp_fill.mov"}, LAMP | {"name": "lamp_key.mov", "length": "11 s", "alpha": "none"}
        (pair,) = deck(fill, key)["pairs"]
        self.assertEqual(pair, {"fill": "lamp_fill.mov", "key": "lamp_key.mov", "unlike": ["their length is unlike"]})
        (pair,) = deck(fill, key | {"length": "10 s"})["pairs"]
        self.assertEqual(pair["unlike"], [])
        (pair,) = deck(fill)["pairs"]
        self.assertEqual(pair["unlike"], ["its key is not among the clips"])
        self.assertEqual(deck(LAMP, LAMP | {"name": "monkey.mov"})["pairs"], [])

    def test_the_card(self) -> None:
        heavy = [LAMP | {"name": f"{at}.mov", "bytes": "5 GB"} for at in range(3)]
        self.assertEqual(deck(*heavy, card="15 GB")["card_fits"], True)
        found = deck(*heavy, card="14 GB")
        self.assertEqual((found["card_fits"], found["met"]), (False, False))
        self.assertEqual(found["card"], "15 GB in all, 1 GB more than the card holds")

    def test_every_mistake_is_named(self) -> None:
        with self.assertRaises(PlanRefused) as caught:
            plan_deck(
                {
                    "size": "1920x1080",
                    "codecs": 3,
                    "sound": "loud",
                    "alpha": "x",
                    "card": "y",
                    "name_length": 0.5,
                    "more": 1,
                }
            )
        places = [one.place for one in caught.exception.mistakes]
        self.assertEqual(places, ["plan", "rate", "codecs", "name_length", "card", "sound", "alpha", "plan"])


class AlphaTest(TestCase):
    def test_how_the_keyer_is_set(self) -> None:
        for alpha, words in (
            ("straight", "set the keyer to multiply"),
            ("premultiplied", "set the keyer to add"),
            ("opaque", "nothing is keyed"),
            ("present", "too little of it is half transparent"),
        ):
            self.assertIn(words, keying(planned_inspection(picture_alpha=alpha)))
        self.assertEqual(keying(planned_inspection(picture_alpha="none")), "")
        builder = FactsBuilder()
        builder.coded(keys.PICTURE_ALPHA, "present")
        unscanned = builder.finish(file_name="a", file_size=0, depth=Depth.PACKETS)
        self.assertIn("has not been measured", keying(unscanned))


class LoopTest(TestCase):
    def clip(self, ends: float | None = 0.0, **facts: Any) -> DeckClip:
        return DeckClip(name="a", facts=planned_inspection(picture_frame_count=100, **facts), ends=ends)

    def test_the_seam(self) -> None:
        self.assertIn("not compared", seam(self.clip(None)))
        self.assertIn("are the same", seam(self.clip(0.2)))
        self.assertIn("leads over", seam(self.clip(2.5)))
        self.assertIn("differ by 40 of 255 levels", seam(self.clip(40)))

    def test_black_and_holds_at_the_ends_only(self) -> None:
        black = (Span(start=0, end=5), Span(start=40, end=45))
        self.assertTrue(seam(self.clip(content_black=black)).startswith("black at the start;"))
        hold = (Span(start=80, end=100), Span(start=0, end=9))
        self.assertTrue(seam(self.clip(content_freeze=hold)).startswith("a hold at both ends;"))
        self.assertNotIn("black", seam(self.clip(content_black=(Span(start=3, end=97),))))

    def test_a_deck_without_wishes_asks_nothing(self) -> None:
        self.assertEqual(Deck().sound, "any")
