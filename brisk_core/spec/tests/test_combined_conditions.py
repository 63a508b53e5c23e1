"""Conditions that look at several facts or at all packets: tables, agreement of witnesses, buffers; integrity lines."""

from fractions import Fraction
from typing import Any
from unittest import TestCase

from brisk_core.errors import SpecRefused
from brisk_core.facts import Depth, FactsBuilder, keys
from brisk_core.packets.tests.test_bit_rates import series
from brisk_core.spec import Finding, judge, parse_spec
from brisk_core.spec.integrity import INTEGRITY
from brisk_core.spec.tests.test_judge import C, D, O, check, inspection, judged

SIZE, RATE, SCAN = "picture.size", "picture.frame_rate", "picture.scan"
TABLE = {
    "table": {
        "columns": [SIZE, RATE, SCAN],
        "rows": [
            ["1920×1080", 25, "interlaced"],
            ["1920×1080", [24, "24000/1001"], "progressive"],
            ["1280×720", 50, "progressive"],
        ],
    }
}


def mistakes(condition: dict[str, Any], id_: str = SIZE) -> str:
    try:
        check(id_, condition)
    except SpecRefused as error:
        return str(error)
    raise AssertionError("the spec was read")


class TableTest(TestCase):
    def judged(self, size: Any, rate: Any, scan: Any, **line: Any) -> Finding:
        said = [(C, SIZE, size), (C, RATE, rate), (C, SCAN, scan)]
        return judged(SIZE, TABLE, *[one for one in said if one[2] is not None], **line)

    def test_each_row_is_allowed_and_nothing_between_rows(self) -> None:
        for size, rate, scan in (
            ((1920, 1080), Fraction(25), "interlaced"),
            ((1920, 1080), Fraction(24000, 1001), "progressive"),
            ((1280, 720), Fraction(50), "progressive"),
        ):
            self.assertEqual(self.judged(size, rate, scan).outcome.value, "pass")
        mixed = self.judged((1920, 1080), Fraction(50), "progressive")
        self.assertEqual((mixed.outcome.value, mixed.code), ("fail", "table.no-row"))
        self.assertIn("1920 × 1080, 50, progressive is no allowed combination; the nearest is", mixed.says)
        self.assertEqual(mixed.required, "one of 3 combinations of size, frame rate and scan")

    def test_a_fact_that_nobody_knows_is_never_a_pass(self) -> None:
        unknown = self.judged((1920, 1080), Fraction(25), None)
        self.assertEqual((unknown.outcome.value, unknown.says), ("not measured", "Not measured: scan is not known."))

    def test_every_witness_that_speaks_must_fit_the_row(self) -> None:
        said = [(C, SIZE, (1280, 720)), (C, RATE, Fraction(50)), (C, SCAN, "progressive"), (D, SCAN, "interlaced")]
        self.assertEqual(judged(SIZE, TABLE, *said).outcome.value, "fail")
        self.assertEqual(judged(SIZE, TABLE, *said, witness="coded").outcome.value, "pass")

    def test_mistakes_are_named(self) -> None:
        self.assertIn(
            "at least two different columns, one of them picture.size",
            mistakes({"table": {"columns": [RATE], "rows": [[1]]}}),
        )
        odd = {"table": {"columns": [SIZE, "picture.kodec"], "rows": [["1280×720", "avc"]]}}
        self.assertIn("expected picture.codec", mistakes(odd))
        short = {"table": {"columns": [SIZE, RATE], "rows": [["1280×720"]]}}
        self.assertIn("row 1: met ['1280×720']; expected 2 values", mistakes(short))
        wrong = {"table": {"columns": [SIZE, RATE], "rows": [["1280×720", "fast"]]}}
        self.assertIn("row 1, picture.frame_rate: met 'fast'", mistakes(wrong))
        self.assertIn("met table inside cases", mistakes({"cases": [{"otherwise": TABLE}]}))


class AgreementTest(TestCase):
    def test_witnesses_that_agree_differ_or_are_alone(self) -> None:
        agree = {"witnesses_agree": True}
        same = judged("picture.codec", agree, (D, "picture.codec", "avc"), (C, "picture.codec", "avc"))
        self.assertEqual(same.outcome.value, "pass")
        odd = judged("picture.codec", agree, (D, "picture.codec", "avc"), (C, "picture.codec", "hevc"))
        self.assertEqual((odd.outcome.value, odd.code), ("fail", "witnesses.disagree"))
        self.assertIn("the wrapper says avc; the stream says hevc", odd.says)
        alone = judged("picture.codec", agree, (D, "picture.codec", "avc"))
        self.assertEqual((alone.outcome.value, alone.says), ("not measured", "Not measured: only one witness speaks."))
        self.assertIn("needs a characteristic with several witnesses", mistakes(agree, "file.size"))


