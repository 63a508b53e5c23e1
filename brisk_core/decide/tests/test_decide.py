"""Waivers, signatures, what to watch and what is asked again, on findings as a check's JSON has them."""

from __future__ import annotations

import random
from datetime import date
from fractions import Fraction
from typing import Any
from unittest import TestCase

from brisk_core.decide import (
    Answer,
    Basis,
    Point,
    Seen,
    Waiver,
    answer_points,
    apply_waivers,
    digest_of,
    digest_of_findings,
    points_of,
    request_text,
    share_seen,
    value_of,
    what_changed,
    what_to_watch,
    why_not_signed,
    why_not_waivable,
)
from brisk_core.facts import Group
from brisk_core.spec import counts_of, verdict_of

TODAY = date(2026, 11, 28)
RATE = Fraction(25)


def finding(line: str = "freeze", outcome: str = "fail", weight: str = "must", **more: Any) -> dict[str, Any]:
    """Return a finding as the JSON of a check has it."""
    return {
        "line": line,
        "label": line.capitalize(),
        "group": Group.PICTURE.value,
        "characteristic": "content.freeze",
        "outcome": outcome,
        "weight": weight,
        "condition": {"absent": True},
        "found": "1 freeze",
        "spans": [{"start": 50, "end": 60}],
        "code": "freeze",
        "says": "The picture stands still.",
        "why": "",
        "remedy": "Look at the clip.",
    } | more


def document(*findings: dict[str, Any]) -> dict[str, Any]:
    return {
        "findings": list(findings),
        "verdict": verdict_of((one["outcome"], one["weight"]) for one in findings),
        "counts": counts_of(one["outcome"] for one in findings),
    }


def waiver(row: dict[str, Any], **more: Any) -> Waiver:
    return Waiver(**{"line": row["line"], "value": value_of(row), "reason": "meant", "by": "Wanda"} | more)


class WaivingTest(TestCase):
    def test_a_waived_fault_is_marked_and_counted_and_no_longer_decides(self) -> None:
        row, other = finding(), finding("black", "pass")
        before = document(row, other)
        applied = apply_waivers(before, [waiver(row)], today=TODAY)
        self.assertEqual(applied.document["verdict"], "pass")
        self.assertEqual(applied.document["counts"]["waived"], 1)
        self.assertEqual(
            applied.document["findings"][0]["waived"], {"was": "fail", "by": "Wanda", "reason": "meant", "until": None}
        )
        self.assertEqual(applied.unused, ())
        self.assertEqual(before["verdict"], "fail")  # the document it was given is left alone

    def test_a_waiver_covers_one_value_one_demand_and_its_places_only(self) -> None:
        row = finding()
        given = waiver(row)
        for name, other in (
            ("another value", finding(found="2 freezes")),
            ("another place", finding(spans=[{"start": 51, "end": 61}])),
            ("another demand", finding(condition={"at_most": 1})),
            ("another fault of the line", finding(code="held-frame")),
            ("another line", finding("held")),
        ):
            with self.subTest(name):
                applied = apply_waivers(document(other), [given], today=TODAY)
                self.assertEqual(applied.document["verdict"], "fail")
                self.assertEqual(applied.unused, (given,))
        reworded = finding(
            says="It does not move.", label="Freezes", remedy="", spans=[{"start": 50, "end": 60, "detail": "x"}]
        )
        self.assertEqual(apply_waivers(document(reworded), [given], today=TODAY).document["verdict"], "pass")

    def test_a_waiver_ends_after_its_last_day(self) -> None:
        row = finding()
        for until, verdict in ((date(2026, 11, 28), "pass"), (date(2026, 11, 27), "fail")):
            applied = apply_waivers(document(row), [waiver(row, until=until)], today=TODAY)
            self.assertEqual(applied.document["verdict"], verdict)

    def test_of_an_ended_and_a_standing_waiver_the_standing_one_counts_in_either_order(self) -> None:
        row = finding()
        both = [waiver(row), waiver(row, until=date(2026, 1, 1))]
        for given in (both, both[::-1]):
            self.assertEqual(apply_waivers(document(row), given, today=TODAY).document["verdict"], "pass")

    def test_damage_and_what_was_not_measured_cannot_be_waived_by_anybody(self) -> None:
        for row in (
            finding(characteristic="wrapper.complete"),
            finding(characteristic="content.unreadable"),
            finding(characteristic="sound.unreadable", outcome="caution"),
            finding(outcome="not measured"),
        ):
            self.assertNotEqual(why_not_waivable(row, lead=True), "")
            outcome = apply_waivers(document(row), [waiver(row)], today=TODAY).document["findings"][0]["outcome"]
            self.assertEqual(outcome, row["outcome"])

    def test_who_may_waive_what(self) -> None:
        for row, lead, may in (
            (finding(), False, False),
            (finding(), True, True),
            (finding(weight="should", outcome="caution"), False, True),
            (finding(outcome="caution"), False, True),
            (finding(outcome="pass"), True, False),
            (finding(outcome="waived"), True, False),
        ):
            self.assertEqual(why_not_waivable(row, lead=lead) == "", may, (row, lead))


