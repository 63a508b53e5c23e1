"""Several deliverables in one step: from bundles and from other jobs, all or none."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

from django.test import TestCase
from django.urls import reverse
from django.utils import timezone

from brisk_core.plan.bundle import read_bundle
from brisk_web.accounts.roles import OPERATOR, VIEWER
from brisk_web.house.models import AuditEntry
from brisk_web.jobs.bundles import bundle_at, bundle_of, order, sources, wanted_of
from brisk_web.jobs.models import Bundle, Deliverable, Job
from brisk_web.jobs.services import JobRefused
from brisk_web.shelf.services import publish_shelf
from brisk_web.testing import HouseMixin

TEXT = """bundle: 1
name: Both
deliverables:
  - { name: Wide, spec: pebbleview-wide, due_in: "2 d", naming_rule: "OLP_*_V##.mp4" }
  - { name: Tall, spec: pebbleview-tall, language: EN, two_sign: true }
"""


class BundlesTest(HouseMixin, TestCase):
    def setUp(self) -> None:
        super().setUp()
        publish_shelf()
        self.by = self.people[OPERATOR]
        self.job = Job.objects.create(title="Canal")

    def rows(self, *rows: dict[str, str], **more: Any) -> dict[str, Any]:
        """What the form sends for some rows."""
        names = ("name", "spec", "naming_rule", "due_at", "range", "language", "two_sign")
        return {f"row_{name}": [row.get(name, "") for row in rows] for name in names} | more

    def test_a_bundle_becomes_deliverables_with_their_dues(self) -> None:
        start = datetime(2026, 11, 29, 9, 41, tzinfo=UTC)
        made = order(self.job, wanted_of(read_bundle(TEXT), start), None, by=self.by)
        self.assertEqual([str(one) for one in made], ["Canal: Wide", "Canal: Tall"])
        wide, tall = made
        self.assertEqual((wide.due_at, tall.due_at), (datetime(2026, 12, 1, 9, tzinfo=UTC), None))
        self.assertEqual((wide.naming_rule, tall.language, tall.two_sign), ("OLP_*_V##.mp4", "EN", True))
        self.assertEqual(wide.spec_version.spec.slug, "pebbleview-wide")
        self.assertEqual(AuditEntry.objects.filter(verb="deliverable.added").count(), 2)

    def test_all_or_none(self) -> None:
        bundle = read_bundle(TEXT.replace("pebbleview-tall", "gone"))
        with self.assertRaisesRegex(JobRefused, "Tall: no spec gone is on the shelf"):
            order(self.job, wanted_of(bundle), None, by=self.by)
        self.assertFalse(Deliverable.objects.exists())
        order(self.job, wanted_of(read_bundle(TEXT)), None, by=self.by)
        with self.assertRaisesRegex(JobRefused, "Wide: the job has a deliverable of this name already; Tall: the job"):
            order(self.job, wanted_of(read_bundle(TEXT)), None, by=self.by)
        with self.assertRaisesRegex(JobRefused, "Nothing is ticked"):
            order(self.job, [], None, by=self.by)

    def test_another_job_is_ordered_again_with_its_distances(self) -> None:
        order(self.job, wanted_of(read_bundle(TEXT)), None, by=self.by)
        first = timezone.now()
        Deliverable.objects.filter(name="Tall").update(due_at=first)
        Deliverable.objects.filter(name="Wide").update(due_at=first + timedelta(hours=30))
        found = {one.name: one.due_in for one in bundle_of(self.job).ordered}
        self.assertEqual(found, {"Tall": 0, "Wide": 108_000})
        Job.objects.update(retired_at=timezone.now())  # one that is closed can be copied as well
        self.assertEqual(len(bundle_of(self.job).ordered), 2)
        other = Job.objects.create(title="Lock")
        made = order(other, wanted_of(bundle_of(self.job)), None, by=self.by)
        self.assertEqual({one.name for one in made}, {"Wide", "Tall"})

    def test_what_is_offered(self) -> None:
        own = Bundle.objects.create(name="Both", text=TEXT)
        order(self.job, wanted_of(read_bundle(TEXT)), None, by=self.by)
        offered = dict(sources())
        self.assertEqual(offered["Bundles of the house"], [(f"own:{own.pk}", "Both")])
        self.assertEqual(offered["What another job owes"], [(f"job:{self.job.pk}", "Canal")])
        for _, rows in sources():
            for key, name in rows:
                found = bundle_at(key)
                assert found
                self.assertEqual(found.name, name)
        for key in ("", "own", "own:x", "own:0", f"own:{'9' * 30}", "job:²", "shipped:none", "shipped:../x"):
            self.assertIsNone(bundle_at(key))

    def test_the_page_adds_what_is_ticked_and_keeps_what_was_typed(self) -> None:
        page = reverse("several-deliverables", args=[self.job.pk])
        self.sign_in(VIEWER)
        self.assertEqual(self.client.get(page).status_code, 403)
        self.sign_in()
        shown = self.client.get(page, {"source": "shipped:pebbleview-shapes"})
        self.assertContains(shown, 'value="Pebbleview square"')
        self.assertContains(self.client.get(page, {"source": "own:7"}), "There is no such bundle any more.")
        sent = self.rows(
            {"name": "Wide", "spec": "pebbleview-wide", "due_at": "2026-12-01T12:00"},
            {"name": "Square", "spec": "pebbleview-square", "naming_rule": "a/b"},
            {"name": "Tall", "spec": "pebbleview-tall", "two_sign": "yes"},
        )
        wrong = self.client.post(page, sent | {"pick": ["0", "1"]})
        self.assertContains(wrong, "Square: ", status_code=400)
        self.assertContains(wrong, 'value="2026-12-01T12:00"', status_code=400)
        self.assertRedirects(self.client.post(page, sent | {"pick": ["0", "2"]}), reverse("job", args=[self.job.pk]))
        self.assertEqual(set(self.job.deliverables.values_list("name", "two_sign")), {("Wide", False), ("Tall", True)})

    def test_a_bundle_of_the_house_is_written_changed_and_removed(self) -> None:
        self.sign_in()
        order(self.job, wanted_of(read_bundle(TEXT)), None, by=self.by)
        self.assertContains(self.client.get(reverse("new-bundle"), {"job": self.job.pk}), "pebbleview-tall")
        new = reverse("new-bundle")
        self.assertContains(self.client.post(new, {"document": "bundle: 1\nname: x"}), "deliverables", status_code=400)
        self.client.post(new, {"document": TEXT})
        bundle = Bundle.objects.get()
        again = self.client.post(new, {"document": TEXT})
        self.assertContains(again, "There is a bundle", status_code=400)
        change = reverse("change-bundle", args=[bundle.pk])
        self.assertRedirects(self.client.post(change, {"document": TEXT.replace("Both", "Two")}), change)
        self.client.post(reverse("retire-bundle", args=[bundle.pk]))
        self.assertNotIn("Bundles of the house", dict(sources()))
