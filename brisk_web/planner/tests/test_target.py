"""The Planner: what the other side makes of a file."""

from __future__ import annotations

import datetime
from typing import Any

from django.urls import reverse
from django.utils import timezone

from brisk_core.spec import parse_spec, shelf_texts
from brisk_web.accounts.roles import OPERATOR
from brisk_web.handoff.models import Destination, HandOff, ServedCopy
from brisk_web.jobs.models import Deliverable
from brisk_web.jobs.services import take_in
from brisk_web.planner.models import Plan
from brisk_web.planner.services import learnt_delays
from brisk_web.planner.tests.test_kinds import KindsTestCase
from brisk_web.shelf.models import SpecVersion
from brisk_web.shelf.services import document_as_yaml, publish, publish_shelf
from brisk_web.testing import spec_version

_RENDER = {
    "render_name": "wide", "render_wrapper": "mp4", "render_codec": "avc", "render_size": "1920x1080",
    "render_rate": "50", "render_chroma": "4:2:0", "render_length": "10:00",
}  # fmt: skip


class TargetTest(KindsTestCase):
    def setUp(self) -> None:
        super().setUp()
        publish_shelf()
        self.version = SpecVersion.objects.get(spec__slug="pebbleview-wide")

    def row(self, **asked: Any) -> dict[str, Any]:
        found: dict[str, Any] = self.get("planner-target", spec_version=self.version.pk, **asked).context["found"][
            "rows"
        ][0]
        return found

    def test_a_planned_render_in_one_sentence(self) -> None:
        asked = {"spec_version": self.version.pk, "screen": "1280x720"} | _RENDER
        page = self.get("planner-target", **asked)
        self.assertContains(
            page,
            "Kept as it is; shown as 180p and 360p at once, 720p after about 2 minutes, 1080p after about 30 minutes; "
            "25 of 50 frames a second are left out.",
        )
        self.assertContains(page, "A screen of 1280 × 720 needs 720p.")
        self.assertEqual(self.get("planner-target-json", **asked).json(), page.context["found"])
        wrong = self.get("planner-target", **asked | {"screen": "large"})
        self.assertContains(wrong, "1 thing to mend")
        self.assertContains(wrong, 'value="large"')

    def test_a_file_and_one_that_nobody_has_read_yet(self) -> None:
        file = self.read("a.mp4")
        self.assertIn("Scaled", self.row(media=file.pk)["says"])
        self.assertEqual(self.row(media=self.media("new.mp4").pk)["outcomes"], None)

    def test_a_spec_without_a_ladder_cannot_be_asked(self) -> None:
        disc = SpecVersion.objects.get(spec__slug="disc-hd-avc-25")
        self.assertContains(self.get("planner-target", spec_version=disc.pk, **_RENDER), "holds no ladder")
        offered = {one.spec.slug for one in self.get("planner-target").context["versions"]}
        self.assertIn("upload-wide-1080", offered)
        self.assertNotIn("disc-hd-avc-25", offered)

    def test_a_variant_is_offered_with_the_ladder_of_its_base(self) -> None:
        head = {
            "brisk_spec": 1,
            "id": "variant",
            "name": "Variant",
            "family": "web",
            "source": "x",
            "issued": "2026-01-01",
        }
        variant = publish(parse_spec(head | {"extends": "pebbleview-wide", "lines": []}, self.version.parsed()))
        self.assertIn(variant, self.get("planner-target").context["versions"])

    def test_it_is_kept_with_a_job_and_asked_again(self) -> None:
        query = "&".join(f"{name}={value}" for name, value in _RENDER.items())
        sent = {"kind": "target", "plan": f"{query}&spec_version={self.version.pk}", "job": self.job.pk, "name": "Site"}
        page = self.client.post(reverse("keep-plan"), sent, follow=True)
        plan = Plan.objects.get()
        self.assertEqual((plan.kind, plan.spec_version), ("target", self.version))
        self.assertContains(page, "Kept as it is; shown as 180p")
        self.assertEqual(self.client.get(page.context["again"]).context["found"], plan.document)
        self.assertContains(self.client.get(reverse("job", args=[self.job.pk])), "wide: Kept as it is; shown as 180p")

    def test_delays_are_those_of_the_house_s_own_hand_offs_by_this_spec(self) -> None:
        self.assertEqual(learnt_delays(self.version), {})
        for version, waits in (
            (self.version, (60, 400, 300, 200)),
            (spec_version(shelf_texts()["pebbleview-tall"]), (9,)),
        ):
            for number, seconds in enumerate(waits):
                self.hand_over(version, f"{version.spec.slug}-{number}.mp4", seconds)
        self.assertEqual(learnt_delays(self.version), {"1080p": 300})  # of the last three
        found = self.row(**_RENDER)
        self.assertIn("1080p after about 5 minutes", found["says"])
        self.assertEqual([one["learnt"] for one in found["copies"]], [False, False, False, True])

    def hand_over(self, version: SpecVersion, name: str, seconds: int) -> None:
        deliverable = Deliverable.objects.create(job=self.job, name=name, spec_version=version)
        render = take_in(self.media(name), deliverable, by=None).render
        to, _ = Destination.objects.get_or_create(name="Pebbleview", kind=Destination.Kind.SITE)
        sent = timezone.now()
        handoff = HandOff.objects.create(
            render=render,
            destination=to,
            made_by=self.people[OPERATOR],
            name=name,
            checksum="",
            digest="",
            finished_at=sent,
        )
        ready = sent + datetime.timedelta(seconds=seconds)
        ServedCopy.objects.create(handoff=handoff, label="1080p", told={}, ready_at=ready)
        ServedCopy.objects.create(handoff=handoff, label="720p", told={})  # that the site does not tell of


class SheetTest(KindsTestCase):
    def test_the_sheet_shows_the_ladder_and_leads_to_the_planner(self) -> None:
        publish_shelf()
        page = self.client.get(reverse("spec", args=["pebbleview-wide"]))
        self.assertContains(page, "What becomes of a file over there")
        self.assertContains(page, "(at most 30 frames a second) after about 30 minutes")
        self.assertNotContains(self.client.get(reverse("spec", args=["disc-hd-avc-25"])), "What becomes of a file")

    def test_two_versions_that_differ_in_it_alone_say_so(self) -> None:
        publish_shelf()
        old = SpecVersion.objects.get(spec__slug="pebbleview-wide")
        document = {**old.document, "ladder": {"rows": [{"otherwise": "refused"}]}}
        new = publish(parse_spec(document))
        page = self.get("compare-specs", old=old.pk, new=new.pk)
        self.assertContains(page, "What becomes of a file over there differs")
        self.assertNotContains(self.get("compare-specs", old=old.pk, new=old.pk), "over there differs")

    def test_a_document_is_written_out_in_the_order_in_which_it_is_read(self) -> None:
        publish_shelf()
        version = SpecVersion.objects.get(spec__slug="pebbleview-wide")
        text = document_as_yaml(version.document)
        self.assertEqual(parse_spec(text).ladder, version.parsed().ladder)
        self.assertLess(text.index("\nlines:"), text.index("\nladder:"))
        self.assertLess(text.index("wrapper.duration: {at_least"), text.index("outcome: refused"))
