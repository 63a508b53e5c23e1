import datetime
from collections.abc import Mapping
from dataclasses import replace
from fractions import Fraction
from typing import Any
from unittest import TestCase

from brisk_core.captions import Burned, Captioned, read_captions
from brisk_core.captions.document import CaptionDocument
from brisk_core.captions.tests.test_rules import GOOD, subrip
from brisk_core.errors import SpecRefused
from brisk_core.facts import Depth, FactsBuilder, Inspection, Span, keys
from brisk_core.report import check_to_json
from brisk_core.spec import Spec, judge, parse_spec
from brisk_core.spec.captioned import CAPTION_LINES, caption_lines_of


def spec(**lines: tuple[str, Mapping[str, Any]]) -> Spec:
    return parse_spec(
        {
            "brisk_spec": 1,
            "id": "test",
            "name": "Test",
            "family": "web",
            "source": "a test",
            "issued": datetime.date(2026, 1, 1),
            "lines": [
                {"id": id_, "characteristic": row, "condition": dict(condition)}
                for id_, (row, condition) in lines.items()
            ],
        }
    )


def inspection(**observed: Any) -> Inspection:
    builder = FactsBuilder()
    builder.observed(keys.PICTURE_FRAME_RATE, Fraction(25))
    builder.observed(keys.PICTURE_FRAME_COUNT, 1500)
    builder.declared(keys.WRAPPER_DURATION, Fraction(60))
    for name, value in observed.items():
        builder.observed(keys.BY_ID[f"text.{name}"], value)
    return builder.finish(file_name="film.mp4", file_size=1000, depth=Depth.FULL)


def captioned(*documents: CaptionDocument, burned: Mapping[str, Burned] | None = None) -> Captioned:
    return Captioned(documents=documents or (subrip(GOOD),), burned=burned)


FAST = subrip([*GOOD, (9.0, 10.0, "Twenty-one characters")])


