"""What comes along: brought, judged, told, and sent with the file."""

from __future__ import annotations

import io
import json
from datetime import timedelta
from pathlib import Path
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase
from django.urls import reverse
from django.utils import timezone
from PIL import Image

from brisk_core.handoff import verify_package
from brisk_web.accounts.roles import OPERATOR, VIEWER
from brisk_web.captions import services as captions
from brisk_web.handoff import companions, services
from brisk_web.handoff.companions import CompanionRefused, bring_file, bring_words, readiness, take_poster
from brisk_web.handoff.models import Brought, Destination
from brisk_web.handoff.tests.test_handoff import HandOffCase
from brisk_web.house.models import AuditEntry
from brisk_web.jobs.models import Deliverable, Job, Render
from brisk_web.jobs.services import take_in
from brisk_web.storage.services import keep
from brisk_web.testing import SPEC, HouseMixin, spec_version

COMPANIONS = """
companions:
  - { id: title, kind: text, least: 3, most: 20 }
  - { id: tags, kind: tags, most: 3, weight: should }
  - { id: poster, kind: picture, size: 96x64 }
  - { id: rights, kind: paper, weight: should }
  - { id: captions, kind: captions, language: en, weight: should }
  - { id: no-sound, kind: sound, weight: never }
"""
PAPER = b"%PDF-1.7\n1 0 obj\n<<>>\nendobj\ntrailer\n<<>>\nstartxref\n9\n%%EOF\n"


def picture(width: int = 96, height: int = 64, kind: str = "PNG") -> SimpleUploadedFile:
    made = io.BytesIO()
    Image.new("RGB", (width, height), "teal").save(made, kind)
    return SimpleUploadedFile(f"poster.{kind.lower()}", made.getvalue())


