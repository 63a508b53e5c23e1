from fractions import Fraction
from typing import Any
from unittest import TestCase

from brisk_core.errors import SpecRefused
from brisk_core.facts import Depth, FactsBuilder, Inspection, Span, TimeSpan, keys
from brisk_core.spec import Finding, judge, parse_spec

HEAD = "brisk_spec: 1\nid: small\nname: Small\nfamily: web\nsource: a test\nissued: 2026-03-02\nlines:\n"


def spec(characteristic: str, condition: str) -> Any:
    return parse_spec(f"{HEAD}  - {{ id: it, characteristic: {characteristic}, condition: {condition} }}\n")


def inspection(**observed: Any) -> Inspection:
    builder = FactsBuilder()
    builder.observed(keys.PICTURE_FRAME_RATE, Fraction(25))
    builder.observed(keys.WRAPPER_DURATION, Fraction(60))
    for id_, value in observed.items():
        builder.observed(keys.BY_ID[id_.replace("__", ".")], value)
    return builder.finish(file_name="a.mp4", file_size=1, depth=Depth.FULL)


def one(characteristic: str, condition: str, **observed: Any) -> Finding:
    return judge(spec(characteristic, condition), inspection(**observed), integrity=False).findings[0]


class SpanConditionsTest(TestCase):
    black = (Span(start=0, end=50), Span(start=1450, end=1500))

    def outcome(self, characteristic: str, condition: str, **observed: Any) -> str:
        return one(characteristic, condition, **observed).outcome.value

    def test_only_at_the_ends_counts_both_edges(self) -> None:
        ends = "{ only_at_ends: { head: 2 s, tail: 2 s } }"
        self.assertEqual(self.outcome("content.black", ends, content__black=self.black), "pass")
        late = (Span(start=0, end=51),)
        self.assertEqual(self.outcome("content.black", ends, content__black=late), "fail")
        found = one("content.black", ends, content__black=(*self.black, Span(start=700, end=706)))
        self.assertEqual(found.says, "The pictures show black in one place where only in the first 2 s or the last 2 s is "
                         "allowed, the first at frames 700 to 705.")  # fmt: skip
        self.assertEqual(len(found.spans), 3)

    def test_none_longer_and_at_most_in_all(self) -> None:
        for condition, wanted in (
            ("{ none_longer_than: 2 s }", "pass"), ("{ none_longer_than: 1.9 s }", "fail"),
            ("{ at_most_in_all: 4 s }", "pass"), ("{ at_most_in_all: 3.9 s }", "fail"),
        ):  # fmt: skip
            self.assertEqual(self.outcome("content.black", condition, content__black=self.black), wanted, condition)

    def test_places_of_sound_are_held_by_track_and_named_in_seconds(self) -> None:
        tracks = ((), (TimeSpan(start=3.2, end=3.34),))
        found = one("sound.dropout", "{ absent: true }", sound__dropout=tracks)
        self.assertEqual(found.says, "The sound shows dropouts in one place, the first at 3.20 s of track 2.")
        self.assertEqual((found.spans[0].start, found.spans[0].end, found.found), (80, 84, "1 place"))
        self.assertEqual(self.outcome("sound.dropout", "{ absent: true }", sound__dropout=((), ())), "pass")
        self.assertEqual(self.outcome("sound.silence", "{ none_longer_than: 1 s }", sound__silence=tracks), "pass")

    def test_what_was_not_looked_for_never_passes(self) -> None:
        for condition in ("{ only_at_ends: { head: 2 s } }", "{ at_most_in_all: 99 s }", "{ absent: true }"):
            found = one("content.black", condition)
            self.assertEqual((found.outcome.value, found.found), ("not measured", "the pictures have not been scanned"))

    def test_without_a_rate_only_what_is_told_in_seconds_is_held(self) -> None:
        builder = FactsBuilder()
        builder.observed(keys.WRAPPER_DURATION, Fraction(60))
        builder.observed(keys.CONTENT_BLACK, self.black)
        builder.observed(keys.SOUND_SILENCE, ((TimeSpan(start=1.0, end=4.0),),))
        known = builder.finish(file_name="a.wav", file_size=1, depth=Depth.FULL)
        for characteristic, wanted in (("content.black", "not measured"), ("sound.silence", "fail")):
            found = judge(spec(characteristic, "{ none_longer_than: 2 s }"), known, integrity=False).findings[0]
            self.assertEqual(found.outcome.value, wanted)

    def test_mistakes_in_the_spec_are_named(self) -> None:
        for characteristic, condition, says in (
            ("picture.size", "{ none_longer_than: 1 s }", "works on places only; picture.size is a size"),
            ("content.black", "{ only_at_ends: { middle: 1 s } }", "needs head, tail or both"),
            ("content.black", "{ at_most_in_all: soon }", "soon"),
        ):
            with self.assertRaisesRegex(SpecRefused, says):
                spec(characteristic, condition)


class ContentSentencesTest(TestCase):
    def test_loudness_says_by_how_much(self) -> None:
        found = one(
            "sound.programme_loudness", "{ near: { value: -23, tolerance: 0.5 } }", sound__programme_loudness=-25.4
        )
        self.assertEqual(
            found.says, "The sound shows a loudness of -25.4 LUFS: 2.4 dB too quiet; -23 LUFS ± 0.5 LUFS is asked."
        )
        found = one("sound.loudness", "{ between: [-24, -22] }", sound__loudness=(-20.0,))
        self.assertIn("2.0 dB too loud", found.says)

    def test_known_mistakes_speak_for_themselves(self) -> None:
        said = "Every picture is shown twice: 50 was made from 25 by doubling."
        found = one("content.mistakes", "{ absent: true }", content__mistakes=(said,))
        self.assertEqual(found.says.rstrip("."), said.rstrip("."))

    def test_bars_are_named_by_their_place(self) -> None:
        found = one("content.bars", "{ equals: none }", content__bars="all")
        self.assertEqual(found.says, "The picture does not fill the frame: it has bars on all four sides.")
