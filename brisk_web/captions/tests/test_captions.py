import html
import re

from django.core.files.uploadedfile import SimpleUploadedFile

from brisk_core.captions.tests.test_burned import EmbeddedTest
from brisk_web.captions import services
from brisk_web.captions.models import CaptionFile, Look, Pairing
from brisk_web.checks.models import Check
from brisk_web.checks.services import open_check
from brisk_web.house.models import AuditEntry
from brisk_web.storage.models import MediaFile
from brisk_web.storage.services import keep, register
from brisk_web.testing import QueueTestCase, spec_version
from brisk_web.work.kernel import MOST_TRIES
from brisk_web.work.sweep import sweep

GOOD = "1\n00:00:00,120 --> 00:00:01,000\nThe lamps go out.\n\n2\n00:00:01,200 --> 00:00:01,960\none by one\n"
LATE = GOOD.replace("00:00:01,960", "00:00:07,960")
SPEC = """
brisk_spec: 1
id: captioned
name: With captions
family: web
source: a test
issued: 2026-03-02
lines:
  - { id: rate, characteristic: picture.frame_rate, condition: { equals: 25 } }
  - { id: captions, characteristic: text.captions, condition: { present: true } }
  - { id: speed, characteristic: text.reading_speed, condition: { at_most: 30 } }
"""