class CompanionsTest(HouseMixin, TestCase):
    def setUp(self) -> None:
        super().setUp()
        self.by = self.people[OPERATOR]
        job = Job.objects.create(title="Canal")
        self.owed = Deliverable.objects.create(job=job, name="Wide", spec_version=spec_version(SPEC + COMPANIONS))

    def states(self) -> dict[str, str]:
        return {one.companion.id: one.state.value for one in readiness(self.owed)}

    def test_nothing_is_there_at_first_and_what_is_brought_is_judged(self) -> None:
        self.assertEqual(
            self.states(),
            {
                "title": "missing", "tags": "missing", "poster": "missing", "rights": "missing", "captions": "missing",
                "no-sound": "stays away",
            },
        )  # fmt: skip
        bring_words(self.owed, "title", " The\tlock ", by=self.by)
        bring_words(self.owed, "tags", "a, b, c, d", by=self.by)
        bring_file(self.owed, "poster", picture(64, 96), by=self.by)
        bring_file(self.owed, "rights", SimpleUploadedFile("rights.pdf", PAPER), by=self.by)
        self.assertEqual(Brought.objects.get(asked="title").text, "The lock")
        states = self.states()
        self.assertEqual(
            [states[one] for one in ("title", "tags", "poster", "rights")], ["ready", "wrong", "wrong", "ready"]
        )
        self.assertEqual(companions.holding_back(self.owed), "Poster: poster.png is 64 × 96; expected 96 × 64.")
        bring_file(self.owed, "poster", picture(), by=self.by)
        self.assertEqual((self.states()["poster"], companions.holding_back(self.owed)), ("ready", ""))
        self.assertEqual(Brought.objects.filter(asked="poster").count(), 2)  # the one before stays on record

    def test_words_are_kept_once_changed_and_removed(self) -> None:
        first = bring_words(self.owed, "title", "One", by=self.by)
        self.assertEqual(bring_words(self.owed, "title", "One", by=self.by), first)
        self.assertNotEqual(bring_words(self.owed, "title", "Two", by=self.by), first)
        self.assertIsNone(bring_words(self.owed, "title", " ", by=self.by))
        self.assertIsNone(bring_words(self.owed, "title", "", by=self.by))
        self.assertEqual(self.states()["title"], "missing")
        said = list(
            AuditEntry.objects.filter(verb__startswith="companion").order_by("pk").values_list("verb", flat=True)
        )
        self.assertEqual(said, ["companion.brought", "companion.brought", "companion.removed"])

    def test_what_is_not_asked_for_or_is_of_another_kind_is_refused(self) -> None:
        pdf = SimpleUploadedFile("a.pdf", PAPER)
        for attempt, says in (
            (lambda: bring_words(self.owed, "synopsis", "x", by=self.by), "asks for no 'synopsis'"),
            (lambda: bring_words(self.owed, "poster", "x", by=self.by), "Poster is a file"),
            (lambda: bring_words(self.owed, "title", "x" * 20_001, by=self.by), "at most 20000"),
            (lambda: bring_words(self.owed, "title", "a\x00b", by=self.by), "letters"),
            (lambda: bring_file(self.owed, "title", pdf, by=self.by), "Title is words"),
            (lambda: bring_file(self.owed, "no-sound", pdf, by=self.by), "must not come along"),
            (lambda: bring_file(self.owed, "rights", SimpleUploadedFile("a.pdf", b""), by=self.by), "has 0 bytes"),
            (lambda: take_poster(self.owed, "poster", 0, by=self.by), "There is no render"),
            (lambda: take_poster(self.owed, "rights", 0, by=self.by), "is no picture"),
        ):
            with self.assertRaisesRegex(CompanionRefused, says):
                attempt()
        self.assertFalse(Brought.objects.exists())

    def test_captions_beside_the_newest_render_count(self) -> None:
        check = take_in(self.media("canal.mp4"), self.owed, by=self.by)
        text = b"1\n00:00:00,120 --> 00:00:01,000\nThe lamps\n"
        for name, state in (("canal.de.srt", "wrong"), ("canal.en.srt", "ready")):
            made = captions.take_in(keep(name, text, by=None))
            captions.read_captions.run(made.pk)
            captions.pair(check.media_file, made)
            self.assertEqual(self.states()["captions"], state)

    def test_the_page_by_role(self) -> None:
        page = reverse("companions", args=[self.owed.pk])
        self.sign_in(VIEWER)
        self.assertContains(self.client.get(page), "1 of 6 as")
        bring = reverse("bring-companion", args=[self.owed.pk, "title"])
        self.assertEqual(self.client.post(bring, {"text": "The lock"}).status_code, 403)
        self.sign_in()
        self.assertContains(self.client.post(bring, {"text": "The lock"}, follow=True), "8 letters.")
        self.assertContains(self.client.post(bring, {}, follow=True), "Choose a file first.")
        poster = reverse("bring-companion", args=[self.owed.pk, "poster"])
        self.assertContains(self.client.post(poster, {"file": picture(kind="JPEG")}, follow=True), "96 × 64, jpeg.")
        brought = Brought.objects.get(asked="poster")
        shown = self.client.get(reverse("companion-file", args=[brought.pk]))
        self.assertEqual((shown["Content-Type"], shown["X-Content-Type-Options"]), ("image/jpeg", "nosniff"))
        self.assertNotIn("attachment", shown["Content-Disposition"])
        self.client.post(
            reverse("bring-companion", args=[self.owed.pk, "rights"]),
            {"file": SimpleUploadedFile("x.html", b"<script>")},
        )
        saved = self.client.get(reverse("companion-file", args=[Brought.objects.get(asked="rights").pk]))
        self.assertEqual(saved["Content-Type"], "application/octet-stream")
        self.assertIn("attachment", saved["Content-Disposition"])
        self.client.post(reverse("remove-companion", args=[brought.pk]))
        self.assertEqual(self.states()["poster"], "missing")
        self.assertContains(self.client.get(reverse("deliverable", args=[self.owed.pk])), "What comes along")

    def test_the_desk_names_what_is_missing_of_what_was_rendered(self) -> None:
        Deliverable.objects.update(due_at=timezone.now() + timedelta(hours=3))
        self.sign_in()
        self.assertNotContains(self.client.get("/"), "to bring:")
        take_in(self.media("canal.mp4"), self.owed, by=self.by)
        self.assertContains(self.client.get("/"), "to bring: title, tags, poster and 2 more")
        owed = list(Deliverable.objects.select_related("spec_version"))
        with self.assertNumQueries(3):  # what was brought, the newest renders, the captions beside them
            companions.readiness_of(owed)


