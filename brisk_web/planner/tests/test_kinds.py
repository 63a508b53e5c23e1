import json
from fractions import Fraction
from typing import Any
from unittest import mock

from django.test import TestCase
from django.urls import reverse

from brisk_core.samples.tests.shared import canned
from brisk_core.spec import shelf_texts
from brisk_web.checks.models import Check
from brisk_web.demo.titles import DISC_FILE
from brisk_web.house.models import AuditEntry
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.jobs.services import take_in
from brisk_web.pages.planner_disc import first_disc
from brisk_web.planner.models import Plan
from brisk_web.planner.services import bits_of_renders, keep
from brisk_web.shelf.services import publish_shelf
from brisk_web.storage.models import MediaFile
from brisk_web.testing import HouseMixin, spec_version


class KindsTestCase(HouseMixin, TestCase):
    def setUp(self) -> None:
        super().setUp()
        self.job = Job.objects.create(title="Canal")
        self.sign_in()

    def read(self, name: str, **recipe: Any) -> MediaFile:
        """A file of the house that was inspected."""
        file = self.media(name, **recipe)
        assert file.inspection
        file.inspection.document = canned(str(self.folder / "shelf" / name)).document
        file.inspection.save()
        return file

    def get(self, address: str, **asked: Any) -> Any:
        return self.client.get(reverse(address), asked)


class SizesTest(KindsTestCase):
    asked = {
        "length": "10:00",
        "size": "1920x1080",
        "rate": "25",
        "sounds": "pcm 24 bit",
        "wrapper": "mov",
        "free": "40 GB",
    }

    def test_an_address_is_a_plan(self) -> None:
        page = self.get("planner-sizes", **self.asked)
        self.assertContains(page, "917,504 bytes a picture, compression id 1235")
        self.assertContains(page, "more than is free")
        self.assertEqual(self.get("planner-sizes-json", **self.asked).json(), page.context["found"])

    def test_mistakes_keep_what_was_typed(self) -> None:
        page = self.get("planner-sizes", **self.asked | {"length": "long", "free": "much"})
        self.assertContains(page, "2 things to mend")
        self.assertContains(page, 'value="much"')

    def test_the_house_s_own_renders_move_a_band(self) -> None:
        self.assertEqual(bits_of_renders(), {})
        self.read("a.mp4")
        self.assertEqual(list(bits_of_renders()), ["avc"])


class OrderTest(KindsTestCase):
    def test_rows_of_the_chosen_specs(self) -> None:
        publish_shelf()
        square = spec_version(shelf_texts()["pebbleview-square"])
        page = self.get("planner-order", size="1920x1080", rate="25", versions=square.pk)
        self.assertContains(page, "1080 × 1080, 25, progressive")
        self.assertContains(page, "43.8 % of the picture is cut at the sides")
        self.assertEqual(page.context["chosen"], [square.pk])
        wrong = self.get("planner-order", size="1920x1080", rate="25")
        self.assertContains(wrong, "spec: met none")


class PlaysTest(KindsTestCase):
    def test_files_and_planned_renders_on_every_player(self) -> None:
        publish_shelf()
        file = self.read("a.mp4")
        deliverable = Deliverable.objects.create(job=self.job, name="Wide", spec_version=spec_version())
        take_in(file, deliverable, by=None)
        page = self.get(
            "planner-plays", job=self.job.pk, render_name="planned", render_size="640x360", render_codec="prores"
        )
        found = page.context["found"]
        self.assertEqual((len(found["players"]), [row["name"] for row in found["rows"]]), (10, ["a.mp4", "planned"]))
        self.assertEqual(found["rows"][1]["cells"]["player-phone"]["plays"], "refused")
        self.assertContains(page, "Open the check of a.mp4 by Old phone")
        phone = page.context["players"]["player-old-phone"]
        opened = self.client.post(reverse("take-in", args=[file.pk]), {"spec_version": phone.pk})
        check = Check.objects.get(spec_version=phone)
        self.assertRedirects(opened, reverse("check", args=[check.pk]))

    def test_a_cell_says_what_the_check_behind_it_says(self) -> None:
        publish_shelf()
        file = self.read("a.mp4")
        page = self.get("planner-plays", media=file.pk)
        for id_, cell in page.context["found"]["rows"][0]["cells"].items():
            version = page.context["players"][id_]
            self.client.post(reverse("take-in", args=[file.pk]), {"spec_version": version.pk})
            check = Check.objects.get(spec_version=version)
            failed = set(check.findings.filter(outcome="fail").values_list("line", flat=True))
            if cell["plays"] == "refused":
                self.assertLessEqual({one["line"] for one in cell["reasons"]}, failed, id_)
            else:
                self.assertEqual({one for one in failed if not one.startswith("integrity-")}, set(), id_)

    def test_a_file_that_was_not_read_yet_is_not_lost(self) -> None:
        publish_shelf()
        file = self.media("new.mp4")
        row = self.get("planner-plays", media=file.pk).context["found"]["rows"][0]
        self.assertEqual(row["counts"], {"plays": 0, "plays after conversion": 0, "refused": 0, "not known": 10})


