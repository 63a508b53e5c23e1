from datetime import UTC, datetime, timedelta
from unittest import mock

from django.test import SimpleTestCase

from brisk_web.checks.models import Check
from brisk_web.pages.ribbons import ribbon_of, verdict_words, worst
from brisk_web.ui import marks
from brisk_web.ui.templatetags import brisk

NOON = datetime(2026, 11, 25, 12, tzinfo=UTC)


class TimeWordTest(SimpleTestCase):
    def setUp(self) -> None:
        patch = mock.patch("django.utils.timezone.now", return_value=NOON)
        patch.start()
        self.addCleanup(patch.stop)

    def test_due_times(self) -> None:
        for moment, words in (
            (NOON + timedelta(hours=4), "today 16:00"),
            (NOON + timedelta(days=1), "tomorrow 12:00"),
            (NOON + timedelta(days=2), "Fri 27 Nov"),
            (NOON + timedelta(days=60), "Sun 24 Jan 2027"),
            (None, "no date"),
        ):
            self.assertEqual(brisk.due(moment), words)
        self.assertTrue(brisk.is_late(NOON - timedelta(minutes=1)))
        self.assertFalse(brisk.is_late(None))

    def test_past_times(self) -> None:
        for past, words in (
            (5, "just now"),
            (60 * 12, "12 min ago"),
            (3600 * 3, "3 h ago"),
            (86400 * 21, "4 Nov 12:00"),
        ):
            self.assertEqual(brisk.ago(NOON - timedelta(seconds=past)), words)

    def test_spans_of_time(self) -> None:
        for seconds, words in ((0.4, "0:00"), (72, "1:12"), (3723, "1:02:03"), (None, "")):
            self.assertEqual(brisk.span_of_time(seconds), words)


class RibbonTest(SimpleTestCase):
    def test_the_worst_finding_of_each_group_in_the_registrys_order(self) -> None:
        rows = [
            ("Timeline", "fail"),
            ("Picture", "pass"),
            ("Picture", "caution"),
            ("File", "pass"),
            ("Timeline", "pass"),
        ]
        cells = ribbon_of(rows)
        self.assertEqual(
            [(cell.group, cell.outcome) for cell in cells],
            [("File", "pass"), ("Picture", "caution"), ("Timeline", "fail")],
        )
        self.assertEqual((cells[2].passed, cells[2].lines), (1, 2))
        self.assertEqual(worst(["waived", "not measured", "pass"]), "not measured")

    def test_verdicts_in_words(self) -> None:
        for counts, words in (
            ({"pass": 43, "fail": 3}, "3 of 46 lines fail"),
            ({"pass": 22, "fail": 1, "caution": 1}, "1 of 24 lines fails"),
            ({"pass": 2, "not measured": 2}, "2 of 4 lines are not measured"),
            ({"pass": 3, "caution": 1}, "1 of 4 lines gives caution"),
            ({"pass": 31}, "all 31 lines pass"),
        ):
            self.assertEqual(verdict_words(Check(verdict="x", counts=counts)), words)
        self.assertEqual(verdict_words(Check()), "not judged yet")


class MarkTest(SimpleTestCase):
    def test_every_outcome_has_a_shape_of_its_own_and_a_name(self) -> None:
        drawn = {outcome: marks.mark(outcome) for outcome in ("pass", "fail", "caution", "not measured", "waived")}
        shapes = {svg.split("</title>")[1] for svg in drawn.values()}
        self.assertEqual(len(shapes), 5)
        for outcome, svg in drawn.items():
            self.assertIn(f'aria-label="{outcome}"', svg)
