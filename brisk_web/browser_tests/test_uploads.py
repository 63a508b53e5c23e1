"""Files that are dropped on the Desk: several, anywhere, over lines that break, and edits among them."""

import re

from playwright.sync_api import expect

from brisk_core.small_media import Small, make_small
from brisk_web.browser_tests.base import BrowserTestCase
from brisk_web.edits.models import Timeline
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.jobs.tests.test_jobs import EDL
from brisk_web.storage.models import MediaFile, Upload
from brisk_web.testing import spec_version

DROP = """
([names, texts]) => {
  const carried = new DataTransfer();
  names.forEach((name, at) => carried.items.add(new File([texts[at]], name)));
  const heading = document.querySelector("h1");
  for (const kind of ["dragover", "drop"]) heading.dispatchEvent(new DragEvent(kind, { bubbles: true, cancelable: true, dataTransfer: carried }));
}
"""


class UploadTest(BrowserTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.job = Job.objects.create(title="Canal")
        Deliverable.objects.create(job=self.job, name="Wide", spec_version=spec_version(), naming_rule="CANAL_V##.mp4")
        self.enter()
        self.picker = self.page.get_by_label("Files to take in")
        self.zone = self.page.locator("[x-data=intake]")

    def render(self, name: str) -> str:
        return str(make_small(self.folder / name, Small()))

    def test_many_at_once_with_one_that_is_refused_which_stays_with_its_reason(self) -> None:
        (self.folder / "empty.mp4").touch()
        files = [self.render(f"CANAL_V0{number}.mp4") for number in range(1, 6)]
        self.picker.set_input_files([*files, str(self.folder / "empty.mp4")])
        intake = self.page.locator("#desk-intake")
        for number in range(1, 6):
            expect(intake.get_by_text(f"CANAL_V0{number}.mp4")).to_be_visible()
        expect(self.zone.get_by_role("alert")).to_have_text("empty.mp4 is empty; expected a media file")
        expect(self.zone.get_by_text("CANAL_V01.mp4")).to_have_count(0)
        self.assertEqual(MediaFile.objects.count(), 5)
        self.zone.get_by_role("button", name="Remove").click()
        expect(self.zone.get_by_text("empty.mp4", exact=True)).to_have_count(0)
        self.complaints = [one for one in self.complaints if "400" not in one]  # the refusal itself

    def test_dropped_beside_the_zone_and_an_edit_is_offered_to_a_job(self) -> None:
        self.page.evaluate(DROP, [["cut.edl", "broken.edl"], [EDL.decode(), "no edit at all"]])
        for name, said in (("broken.edl", "broken.edl"), ("cut.edl", "")):
            row = self.zone.locator("div.border-t").filter(has_text=name)
            expect(row.get_by_text("An edit belongs to a job")).to_be_visible()
            row.get_by_role("combobox").select_option(label="Canal")
            row.get_by_label("Frame rate").fill("25")
            row.get_by_role("button", name="Import").click()
            if said:
                expect(row.get_by_role("alert")).to_be_visible()
        expect(self.page).to_have_url(re.compile(r"/timelines/\d+/$"))
        self.assertEqual(Timeline.objects.get().file_name, "cut.edl")

    def test_a_lost_line_is_told_and_the_upload_goes_on_by_itself(self) -> None:
        path = self.render("CANAL_V07.mp4")
        self.page.route("**/intake/uploads/**", lambda route: route.abort())
        self.picker.set_input_files(path)
        expect(self.zone.get_by_role("alert")).to_contain_text("The line is down", timeout=20_000)
        self.assertTrue(self.page.evaluate("dispatchEvent(new Event('beforeunload', { cancelable: true })) === false"))
        self.page.unroute("**/intake/uploads/**")
        self.page.evaluate("dispatchEvent(new Event('online'))")
        expect(self.page.get_by_text("looks like Wide, attempt 7")).to_be_visible()
        self.assertTrue(self.page.evaluate("dispatchEvent(new Event('beforeunload', { cancelable: true }))"))
        self.complaints = [one for one in self.complaints if "ERR_FAILED" not in one]  # the line that was cut

    def test_what_was_left_unfinished_is_listed_and_removed(self) -> None:
        Upload.objects.create(owner=self.people["operator"], name="half.mov", size=4_000_000, offset=1_000_000)
        Upload.objects.create(owner=self.people["lead"], name="other.mov", size=9)
        self.page.reload()
        expect(self.zone.get_by_text("1 MB of 4 MB have arrived")).to_be_visible()
        expect(self.zone.get_by_text("other.mov")).to_have_count(0)
        self.zone.get_by_role("button", name="Remove").click()
        expect(self.zone.get_by_text("half.mov")).to_have_count(0)
        self.assertEqual(list(Upload.objects.values_list("name", flat=True)), ["other.mov"])
