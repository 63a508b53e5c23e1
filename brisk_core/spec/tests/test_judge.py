import datetime
from dataclasses import replace
from fractions import Fraction
from typing import Any
from unittest import TestCase

from brisk_core.edit import Event, FrameRange, Lane, Target, Timeline
from brisk_core.exact import Timecode
from brisk_core.facts import Depth, FactsBuilder, Inspection, Witness, keys
from brisk_core.report import check_to_json
from brisk_core.spec import Check, Finding, bit_rate_limits, judge, parse_spec, target_of
from brisk_core.spec.rules import RULES

D, C, O = Witness.DECLARED, Witness.CODED, Witness.OBSERVED


def inspection(*said: tuple[Witness, str, Any], depth: Depth = Depth.PACKETS) -> Inspection:
    builder = FactsBuilder()
    for witness, id_, value in said:
        builder.say(witness, keys.BY_ID[id_], value)
    return builder.finish(file_name="OLP_CANAL_V01.mp4", file_size=1000, depth=depth)


def judged(
    characteristic: str,
    condition: dict[str, Any],
    *said: tuple[Witness, str, Any],
    timeline: Timeline | None = None,
    covered: FrameRange | None = None,
    **line: Any,
) -> Finding:
    return check(characteristic, condition, *said, timeline=timeline, covered=covered, **line).findings[0]


def check(
    characteristic: str,
    condition: dict[str, Any],
    *said: tuple[Witness, str, Any],
    timeline: Timeline | None = None,
    covered: FrameRange | None = None,
    **line: Any,
) -> Check:
    spec = parse_spec(
        {
            "brisk_spec": 1,
            "id": "test",
            "name": "Test",
            "family": "web",
            "source": "a test",
            "issued": datetime.date(2026, 1, 1),
            "lines": [{"id": "line", "characteristic": characteristic, "condition": condition} | line],
        }
    )
    return judge(spec, inspection(*said), timeline=timeline, covered=covered, integrity=False)


RATE = "picture.frame_rate"
TWENTY_FIVE = [(witness, RATE, Fraction(25)) for witness in Witness]


class OutcomeTest(TestCase):
    def test_all_witnesses_that_speak_must_agree(self) -> None:
        self.assertEqual(judged(RATE, {"equals": 25}, *TWENTY_FIVE).outcome.value, "pass")
        for odd in Witness:
            said = [(witness, RATE, Fraction(24) if witness is odd else Fraction(25)) for witness in Witness]
            finding = judged(RATE, {"equals": 25}, *said)
            self.assertEqual(finding.outcome.value, "fail", odd)

    def test_an_observation_that_is_missing_is_never_a_pass(self) -> None:
        finding = judged("picture.scan", {"equals": "progressive"}, (C, "picture.scan", "progressive"))
        self.assertEqual(finding.outcome.value, "not measured")
        self.assertEqual(
            finding.says, "Not measured: the pictures have not been scanned (the stream says progressive)."
        )

    def test_but_a_contradiction_that_is_known_fails_already(self) -> None:
        finding = judged("picture.scan", {"equals": "progressive"}, (C, "picture.scan", "interlaced"))
        self.assertEqual(finding.outcome.value, "fail")

    def test_a_line_can_ask_for_certain_witnesses(self) -> None:
        said = (C, "picture.scan", "progressive")
        finding = judged("picture.scan", {"equals": "progressive"}, said, witness=["declared", "coded"])
        self.assertEqual((finding.outcome.value, finding.says), ("pass", "As asked: coded in the stream."))

    def test_where_only_the_observed_value_counts_nothing_else_is_heard(self) -> None:
        asked = {"at_most": "20 MB"}
        id_ = "bitrate.average"
        most = {"at_most": 10_000_000}
        self.assertEqual(judged(id_, most, (D, id_, 99_000_000), (O, id_, 9_000_000)).outcome.value, "pass")
        self.assertEqual(judged(id_, most, (D, id_, 9_000_000), (O, id_, 99_000_000)).outcome.value, "fail")
        self.assertEqual(judged(id_, most, (D, id_, 9_000_000)).outcome.value, "not measured")
        self.assertEqual(judged("file.size", asked, (D, "file.size", 30_000_000)).outcome.value, "fail")

    def test_where_the_first_that_speaks_counts_the_others_are_not_heard(self) -> None:
        id_, asked = "wrapper.start_timecode", {"equals": "10:00:00:00"}
        right, wrong = "10:00:00:00", "00:00:00:00"
        self.assertEqual(judged(id_, asked, (D, id_, right), (C, id_, wrong)).outcome.value, "pass")
        self.assertEqual(judged(id_, asked, (D, id_, wrong), (C, id_, right)).outcome.value, "fail")
        self.assertEqual(judged(id_, asked, (C, id_, right)).outcome.value, "pass")
        self.assertEqual(judged(id_, asked, (C, id_, wrong)).outcome.value, "fail")

    def test_nobody_says_anything(self) -> None:
        finding = judged("wrapper.start_timecode", {"equals": "10:00:00:00"})
        self.assertEqual(finding.says, "Not measured: no witness says anything of it.")

    def test_weights(self) -> None:
        said = (D, "file.size", 30_000_000)
        for weight, outcome, verdict in (
            ("must", "fail", "fail"),
            ("should", "caution", "caution"),
            ("note", "caution", "pass"),
        ):
            result = check("file.size", {"at_most": "20 MB"}, said, weight=weight)
            self.assertEqual((result.findings[0].outcome.value, result.verdict.value), (outcome, verdict))

    def test_a_verdict_is_not_pass_while_something_is_not_measured(self) -> None:
        self.assertEqual(check("bitrate.average", {"at_least": 1}).verdict.value, "not measured")

    def test_values_by_track_must_hold_in_every_track(self) -> None:
        def rates(*values: int | None) -> str:
            return judged("sound.sample_rate", {"equals": 48000}, (D, "sound.sample_rate", values)).outcome.value

        self.assertEqual(rates(48000, 48000), "pass")
        self.assertEqual(rates(48000, 44100), "fail")
        self.assertEqual(rates(48000, None), "fail")
        self.assertEqual(rates(), "fail")