class WatchingTest(TestCase):
    def test_head_tail_shots_and_places_in_order_and_joined(self) -> None:
        found = what_to_watch(1000, RATE, [finding(spans=[{"start": 500, "end": 503}])], shots=[(0, "Lock"), (400, "")])
        self.assertEqual(
            [(one.start, one.end, one.why) for one in found],
            [
                (0, 125, ("the first 5 seconds", "first frames of “Lock”")),
                (400, 412, ("first frames of a shot",)),
                (475, 528, ("“Freeze”",)),
                (875, 1000, ("the last 5 seconds",)),
            ],
        )

    def test_what_no_meter_could_judge_asks_for_all_of_it(self) -> None:
        for more in ({"looked_at": False}, {"findings": [finding(outcome="not measured", spans=[])]}):
            found = what_to_watch(1000, RATE, more.pop("findings", []), **more)
            self.assertEqual([(one.start, one.end) for one in found], [(0, 1000)])
        sound = finding(outcome="not measured", spans=[], group=Group.SOUND.value)
        self.assertEqual(len(what_to_watch(1000, RATE, [sound])), 2)

    def test_short_files_and_none(self) -> None:
        self.assertEqual([(one.start, one.end) for one in what_to_watch(3, RATE, [finding()])], [(0, 3)])
        self.assertEqual(what_to_watch(0, RATE, [finding()]), [])

    def test_shares_agree_with_counting_frame_by_frame(self) -> None:
        random.seed(7)
        for _ in range(200):
            pick = lambda: sorted(random.sample(range(60), 2))  # noqa: E731
            stretches = [tuple(pick()) for _ in range(random.randrange(4))]
            seen = [Seen(start=start, end=end, by="A") for start, end in (pick() for _ in range(random.randrange(4)))]
            wanted = {frame for start, end in stretches for frame in range(start, end)}
            watched = {frame for one in seen for frame in range(one.start, one.end)}
            expected = Fraction(len(wanted & watched), len(wanted)) if wanted else Fraction(1)
            self.assertEqual(share_seen(seen, stretches), expected)  # type: ignore[arg-type]


class SigningTest(TestCase):
    def test_what_stands_in_the_way_is_said(self) -> None:
        good = finding(outcome="pass")
        for says, findings, more in (
            ("", [good], {}),
            ("", [good, finding("a", "waived"), finding("b", "caution")], {}),
            ("", [good, finding("a", "not measured", "should")], {}),
            ("", [finding("a", "not measured")], {"seen_lines": ["a"]}),
            ("not been judged", [], {}),
            ("“A” fails and is not waived", [good, finding("a")], {}),
            ("“A”, “B”, “C” and 1 more fail and are", [finding(one) for one in "abcd"], {}),
            ("“A” and “B” are not measured", [finding("a", "not measured"), finding("b", "not measured")], {}),
            ("“B” is not measured", [finding("b", "not measured")], {"seen_lines": ["a"]}),
            ("no checksum", [good], {"checksum": ""}),
            ("watch the programme", [good], {"unseen_pictures": True}),
            ("It is being read.", [good], {"reading": "It is being read."}),
        ):
            with self.subTest(says):
                blocked = why_not_signed(findings, **({"checksum": "ab"} | more))  # type: ignore[arg-type]
                self.assertEqual(len(blocked), 1 if says else 0, blocked)
                self.assertIn(says, "".join(blocked))

    def test_a_digest_is_the_same_for_the_same_and_each_part_that_changed_is_told(self) -> None:
        signed: Basis = {
            "schema": "brisk-sentry/signed/1",
            "file": {"name": "a.mp4", "size": 3, "checksum": "ab"},
            "spec": {"id": "s", "version": 1},
            "edit": {},
            "master": "",
            "findings": digest_of_findings([finding(), finding("black", "pass")]),
            "waivers": [],
            "watched": [],
            "engine": "0.8",
        }
        shuffled = dict(reversed(list(signed.items())))
        shuffled["findings"] = digest_of_findings([finding("black", "pass"), finding()])
        self.assertEqual(digest_of(signed), digest_of(shuffled))  # type: ignore[arg-type]
        self.assertEqual(what_changed(signed, signed), [])
        for part, value in (
            ("file", {"checksum": "ac"}),
            ("spec", {"id": "s", "version": 2}),
            ("edit", {"timeline": "t"}),
            ("master", "cd"),
            ("findings", digest_of_findings([finding()])),
            ("waivers", [{"line": "a"}]),
        ):
            now = {**signed, part: value}
            self.assertEqual(len(what_changed(signed, now)), 1, part)  # type: ignore[arg-type]
            self.assertNotEqual(digest_of(signed), digest_of(now))  # type: ignore[arg-type]
        newer = {**signed, "engine": "0.9"}
        self.assertEqual(what_changed(signed, newer), [])  # type: ignore[arg-type]
        self.assertNotEqual(digest_of(signed), digest_of(newer))  # type: ignore[arg-type]


