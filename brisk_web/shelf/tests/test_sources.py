"""Documents that a spec was written from."""

from __future__ import annotations

from typing import Any
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase

from brisk_web.accounts.roles import LEAD, OPERATOR, VIEWER
from brisk_web.house.models import AuditEntry
from brisk_web.shelf.models import SourceDocument
from brisk_web.testing import SPEC, HouseMixin, spec_version

GUIDE = b"%PDF-1.7\n<script>alert(1)</script>\x00\xff"


class SourceTest(HouseMixin, TestCase):
    def setUp(self) -> None:
        super().setUp()
        self.version = spec_version()
        self.sign_in(LEAD)

    def attach(self, data: bytes = GUIDE, name: str = "Guide, 4th edition.pdf") -> Any:
        upload = SimpleUploadedFile(name, data)
        return self.client.post("/specs/small/sources", {"file": upload}, follow=True)

    def test_it_is_kept_listed_and_comes_back_as_it_was(self) -> None:
        self.assertContains(self.attach(), "Guide, 4th edition.pdf is kept with the spec.")
        kept = SourceDocument.objects.get()
        self.assertEqual(AuditEntry.objects.get(verb="spec.source-attached").says, f"Attached {kept} to Small spec")
        self.sign_in(VIEWER)
        self.assertContains(self.client.get("/specs/small/"), "Written from 1 document that is kept")
        answer = self.client.get(f"/specs/sources/{kept.pk}")
        self.assertEqual(answer.content, GUIDE)
        self.assertEqual(
            (answer["Content-Type"], answer["X-Content-Type-Options"]), ("application/octet-stream", "nosniff")
        )
        self.assertEqual(answer["Content-Disposition"], 'attachment; filename="Guide, 4th edition.pdf"')

    def test_it_stays_with_later_versions(self) -> None:
        self.attach()
        spec_version(SPEC.replace("Small spec", "Smaller spec"))
        self.assertContains(self.client.get("/specs/small/"), "Guide, 4th edition.pdf")

    def test_what_is_no_document_is_refused_in_words(self) -> None:
        self.attach()
        self.assertContains(self.attach(name="again.pdf"), "Guide, 4th edition.pdf is kept already")
        self.assertContains(self.attach(b"", "empty.pdf"), "empty.pdf is empty")
        self.assertContains(self.client.post("/specs/small/sources", follow=True), "Choose the document")
        with mock.patch("brisk_web.shelf.services.MOST_SOURCE", 10):
            self.assertContains(self.attach(b"x" * 11, "long.pdf"), "long.pdf has 11 B; expected at most 10 B")
        self.assertEqual(SourceDocument.objects.count(), 1)
        self.assertEqual(self.client.post("/specs/gone/sources").status_code, 404)

    def test_it_is_removed_from_the_list_never_lost_and_brought_back(self) -> None:
        self.attach()
        kept = SourceDocument.objects.get()
        address = f"/specs/sources/{kept.pk}/retire"
        self.assertContains(self.client.post(address, follow=True), "No document is kept")
        self.assertEqual(self.client.get(f"/specs/sources/{kept.pk}").content, GUIDE)
        self.assertContains(self.client.post(address, {"again": "1"}, follow=True), "Written from 1 document")

    def test_only_a_lead_attaches(self) -> None:
        self.sign_in(OPERATOR)
        self.assertEqual(self.attach().status_code, 403)
        self.assertNotContains(self.client.get("/specs/small/"), "sources")

    def test_an_address_in_the_source_is_a_link(self) -> None:
        spec_version(SPEC.replace("source: a test", "source: The guide at https://pebbleview.example/guide <b>now</b>"))
        page = self.client.get("/specs/small/")
        self.assertContains(page, 'href="https://pebbleview.example/guide"')
        self.assertContains(page, "&lt;b&gt;now&lt;/b&gt;")