class ConditionTest(TestCase):
    def outcome(self, id_: str, condition: dict[str, Any], value: Any, witness: Witness = D) -> str:
        return judged(id_, condition, (witness, id_, value), witness=witness.value).outcome.value

    def test_what_is_asked_is_spelled(self) -> None:
        for condition, required in (
            ({"one_of": [25]}, "25"), ({"one_of": [24, 25]}, "24 or 25"), ({"one_of": [24, 25, 30]}, "24, 25 or 30"),
            ({"between": [24, 30]}, "24 to 30"), ({"at_least": 24}, "≥ 24"), ({"at_most": 30}, "≤ 30"),
            ({"near": {"value": 25, "tolerance": 1}}, "25 ± 1"), ({"present": True}, "present"), ({"absent": True}, "none"),
        ):  # fmt: skip
            self.assertEqual(judged(RATE, condition).required, required)

    def test_edges_count(self) -> None:
        for value, outcome in ((7_999_999, "fail"), (8_000_000, "pass"), (16_000_000, "pass"), (16_000_001, "fail")):
            self.assertEqual(self.outcome("bitrate.average", {"between": ["8 Mb/s", "16 Mb/s"]}, value), outcome)
        for value, outcome in ((48_999_999, "fail"), (49_000_000, "pass"), (51_000_000, "pass"), (51_000_001, "fail")):
            near = {"near": {"value": "50 Mb/s", "tolerance": "1 Mb/s"}}
            self.assertEqual(self.outcome("bitrate.average", near, value), outcome)

    def test_levels_are_compared_by_number(self) -> None:
        self.assertEqual(self.outcome("picture.level", {"at_most": "4.1"}, "4"), "pass")
        self.assertEqual(self.outcome("picture.level", {"at_most": "4.1"}, "5.1"), "fail")
        other = judged("picture.level", {"at_most": "4.1"}, (C, "picture.level", "Main"))
        self.assertEqual((other.outcome.value, other.code), ("fail", "value.differs"))

    def test_names_of_colours_without_punctuation(self) -> None:
        self.assertEqual(self.outcome("picture.primaries", {"equals": "bt709"}, "BT.709"), "pass")
        self.assertEqual(self.outcome("picture.primaries", {"equals": "BT.2020"}, "BT.709"), "fail")

    def test_present_and_absent(self) -> None:
        self.assertEqual(self.outcome("sound.tracks", {"absent": True}, 0), "pass")
        self.assertEqual(self.outcome("sound.tracks", {"present": True}, 0), "fail")
        self.assertEqual(self.outcome("text.chapters", {"present": True}, ()), "fail")
        self.assertEqual(self.outcome("picture.alpha", {"absent": True}, "none", C), "pass")
        self.assertEqual(self.outcome("timing.gaps", {"absent": True}, (), O), "pass")

    def test_nothing_is_absent_where_everybody_was_heard(self) -> None:
        absent = judged("picture.codec", {"absent": True})
        self.assertEqual((absent.outcome.value, absent.says), ("pass", "As asked: no witness says anything of it."))
        self.assertEqual(judged("picture.codec", {"present": True}).outcome.value, "not measured")
        self.assertEqual(judged("picture.codec", {"absent": True}, (D, "picture.codec", "avc")).outcome.value, "fail")
        self.assertEqual(judged("content.black", {"absent": True}).outcome.value, "not measured")  # not scanned yet

    def test_cases_choose_by_other_facts(self) -> None:
        cases = {
            "cases": [
                {"when": {"picture.size": {"equals": "1920×1080"}}, "then": {"at_least": "10 Mb/s"}},
                {"when": {"picture.size": {"equals": "1280×720"}}, "then": {"at_least": "5 Mb/s"}},
            ]
        }
        rate = (O, "bitrate.average", 6_000_000)
        for size, outcome in (((1920, 1080), "fail"), ((1280, 720), "pass")):
            finding = judged("bitrate.average", cases, rate, (C, "picture.size", size))
            self.assertEqual(finding.outcome.value, outcome)
        other = judged("bitrate.average", cases, rate, (C, "picture.size", (640, 360)))
        self.assertEqual(other.says, "Not measured: the spec has no case for size 640 × 360.")
        unknown = judged("bitrate.average", cases, rate)
        self.assertEqual(unknown.says, "Not measured: which case applies depends on size, which is not known.")


