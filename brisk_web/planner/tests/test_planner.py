from typing import Any
from urllib.parse import urlencode

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase
from django.urls import reverse

from brisk_core.plan import WRAPPERS
from brisk_core.plan.bits_document import BITS_SCHEMA
from brisk_web.edits.services import import_timeline
from brisk_web.house.models import AuditEntry
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.jobs.services import take_in
from brisk_web.jobs.tests.test_jobs import EDL
from brisk_web.pages.planner import WRAPPER_WORDS
from brisk_web.planner.models import Plan
from brisk_web.planner.services import disagreements, keep
from brisk_web.storage.models import MediaFile
from brisk_web.testing import SPEC, HouseMixin, spec_version

BOUNDED = SPEC + "  - { id: bitrate, characteristic: bitrate.average, condition: { between: [10 Mb/s, 16 Mb/s] } }\n"
ROW = {
    "name": "Wide",
    "length": "10:00",
    "rate": "25",
    "size": "1920x1080",
    "sounds": "aac 128 kb/s",
    "texts": "",
    "weight": "",
}


class PlannerTest(HouseMixin, TestCase):
    def setUp(self) -> None:
        super().setUp()
        self.job = Job.objects.create(title="Canal")
        self.sign_in()

    def asked(self, cap: str, *rows: dict[str, str], **more: Any) -> dict[str, Any]:
        files = [ROW | row for row in rows] or [ROW]
        return {"cap": cap, **{f"file_{name}": [row[name] for row in files] for name in ROW}, **more}

    def keep(self, kind: str, asked: dict[str, Any], **more: Any) -> Any:
        """Keep the plan of an address, as its page does."""
        sent = {"kind": kind, "plan": urlencode(asked, doseq=True), "job": self.job.pk} | more
        return self.client.post(reverse("keep-plan"), sent, follow=True)

    def test_every_wrapper_has_a_name(self) -> None:
        self.assertEqual(set(WRAPPER_WORDS), set(WRAPPERS))

    def test_an_address_is_a_plan(self) -> None:
        version = spec_version(BOUNDED)
        for cap, says in (
            ("1 GB", '<b class="is-pass">Fits</b>: 980 MB of 1 GB; 20 MB stay free'),
            ("500 MB", "Fits, but not as the spec asks"),
            ("2 GB", "The cap would allow 26 Mb/s"),
        ):
            page = self.client.get(reverse("planner"), self.asked(cap, spec_version=version.pk))
            self.assertContains(page, says)
        page = self.client.get(reverse("planner"), self.asked("15 MB", picture_rate="3 Mb/s"))
        self.assertContains(page, "Does not fit")
        self.assertContains(page, "Alone, 37.48 s of it would fit")
        found = self.client.get(
            reverse("planner-json"), self.asked("1 GB", {}, {"name": "Short", "length": "1:00"})
        ).json()
        self.assertEqual((found["schema"], [row["name"] for row in found["files"]]), (BITS_SCHEMA, ["Wide", "Short"]))

    def test_mistakes_are_told_each_and_what_was_typed_stays(self) -> None:
        asked = self.asked("much", {"rate": "zz"}, {"size": "big", "sounds": "loud, aac 128 kb/s"})
        page = self.client.get(reverse("planner"), asked)
        self.assertContains(page, "4 things to mend")
        for words in ("cap: met", "file 1, rate: met", "file 2, size: met", "file 2, sound 1: met"):
            self.assertContains(page, words)
        self.assertContains(page, 'value="loud, aac 128 kb/s"')
        answer = self.client.get(reverse("planner-json"), asked)
        self.assertEqual((answer.status_code, len(answer.json()["mistakes"])), (400, 4))
        self.assertContains(self.client.get(reverse("planner"), {"cap": "1 GB"}), "at least one file")
        self.assertContains(
            self.client.get(reverse("planner"), self.asked("1 MB")), "sound, texts and wrapper alone take"
        )

    def test_a_deliverable_fills_the_form(self) -> None:
        timeline = import_timeline(
            self.job, SimpleUploadedFile("a.edl", EDL), {"rate": "25", "size": "640x360"}, by=None
        )
        version = spec_version(BOUNDED)
        deliverable = Deliverable.objects.create(
            job=self.job, name="Tall", spec_version=version, timeline=timeline, range_start=10, range_end=35
        )
        page = self.client.get(reverse("planner"), {"deliverable": deliverable.pk})
        for words in ('value="Tall"', 'value="25 frames"', 'value="25"'):
            self.assertContains(page, words)
        self.assertEqual(page.context["version"], version)
        self.assertContains(self.client.get(reverse("job", args=[self.job.pk])), f"?deliverable={deliverable.pk}")

    def test_a_plan_is_kept_with_a_job_changed_removed_and_brought_back(self) -> None:
        version = spec_version(BOUNDED)
        page = self.keep("bits", self.asked("1 GB", spec_version=version.pk), name="Upload")
        plan = Plan.objects.get()
        self.assertEqual((plan.job, plan.spec_version, plan.document["met"]), (self.job, version, True))
        self.assertContains(page, "the answer is that of then")
        self.assertContains(self.client.get(reverse("job", args=[self.job.pk])), "1 file under 1 GB: 980 MB of 1 GB")
        again = self.client.get(page.context["again"])
        self.assertEqual(again.context["found"], plan.document)
        self.assertEqual(again.context["job"], self.job)
        self.assertEqual(self.client.get(reverse("plan-json", args=[plan.pk])).json(), plan.document)
        self.client.post(reverse("retire-plan", args=[plan.pk]))
        job = self.client.get(reverse("job", args=[self.job.pk]))
        self.assertContains(job, "1 removed")
        self.assertNotContains(job, "980 MB of 1 GB")
        self.client.post(reverse("retire-plan", args=[plan.pk]), {"again": "1"})
        self.assertContains(self.client.get(reverse("planner")), "980 MB of 1 GB")
        self.assertEqual(AuditEntry.objects.filter(target=f"plan:{plan.pk}").count(), 3)

    def test_a_render_that_goes_beyond_its_plan_is_told(self) -> None:
        deliverable = Deliverable.objects.create(job=self.job, name="Wide", spec_version=spec_version())
        row = {"name": "Wide", "length": "2 s", "rate": "25", "size": "192x128", "sounds": []}
        take_in(self.media("a.mp4"), deliverable, by=None)
        size = MediaFile.objects.get().size
        for cap, says in ((size // 2, ["than planned", "over the cap by"]), (10 * size, [])):
            Plan.objects.all().delete()
            plan = keep(self.job, "Upload", {"cap": cap, "reserve": 0, "files": [row]}, None, by=None)
            told = disagreements(plan, {"Wide": MediaFile.objects.get()})
            self.assertEqual(len(told), len(says), told)
            page = self.client.get(reverse("job", args=[self.job.pk]))
            for one, words in zip(told, says, strict=True):
                self.assertIn(words, one)
                self.assertContains(page, one[1:])  # a sentence of its own begins with a capital
        self.assertEqual(disagreements(plan, {}), [])  # nothing is rendered yet

    def test_rates_of_typed_material_and_of_a_timeline(self) -> None:
        asked = {
            "source_name": ["Film", ""],
            "source_rate": ["24", ""],
            "source_length": ["1:00:00", ""],
            "target": ["25", "24"],
        }
        page = self.client.get(reverse("planner-rates"), asked)
        self.assertEqual([one["words"] for one in page.context["found"]["targets"]], ["24", "25"])
        self.assertContains(page, "4.17 % faster")
        self.assertContains(page, "3,600.0")
        self.assertContains(self.keep("rates", asked, name="Film"), "the least harmful target first")
        self.assertEqual(self.client.get(reverse("planner-rates-json"), asked).json(), page.context["found"])
        wrong = self.client.get(reverse("planner-rates"), asked | {"source_rate": ["fast", ""]})
        self.assertContains(wrong, "source 1, rate: met")
        self.assertEqual(self.client.get(reverse("planner-rates-json"), {"target": "x"}).status_code, 400)
        timeline = import_timeline(self.job, SimpleUploadedFile("a.edl", EDL), {"rate": "25"}, by=None)
        page = self.client.get(reverse("planner-rates"), {"timeline": timeline.pk})
        self.assertEqual(page.context["timeline"], timeline)
        told = page.context["unknown"] or page.context["found"]["targets"]
        self.assertTrue(told)  # a list of cuts may not say what its sources are, and then that is told

    def test_what_cannot_be_worked_out_is_not_kept(self) -> None:
        page = self.keep("bits", self.asked("much"))
        self.assertContains(page, "cap: met")
        self.assertEqual(Plan.objects.count(), 0)
        self.assertEqual(self.keep("bits", self.asked("1 GB"), job=999).status_code, 404)
        self.assertEqual(self.keep("tape", self.asked("1 GB")).status_code, 400)
        self.sign_in("viewer")
        self.assertEqual(self.keep("bits", self.asked("1 GB")).status_code, 403)
        self.assertNotContains(self.client.get(reverse("planner"), self.asked("1 GB")), "Keep with the job")
