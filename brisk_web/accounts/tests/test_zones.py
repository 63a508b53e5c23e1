"""Times are told in the zone of whoever asks, else in that of the house."""

from __future__ import annotations

from datetime import UTC, datetime
from unittest import mock
from zoneinfo import ZoneInfo

from django.test import SimpleTestCase, TestCase, override_settings
from django.utils import timezone

from brisk_web.accounts.models import Preference
from brisk_web.accounts.roles import OPERATOR, VIEWER
from brisk_web.accounts.zones import zone_words, zones_by_part
from brisk_web.config.environment import ConfigurationRefused, read_environment
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.testing import HouseMixin, spec_version

LATE = datetime(2026, 7, 14, 23, 30, tzinfo=UTC)  # in Lisbon it is the next day already


@override_settings(HOUSE_TIME_ZONE="Europe/Lisbon")
class ZoneTest(HouseMixin, TestCase):
    def setUp(self) -> None:
        super().setUp()
        patch = mock.patch("django.utils.timezone.now", return_value=LATE)
        patch.start()
        self.addCleanup(patch.stop)
        job = Job.objects.create(title="Canal")
        self.owed = Deliverable.objects.create(job=job, name="Wide", spec_version=spec_version(), due_at=LATE)
        self.sign_in(OPERATOR)

    def choose(self, zone: str) -> None:
        answer = self.client.post("/you/", {"time_zone": zone}, follow=True)
        self.assertContains(answer, "Saved")

    def test_today_is_that_of_the_house_until_a_person_chooses_another(self) -> None:
        self.assertContains(self.client.get("/"), "today 00:30")
        self.choose("America/Halifax")
        self.assertContains(self.client.get("/"), "today 20:30")
        self.choose("Asia/Kathmandu")
        page = self.client.get("/")
        self.assertContains(page, "today 05:15")
        self.assertContains(page, "Kathmandu (UTC+5:45)")
        self.sign_in(VIEWER)  # somebody else's choice is theirs
        self.assertContains(self.client.get("/"), "Lisbon (UTC+1)")

    def test_what_is_typed_is_read_in_the_zone_of_whoever_types(self) -> None:
        self.choose("Asia/Tokyo")
        address = f"/deliverables/{self.owed.pk}/change"
        form = self.client.get(address)
        self.assertContains(form, 'value="2026-07-15T08:30"')
        seen = form.context["form"]["seen"].value()
        entries = {"name": "Wide", "spec_version": self.owed.spec_version_id, "due_at": "2026-07-16T09:00"}
        self.client.post(address, entries | {"seen": seen})
        self.owed.refresh_from_db()
        self.assertEqual(self.owed.due_at, datetime(2026, 7, 16, tzinfo=UTC))

    def test_a_zone_that_is_none_is_refused_and_one_that_is_gone_is_the_house_s(self) -> None:
        self.assertContains(self.client.post("/you/", {"time_zone": "Mars/Olympus"}), "Mars/Olympus")
        Preference.objects.create(user=self.people[OPERATOR], time_zone="Mars/Olympus")
        self.assertContains(self.client.get("/"), "Lisbon (UTC+1)")


class HouseZoneTest(TestCase):
    def test_a_house_s_zone_is_checked_at_start(self) -> None:
        with mock.patch.dict("os.environ", {"BRISK_TIME_ZONE": "Europe/Lisbon"}):
            self.assertEqual(read_environment().time_zone, "Europe/Lisbon")
        with (
            mock.patch.dict("os.environ", {"BRISK_TIME_ZONE": "Lisbon"}),
            self.assertRaisesRegex(ConfigurationRefused, "BRISK_TIME_ZONE"),
        ):
            read_environment()


class WordsTest(SimpleTestCase):
    def test_a_zone_is_told_by_its_place_and_how_far_it_is_ahead(self) -> None:
        winter = datetime(2026, 1, 14, 12, tzinfo=UTC)
        for zone, words in (
            ("UTC", "UTC"),
            ("Europe/Lisbon", "Lisbon (UTC+0)"),
            ("America/St_Johns", "St Johns (UTC-3:30)"),
            ("Asia/Kathmandu", "Kathmandu (UTC+5:45)"),
        ):
            with mock.patch("django.utils.timezone.now", return_value=winter), timezone.override(ZoneInfo(zone)):
                self.assertEqual(zone_words(), words)

    def test_zones_are_offered_by_their_part_of_the_world(self) -> None:
        offered = dict(zones_by_part())
        self.assertIn(("Europe/Lisbon", "Lisbon"), offered["Europe"])
        self.assertIn(("America/Argentina/Buenos_Aires", "Argentina, Buenos Aires"), offered["America"])
        self.assertEqual({"Etc", "US", "UTC", ""} & set(offered), set())
        self.assertFalse({"Etc/GMT", "UTC", "Canada/Pacific"} & {name for part in offered.values() for name, _ in part})