class SentenceTest(TestCase):
    def code(
        self, id_: str, condition: dict[str, Any], *said: tuple[Witness, str, Any], **line: Any
    ) -> tuple[str, str]:
        finding = judged(id_, condition, *said, **line)
        self.assertTrue(finding.why, finding.code)
        self.assertTrue(finding.remedy, finding.code)
        return finding.code, finding.says

    def test_rates(self) -> None:
        for asked, found, code, says in (
            (24, Fraction(24000, 1001), "rate.slowed-by-1001",
             "The packets show 23.976 (24000/1001) frames a second where 24 is asked: "
             "slower by 1000/1001, one frame lost every 42 s."),
            ("23.976", Fraction(24), "rate.raised-by-1001",
             "The packets show 24 frames a second where 23.976 is asked: "
             "faster by 1001/1000, one frame more every 42 s."),
            (25, Fraction(50), "rate.doubled",
             "The packets show 50 frames a second, twice the 25 asked: "
             "fields written as frames, or every frame written twice."),
            (50, Fraction(25), "rate.halved",
             "The packets show 25 frames a second, half the 50 asked: every second moment is lost."),
            (25, Fraction(30), "rate.other-family",
             "The packets show 30 frames a second where 25 is asked, which is another family of rates."),
            (30, Fraction(144, 5), "rate.wandering",
             "The packets show 28.8 (non-standard) frames a second, which is no standard rate; 30 is asked."),
        ):  # fmt: skip
            self.assertEqual(self.code(RATE, {"equals": asked}, (O, RATE, found)), (code, says))

    def test_other_signatures(self) -> None:
        for id_, condition, witness, value, code, says in (
            ("picture.chroma", {"equals": "4:2:2"}, C, "4:2:0", "chroma.thinner",
             "The stream says 4:2:0 where 4:2:2 is asked: colour has been thrown away."),
            ("picture.size", {"equals": "1920×1080"}, C, (1280, 720), "size.other",
             "The stream says 1280 × 720 where 1920 × 1080 is asked: the same shape, 0.667 times as large."),
            ("wrapper.index_first", {"equals": True}, O, False, "index.last",
             "The index stands after the media, so playing cannot start before the whole file is there."),
            ("sound.sample_rate", {"equals": 48000}, C, (44100,), "sound.other-sample-rate",
             "The stream says 44100 Hz where 48000 Hz is asked."),
            ("sound.codec", {"equals": "aac"}, D, (), "sound.none",
             "There is no sound track that could have the sound codec asked for (aac)."),
            ("bitrate.average", {"between": ["10 Mb/s", "16 Mb/s"]}, O, 4_100_000, "bitrate.too-low",
             "The packets show 4.1 Mb/s, below the 10 Mb/s to 16 Mb/s asked."),
            ("file.name", {"matches": "OLP_*.mxf"}, D, "final.mp4", "name.other",
             "The name is final.mp4; a name like OLP_*.mxf is asked."),
            ("gop.longest", {"at_most": 12}, O, 50, "range.above",
             "The packets show longest group 50 frames; ≤ 12 frames is asked."),
            ("picture.entropy", {"equals": "cabac"}, C, "cavlc", "value.differs",
             "The stream says entropy coding cavlc where cabac is asked."),
        ):  # fmt: skip
            self.assertEqual(self.code(id_, condition, (witness, id_, value)), (code, says))

    def test_one_value_among_several_is_not_the_one_that_was_asked(self) -> None:
        twenty_four = (O, RATE, Fraction(24000, 1001))
        self.assertEqual(
            judged(RATE, {"one_of": [24]}, twenty_four).code, judged(RATE, {"equals": 24}, twenty_four).code
        )
        self.assertEqual(judged(RATE, {"one_of": [24, 25]}, twenty_four).code, "value.none-of")

    def test_the_words_of_the_spec_win(self) -> None:
        finding = judged(RATE, {"equals": 24}, (O, RATE, Fraction(25)), why="Ours.", remedy="Change it.")
        self.assertEqual((finding.why, finding.remedy), ("Ours.", "Change it."))

    def test_codes_are_stable_and_single(self) -> None:
        codes = [rule.code for rule in RULES]
        self.assertEqual(len(codes), len(set(codes)))
        for code in codes:
            self.assertRegex(code, r"^[a-z]+\.[a-z0-9-]+$")


