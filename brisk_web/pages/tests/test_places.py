"""Places of findings in the words of the edit."""

from __future__ import annotations

from fractions import Fraction
from typing import Any, cast

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase

from brisk_core.exact import Timecode
from brisk_core.facts import Inspection, keys
from brisk_web.checks.models import Check
from brisk_web.edits.services import import_timeline
from brisk_web.jobs.models import Job
from brisk_web.pages.places import Guide
from brisk_web.testing import HouseMixin

EDL = b"""TITLE: CANAL
FCM: NON-DROP FRAME
001 A V C 00:00:00:00 00:00:02:00 10:00:00:00 10:00:02:00
* FROM CLIP NAME: Lock
002 B V C 00:00:00:00 00:00:04:00 10:00:02:00 10:00:06:00
* FROM CLIP NAME: Lamp 12
"""


class _Facts:
    """What a guide asks of the facts."""

    def __init__(self, rate: Fraction | None, carried: Timecode | None = None) -> None:
        self._rate, self._carried = rate, carried

    def __getitem__(self, key: object) -> Any:
        return self._rate if key is keys.PICTURE_FRAME_RATE else None

    def witnessed(self, key: object) -> Any:
        return self

    def spoken(self) -> dict[str, Timecode]:
        return {"declared": self._carried} if self._carried else {}


def told(check: Check, facts: _Facts | None, *spans: tuple[int, int, str]) -> list[tuple[str, str, str, str]]:
    guide = Guide(check, cast("Inspection | None", facts))
    found = guide.places([{"start": start, "end": end, "detail": detail} for start, end, detail in spans])
    return [(place.timecode, place.shot, place.length, place.detail) for place in found.shown]


class PlacesTest(HouseMixin, TestCase):
    def setUp(self) -> None:
        super().setUp()
        job = Job.objects.create(title="Canal")
        upload = SimpleUploadedFile("a.edl", EDL)
        self.timeline = import_timeline(job, upload, {"rate": "25"}, by=self.people["operator"])

    def test_a_file_of_an_edit_is_told_by_its_timecode_and_shots(self) -> None:
        check = Check(timeline=self.timeline)
        self.assertEqual(
            told(check, _Facts(Fraction(25)), (49, 50, ""), (50, 59, "held"), (60, 125, ""), (150, 152, "")),
            [
                ("10:00:01:24", "Lock", "1 frame", ""),
                ("10:00:02:00", "Lamp 12", "9 frames", "held"),
                ("10:00:02:10", "Lamp 12", "2.6 s", ""),
                ("10:00:06:00", "after the end of the edit", "2 frames", ""),
            ],
        )

    def test_a_range_begins_where_it_is_cut(self) -> None:
        check = Check(timeline=self.timeline, range_start=40, range_end=60)
        self.assertEqual(
            told(check, _Facts(Fraction(25)), (0, 1, ""), (10, 12, ""), (20, 21, "")),
            [
                ("10:00:01:15", "Lock", "1 frame", ""),
                ("10:00:02:00", "Lamp 12", "2 frames", ""),
                ("10:00:02:10", "after the end of the edit", "1 frame", ""),
            ],
        )

    def test_a_file_of_another_rate_or_without_an_edit_is_told_by_its_own_timecode(self) -> None:
        own = Timecode.parse("01:00:00;00", Fraction(30000, 1001))
        for check in (Check(timeline=self.timeline), Check()):
            places = told(check, _Facts(Fraction(30000, 1001), own), (1800, 1801, ""))
            self.assertEqual(places, [("01:01:00;02", "", "1 frame", "")])
        self.assertEqual(told(Check(), _Facts(Fraction(25)), (26, 28, "")), [("00:00:01:01", "", "2 frames", "")])
        self.assertEqual(told(Check(), _Facts(None), (26, 28, "")), [("frame 26", "", "2 frames", "")])
        self.assertEqual(told(Check(), None, (0, 1, "")), [("frame 0", "", "1 frame", "")])

    def test_many_places_are_counted(self) -> None:
        spans = [{"start": at, "end": at + 1} for at in range(40)]
        found = Guide(Check(), None).places(spans)
        self.assertEqual((len(found.shown), found.more), (12, 28))

    def test_a_detail_that_all_share_is_not_said_at_each(self) -> None:
        shared = told(Check(), None, (1, 2, "held"), (5, 6, "held"))
        self.assertEqual([detail for *_, detail in shared], ["", ""])
        apart = told(Check(), None, (1, 2, "held"), (5, 6, "blended"))
        self.assertEqual([detail for *_, detail in apart], ["held", "blended"])
