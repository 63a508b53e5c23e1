"""Reports: their schema, their lanes, tables and texts; the same records give the same bytes."""

from __future__ import annotations

import csv
import io
import json
import re
from typing import Any
from unittest import TestCase
from xml.etree import ElementTree

from jsonschema import Draft202012Validator

from brisk_core.report import (
    lane_of,
    lane_svg,
    many_report,
    render_report,
    report_csv,
    report_schema,
    report_text,
    worst_first,
)

SVG = "{http://www.w3.org/2000/svg}"


def row(line: str, outcome: str, **more: Any) -> dict[str, Any]:
    return {
        "line": line, "label": line.capitalize(), "group": "picture", "outcome": outcome, "weight": "must",
        "required": "none", "found": "1", "says": f"{line} was seen.", "why": "", "remedy": "Render it again.",
        "condition": {"absent": True}, "spans": [], "code": "x", "characteristic": "content.black",
    } | more  # fmt: skip


def report(*rows: dict[str, Any], **more: Any) -> dict[str, Any]:
    about = {
        "job": "Canal", "deliverable": "Wide", "attempt": 2, "range": "whole timeline", "engine": "0.8",
        "file": {"name": "CANAL_V02.mp4", "size": 12, "checksum": "ab" * 16},
        "spec": {"id": "s", "name": "Web", "version": 3}, "verdict_words": "1 of 3 lines fails", "judged_at": "",
    }  # fmt: skip
    place = {"start": 50, "timecode": "10:00:02:00", "shot": "Lock a", "length": "10 frames", "detail": ""}
    decided: dict[str, Any] = {"state": "to decide", "signatures": [], "requests": [], "watched": []}
    return render_report(
        rows,
        about=about,
        verdict="fail",
        counts={"fail": 1},
        facts=[("Size", "1920 × 1080")],
        places={"black": [place]},
        decided=decided | more,
        lanes=[lane_of("Bit rate", "Mb/s", [[1, 2], None, [3, 4]], limits=[("most 5", 5)], marks=[(0.2, 0.3)])],
    )


WAIVED = row("freeze", "waived", waived={"was": "fail", "by": "Wanda", "reason": "a still is meant", "until": None})


class RenderTest(TestCase):
    def test_it_is_of_its_schema_and_the_same_for_the_same(self) -> None:
        made = report(row("black", "fail"), row("size", "pass"), WAIVED, row("sound", "not measured"))
        Draft202012Validator(report_schema()).validate(made)
        again = report(row("black", "fail"), row("size", "pass"), WAIVED, row("sound", "not measured"))
        self.assertEqual(json.dumps(made), json.dumps(again))
        self.assertEqual([one["line"] for one in made["waived"]], ["freeze"])
        self.assertEqual([one["line"] for one in made["not_measured"]], ["sound"])
        self.assertEqual([one["line"] for one in worst_first(made["lines"])], ["black", "sound", "freeze", "size"])

    def test_what_is_no_report_is_not_of_the_schema(self) -> None:
        check = Draft202012Validator(report_schema())
        good = report(row("black", "fail"))
        for broken in (
            {**good, "kind": "job"},
            {**good, "counts": {"fail": -1}},
            {key: value for key, value in good.items() if key != "decided"},
            {**good, "lines": [{**good["lines"][0], "outcome": "fine"}]},
        ):
            self.assertFalse(check.is_valid(broken))

    def test_the_text_says_what_is_wrong_where_and_who_accepted_and_signed(self) -> None:
        signed = {"by": "Wanda", "at": "2026-11-28", "digest": "ab", "words": "", "void": "the findings changed"}
        text = report_text(report(row("black", "fail"), row("size", "pass"), WAIVED, signatures=[signed]))
        for part in (
            "Canal, Wide, attempt 2", "FAIL: Black. black was seen.", "10:00:02:00 10 frames", "WAIVED: Freeze",
            "accepted by Wanda: a still is meant", "Signed by Wanda, 2026-11-28 (void: the findings changed)",
        ):  # fmt: skip
            self.assertIn(part, text)
        self.assertNotIn("Size", text)

    def test_the_table_is_read_back_and_no_cell_is_a_formula(self) -> None:
        hostile = row(
            "black", "fail", says='=HYPERLINK("x")', found="-1.5", remedy='a "quoted", line\nbreak', required="+ 1 dB"
        )
        read = list(csv.DictReader(io.StringIO(report_csv(report(hostile, WAIVED)), newline=""), strict=True))
        self.assertEqual(read[0]["says"], '\'=HYPERLINK("x")')
        self.assertEqual(read[0]["found"], "-1.5")
        self.assertEqual(read[0]["required"], "'+ 1 dB")
        self.assertEqual(read[0]["remedy"], 'a "quoted", line\nbreak')
        self.assertEqual(read[0]["places"], "10:00:02:00")
        self.assertEqual((read[1]["waived by"], read[1]["reason"]), ("Wanda", "a still is meant"))