TIMELINE = Timeline(
    name="Canal",
    rate=Fraction(25),
    start=Timecode.parse("10:00:00:00", Fraction(25)),
    length=250,
    lanes=(Lane(kind="picture", name="V1", events=(Event(kind="clip", name="Dawn", start=0, end=250),)),),
    size=(1920, 1080),
)


class TimelineTest(TestCase):
    def length(self, frames: int, **more: Any) -> Finding:
        said = [(D, RATE, Fraction(25)), (O, "picture.frame_count", frames)]
        return judged(
            "edit.length", {"same_as_timeline": True} | more.pop("condition", {}), *said, timeline=TIMELINE, **more
        )

    def test_one_frame_too_long(self) -> None:
        self.assertEqual(self.length(250).outcome.value, "pass")
        finding = self.length(251)
        self.assertEqual(finding.code, "length.longer")
        self.assertEqual(
            finding.says, "The file is one frame longer than the timeline: 251 found, 250 frames expected."
        )
        self.assertEqual(self.length(248).code, "length.shorter")

    def test_a_tolerance_in_frames(self) -> None:
        said = [(D, RATE, Fraction(25)), (O, "picture.frame_count", 252)]
        condition = {"same_as_timeline": {"tolerance": 2}}
        self.assertEqual(judged("edit.length", condition, *said, timeline=TIMELINE).outcome.value, "pass")

    def test_a_range(self) -> None:
        self.assertEqual(self.length(50, covered=FrameRange(start=50, end=100)).outcome.value, "pass")

    def test_facts_of_the_file_can_ask_for_the_timeline_too(self) -> None:
        said = (D, "picture.size", (1280, 720))
        finding = judged("picture.size", {"same_as_timeline": True}, said, timeline=TIMELINE)
        self.assertEqual((finding.code, finding.required), ("size.other", "1920 × 1080"))

    def test_every_track_is_held_and_the_wrong_one_is_named(self) -> None:
        timeline = replace(TIMELINE, sample_rate=48000)

        def sampled(*rates: int) -> Finding:
            condition = {"same_as_timeline": True}
            return judged("edit.sample_rate", condition, (D, "sound.sample_rate", rates), timeline=timeline)

        self.assertEqual(sampled(48000, 48000).outcome.value, "pass")
        self.assertEqual(sampled(48000, 44100).says, "The file has 44100 Hz where 48000 Hz is asked.")

    def test_the_shape_is_not_asked_where_the_spec_orders_the_size(self) -> None:
        def shapes(condition: dict[str, Any], size: tuple[int, int] = (1080, 1920)) -> list[str]:
            said = [(D, "picture.size", size), (D, "picture.display_aspect", Fraction(*size))]
            spec = check("picture.size", condition, *said).spec
            found = judge(spec, inspection(*said), timeline=replace(TIMELINE, pixel_aspect=Fraction(1)))
            return [one.outcome.value for one in found.findings if one.line.characteristic.id == "edit.shape"]

        self.assertEqual(shapes({"equals": "1080×1920"}), [])
        self.assertEqual(shapes({"one_of": ["1920×1080", "1080×1920"]}), [])
        self.assertEqual(shapes({"equals": "1920×1080"}), ["caution"])
        self.assertEqual(shapes({"present": True}), ["caution"])
        unknown = inspection((D, "picture.size", (1080, 1920)))
        found = judge(check("picture.size", {"present": True}).spec, unknown, timeline=TIMELINE)
        self.assertEqual([one for one in found.findings if one.line.characteristic.id == "edit.shape"], [])
        self.assertEqual(shapes({"present": True}, (1280, 720)), ["pass"])

    def test_without_a_timeline_nothing_passes(self) -> None:
        finding = judged("edit.length", {"same_as_timeline": True}, (O, "picture.frame_count", 250))
        self.assertEqual(finding.says, "Not measured: no timeline was given.")

    def test_what_the_timeline_does_not_say(self) -> None:
        said = (D, "sound.sample_rate", (48000,))
        finding = judged("edit.sample_rate", {"same_as_timeline": True}, said, timeline=TIMELINE)
        self.assertEqual(finding.says, "Not measured: the timeline does not say.")


