import re

from django.core.files.uploadedfile import SimpleUploadedFile
from playwright.sync_api import expect

from brisk_core.samples.timelines import write_wide
from brisk_web.browser_tests.base import BrowserTestCase
from brisk_web.edits.services import import_timeline
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.jobs.services import choose_master, take_in
from brisk_web.testing import spec_version


class TimelineTest(BrowserTestCase):
    def test_a_range_is_set_by_keys_and_timecode_and_kept(self) -> None:
        path = self.folder / "wide.otio"
        write_wide(path)
        job = Job.objects.create(title="Canal")
        upload = SimpleUploadedFile("wide.otio", path.read_bytes())
        timeline = import_timeline(job, upload, {}, by=self.people["operator"])
        deliverable = Deliverable.objects.create(job=job, name="Wide", spec_version=spec_version(), timeline=timeline)
        self.enter()
        self.page.goto(f"{self.live_server_url}/timelines/{timeline.pk}/")
        lanes = self.page.locator(".edit-lanes")
        expect(lanes.locator(".troubled")).to_have_count(8)
        lanes.focus()
        for key in ("Shift+ArrowRight", "Shift+ArrowRight", "i", "Shift+ArrowRight", "o"):
            self.page.keyboard.press(key)
        expect(self.page.get_by_role("textbox", name="In point")).to_have_value("10:00:00:20")
        expect(self.page.get_by_text("00:00:00:11, 11 frames, 0.44 s")).to_be_visible()
        self.page.get_by_role("textbox", name="Out point").fill("10:00:03:00")
        self.page.get_by_role("textbox", name="Out point").press("Tab")
        expect(self.page.get_by_text("55 frames")).to_be_visible()
        self.page.get_by_role("button", name="Set its range").click()
        expect(self.page.get_by_text("The range of Wide is 10:00:00:20 to 10:00:03:00")).to_be_visible()
        deliverable.refresh_from_db()
        self.assertEqual((deliverable.range_start, deliverable.range_end), (20, 75))
        self.page.get_by_label("Filter sources").fill("rope")
        expect(self.page.locator(".sources tbody tr:visible")).to_have_count(1)


class AgainstTest(BrowserTestCase):
    def test_the_ways_to_compare_and_the_address(self) -> None:
        job = Job.objects.create(title="Canal")
        deliverable = Deliverable.objects.create(job=job, name="Wide", spec_version=spec_version())
        choose_master(deliverable, self.media("master.mp4"), by=self.people["operator"])
        check = take_in(self.media("a.mp4", frames=48), deliverable, by=self.people["operator"])
        self.work()
        self.enter("viewer")
        self.page.goto(f"{self.live_server_url}/checks/{check.pk}/")
        self.page.get_by_text("More", exact=True).click()
        self.page.get_by_role("link", name="Against the master").click()
        expect(self.page.get_by_text("2 frames are missing at the tail")).to_be_visible()
        expect(self.page.locator(".map .run")).to_have_count(1)
        expect(self.page.locator(".map .hole")).to_have_count(0)  # told as the tail
        own = self.page.get_by_alt_text("The frame of this file")
        expect(own).to_have_attribute("src", re.compile(r"/47\.jpg"))
        self.page.keyboard.press("Home")
        self.page.keyboard.press("ArrowRight")
        expect(own).to_have_attribute("src", re.compile(r"/1\.jpg"))
        expect(self.page.get_by_alt_text("The frame of the master")).to_have_attribute("src", re.compile(r"/1\.jpg"))
        self.page.keyboard.press("d")
        expect(self.page.get_by_role("button", name="Difference")).to_have_attribute("aria-pressed", "true")
        expect(self.page).to_have_url(re.compile(r"frame=1&way=difference"))
        self.page.reload()
        expect(self.page.get_by_role("button", name="Difference")).to_have_attribute("aria-pressed", "true")
        self.page.get_by_role("button", name="Wipe").click()
        expect(self.page.locator(".wipe-line")).to_be_visible()
        self.page.locator(".frame-box").click(position={"x": 40, "y": 60})
        self.assertLess(float(self.page.locator(".wipe-line").evaluate("line => parseFloat(line.style.left)")), 15)
        left = "line => Math.round(parseFloat(line.style.left))"
        before = self.page.locator(".wipe-line").evaluate(left)
        for _ in range(4):
            self.page.keyboard.press(".")
        self.assertEqual(self.page.locator(".wipe-line").evaluate(left), before + 20)
        self.page.keyboard.press(",")
        self.assertEqual(self.page.locator(".wipe-line").evaluate(left), before + 15)
        self.page.keyboard.press("]")
        expect(self.page.locator("tr.shot-row[aria-current=true]")).to_have_count(1)