class AskingTest(TestCase):
    def test_failing_lines_come_first_and_notes_are_left_out(self) -> None:
        found = points_of(
            [finding("a", "caution"), finding("b"), finding("c", "caution", "note"), finding("d", "pass")]
        )
        self.assertEqual([one.line for one in found], ["b", "a"])
        self.assertEqual((found[0].change, found[0].places), ("Look at the clip.", ((50, 60),)))

    def test_each_point_is_answered_and_what_broke_is_named(self) -> None:
        first = [finding("freeze"), finding("black", spans=[]), finding("gone"), finding("size", "pass")]
        asked = [*points_of(first), Point(line="", label="Titles", found="", change="Bigger, please.")]
        far = [{"start": 400, "end": 410}]
        waived = {"was": "fail", "by": "Wanda", "reason": "meant"}
        for later, answers, broken in (
            (
                [finding("freeze", "pass"), finding("black"), finding("size", "fail")],
                [Answer.MENDED, Answer.NOT_MENDED, Answer.UNCLEAR, Answer.UNCLEAR],
                ["Size"],
            ),
            (
                [finding("freeze", spans=far), finding("black", "not measured"), finding("gone", "caution")],
                [Answer.UNCLEAR, Answer.UNCLEAR, Answer.NOT_MENDED, Answer.UNCLEAR],
                [],
            ),
            (
                [finding("freeze", spans=[{"start": 70, "end": 75}]), finding("black", "pass"), finding("gone", "waived", waived=waived)],
                [Answer.NOT_MENDED, Answer.MENDED, Answer.NOT_MENDED, Answer.UNCLEAR],
                [],
            ),
        ):  # fmt: skip
            ticked, broke = answer_points(asked, first, later)
            self.assertEqual([one.answer for one in ticked], answers)
            self.assertEqual(broke, broken)
            self.assertTrue(all(one.says for one in ticked))

    def test_many_places_are_held_against_each_other_as_one_by_one(self) -> None:
        random.seed(3)
        for _ in range(300):
            places = [(one, one + random.randrange(1, 9)) for one in random.sample(range(400), 4)]
            spans = [{"start": one, "end": one + random.randrange(1, 60)} for one in random.sample(range(400), 4)]
            near = any(span["start"] < end + 12 and start < span["end"] + 12 for start, end in places for span in spans)
            point = Point(line="freeze", label="", found="", change="", places=tuple(places))
            ticked, _ = answer_points([point], [], [finding(spans=spans)])
            self.assertEqual(ticked[0].answer, Answer.NOT_MENDED if near else Answer.UNCLEAR)

    def test_the_text_says_all_of_it(self) -> None:
        points = [(one, ["10:00:02:00, “Lock a”, 10 frames"]) for one in points_of([finding()])]
        text = request_text("Canal: Wide", "CANAL_V01.mp4", "By Friday, please.", points, attempt=2)
        for part in ("attempt 2", "CANAL_V01.mp4", "By Friday", "1. Freeze", "stands still", "10:00:02:00", "Look at"):
            self.assertIn(part, text)