class JsonTest(TestCase):
    def test_the_document_of_the_contract(self) -> None:
        result = check(
            RATE, {"equals": 25}, *[(D, RATE, Fraction(25)), (C, RATE, None), (O, RATE, Fraction(24000, 1001))]
        )
        document = check_to_json(result, inspection())
        self.assertEqual(document["schema"], "brisk-sentry/check/1")
        self.assertEqual(document["verdict"], "fail")
        self.assertEqual(document["counts"], {"pass": 0, "fail": 1, "caution": 0, "not measured": 0, "waived": 0})
        row = document["findings"][0]
        self.assertEqual(
            {
                key: row[key]
                for key in (
                    "line",
                    "characteristic",
                    "outcome",
                    "weight",
                    "required",
                    "declared",
                    "coded",
                    "observed",
                    "spans",
                )
            },
            {
                "line": "line",
                "characteristic": RATE,
                "outcome": "fail",
                "weight": "must",
                "required": "25",
                "declared": "25/1",
                "coded": None,
                "observed": "24000/1001",
                "spans": [],
            },
        )


class TargetTest(TestCase):
    def target(self, **conditions: Any) -> Target:
        lines = [
            {"id": name.replace("_", "-"), "characteristic": f"picture.{name}", "condition": condition}
            for name, condition in conditions.items()
        ]
        document = check(RATE, {"present": True}).spec.document
        return target_of(parse_spec({**document, "lines": lines}), "Wide", TIMELINE)

    def test_what_the_timeline_has_counts_where_it_is_allowed(self) -> None:
        self.assertEqual(self.target(frame_rate={"one_of": [24, 25, 30]}).rate, 25)
        self.assertEqual(self.target(frame_rate={"one_of": [24, 30]}).rate, 24)
        self.assertEqual(self.target(frame_rate={"equals": 50}).rate, 50)
        self.assertIsNone(self.target(frame_rate={"at_least": 24}).rate)
        self.assertEqual(self.target(size={"one_of": ["1280×720", "1920×1080"]}).size, (1920, 1080))
        self.assertEqual(self.target(scan={"one_of": ["mixed", "progressive"]}).scan, None)
        self.assertEqual(self.target(scan={"equals": "interlaced"}).scan, "interlaced")


class LimitTest(TestCase):
    def test_bounds_of_the_bit_rate_for_the_lanes(self) -> None:
        result = check("bitrate.average", {"near": {"value": "50 Mb/s", "tolerance": "1 Mb/s"}})
        self.assertEqual(bit_rate_limits(result.spec, inspection()), {"least": 49_000_000, "most": 51_000_000})
        for id_, condition, limits in (
            ("bitrate.average", {"at_least": "8 Mb/s"}, {"least": 8_000_000}),
            ("bitrate.average", {"at_most": "9 Mb/s"}, {"most": 9_000_000}),
            ("bitrate.average", {"present": True}, {}),
            ("bitrate.peak_1s", {"at_most": "10 Mb/s"}, {"peak": 10_000_000}),
            ("bitrate.peak_1s", {"at_least": "10 Mb/s"}, {}),
            (
                "bitrate.buffer",
                {"fits_buffer": {"rate": "9 Mb/s", "size": "2 Mb"}},
                {"buffer_rate": 9_000_000, "buffer_size": 2_000_000},
            ),
            (
                "bitrate.average",
                {"cases": [{"when": {RATE: {"equals": 25}}, "then": {"at_most": "7 Mb/s"}}]},
                {"most": 7_000_000},
            ),
        ):
            spec = check(id_, condition, *TWENTY_FIVE).spec
            self.assertEqual(bit_rate_limits(spec, inspection(*TWENTY_FIVE)), limits, condition)
        self.assertEqual(bit_rate_limits(spec, inspection((D, RATE, Fraction(24)))), {})
