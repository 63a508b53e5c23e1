"""Records that are changed, put out of use and brought back."""

from __future__ import annotations

import re
from typing import Any
from unittest import mock

from django.test import Client, TestCase

from brisk_core.errors import EditRefused
from brisk_web.accounts.roles import LEAD, OPERATOR
from brisk_web.checks.models import Check, Finding
from brisk_web.checks.services import judge
from brisk_web.edits.events import timeline_changed
from brisk_web.edits.models import Timeline
from brisk_web.edits.services import carried_range, change_timeline
from brisk_web.house.models import AuditEntry
from brisk_web.jobs.events import assigned
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.jobs.services import change_deliverable, take_in
from brisk_web.jobs.suggestions import suggest
from brisk_web.pages.tests.furnished import furnish
from brisk_web.storage.models import StorageRoot
from brisk_web.testing import SPEC, HouseMixin, QueueTestCase, spec_version

BY_KIND = """
brisk_spec: 1
id: by-kind
name: By kind
family: web
source: a test
issued: 2026-03-02
lines:
  - id: kind
    characteristic: picture.frame_rate
    condition:
      cases:
        - when: { order.kind: { one_of: [sport, stage] } }
          then: { at_least: 25 }
        - otherwise: { at_least: 100 }
"""


class FurnishedMixin(HouseMixin):
    """A house with one of everything, and an operator in it."""

    client: Client

    def setUp(self) -> None:
        super().setUp()
        self.values = furnish(self).values
        self.sign_in(OPERATOR)
        self.deliverable = Deliverable.objects.get()

    def seen_at(self, address: str) -> str:
        """The state that a form remembers."""
        found = re.search(r'name="seen" value="(\w+)"', self.client.get(address).content.decode())
        assert found
        return found[1]


class ChangeTest(FurnishedMixin, TestCase):
    def test_a_job_is_renamed_and_the_trail_has_both_titles(self) -> None:
        address = f"/jobs/{self.values['job_id']}/change"
        self.client.post(address, {"title": "Canal, final", "seen": self.seen_at(address)})
        self.assertEqual(Job.objects.get().title, "Canal, final")
        self.assertIn("Canal to Canal, final", AuditEntry.objects.get(verb="job.renamed").says)

    def test_the_next_attempt_is_judged_by_the_kind_of_work(self) -> None:
        Job.objects.update(kind_of_work="stage")
        self.deliverable.refresh_from_db()
        check = take_in(self.media("later.mp4"), self.deliverable)
        self.assertEqual(check.kind_of_work, "stage")

    def test_a_range_is_shown_as_it_is_written_and_emptied(self) -> None:
        address = f"/deliverables/{self.deliverable.pk}/change"
        entries = {"name": "Wide", "spec_version": self.deliverable.spec_version_id}
        entries |= {"timeline": self.deliverable.timeline_id, "range_text": "1-3"}
        self.client.post(address, entries | {"seen": self.seen_at(address)})
        self.deliverable.refresh_from_db()
        self.assertEqual((self.deliverable.range_start, self.deliverable.range_end), (1, 3))
        self.assertContains(self.client.get(address), f'value="{self.deliverable.range_entry}"')
        self.client.post(address, entries | {"range_text": "", "seen": self.seen_at(address)})
        self.deliverable.refresh_from_db()
        self.assertEqual((self.deliverable.range_start, self.deliverable.range_end), (None, None))

    def test_attempts_follow_only_where_that_is_asked_for_and_something_changed(self) -> None:
        check, lead = Check.objects.exclude(render=None).get(), self.people["lead"]
        kept, newer = check.spec_version, spec_version(SPEC.replace("equals: 25", "equals: 50"))
        wide = Deliverable.objects.get()
        self.assertEqual(change_deliverable(wide, attempts_too=True, by=lead), 0)
        wide.spec_version = newer
        self.assertEqual(change_deliverable(wide, attempts_too=False, by=lead), 0)
        check.refresh_from_db()
        self.assertEqual(check.spec_version, kept)
        self.assertEqual(change_deliverable(wide, attempts_too=True, by=lead), 1)
        check.refresh_from_db()
        self.assertEqual(check.spec_version, newer)

    def test_a_person_is_told_once_that_a_deliverable_is_theirs(self) -> None:
        wide, lead = Deliverable.objects.get(), self.people["lead"]
        told = mock.Mock()
        assigned.connect(told)
        self.addCleanup(assigned.disconnect, told)
        for person, count in ((None, 0), (self.people[OPERATOR], 1), (self.people[OPERATOR], 1), (lead, 2), (None, 2)):
            wide.assigned_to = person
            change_deliverable(wide, attempts_too=False, by=lead)
            self.assertEqual(told.call_count, count)

    def test_a_timeline_says_whether_what_files_are_held_against_has_changed(self) -> None:
        timeline, lead = Timeline.objects.get(), self.people["lead"]
        told = mock.Mock()
        timeline_changed.connect(told)
        self.addCleanup(timeline_changed.disconnect, told)
        said = {"size": "1920x1080", "scan": "progressive"}
        self.assertTrue(change_timeline(timeline, "Canal", said, by=lead))
        self.assertFalse(change_timeline(timeline, "Canal lock", said, by=lead))
        self.assertEqual((told.call_count, Timeline.objects.get().name), (1, "Canal lock"))

    def test_the_second_of_two_is_told_and_nothing_is_overwritten_unseen(self) -> None:
        address = f"/jobs/{self.values['job_id']}/change"
        seen = self.seen_at(address)
        self.client.post(address, {"title": "By Lena", "seen": seen})
        answer = self.client.post(address, {"title": "By Otto", "seen": seen})
        self.assertContains(answer, "Somebody else changed this")
        self.assertContains(answer, "By Lena")
        self.assertContains(answer, 'value="By Otto"')
        self.assertEqual(Job.objects.get().title, "By Lena")
        again = re.search(r'name="seen" value="(\w+)"', answer.content.decode())
        assert again
        self.client.post(address, {"title": "By Otto", "seen": again[1]})
        self.assertEqual(Job.objects.get().title, "By Otto")

    def test_a_new_edit_replaces_nothing_unless_one_comes_from_the_version_before(self) -> None:
        address = f"/jobs/{self.values['job_id']}/timelines/new"
        self.assertEqual(self.client.get(address).context["form"]["replaces"].value(), 0)
        number = self.values["timeline_id"]
        self.assertContains(self.client.get(f"{address}?replaces={number}"), f'value="{number}" selected')

    def test_a_root_is_renamed_by_a_lead(self) -> None:
        address = f"/files/roots/{self.root.pk}/change"
        self.assertEqual(self.client.get(address).status_code, 403)
        self.sign_in(LEAD)
        self.client.post(address, {"name": "Vault", "seen": self.seen_at(address)})
        self.assertEqual(StorageRoot.objects.get(pk=self.root.pk).name, "Vault")


