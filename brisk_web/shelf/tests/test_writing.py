import json
from datetime import timedelta
from typing import Any

from django.test import TestCase
from django.utils import timezone

from brisk_core.spec import parse_spec, shelf_specs
from brisk_web.house.models import AuditEntry
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.shelf.models import AsWritten, Review, Spec, SpecVersion
from brisk_web.shelf.services import document_as_yaml, publish, publish_shelf, text_of
from brisk_web.testing import SPEC, HouseMixin, spec_version


class WritingTest(HouseMixin, TestCase):
    def test_a_lead_writes_a_spec_and_its_next_version(self) -> None:
        self.sign_in("lead")
        self.assertContains(self.client.get("/specs/new"), "brisk_spec: 1")
        answer = self.client.post("/specs/new", {"document": SPEC, "publish": ""}, follow=True)
        self.assertContains(answer, "Published Small spec, version 1")
        changed = SPEC.replace("equals: 25", "equals: 30")
        self.client.post("/specs/small/change", {"document": changed, "publish": ""})
        current = Spec.objects.get(slug="small").current
        assert current
        self.assertEqual((current.number, current.document["lines"][0]["condition"]), (2, {"equals": 30}))

    def test_a_document_is_written_in_the_order_of_people(self) -> None:
        """The database keeps keys by their length."""
        row = {"label": "Rate", "weight": "must", "condition": {"equals": 25}, "characteristic": "picture.frame_rate"}
        ladder = {
            "copies": [{"lines": 360, "label": "360p"}],
            "rows": [{"why": "x", "outcome": "kept", "when": {"picture.codec": {"equals": "avc"}}}],
        }
        text = document_as_yaml(
            {"lines": [row | {"id": "rate"}], "ladder": ladder, "name": "N", "brisk_spec": 1, "id": "n"}
        )
        names = ("brisk_spec:", "name:", "id: rate", "label: Rate", "characteristic:", "condition:", "weight:")
        places = [text.index(name) for name in names]
        self.assertEqual(places, sorted(places))
        places = [
            text.index(name) for name in ("rows:", "when:", "outcome:", "why:", "copies:", "label: 360p", "lines: 360")
        ]
        self.assertEqual(places, sorted(places))

    def test_mistakes_are_all_named_and_nothing_is_published(self) -> None:
        self.sign_in("lead")
        broken = SPEC.replace("equals: 25", "equals: fast").replace("picture.codec", "picture.kodec")
        answer = self.client.post("/specs/new", {"document": broken, "publish": ""})
        self.assertEqual(answer.status_code, 422)
        self.assertContains(answer, "2 mistakes; nothing was published", status_code=422)
        self.assertContains(answer, "expected picture.codec", status_code=422)
        self.assertFalse(Spec.objects.exists())

    def test_an_id_stays_with_its_spec(self) -> None:
        spec_version()
        self.sign_in("lead")
        other = self.client.post("/specs/small/change", {"document": SPEC.replace("id: small", "id: other", 1)})
        self.assertContains(other, "which never changes", status_code=422)
        again = self.client.post("/specs/new", {"document": SPEC, "publish": ""})
        self.assertContains(again, "there is a spec &#x27;small&#x27; already", status_code=422)

    def test_looking_for_mistakes_publishes_nothing(self) -> None:
        self.sign_in("lead")
        self.assertContains(self.client.post("/specs/new", {"document": SPEC, "check": ""}), "No mistake in 4 lines")
        self.assertFalse(Spec.objects.exists())

    def test_notes_stay_with_the_version_its_files_and_its_copies(self) -> None:
        self.sign_in("lead")
        noted = SPEC.replace("  - { id: rate", "  # Jonas, on the phone\n  - { id: rate").lstrip()
        self.client.post("/specs/new", {"document": noted.replace("\n", "\r\n"), "publish": ""})
        first = Spec.objects.get(slug="small").current
        assert first
        self.assertEqual(text_of(first), noted)
        self.assertContains(self.client.get("/specs/small/change"), "  # Jonas, on the phone\n  - { id: rate")
        self.assertContains(self.client.get("/specs/small/1.yaml"), "# Jonas, on the phone")
        self.assertContains(self.client.get("/specs/new?copy=small"), "# Jonas, on the phone")
        # A note alone makes no version, and is kept.
        more = noted.replace("on the phone", "in writing")
        self.client.post("/specs/small/change", {"document": more, "publish": ""})
        self.assertEqual((SpecVersion.objects.count(), text_of(first)), (1, more))
        self.assertTrue(AuditEntry.objects.filter(verb="spec.noted").exists())
        # Without notes the document says it all.
        self.client.post("/specs/small/change", {"document": SPEC.replace("equals: 25", "equals: 30"), "publish": ""})
        second = Spec.objects.get(slug="small").current
        assert second
        self.assertEqual((second.number, AsWritten.objects.filter(version=second).count()), (2, 0))

    def test_a_row_that_is_changed_leaves_the_notes_of_the_text(self) -> None:
        self.sign_in("lead")
        noted = SPEC.replace("  - { id: rate", "  # Jonas, on the phone\n  - { id: rate").lstrip()
        asked = {"document": self.rows({"text": noted})["document"], "before": noted}
        asked["document"]["lines"][1]["condition"] = {"equals": "hevc"}
        found = self.rows(asked)
        self.assertEqual(
            found["text"], noted.replace("{ equals: avc } }", "{equals: hevc}}").replace("{ id: codec", "{id: codec")
        )
        self.assertEqual(found["document"], asked["document"])
        # A text that cannot be read holds nothing up.
        self.assertIn("equals: hevc", self.rows(asked | {"before": "# [\nlines: ["})["text"])

    def rows(self, asked: dict[str, Any]) -> dict[str, Any]:
        answer = self.client.post("/specs/rows.json", json.dumps(asked), content_type="application/json")
        found: dict[str, Any] = answer.json()
        return found

    def test_two_who_write_at_once_lose_nothing(self) -> None:
        self.sign_in("lead")
        first = publish(parse_spec(SPEC))
        self.assertEqual(publish(parse_spec(SPEC)), first)
        opened = self.client.get("/specs/small/change")
        self.assertContains(opened, f'name="after" value="{first.number}"')
        theirs = SPEC.replace("equals: 25", "equals: 30")
        self.client.post("/specs/small/change", {"document": theirs, "after": "1", "publish": ""})
        mine = SPEC.replace("equals: avc", "equals: hevc")
        answer = self.client.post("/specs/small/change", {"document": mine, "after": "1", "publish": ""})
        self.assertEqual(SpecVersion.objects.count(), 2)
        self.assertContains(answer, "lead published version 2 while you were writing", status_code=409)
        self.assertContains(answer, "Taken from that version: line rate.", status_code=409)
        text = answer.context["text"]
        self.client.post("/specs/small/change", {"document": text, "after": answer.context["after"], "publish": ""})
        lines = {line["id"]: line["condition"] for line in SpecVersion.objects.get(number=3).document["lines"]}
        self.assertEqual((str(lines["rate"]["equals"]), lines["codec"]["equals"]), ("30", "hevc"))

    def test_the_same_line_changed_twice_is_told(self) -> None:
        self.sign_in("lead")
        publish(parse_spec(SPEC))
        for rate, status in (("30", 302), ("50", 409)):
            document = SPEC.replace("equals: 25", f"equals: {rate}")
            answer = self.client.post("/specs/small/change", {"document": document, "after": "1", "publish": ""})
            self.assertEqual(answer.status_code, status)
        self.assertContains(answer, "You both changed line rate: yours is kept below.", status_code=409)
        self.assertIn("50", answer.context["text"])

    def test_a_review_that_changes_nothing_moves_the_day_of_the_next(self) -> None:
        self.sign_in("lead")
        past = SPEC.replace("issued: 2026-03-02", "issued: 2024-03-02\nreview_by: 2025-03-02")
        version = spec_version(past)
        self.assertContains(self.client.get("/"), "1 spec due for review")
        self.assertContains(self.client.get("/specs/?show=due"), "Small spec")
        day = timezone.localdate() + timedelta(days=200)
        for wrong in ("", "soon", "2020-01-01"):
            self.client.post("/specs/small/review", {"next_by": wrong})
        self.assertFalse(Review.objects.exists())
        sheet = self.client.post("/specs/small/review", {"next_by": day.isoformat()}, follow=True)
        self.assertContains(sheet, f"review by {day.day} {day:%b %Y}")
        self.assertContains(sheet, "by lead, nothing changed")
        self.assertNotContains(self.client.get("/"), "due for review")
        self.assertNotContains(self.client.get("/specs/?show=due"), "Small spec")
        self.assertEqual(AuditEntry.objects.get(verb="spec.reviewed").target, f"specversion:{version.pk}")
        spec_version(past.replace("equals: 25", "equals: 50"))  # another version is to be reviewed by its own word
        self.assertContains(self.client.get("/specs/?show=due"), "Small spec")
        self.sign_in("operator")
        self.assertEqual(self.client.post("/specs/small/review", {"next_by": day.isoformat()}).status_code, 403)
        self.assertNotContains(self.client.get("/"), "due for review")

    def test_a_sheet_says_where_its_spec_is_used(self) -> None:
        self.sign_in("viewer")
        old = spec_version()
        job = Job.objects.create(title="Canal")
        Deliverable.objects.create(job=job, name="Wide", spec_version=old)
        spec_version(SPEC.replace("equals: 25", "equals: 50"))
        sheet = self.client.get("/specs/small/")
        self.assertContains(sheet, "Used by 1 deliverable that is owed and 0 checks")
        self.assertContains(sheet, "Wide, version 1")
        self.assertContains(sheet, "(older)")

    def test_only_a_lead_writes(self) -> None:
        self.sign_in("operator")
        self.assertEqual(self.client.get("/specs/new").status_code, 403)

    def test_a_later_version_by_people_stays_on_top_of_a_shipped_one(self) -> None:
        publish_shelf()
        shipped = shelf_specs()["pebbleview-wide"]
        text = document_as_yaml(dict(shipped.document)).replace("Pebbleview wide upload", "Pebbleview wide, ours")
        mine = spec_version(text)
        publish_shelf()
        self.assertEqual(Spec.objects.get(slug="pebbleview-wide").current, mine)