class LaneTest(TestCase):
    def drawn(self, *args: Any, **more: Any) -> ElementTree.Element:
        return ElementTree.fromstring(lane_svg(lane_of("A & B", "Mb/s", *args, **more)))  # noqa: S314 - our own

    def test_a_gap_parts_the_curve_and_a_limit_lies_within(self) -> None:
        drawn = self.drawn([[1, 2], None, [3, 4], [2, 3]], limits=[("most <6>", 6)], marks=[(0.5, 0.75)])
        shapes = [one.get("d", "") for one in drawn.iter(f"{SVG}path") if one.get("d", "").endswith("Z")]
        self.assertEqual(len(shapes), 2)
        self.assertIn("most <6>", [one.text for one in drawn.iter(f"{SVG}text")])
        (mark,) = drawn.iter(f"{SVG}rect")
        self.assertEqual((mark.get("x"), mark.get("width")), ("408.00", "140.00"))
        heights = [float(y) for shape in shapes for y in re.findall(r" (\d+\.\d+)", shape)]
        self.assertTrue(all(0 <= one <= 56 for one in heights))

    def test_nothing_one_value_and_one_that_never_changes(self) -> None:
        for columns, says in (
            ([], "nothing measured"),
            ([None, None], "nothing measured"),
            ([[5, 5]] * 3, "4.5 to 5.5"),
        ):
            texts = "".join(one.text or "" for one in self.drawn(columns).iter(f"{SVG}text"))
            self.assertIn(says, texts)


class ManyTest(TestCase):
    def row(self, deliverable: str, attempt: int, verdict: str, *faults: str, signed: bool = False) -> dict[str, Any]:
        return {
            "job": "Canal", "deliverable": deliverable, "attempt": attempt, "file": "x.mp4", "checksum": "", "spec": "Web",
            "rendered_by": "", "taken_in": "2026-11-02T10:00:00+00:00", "verdict": verdict, "counts": {}, "state": "",
            "signed": [{"by": "Wanda", "at": "2026-11-03"}] if signed else [], "faults": list(faults),
        }  # fmt: skip

    def test_counts_frequent_faults_and_schema(self) -> None:
        rows = [
            self.row("Wide", 2, "pass", signed=True),
            self.row("Wide", 1, "fail", "Black", "Size"),
            self.row("Tall", 1, "pass"),
            self.row("Square", 3, "fail", "Black"),
        ]
        made = many_report("period", "All to Merrow", rows, period=("2026-11-01", "2026-11-30"))
        Draft202012Validator(report_schema()).validate(made)
        self.assertEqual(made["counts"], {"deliverables": 3, "attempts": 4, "signed": 1, "passed_first_time": 1})
        self.assertEqual(made["frequent_faults"], [{"label": "Black", "times": 2}, {"label": "Size", "times": 1}])
        read = list(csv.DictReader(io.StringIO(report_csv(made), newline=""), strict=True))
        self.assertEqual([one["signed by"] for one in read], ["Wanda", "", "", ""])
        self.assertIn("3 deliverables, 4 attempts, 1 signed", report_text(made))
        empty = many_report("job", "Nothing", [], period=None)
        Draft202012Validator(report_schema()).validate(empty)