class CaptionLinesTest(TestCase):
    def findings(
        self, asked: Spec, held: Captioned | None, known: Inspection | None = None
    ) -> dict[str, dict[str, Any]]:
        known = known or inspection()
        return {row["line"]: row for row in check_to_json(judge(asked, known, captioned=held), known)["findings"]}

    def test_captions_bring_their_lines_and_good_ones_pass(self) -> None:
        asked = spec(rate=("picture.frame_rate", {"equals": 25}))
        self.assertEqual([id_ for id_ in self.findings(asked, None) if "captions" in id_], [])
        found = self.findings(asked, captioned())
        outcomes = {id_: found[id_]["outcome"] for id_ in found if "captions" in id_}
        self.assertEqual(set(outcomes), {line.id for line in caption_lines_of(captioned())})
        self.assertEqual(len(outcomes), len(CAPTION_LINES) - 1)
        unknown = {"integrity-captions-rate-mismatch", "integrity-captions-burned-in"}
        self.assertEqual({id_ for id_, outcome in outcomes.items() if outcome != "pass"}, unknown)
        self.assertEqual({found[id_]["weight"] for id_ in unknown}, {"note"})

    def test_a_finding_has_lines_of_the_file_and_frames(self) -> None:
        row = self.findings(spec(rate=("picture.frame_rate", {"equals": 25})), captioned(FAST))[
            "integrity-captions-reading-speed"
        ]
        self.assertEqual((row["outcome"], row["code"]), ("caution", "captions.wrong"))
        self.assertEqual(row["says"], "Line 14: 21 characters in 1.00 s, 21.0 a second.")
        self.assertEqual(row["spans"], [{"start": 225, "end": 250}])
        self.assertEqual(row["observed"][0]["start"], 225)
        self.assertIn("longer", row["remedy"])

    def test_limits_of_the_spec_take_the_place_of_the_house(self) -> None:
        for most, outcome in ((25, "pass"), (20.5, "fail"), (21, "pass")):
            row = self.findings(spec(speed=("text.reading_speed", {"at_most": most})), captioned(FAST))["speed"]
            self.assertEqual((row["outcome"], row["required"]), (outcome, f"at most {most:g} characters a second"))
        found = self.findings(spec(gap=("text.gap", {"at_least": 30})), captioned())
        self.assertEqual(found["gap"]["outcome"], "fail")
        self.assertNotIn("integrity-captions-gap", found)
        found = self.findings(spec(lines=("text.line_length", {"at_most": 15})), captioned())
        self.assertEqual([span["start"] for span in found["lines"]["spans"]], [25, 150])

    def test_conditions_that_make_no_sense_are_refused(self) -> None:
        for row, condition, says in (
            ("text.gap", {"at_most": 2}, "expected at_least"),
            ("text.line_count", {"at_least": 2}, "expected at_most"),
            ("text.line_count", {"at_most": "two"}, "a number of lines"),
            ("text.line_count", {"at_most": 0}, "above 0"),
            ("text.overlap", {"at_most": 2}, "no order of size"),
        ):
            with self.subTest(says), self.assertRaisesRegex(SpecRefused, says):
                spec(line=(row, condition))

    def test_asked_captions_may_lie_beside_the_file(self) -> None:
        asked = spec(captions=("text.captions", {"present": True}))
        self.assertEqual(self.findings(asked, None, inspection(captions=()))["captions"]["outcome"], "fail")
        found = self.findings(asked, captioned(), inspection(captions=()))["captions"]
        self.assertEqual((found["outcome"], found["observed"][0]["kind"]), ("pass", "sidecar"))

    def test_nothing_passes_without_captions(self) -> None:
        asked = spec(
            speed=("text.reading_speed", {"at_most": 17}),
            readable=("text.document", {"absent": True}),
            apart=("text.burned_in", {"equals": False}),
            overlap=("text.overlap", {"absent": True}),
        )
        found = self.findings(asked, None)
        self.assertEqual({found[line.id]["outcome"] for line in asked.lines}, {"not measured"})
        self.assertIn("no caption file stands beside it", found["speed"]["says"])

    def test_text_tracks_are_judged_by_their_facts_alone(self) -> None:
        asked = spec(overlap=("text.overlap", {"absent": True}), most=("text.overlap", {"at_most_in_all": "1 s"}))
        known = inspection(overlap=(Span(start=50, end=100, detail="packet 2"),))
        found = self.findings(asked, None, known)
        self.assertEqual([found[line.id]["outcome"] for line in asked.lines], ["fail", "fail"])

    def test_conditions_on_places_hold_caption_files_too(self) -> None:
        late = subrip([*GOOD, (7.0, 9.0, "Who is there?")])
        for most, outcome in (("0.5 s", "fail"), ("3 s", "pass")):
            found = self.findings(spec(most=("text.overlap", {"at_most_in_all": most})), captioned(late))
            self.assertEqual((found["most"]["outcome"], len(found["most"]["spans"])), (outcome, 1))

    def test_burned_in_as_it_is_asked(self) -> None:
        seen, none = Burned(looked=6, seen=6, frames=(30,)), Burned(looked=6, seen=0)
        for burned, wanted, outcome in (
            (seen, False, "fail"),
            (seen, True, "pass"),
            (none, False, "pass"),
            (none, True, "fail"),
        ):
            with self.subTest(wanted=wanted, seen=burned.seen):
                held = captioned(burned={"film.srt": burned})
                row = self.findings(spec(burned=("text.burned_in", {"equals": wanted})), held)["burned"]
                self.assertEqual(row["outcome"], outcome, row)

    def test_a_broken_file_fails(self) -> None:
        broken = read_captions(
            b"1\n00:00:01,000 --> 00:00:02,000\nRight\n\n2\n00:00:xx,000 --> 00:00:04,000\nLost\n", "a.srt"
        )
        found = self.findings(spec(rate=("picture.frame_rate", {"equals": 25})), captioned(broken))
        self.assertEqual(found["integrity-captions-document"]["outcome"], "fail")
        self.assertIn("Line 6: met", found["integrity-captions-document"]["says"])

    def test_what_is_inside_is_held_against_what_is_beside_it_where_there_are_both(self) -> None:
        asked = spec(rate=("picture.frame_rate", {"equals": 25}))
        beside, inside = subrip(GOOD), replace(subrip(GOOD), name="CC1", embedded=True)
        row = self.findings(asked, captioned(beside, inside))["integrity-captions-agreement"]
        self.assertEqual((row["outcome"], row["found"]), ("pass", "the same words at the same time"))
        short = replace(inside, captions=inside.captions[1:])
        row = self.findings(asked, captioned(beside, short))["integrity-captions-agreement"]
        self.assertEqual(row["outcome"], "caution")
        self.assertTrue(
            row["says"].startswith("film.srt, line 2: is missing in CC1"), row["says"]
        )  # names stay as they are
        self.assertNotIn("integrity-captions-agreement", self.findings(asked, captioned(beside)))