class DeckTest(KindsTestCase):
    def test_which_clips_appear(self) -> None:
        file, other = self.read("a.mp4"), self.read("b.mp4", rate=Fraction(30))
        asked = {"media": [file.pk, other.pk], "size": "192x128", "rate": "25", "sound": "forbidden"}
        page = self.get("planner-deck", **asked)
        self.assertEqual([one["appears"] for one in page.context["found"]["clips"]], [True, False])
        self.assertContains(page, "Bring it to exactly 25")
        self.assertEqual(self.get("planner-deck-json", **asked).json()["vanish"], 1)

    def test_the_setting_that_shows_most_and_keeping_it(self) -> None:
        file = self.read("a.mp4")
        sent = {"kind": "deck", "plan": f"media={file.pk}&alpha=needed", "job": self.job.pk, "name": "Deck"}
        page = self.client.post(reverse("keep-plan"), sent, follow=True)
        plan = Plan.objects.get()
        self.assertEqual((plan.kind, plan.asked["media"], plan.document["met"]), ("deck", [file.pk], False))
        again = self.client.get(page.context["again"])
        self.assertEqual(again.context["found"], plan.document)
        self.assertContains(self.client.get(reverse("job", args=[self.job.pk])), "1 of 1 clips appear")


class DiscTest(KindsTestCase):
    def setUp(self) -> None:
        super().setUp()
        publish_shelf()
        text = DISC_FILE.read_text(encoding="utf-8")
        self.plan = keep(self.job, "Visitor disc", {"text": text}, None, by=None, kind=Plan.Kind.DISC)
        self.address = reverse("plan", args=[self.plan.pk])

    def test_the_planted_dead_end_is_told_with_the_way_to_it(self) -> None:
        page = self.client.get(self.address)
        self.assertContains(page, "Thanks has no button and nothing follows it; only the title key leads out")
        self.assertContains(page, "start → Crest of the house → end → Menu → “Thanks” → Thanks → end")
        self.assertContains(self.get("planner-discs"), "1 fault; 4.61 GB of 4.7 GB")

    def test_the_walk(self) -> None:
        at, places = "", []
        for key in ("insert", "end", "down", "enter", "down", "down", "enter", "next", "end", "title"):
            told = self.client.get(reverse("walk-json", args=[self.plan.pk]), {"at": at, "key": key}).json()
            at = told["at"]
            places.append((told["item"], told["chapter"], told["button"]))
        self.assertEqual(places[:2], [("crest", 1, None), ("menu", 1, "play")])
        self.assertEqual(places[6:], [("film", 3, None), ("film", 4, None), ("menu", 1, "play"), ("menu", 1, "play")])
        page = self.client.get(self.address, {"at": at, "key": "down"})
        self.assertEqual(page.context["walk"].state.button, "chapters")
        wrong = self.client.get(reverse("walk-json", args=[self.plan.pk]), {"at": "gone~0~1~-~-~0", "key": "up"})
        self.assertEqual(wrong.status_code, 400)
        self.assertContains(self.client.get(self.address, {"at": "gone", "key": "up"}), "The disc is stopped")

    def test_mending_the_dead_end(self) -> None:
        text = self.plan.asked["text"].replace("name: Thanks\n", "name: Thanks\n    then: menu\n")
        page = self.client.post(reverse("change-disc", args=[self.plan.pk]), {"document": text}, follow=True)
        self.assertContains(page, "Nothing is wrong")
        self.plan.refresh_from_db()
        self.assertTrue(self.plan.document["met"])
        self.assertEqual(AuditEntry.objects.filter(target=f"plan:{self.plan.pk}").count(), 2)

    def test_mistakes_write_nothing_and_lose_nothing(self) -> None:
        before = self.plan.asked["text"]
        page = self.client.post(reverse("change-disc", args=[self.plan.pk]), {"document": "kind: tape\nhome: gone"})
        self.assertContains(page, "things to mend")
        self.assertContains(page, "kind: met ")
        self.assertContains(page, "kind: tape\nhome: gone")
        self.plan.refresh_from_db()
        self.assertEqual(self.plan.asked["text"], before)

    def test_a_new_disc_begins_with_the_files_of_its_job(self) -> None:
        file = self.read("film.mp4")
        take_in(file, Deliverable.objects.create(job=self.job, name="Film", spec_version=spec_version()), by=None)
        sent = {"job": self.job.pk, "name": "New", "disc_kind": "hd-single", "family": "25"}
        page = self.client.post(reverse("new-disc"), sent, follow=True)
        plan = Plan.objects.get(name="New")
        self.assertRedirects(page, reverse("plan", args=[plan.pk]))
        self.assertEqual([one["file"] for one in plan.document["clips"]], ["film.mp4"])
        self.assertContains(page, "is no allowed combination")

    def test_a_disc_of_a_job_without_files_is_planned(self) -> None:
        self.assertIn("length: '10:00'", first_disc("One", "sd-single", "25", []))

    def test_documents_that_go_out(self) -> None:
        document = self.client.get(reverse("disc-json", args=[self.plan.pk]))
        self.assertEqual(json.loads(document.content)["items"][0]["id"], "crest")
        chapters = self.client.get(reverse("disc-chapters", args=[self.plan.pk, "film"]))
        self.assertEqual(chapters["Content-Type"], "text/vtt; charset=utf-8")
        self.assertContains(chapters, "00:18:00.000 --> 00:43:12.000\nThe locks")
        self.assertEqual(self.client.get(reverse("disc-chapters", args=[self.plan.pk, "menu"])).status_code, 404)

    def test_a_file_that_is_gone_is_told(self) -> None:
        text = "name: A\nkind: sd-single\nfamily: 25\nstarts_with: a\nitems: [{id: a, kind: clip, file: gone.mp4, then: stop}]"
        with mock.patch("brisk_web.planner.services.answer", return_value=self.plan.document):
            lost = keep(self.job, "Lost", {"text": text}, None, by=None, kind=Plan.Kind.DISC)
        page = self.client.get(reverse("plan", args=[lost.pk]))
        self.assertContains(page, "It cannot be walked")