class BufferTest(TestCase):
    """25 frames a second, 1000 bits a frame period at 25,000 bit/s."""

    def judged(self, bits: list[int], size: int, *, kept: bool = True) -> Finding:
        spec = parse_spec(
            {
                "brisk_spec": 1, "id": "test", "name": "Test", "family": "disc", "source": "a test", "issued": "2026-01-01",
                "lines": [
                    {
                        "id": "buffer",
                        "characteristic": "bitrate.buffer",
                        "condition": {"fits_buffer": {"rate": "25 kb/s", "size": size}},
                    }
                ],
            }
        )  # fmt: skip
        self.assertTrue(spec.needs_series)
        packets = series([one // 8 for one in bits], "P" * len(bits)) if kept else None
        return judge(spec, inspection((O, RATE, Fraction(25))), series=packets, integrity=False).findings[0]

    def test_a_stream_that_fits(self) -> None:
        found = self.judged([800, 800, 4000, 800], 4000)
        self.assertEqual((found.outcome.value, found.found), ("pass", "needs 4,000 bit at 25 kb/s"))
        self.assertEqual(found.required, "fits 4,000 bit at 25 kb/s")

    def test_underflows_are_spans(self) -> None:
        found = self.judged([1000, 3000, 3000, 1000, 400, 1000], 4999)
        self.assertEqual((found.outcome.value, found.code), ("fail", "buffer.underflow"))
        self.assertEqual([(span.start, span.end) for span in found.spans], [(2, 4)])
        self.assertEqual(found.observed["smallest_buffer"], 5000)

    def test_without_the_packets_it_is_not_measured(self) -> None:
        self.assertEqual(self.judged([1000] * 5, 4000, kept=False).outcome.value, "not measured")

    def test_mistakes_are_named(self) -> None:
        self.assertIn("works on bitrate.buffer only", mistakes({"fits_buffer": {"rate": 1, "size": 1}}))
        self.assertIn("needs a rate and a size", mistakes({"fits_buffer": {"rate": 1}}, "bitrate.buffer"))
        self.assertIn("size in bits", mistakes({"fits_buffer": {"rate": 1, "size": "big"}}, "bitrate.buffer"))


class IntegrityTest(TestCase):
    def test_lines_that_do_not_apply_are_left_out(self) -> None:
        builder = FactsBuilder()
        builder.observed(keys.WRAPPER_COMPLETE, True)
        builder.silent(keys.TIMING_SOUND_GAPS, keys.TIMING_SOUND_OFFSET)
        facts = builder.finish(file_name="a.mp4", file_size=1000, depth=Depth.PACKETS)
        ids = [one.line.id for one in check_with_integrity(facts)]
        self.assertNotIn("integrity-sound-gaps", ids)
        self.assertNotIn("integrity-sound-start", ids)
        outcomes = {one.line.id: one.outcome.value for one in check_with_integrity(facts)}
        self.assertEqual((outcomes["integrity-complete"], outcomes["integrity-gaps"]), ("pass", "not measured"))

    def test_a_spec_that_asks_for_it_itself_takes_the_place_of_a_line(self) -> None:
        facts = inspection((O, "wrapper.complete", False))
        ids = [one.line.id for one in check_with_integrity(facts, "wrapper.complete", {"equals": True})]
        self.assertIn("line", ids)
        self.assertNotIn("integrity-complete", ids)

    def test_every_line_has_a_why_and_a_remedy(self) -> None:
        for line in INTEGRITY:
            self.assertTrue(line.why_told)
            self.assertTrue(line.remedy_told)

    def test_a_spec_cannot_use_their_ids(self) -> None:
        with self.assertRaisesRegex(SpecRefused, "ids that begin with integrity-"):
            check(SIZE, {"equals": "1280×720"}, id="integrity-size")


def check_with_integrity(facts: Any, id_: str = RATE, condition: Any = None) -> tuple[Finding, ...]:
    spec = check(id_, condition or {"equals": 25}).spec
    return judge(spec, facts).findings


class ExactTest(TestCase):
    def test_numbers_are_compared_as_they_are_written(self) -> None:
        for found, outcome in ((-23.1, "pass"), (-23.0, "fail"), (-23.11, "fail")):
            loudness = judged("sound.programme_loudness", {"equals": -23.1}, (O, "sound.programme_loudness", found))
            self.assertEqual(loudness.outcome.value, outcome, found)

    def test_bit_rates_that_are_asked_are_not_rounded(self) -> None:
        found = judged("bitrate.average", {"at_most": "10.08 Mb/s"}, (O, "bitrate.average", 10_090_000))
        self.assertEqual((found.outcome.value, found.required), ("fail", "≤ 10.08 Mb/s"))

    def test_only_the_lines_that_are_asked_for_are_judged(self) -> None:
        lines = [
            {"id": id_, "characteristic": id_, "condition": {"present": True}}
            for id_ in ("picture.codec", "picture.size")
        ]
        head = {
            "brisk_spec": 1,
            "id": "two",
            "name": " Two ",
            "family": "web",
            "source": "a test",
            "issued": "2026-03-02",
        }
        spec = parse_spec({**head, "lines": [one | {"id": one["id"].replace(".", "-")} for one in lines]})
        found = judge(spec, inspection(), only={"picture-size"})
        self.assertEqual([one.line.id for one in found.findings], ["picture-size"])
        self.assertEqual(spec.name, "Two")


BY_KIND = {
    "cases": [
        {"when": {"order.kind": {"one_of": ["sport", "stage"]}}, "then": {"at_least": "12 Mb/s"}},
        {"when": {"order.kind": {"equals": "talk"}, "content.motion": {"at_most": 1}}, "then": {"at_most": "6 Mb/s"}},
        {"otherwise": {"at_most": "9 Mb/s"}},
    ]
}


class KindOfWorkTest(TestCase):
    """What whoever ordered the file says of it, beside what was measured."""

    def outcome(self, rate: int, kind: str | None, motion: float | None = None) -> tuple[str, str]:
        said = [(O, "bitrate.average", rate), *([(O, "content.motion", motion)] if motion is not None else [])]
        spec = check("bitrate.average", BY_KIND).spec
        (finding,) = judge(spec, inspection(*said), kind_of_work=kind, integrity=False).findings
        return finding.outcome.value, finding.says

    def test_the_case_of_the_kind_that_was_ordered_decides(self) -> None:
        self.assertEqual(self.outcome(10_000_000, "sport")[0], "fail")
        self.assertEqual(self.outcome(13_000_000, "stage")[0], "pass")
        self.assertEqual(self.outcome(10_000_000, "drama")[0], "fail")
        self.assertEqual(self.outcome(8_000_000, "drama")[0], "pass")

    def test_it_is_asked_together_with_what_was_measured(self) -> None:
        self.assertEqual(self.outcome(8_000_000, "talk", 0.6)[0], "fail")
        self.assertEqual(self.outcome(8_000_000, "talk", 1.4)[0], "pass")
        self.assertEqual(
            self.outcome(8_000_000, "talk"),
            ("not measured", "Not measured: which case applies depends on motion, which is not known."),
        )

    def test_what_nobody_said_is_not_measured(self) -> None:
        says = "Not measured: which case applies depends on kind of work, which is not known."
        self.assertEqual(self.outcome(8_000_000, None), ("not measured", says))

    def test_a_spec_can_take_one_kind_only(self) -> None:
        spec = check("order.kind", {"equals": "drama"}).spec
        found = {
            kind: judge(spec, inspection(), kind_of_work=kind, integrity=False).findings[0]
            for kind in ("drama", "talk", None)
        }
        self.assertEqual([one.outcome.value for one in found.values()], ["pass", "fail", "not measured"])
        self.assertEqual(found["talk"].says, "The order says kind of work talk where drama is asked.")
        self.assertEqual(found["drama"].says, "As asked: said by the order.")
        self.assertEqual(found[None].says, "Not measured: nobody has said it yet.")

    def test_a_spec_knows_whether_it_asks(self) -> None:
        columns = {"columns": ["picture.size", "order.kind"], "rows": [["1920×1080", ["drama", "talk"]]]}
        for id_, condition, asks in (
            ("bitrate.average", BY_KIND, True),
            ("picture.size", {"table": columns}, True),
            ("order.kind", {"present": True}, True),
            ("picture.size", TABLE, False),
        ):
            self.assertEqual(check(id_, condition).spec.asks_kind_of_work, asks, condition)

    def test_cases_ask_for_nothing_that_only_judging_finds(self) -> None:
        """A line that hangs on another line's outcome cannot be judged; it was an inner error once."""
        for id_ in ("edit.gaps", "master.map"):
            cases = [{"when": {id_: {"present": True}}, "then": {"equals": "1920×1080"}}]
            self.assertIn(f"met {id_} in when; expected what is known of a file", mistakes({"cases": cases}))
        self.assertIn("expected one of drama,", mistakes({"equals": "opera"}, "order.kind"))