class CaptionsTest(QueueTestCase):
    def beside(self, name: str, text: str = GOOD) -> None:
        (self.folder / "shelf" / name).write_text(text)

    def check(self, media_file: MediaFile) -> Check:
        return open_check(media_file, spec_version(SPEC), by=self.people["operator"])

    def outcomes(self, check: Check) -> dict[str, str]:
        found = check.findings.filter(characteristic__startswith="text.")
        return {finding.line: finding.outcome for finding in found}

    def test_captions_in_the_folder_of_a_render_are_found_read_and_judged(self) -> None:
        self.beside("a.en.srt", LATE)
        self.beside("b.srt")
        media = self.media("a.mp4")
        check = self.check(media)
        self.assertEqual(self.outcomes(check)["captions"] if check.verdict else "", "")
        self.work()
        pairing = Pairing.objects.get()
        self.assertEqual((str(pairing), pairing.captions.state), ("a.en.srt beside a.mp4", "done"))
        check.refresh_from_db()
        outcomes = self.outcomes(check)
        self.assertEqual((outcomes["captions"], outcomes["speed"]), ("pass", "pass"))
        self.assertEqual(outcomes["integrity-captions-out-of-range"], "fail")
        self.assertNotIn("integrity-captions-reading-speed", outcomes)
        says = check.findings.get(line="integrity-captions-out-of-range").document["says"]
        self.assertEqual(says, "Line 6: stands until 5.96 s after the programme's end.")
        assert pairing.seen
        self.assertEqual((pairing.seen.looked, pairing.seen.verdict), (1, None))  # one stands apart: too few to tell

    def test_captions_that_come_later_are_put_beside_every_render_of_their_name(self) -> None:
        media = self.media("a.mp4")
        check = self.check(media)
        self.work()
        check.refresh_from_db()
        self.assertEqual(self.outcomes(check), {"captions": "fail", "speed": "not measured"})
        self.beside("a.srt")
        source = register(self.root, "a.srt", by=self.people["operator"])
        self.work()
        self.assertIsNone(source.inspection)
        self.assertEqual(Pairing.objects.get().media_file, media)
        self.assertEqual(self.outcomes(check)["captions"], "pass")
        self.sign_in()
        self.assertContains(self.client.get("/files/"), "a.srt")
        self.assertContains(self.client.get(f"/files/{source.pk}/"), "Captions")
        self.assertNotContains(self.client.get("/"), "a.srt")

    def test_a_mended_caption_file_takes_the_place_of_the_one_before(self) -> None:
        self.beside("a.srt", LATE)
        check = self.check(self.media("a.mp4"))
        self.work()
        check.refresh_from_db()
        self.assertEqual(self.outcomes(check)["integrity-captions-out-of-range"], "fail")
        self.beside("a.srt", GOOD)
        register(self.root, "a.srt", by=self.people["operator"])
        self.work()
        self.assertEqual((CaptionFile.objects.count(), Pairing.objects.count()), (2, 1))
        self.assertEqual(self.outcomes(check)["integrity-captions-out-of-range"], "pass")
        services.pair(check.media_file, services.take_in(keep("a.srt", LATE.encode(), by=None)))
        self.work()
        self.assertEqual(Pairing.objects.count(), 1)
        self.assertEqual(self.outcomes(check)["integrity-captions-out-of-range"], "fail")

    def test_only_captions_of_the_very_name_are_put_beside_a_file(self) -> None:
        made = services.take_in(keep("A.srt", GOOD.encode(), by=None))
        services.take_in(keep("A.B.srt", GOOD.encode(), by=None))
        media = self.media("a.b.mp4")
        self.assertEqual([one.captions.name for one in media.pairings.all()], ["A.B.srt"])
        pairing = services.pair(media, made)
        self.assertEqual((pairing.media_file, pairing.captions), (media, made))
        self.assertEqual(services.pair(media, made), pairing)

    def test_pictures_are_not_looked_at_for_captions_that_nobody_could_read(self) -> None:
        self.beside("a.srt", GOOD)
        media = self.media("a.mp4")
        self.work()
        pairing = Pairing.objects.get()
        Look.objects.all().delete()
        CaptionFile.objects.filter(pk=pairing.captions_id).update(document=None)
        look = Look.objects.create(pairing=pairing)
        services.look_at_pictures.run(look.pk)
        look.refresh_from_db()
        self.assertEqual((look.state, look.error), ("failed", "the captions or the pictures have not been read"))
        self.assertTrue(media.inspection)

    def test_a_file_that_cannot_be_read_fails_and_says_why(self) -> None:
        self.beside("a.vtt", "")
        self.beside("a.ttml", '<!DOCTYPE tt [<!ENTITY a "b">]><tt xmlns="http://www.w3.org/ns/ttml">&a;</tt>')
        check = self.check(self.media("a.mp4"))
        self.work()
        check.refresh_from_db()
        finding = check.findings.get(line="integrity-captions-document")
        self.assertEqual(finding.outcome, "fail")
        self.assertIn("it declares a document type", finding.document["says"])
        self.assertIn("is empty; expected captions", finding.document["says"])

    def test_the_page_from_nothing_to_a_list_with_faults(self) -> None:
        check = self.check(self.media("a.mp4"))
        self.work()
        self.sign_in()
        page = f"/checks/{check.pk}/captions/"
        self.assertContains(self.client.get(page), "None stand beside the file")
        for upload, says in (
            (SimpleUploadedFile("notes.txt", b"hello"), "as a caption file; expected a name that ends in"),
            (SimpleUploadedFile("a.srt", b""), "is empty"),
        ):
            answer = self.client.post(f"{page}add", {"file": upload}, follow=True)
            self.assertContains(answer, says)
        self.client.post(f"{page}add", {"file": SimpleUploadedFile("other.srt", LATE.encode())})
        self.work()
        found = self.client.get(page)
        self.assertContains(found, "1 of 2 have a fault.")
        self.assertContains(found, "Stands until 5.96 s after")
        self.assertNotContains(found, "The lamps go out.")
        self.assertContains(self.client.get(f"{page}?show=all"), "The lamps go out.")
        self.assertContains(self.client.get(f"{page}?show=all&q=nowhere"), "No caption is like that.")
        (track,) = self.client.get(f"/checks/{check.pk}/captions.json").json()["tracks"]
        self.assertEqual(track["captions"][0], [3, 25, "The lamps go out.", 2, [], "pass"])
        self.assertEqual(track["captions"][1][5], "fail")
        self.assertContains(self.client.get(f"/checks/{check.pk}/"), "captions.json")
        pairing = Pairing.objects.get()
        dropped = self.client.post(f"{page}{pairing.pk}/drop", follow=True)
        self.assertEqual(Pairing.objects.count(), 0)
        self.assertEqual(self.outcomes(check)["captions"], "fail")
        undo = re.search(r'action="([^"]+)"[^>]*>(?:(?!</form>).)*Undo', dropped.content.decode(), re.DOTALL)
        assert undo
        self.client.post(html.unescape(undo.group(1)), {"again": "yes"})
        self.assertEqual(self.outcomes(check)["captions"], "pass")
        self.assertEqual(AuditEntry.objects.filter(verb__startswith="captions.").count(), 3)

    def test_who_may_only_look_changes_nothing(self) -> None:
        check = self.check(self.media("a.mp4"))
        self.sign_in("viewer")
        page = f"/checks/{check.pk}/captions/"
        self.assertNotContains(self.client.get(page), "Send")
        answer = self.client.post(f"{page}add", {"file": SimpleUploadedFile("a.srt", GOOD.encode())})
        self.assertEqual((answer.status_code, CaptionFile.objects.count()), (403, 0))

    def test_text_tracks_are_read_once_for_all_files_of_the_same_contents(self) -> None:
        folder = self.folder / "shelf"
        EmbeddedTest.with_track(folder, [(0.2, 1.0, "The lamps go out."), (0.8, 9.0, "one by one")])
        (folder / "captions.srt").unlink()
        first = register(self.root, "track.mkv", by=self.people["operator"])
        check = self.check(first)
        self.work()
        check.refresh_from_db()
        self.assertEqual(self.outcomes(check)["integrity-captions-overlap"], "caution")
        (folder / "copy.mkv").write_bytes((folder / "track.mkv").read_bytes())
        second = register(self.root, "copy.mkv", by=self.people["operator"])
        self.work()
        second.refresh_from_db()
        self.assertEqual(CaptionFile.objects.count(), 1)
        self.assertEqual(list(second.pairings.values_list("captions__name", flat=True)), ["track 2"])

    def test_a_long_list_has_pages(self) -> None:
        rows = "".join(f"{at + 1}\n00:00:00,{at:03} --> 00:00:00,{at + 1:03}\nword {at}\n\n" for at in range(900))
        media = self.media("a.mp4")
        check = self.check(media)
        services.pair(media, services.take_in(keep("long.srt", rows.encode(), by=None)))
        self.work()
        self.sign_in()
        page = self.client.get(f"/checks/{check.pk}/captions/?show=all")
        self.assertContains(page, "Next page")
        self.assertContains(self.client.get(f"/checks/{check.pk}/captions/?show=all&page=5"), "word 899")

    def test_work_of_a_dead_worker_is_taken_up_and_given_up_in_the_end(self) -> None:
        captions = services.take_in(keep("a.srt", GOOD.encode(), by=None))
        for tries, state in ((1, "queued"), (MOST_TRIES, "failed")):
            CaptionFile.objects.filter(pk=captions.pk).update(state="running", tries=tries)
            sweep()
            captions.refresh_from_db()
            self.assertEqual(captions.state, state)
        self.assertIn("died 5 times", captions.error)
        services.read_captions.run(captions.pk)  # an end is an end
        captions.refresh_from_db()
        self.assertEqual(captions.state, "failed")
