from dataclasses import replace
from fractions import Fraction
from typing import Any
from unittest import TestCase

from brisk_core.captions import Captioned
from brisk_core.captions.tests.test_rules import subrip
from brisk_core.facts import Depth, FactsBuilder, Inspection, keys
from brisk_core.report import Compared, Row, compare
from brisk_core.spec import parse_spec
from brisk_core.spec.tests.test_judge import TIMELINE

SPEC = parse_spec(
    """
brisk_spec: 1
id: small
name: Small spec
family: web
source: a test
issued: 2026-03-02
lines:
  - { id: rate, characteristic: picture.frame_rate, condition: { equals: 25 }, witness: declared }
  - { id: scan, characteristic: picture.scan, condition: { equals: progressive }, label: "Scan, as coded", witness: coded }
  - { id: length, characteristic: edit.length, condition: { same_as_timeline: true } }
"""
)


def file(rate: Fraction = Fraction(25), **more: Any) -> Compared:
    builder = FactsBuilder()
    builder.declared(keys.FILE_NAME, "a.mp4")
    builder.declared(keys.PICTURE_FRAME_RATE, rate)
    builder.declared(keys.PICTURE_FRAME_COUNT, 250)
    builder.coded(keys.PICTURE_SCAN, "progressive")
    for id_, value in more.items():
        builder.coded(keys.BY_ID[id_.replace("__", ".")], value)
    inspection: Inspection = builder.finish(file_name="a.mp4", file_size=1, depth=Depth.PACKETS)
    return Compared(inspection=inspection)


class CompareTest(TestCase):
    def rows(self, *files: Compared, **more: Any) -> dict[str, Row]:
        groups = compare(files, **more)
        return {row.id: row for group in groups for row in (*group.differing, *group.agreeing)}

    def test_lines_carry_their_outcome_and_differ_when_one_file_fails(self) -> None:
        rows = self.rows(file(), file(Fraction(24)), spec=SPEC, timeline=TIMELINE)
        rate = rows["rate"]
        self.assertEqual([cell.outcome for cell in rate.cells], ["pass", "fail"])
        self.assertEqual((rate.required, rate.timeline, rate.differs), ("25", "25", True))
        self.assertEqual([cell.text for cell in rate.cells], ["25", "24"])
        self.assertEqual((rows["scan"].label, rows["scan"].differs), ("Scan, as coded", False))

    def test_facts_that_no_line_asks_about_differ_by_their_values(self) -> None:
        rows = self.rows(file(picture__chroma="4:2:0"), file(picture__chroma="4:2:2"), spec=SPEC)
        self.assertTrue(rows["picture.chroma"].differs)
        self.assertEqual(rows["picture.chroma"].required, "")
        self.assertFalse(rows["picture.frame_count"].differs)

    def test_lines_that_only_one_file_has_stand_beside_nothing(self) -> None:
        captions = Captioned(documents=(subrip([(1, 2, "Far more than twenty characters a second")]),))
        rows = self.rows(file(), replace(file(), captioned=captions), spec=SPEC)
        speed = rows["integrity-captions-reading-speed"]
        self.assertEqual([cell.outcome for cell in speed.cells], ["", "caution"])
        self.assertTrue(speed.differs)
        self.assertEqual([cell.outcome for cell in rows["rate"].cells], ["pass", "pass"])

    def test_the_timeline_counts_for_a_difference(self) -> None:
        rows = self.rows(file(picture__size=(1280, 720)), timeline=TIMELINE)
        self.assertEqual((rows["picture.size"].timeline, rows["picture.size"].differs), ("1920 × 1080", True))

    def test_the_timeline_has_its_length_at_its_own_rate(self) -> None:
        rows = self.rows(file(Fraction(24000, 1001)), file(), timeline=TIMELINE)
        length = TIMELINE.length
        self.assertEqual(rows["picture.frame_count"].timeline, f"{length} frames")

    def test_what_nobody_says_is_left_out_and_names_never_differ(self) -> None:
        rows = self.rows(file(), file())
        self.assertNotIn("picture.primaries", rows)
        self.assertNotIn("file.name", rows)

    def test_a_line_that_is_not_measured_stands_out(self) -> None:
        row = self.rows(file(), spec=SPEC)["length"]
        self.assertEqual((row.cells[0].text, row.cells[0].outcome, row.differs), ("not measured", "not measured", True))
