"""What new things of the house begin with."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase
from django.utils import timezone

from brisk_core.spec import parse_spec
from brisk_web.accounts.roles import LEAD, OPERATOR
from brisk_web.edits.models import Timeline
from brisk_web.house.models import AuditEntry, Defaults
from brisk_web.house.services import defaults
from brisk_web.jobs.bundles import bundle_at, order, sources, wanted_of
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.jobs.tests.test_jobs import EDL
from brisk_web.pages.defaults import DefaultsForm
from brisk_web.testing import HouseMixin, spec_version

ENTRIES = {
    "kind_of_work": "documentary", "naming_rule": "OLP_*_V##.mp4", "due_in_days": "3", "due_time": "17:30",
    "rendered_by": "Quay Post", "rendered_by_email": "quay@example.org", "language": "EN", "two_sign": "on",
    "rate": "29.97", "size": "1280×720", "scan": "progressive", "pixel_aspect": "1:1", "sample_rate": "48000",
    "spec_family": "archive", "spec_source": "County archive, 4th edition: films", "review_in_days": "365",
}  # fmt: skip


class DefaultsTest(HouseMixin, TestCase):
    def setUp(self) -> None:
        super().setUp()
        self.sign_in(LEAD)
        self.job = Job.objects.create(title="Canal")

    def save(self, **instead: Any) -> Any:
        seen = DefaultsForm(instance=defaults())["seen"].value() if Defaults.objects.exists() else ""
        return self.client.post("/house/defaults", ENTRIES | {"seen": seen} | instead, follow=True)

    def begins(self, address: str) -> dict[str, Any]:
        form = self.client.get(address).context["form"]
        return {name: form[name].value() for name in form.fields}

    def test_forms_begin_as_they_did_while_nobody_has_said_anything(self) -> None:
        self.assertEqual(self.begins("/jobs/new")["kind_of_work"], "")
        begins = self.begins(f"/jobs/{self.job.pk}/deliverables/new")
        self.assertEqual((begins["naming_rule"], begins["due_at"], begins["two_sign"]), ("", None, False))
        self.assertContains(self.client.get("/specs/new"), "family: web")

    def test_every_form_begins_with_what_was_said(self) -> None:
        self.assertContains(self.save(), "New things begin with this from now on: kind of work, naming rule,")
        self.assertEqual(self.begins("/jobs/new")["kind_of_work"], "documentary")
        begins = self.begins(f"/jobs/{self.job.pk}/deliverables/new")
        self.assertEqual(
            {
                name: begins[name]
                for name in ("naming_rule", "rendered_by", "rendered_by_email", "language", "two_sign")
            },
            {"naming_rule": "OLP_*_V##.mp4", "rendered_by": "Quay Post", "rendered_by_email": "quay@example.org"}
            | {"language": "EN", "two_sign": True},
        )
        day = timezone.localdate() + timedelta(days=3)
        self.assertEqual(f"{begins['due_at']:%Y-%m-%d %H:%M}", f"{day} 17:30")
        begins = self.begins(f"/jobs/{self.job.pk}/timelines/new")
        self.assertEqual((begins["rate"], begins["size"]), ("29.97", None))

    def test_a_timeline_is_as_the_house_says_where_neither_file_nor_person_does(self) -> None:
        self.save(rate="25")
        address = f"/jobs/{self.job.pk}/timelines/new"
        self.assertContains(self.client.get(address), "Empty: as the file says, else 1280×720.")
        upload = SimpleUploadedFile("a.edl", EDL)
        self.client.post(address, {"file": upload, "rate": "25", "size": "1920×1080"})
        edit = Timeline.objects.get().edit
        self.assertEqual((edit.rate, edit.size, edit.scan, edit.sample_rate), (25, (1920, 1080), "progressive", 48000))

    def test_a_new_spec_begins_with_it_and_can_be_read(self) -> None:
        self.save()
        spec = parse_spec(self.client.get("/specs/new").context["text"])
        self.assertEqual((spec.family, spec.source), ("archive", "County archive, 4th edition: films"))
        self.assertEqual(spec.review_by, timezone.localdate() + timedelta(days=365))

    def test_what_is_there_stays_as_it_is(self) -> None:
        made = Deliverable.objects.create(job=self.job, name="Wide", spec_version=spec_version())
        self.save()
        begins = self.begins(f"/deliverables/{made.pk}/change")
        self.assertEqual((begins["naming_rule"], begins["two_sign"], begins["due_at"]), ("", False, None))
        self.assertEqual(self.begins(f"/jobs/{self.job.pk}/change")["kind_of_work"], "")

    def test_several_at_once_begin_with_it_where_the_bundle_says_nothing(self) -> None:
        spec_version()
        other = Job.objects.create(title="Locks")
        for name, rule in (("Wide", ""), ("Tall", "OLP_TALL_V##.mp4")):
            Deliverable.objects.create(job=other, name=name, naming_rule=rule, spec_version=spec_version())
        self.save()
        key = next(key for _, rows in sources() for key, name in rows if name == "Locks")
        bundle = bundle_at(key)
        assert bundle
        made = order(self.job, wanted_of(bundle), None, by=self.people[OPERATOR])
        self.assertEqual([one.naming_rule for one in made], ["OLP_*_V##.mp4", "OLP_TALL_V##.mp4"])
        self.assertEqual({(one.rendered_by, one.language, one.two_sign) for one in made}, {("Quay Post", "EN", True)})

    def test_each_mistake_stands_at_its_field_and_nothing_is_kept(self) -> None:
        wrong = {
            "naming_rule": "a/b##", "rendered_by_email": "quay", "rate": "fast", "size": "big", "pixel_aspect": "0:1",
            "sample_rate": "-1", "due_in_days": "-1", "review_in_days": "0", "kind_of_work": "opera",
        }  # fmt: skip
        for name, value in wrong.items():
            answer = self.save(**{name: value})
            self.assertEqual(answer.status_code, 422, name)
            self.assertEqual(list(answer.context["form"].errors), [name])
        self.assertFalse(Defaults.objects.exists())

    def test_the_trail_says_what_changed_and_an_overtaken_form_is_told(self) -> None:
        self.save()
        seen = DefaultsForm(instance=defaults())["seen"].value()
        self.save(language="CY")
        self.assertEqual(
            AuditEntry.objects.filter(verb="house.defaults-changed").first().says,  # type: ignore[union-attr]
            "Changed what new things begin with: language",
        )
        answer = self.save(seen=seen, language="FR")
        self.assertContains(answer, "Somebody else changed this", status_code=422)
        self.assertEqual(defaults().language, "CY")