class SentAlongTest(HandOffCase):
    """Under the file's name, in its package, or as words of a site."""

    def setUp(self) -> None:
        super().setUp()
        self.version = spec_version(SPEC.replace("id: small", "id: with-companions") + COMPANIONS)

    def folder_door(self, **more: Any) -> Destination:
        place = self.folder / "there"
        place.mkdir(exist_ok=True)
        return Destination.objects.create(name="There", kind="folder", address=str(place), **more)

    def signed_with_companions(self) -> Render:
        Deliverable.objects.filter(pk=self.wide.pk).update(spec_version=self.version)
        self.wide = Deliverable.objects.get(pk=self.wide.pk)
        return Render.objects.get(pk=self.render_of(self.check).pk)

    def test_must_holds_back_and_what_is_there_goes_along(self) -> None:
        render = self.signed_with_companions()
        to = self.folder_door()
        with self.assertRaisesRegex(
            services.HandOffRefused, "It is not ready. Title: Nothing is there. Poster: Nothing"
        ):
            services.hand_over(render, to, by=self.operator)
        bring_words(self.wide, "title", "The lock", by=self.operator)
        bring_words(self.wide, "tags", "canal, lock", by=self.operator)
        bring_file(self.wide, "poster", picture(), by=self.operator)
        row = services.hand_over(render, to, by=self.operator)
        bring_words(self.wide, "title", "Another", by=self.operator)  # what was handed over is as it was then
        self.work()
        row.refresh_from_db()
        self.assertEqual((row.state, row.error), ("done", ""))
        stem = Path(row.name).stem
        there = {path.name for path in (self.folder / "there").iterdir()}
        self.assertEqual(there, {row.name, f"{stem}.poster.png", f"{stem}.words.json"})
        words = json.loads((self.folder / "there" / f"{stem}.words.json").read_text())
        self.assertEqual(words, {"tags": "canal, lock", "title": "The lock"})

    def test_captions_that_stand_beside_the_render_go_along_as_they_are(self) -> None:
        render = self.signed_with_companions()
        bring_words(self.wide, "title", "The lock", by=self.operator)
        bring_file(self.wide, "poster", picture(), by=self.operator)
        text = b"1\n00:00:00,120 --> 00:00:01,000\nThe lamps\n"
        made = captions.take_in(keep("canal.en.srt", text, by=None))
        captions.read_captions.run(made.pk)
        captions.pair(render.media_file, made)
        self.work()
        self.check.refresh_from_db()
        self.make_signable()  # it was judged again, by its captions
        self.sign()
        row = services.hand_over(render, self.folder_door(), by=self.operator)
        self.work()
        row.refresh_from_db()
        self.assertEqual((row.state, row.error), ("done", ""))
        sent = self.folder / "there" / f"{Path(row.name).stem}.captions.srt"
        self.assertEqual(sent.read_bytes(), text)
        companions.take_captions(self.wide, by=self.operator)
        self.assertEqual(Brought.objects.filter(asked="captions").count(), 1)  # the same again is the same

    def test_in_a_package_it_is_listed_and_verified(self) -> None:
        render = self.signed_with_companions()
        bring_words(self.wide, "title", "The lock", by=self.operator)
        bring_file(self.wide, "poster", picture(), by=self.operator)
        row = services.hand_over(render, self.folder_door(package="mhl md5"), by=self.operator)
        self.work()
        row.refresh_from_db()
        self.assertEqual(row.error, "")
        found = verify_package(self.folder / "there" / row.name)
        self.assertTrue(found.right, found.says)
        self.assertEqual(found.checked, 6)  # by both lists

    def test_a_destination_that_takes_nothing_along_gets_the_file_alone(self) -> None:
        render = self.signed_with_companions()
        bring_words(self.wide, "title", "The lock", by=self.operator)
        bring_file(self.wide, "poster", picture(), by=self.operator)
        row = services.hand_over(render, self.folder_door(brings_along=False), by=self.operator)
        self.work()
        self.assertEqual([path.name for path in (self.folder / "there").iterdir()], [row.name])
