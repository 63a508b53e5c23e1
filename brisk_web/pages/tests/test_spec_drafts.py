from django.urls import reverse

from brisk_core.samples.tests.shared import canned
from brisk_core.spec import Verdict, judge, parse_spec
from brisk_web.shelf.models import SpecVersion
from brisk_web.shelf.services import publish_shelf
from brisk_web.testing import QueueTestCase


class SpecDraftTest(QueueTestCase):
    def test_a_good_render_becomes_a_spec_that_it_passes(self) -> None:
        publish_shelf()
        file = self.media("good.mp4", sound="aac", frames=50)
        self.sign_in("lead")
        address = reverse("spec-from-file", args=[file.pk])
        self.assertContains(self.client.get(address), "This file suggests no line")
        self.work()
        file.refresh_from_db()
        self.assertContains(self.client.get(reverse("file", args=[file.pk])), address)
        page = self.client.get(address, {"family": "web"})
        lines = [draft.id for draft, _ in page.context["drafts"]]
        self.assertGreater(len(lines), 6)
        self.assertContains(page, "192 × 128")
        made = self.client.post(address, {"family": "web", "name": "Our own upload", "line": lines[:-1]})
        self.assertContains(made, f"No mistake in {len(lines) - 1} lines")
        self.assertContains(made, f'action="{reverse("new-spec")}"')
        self.client.post(reverse("new-spec"), {"document": made.context["text"], "publish": ""})
        version = SpecVersion.objects.get(spec__slug="our-own-upload")
        self.assertEqual(version.line_count, len(lines) - 1)
        check = judge(parse_spec(version.document), canned(file.url).inspection, integrity=False)
        own = {one.outcome.value for one in check.findings if one.line.id in lines}
        self.assertEqual(own, {"pass"})
        self.assertIs(check.verdict, Verdict.PASS)

    def test_nothing_ticked_and_no_permission(self) -> None:
        publish_shelf()
        file = self.media("good.mp4")
        self.work()
        self.sign_in("lead")
        address = reverse("spec-from-file", args=[file.pk])
        self.assertContains(self.client.post(address, {"family": "web"}, follow=True), "No line was ticked")
        self.sign_in("operator")
        self.assertEqual(self.client.get(address).status_code, 403)
        self.assertNotContains(self.client.get(reverse("file", args=[file.pk])), "Spec from it")
