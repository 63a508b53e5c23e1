import datetime
from typing import Any
from unittest import TestCase

from brisk_core.facts.mistakes import ENLARGED, PROGRESSIVE_AS_FIELDS, PULLDOWN
from brisk_core.spec import Finding, judge, parse_spec
from brisk_core.spec.tests.test_judge import C, O, inspection

OTHER = "One picture of five is a repeat: 30 was made from 24."
SCAN, DETAIL, MISTAKES = "picture.scan", "content.detail", "content.mistakes"
Asked = tuple[str, dict[str, Any]]


def mistakes(told: tuple[str, ...], *asked: Asked, detail: tuple[int, int] | None = None) -> Finding:
    """What the line "no known mistakes" finds beside other lines of its spec."""
    lines = ((MISTAKES, {"absent": True}), *asked)
    spec = parse_spec(
        {
            "brisk_spec": 1,
            "id": "test",
            "name": "Test",
            "family": "disc",
            "source": "a test",
            "issued": datetime.date(2026, 1, 1),
            "lines": [
                {"id": f"line-{number}", "characteristic": characteristic, "condition": condition}
                for number, (characteristic, condition) in enumerate(lines)
            ],
        }
    )
    said = [(O, MISTAKES, told), (C, SCAN, "interlaced"), (O, DETAIL, detail)]
    return judge(spec, inspection(*said), integrity=False).findings[0]


class OrderedTest(TestCase):
    def outcome(self, told: tuple[str, ...], *asked: Asked, detail: tuple[int, int] | None = None) -> str:
        return mistakes(told, *asked, detail=detail).outcome.value

    def test_fields_of_one_moment_are_no_mistake_where_the_scan_line_allows_them(self) -> None:
        told = (PROGRESSIVE_AS_FIELDS.says(),)
        self.assertEqual(self.outcome(told), "fail")
        allowed = (SCAN, {"one_of": ["interlaced", "progressive-as-fields"]})
        self.assertEqual(self.outcome(told, allowed), "pass")
        self.assertEqual(self.outcome(told, (SCAN, {"equals": "interlaced"})), "fail")
        found = mistakes((*told, OTHER), allowed)
        self.assertEqual((found.outcome.value, found.found), ("fail", OTHER))

    def test_pulldown_that_is_ordered_is_no_mistake(self) -> None:
        told = (PULLDOWN.says(),)
        self.assertEqual(self.outcome(told, (SCAN, {"equals": "pulldown-3:2"})), "pass")
        self.assertEqual(self.outcome(told, (SCAN, {"equals": "progressive"})), "fail")

    def test_an_enlargement_is_ordered_by_the_detail_that_is_enough(self) -> None:
        told = (ENLARGED.says(lines=1080),)
        enough = (DETAIL, {"at_least": "1920×1080"})
        self.assertEqual(self.outcome(told, enough, detail=(1920, 1080)), "pass")
        for detail in ((1280, 720), (1920, 800), (1440, 1080)):
            self.assertEqual(self.outcome(told, enough, detail=detail), "fail", detail)
        self.assertEqual(self.outcome(told, enough), "fail", "how much there is has not been measured")
        self.assertEqual(self.outcome(told, detail=(1920, 1080)), "fail")