class JudgedAgainTest(FurnishedMixin, QueueTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.work()

    def entries(self, range_text: str) -> dict[str, Any]:
        """What the form of the deliverable sends for another range, attempts too."""
        address = f"/deliverables/{self.deliverable.pk}/change"
        return {
            "name": "Wide", "spec_version": self.deliverable.spec_version_id, "timeline": self.deliverable.timeline_id,
            "range_text": range_text, "attempts_too": "on", "seen": self.seen_at(address),
        }  # fmt: skip

    def test_an_attempt_is_judged_by_the_spec_that_a_deliverable_has_now(self) -> None:
        other = spec_version(SPEC.replace("id: small", "id: other").replace("equals: 25", "equals: 50"))
        address = f"/deliverables/{self.deliverable.pk}/change"
        entries = {
            "name": "Wide",
            "spec_version": other.pk,
            "timeline": self.deliverable.timeline_id,
            "naming_rule": "X_#.mp4",
        }
        check = Check.objects.get(render__isnull=False)
        self.client.post(address, entries | {"seen": self.seen_at(address)})
        check.refresh_from_db()
        self.assertNotEqual(check.spec_version_id, other.pk, "without the tick, attempts keep what they have")
        self.deliverable.refresh_from_db()
        self.assertEqual(self.deliverable.naming_rule, "X_#.mp4")
        self.client.post(address, entries | {"seen": self.seen_at(address), "attempts_too": "on"})
        check.refresh_from_db()
        self.assertEqual(check.spec_version_id, other.pk)
        self.assertEqual(check.findings.get(line="rate").outcome, "fail")

    def test_a_size_is_mended_and_what_hangs_on_it_judged_again(self) -> None:
        address = f"/timelines/{self.values['timeline_id']}/change"
        before = Check.objects.get(timeline__isnull=False).judged_at
        entries = {"name": "Picture lock", "size": "1280x720", "scan": "progressive", "sample_rate": "48000"}
        answer = self.client.post(address, entries | {"seen": self.seen_at(address)}, follow=True)
        self.assertContains(answer, "judged again")
        edit = Timeline.objects.get().edit
        self.assertEqual((edit.size, edit.scan, edit.sample_rate), ((1280, 720), "progressive", 48000))
        self.assertNotEqual(Check.objects.get(timeline__isnull=False).judged_at, before)
        wrong = self.client.post(address, entries | {"size": "wide", "seen": self.seen_at(address)})
        self.assertContains(wrong, "wide")
        self.assertEqual(Timeline.objects.get().edit.size, (1280, 720))

    def test_an_edl_is_read_at_another_rate_and_ranges_keep_their_timecodes(self) -> None:
        address = f"/timelines/{self.values['timeline_id']}/change"
        self.client.post(f"/deliverables/{self.deliverable.pk}/change", self.entries("10:00:00:10-10:00:01:00"))
        self.deliverable.refresh_from_db()
        self.assertEqual((self.deliverable.range_start, self.deliverable.range_end), (10, 25))
        before = Check.objects.get(timeline__isnull=False)
        self.assertEqual((before.range_start, before.range_end), (10, 25))
        said = {
            "name": "Lock",
            "size": "1920x1080",
            "scan": "progressive",
            "pixel_aspect": "1:1",
            "sample_rate": "48000",
        }
        self.assertContains(self.client.get(address), 'name="rate" value="25"')
        self.client.post(address, said | {"rate": "50", "seen": self.seen_at(address)})
        edit = Timeline.objects.get().edit
        self.assertEqual((edit.rate, edit.length, edit.size), (50, 100, (1920, 1080)))
        self.deliverable.refresh_from_db()
        check = Check.objects.get(timeline__isnull=False)
        for ranged in (self.deliverable, check):
            self.assertEqual((ranged.range_start, ranged.range_end), (20, 50))
        self.assertEqual(self.deliverable.range_entry, "10:00:00:20-10:00:01:00")
        self.assertNotEqual(check.judged_at, before.judged_at)
        wrong = self.client.post(address, said | {"rate": "7", "seen": self.seen_at(address)})
        self.assertEqual(list(wrong.context["form"].errors), ["rate"])
        self.assertEqual(Timeline.objects.get().edit.rate, 50)

    def test_a_range_always_has_a_frame_of_the_edit(self) -> None:
        for start, end, places, expected in (
            (3, 9, {3: 6, 9: 18}, (6, 18)),
            (3, 4, {3: 2, 4: 2}, (1, 2)),
            (8, 9, {8: 5, 9: 5}, (4, 5)),
            (0, 1, {0: 0, 1: 0}, (0, 1)),
        ):
            self.assertEqual(carried_range(start, end, places.__getitem__), expected)
        self.assertEqual(carried_range(None, None, {}.__getitem__), (None, None))

    def test_a_rate_that_its_file_states_is_not_mended(self) -> None:
        timeline = Timeline.objects.get()
        timeline.edl.delete()
        address = f"/timelines/{timeline.pk}/change"
        self.assertNotContains(self.client.get(address), 'name="rate"')
        with self.assertRaisesMessage(EditRefused, "import it again to mend that"):
            change_timeline(timeline, "Lock", {}, rate="50", by=None)

    def test_another_kind_of_work_judges_what_asks_for_it_again(self) -> None:
        asking = spec_version(BY_KIND)
        render = self.deliverable.renders.get()
        Check.objects.filter(render=render).update(spec_version=asking)
        judge(render.check_record)
        plain = take_in(self.media("plain.mp4"), self.deliverable)
        self.work()
        finding = Finding.objects.filter(check_record__render=render, line="kind")
        self.assertEqual(finding.get().outcome, "not measured")
        before = Check.objects.get(pk=plain.pk).judged_at
        self.assertIsNotNone(before)
        address = f"/jobs/{self.values['job_id']}/change"
        entries = {"title": "Canal", "kind_of_work": "sport", "seen": self.seen_at(address)}
        answer = self.client.post(address, entries, follow=True)
        self.assertContains(answer, "1 check that asks for it was judged again.")
        self.assertContains(answer, "Kind of work: sport.")
        self.assertEqual(finding.get().outcome, "pass")
        plain.refresh_from_db()
        self.assertEqual((plain.judged_at, plain.kind_of_work), (before, "sport"))
        self.assertEqual(
            AuditEntry.objects.get(verb="job.ordered-as").says, "Changed the kind of work of Canal to sport"
        )
        self.assertFalse(AuditEntry.objects.filter(verb="job.renamed").exists())
        entries = {"title": "Canal", "kind_of_work": "talk", "seen": self.seen_at(address)}
        self.client.post(address, entries)
        self.assertEqual(finding.get().outcome, "fail")


class RetireTest(FurnishedMixin, TestCase):
    def verbs(self) -> list[str]:
        return list(AuditEntry.objects.order_by("pk").values_list("verb", flat=True))

    def test_a_closed_job_owes_nothing_and_comes_back_by_undo(self) -> None:
        Deliverable.objects.update(naming_rule="OLP_V#.mp4")
        self.assertIsNotNone(suggest("OLP_V2.mp4"))
        address = f"/jobs/{self.values['job_id']}/close"
        answer = self.client.post(address, follow=True)
        self.assertContains(answer, f'action="{address}"')
        self.assertContains(answer, "1 closed")
        self.assertNotContains(self.client.get("/"), "Wide")
        self.assertIsNone(suggest("OLP_V2.mp4"))
        self.assertContains(self.client.get("/jobs/?show=closed"), "Canal")
        self.client.post(address, {"again": "1"})
        self.assertContains(self.client.get("/"), "Wide")
        self.assertEqual(self.verbs()[-2:], ["job.retired", "job.brought-back"])

    def test_a_deliverable_that_is_removed_keeps_its_checks_and_can_be_brought_back(self) -> None:
        address = f"/deliverables/{self.deliverable.pk}/retire"
        self.client.post(address)
        self.client.post(address)  # twice is once
        self.assertEqual(self.verbs().count("deliverable.retired"), 1)
        page = self.client.get(f"/jobs/{self.values['job_id']}/")
        self.assertContains(page, "This job owes nothing yet")
        self.assertContains(page, "Bring back")
        self.assertEqual(self.client.get(f"/checks/{self.values['check_id']}/").status_code, 200)
        self.client.post(address, {"again": "1"})
        self.assertNotContains(self.client.get(f"/jobs/{self.values['job_id']}/"), "This job owes nothing yet")

    def test_a_timeline_that_is_removed_is_offered_no_more(self) -> None:
        self.client.post(f"/timelines/{self.values['timeline_id']}/retire")
        form = self.client.get(f"/jobs/{self.values['job_id']}/deliverables/new")
        self.assertFalse(form.context["form"].fields["timeline"].queryset.exists())
        self.assertEqual(self.client.get(f"/timelines/{self.values['timeline_id']}/").status_code, 200)

    def test_a_deliverable_of_a_removed_timeline_can_still_be_changed(self) -> None:
        self.client.post(f"/timelines/{self.values['timeline_id']}/retire")
        address = f"/deliverables/{self.deliverable.pk}/change"
        entries = {"name": "Wider", "spec_version": self.deliverable.spec_version_id}
        self.client.post(address, entries | {"timeline": self.values["timeline_id"], "seen": self.seen_at(address)})
        self.deliverable.refresh_from_db()
        self.assertEqual((self.deliverable.name, self.deliverable.timeline_id), ("Wider", self.values["timeline_id"]))

    def test_a_file_is_put_away_and_comes_back_when_it_is_taken_in(self) -> None:
        file = self.media("stray.mp4", frames=6)
        self.assertContains(self.client.get("/"), "stray.mp4")
        self.client.post(f"/files/{file.pk}/put-away")
        page = self.client.get("/")
        self.assertContains(page, "1 put away")
        self.assertEqual([row.file.name for row in page.context["intake"]], [])
        self.assertContains(self.client.get("/?intake=away"), "stray.mp4")
        self.client.post(f"/files/{file.pk}/take-in", {"deliverable": self.deliverable.pk})
        file.refresh_from_db()
        self.assertIsNone(file.retired_at)

    def test_a_root_that_is_removed_is_not_offered(self) -> None:
        self.sign_in(LEAD)
        self.client.post(f"/files/roots/{self.root.pk}/retire")
        self.assertNotContains(self.client.get("/files/"), "Browse Shelf")
        self.assertContains(self.client.get("/house/"), "not offered")
