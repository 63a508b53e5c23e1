import re

from django.core.files.uploadedfile import SimpleUploadedFile
from playwright.sync_api import expect

from brisk_core.small_media import Small, make_small
from brisk_web.browser_tests.base import BrowserTestCase
from brisk_web.checks.services import open_check
from brisk_web.edits.services import import_timeline
from brisk_web.handoff.models import Brought
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.jobs.services import take_in
from brisk_web.jobs.tests.test_jobs import EDL
from brisk_web.testing import SPEC, spec_version


class WholeWayTest(BrowserTestCase):
    def test_a_dropped_render_is_inspected_and_judged_before_the_operators_eyes(self) -> None:
        spec_version()
        path = make_small(self.folder / "final_final_3.mp4", Small(sound="aac"))
        self.enter()
        self.page.get_by_label("Files to take in").set_input_files(str(path))
        self.page.get_by_role("heading", name="What is it for?").wait_for()
        self.page.get_by_label("Judge by").select_option(label="Small spec, version 1")
        self.page.get_by_role("button", name="Check", exact=True).click()
        expect(self.page.get_by_text("not judged yet")).to_be_visible()
        self.work()
        expect(self.page.get_by_text("1 of 17 lines fails")).to_be_visible()
        expect(self.page.get_by_text("What to change: Switch on the setting")).to_be_visible()
        expect(self.page.locator(".lanes svg .type-i").first).to_be_attached()
        expect(self.page.locator(".frame-box img:not(.frame-kept)")).to_have_js_property("naturalWidth", 192)

    def test_a_render_whose_name_fits_is_taken_in_from_the_desk(self) -> None:
        job = Job.objects.create(title="Canal")
        Deliverable.objects.create(job=job, name="Wide", spec_version=spec_version(), naming_rule="CANAL_V##.mp4")
        path = make_small(self.folder / "CANAL_V02.mp4", Small())
        self.enter()
        self.page.get_by_label("Files to take in").set_input_files(str(path))
        expect(self.page.get_by_text("looks like Wide, attempt 2")).to_be_visible()
        self.page.get_by_role("button", name="Take in").click()
        expect(self.page.get_by_text("Canal / Wide / attempt 2")).to_be_visible()

    def test_a_mistake_in_an_upload_is_said_where_it_happened(self) -> None:
        self.enter()
        (self.folder / "empty.mp4").touch()
        self.page.get_by_label("Files to take in").set_input_files(str(self.folder / "empty.mp4"))
        expect(self.page.get_by_text("empty.mp4 is empty; expected a media file")).to_be_visible()
        self.complaints = [one for one in self.complaints if "400" not in one]  # the refusal itself


class CheckPageTest(BrowserTestCase):
    def open_one(self) -> None:
        job = Job.objects.create(title="Canal")
        timeline = import_timeline(job, SimpleUploadedFile("a.edl", EDL), {"rate": "25"}, by=None)
        self.opened = open_check(self.media(frames=51), spec_version(), timeline=timeline)
        self.work()
        self.enter("viewer")
        self.page.goto(f"{self.live_server_url}/checks/{self.opened.pk}/")
        expect(self.page.locator(".lanes svg .head-line")).to_be_attached()

    def test_keys_walk_lines_and_frames_and_the_address_keeps_both(self) -> None:
        self.open_one()
        current = self.page.locator(".ledger-line[aria-current=true]")
        expect(current).to_contain_text("Fast start")
        self.page.keyboard.press("n")
        expect(current).to_contain_text("Length")
        frame = self.page.locator("[data-frame]")
        expect(frame).to_have_text("50")  # the frame that is too many
        expect(self.page.locator(".lanes .span")).to_have_count(1)
        self.page.keyboard.press("Shift+ArrowLeft")
        self.page.keyboard.press("ArrowRight")
        expect(frame).to_have_text("41")
        expect(self.page.get_by_text("00:00:01:16")).to_be_visible()
        expect(self.page).to_have_url(re.compile(r"line=length&frame=41"))
        self.page.reload()
        expect(frame).to_have_text("41")
        expect(current).to_contain_text("Length")

    def test_choosing_a_line_opens_its_evidence_with_three_witnesses(self) -> None:
        self.open_one()
        self.page.get_by_role("button", name="Frame rate").click()
        card = self.page.locator("[data-evidence=rate]")
        expect(card).to_be_visible()
        for words in ("Asked for", "Declared by the wrapper", "Coded in the stream", "Observed"):
            expect(card.get_by_text(words, exact=True)).to_be_visible()

    def test_the_filter_and_the_help(self) -> None:
        self.open_one()
        self.page.keyboard.press("/")
        self.page.keyboard.type("codec")
        expect(self.page.locator(".ledger-line:visible")).to_have_count(1)
        self.page.keyboard.press("Escape")
        self.page.keyboard.press("?")
        expect(self.page.get_by_role("dialog")).to_contain_text("next line that does not pass")

    def test_the_lanes_zoom_to_single_frames_and_a_click_moves_the_playhead(self) -> None:
        self.open_one()
        bars = self.page.locator(".lanes [class^=type-]")
        expect(bars).to_have_count(51)
        self.page.keyboard.press("+")
        self.page.keyboard.press("+")
        expect(bars).to_have_count(13)
        self.page.keyboard.press("0")
        expect(bars).to_have_count(51)
        box = self.page.locator(".lanes > svg").bounding_box()
        assert box
        self.page.mouse.click(box["x"] + box["width"] - 2, box["y"] + 40)
        expect(self.page.locator("[data-frame]")).to_have_text("50")

    def test_a_frame_becomes_the_poster_by_a_key_on_the_newest_attempt_only(self) -> None:
        asking = "\ncompanions:\n  - { id: poster, kind: picture, size: 96x64 }\n"
        owed = Deliverable.objects.create(
            job=Job.objects.create(title="Canal"), name="Wide", spec_version=spec_version(SPEC + asking)
        )
        first, second = (take_in(self.media(name, frames=51), owed) for name in ("a.mp4", "b.mp4"))
        self.work()
        self.enter("viewer")
        self.page.goto(f"{self.live_server_url}/checks/{second.pk}/?frame=30")
        expect(self.page.locator(".lanes svg .head-line")).to_be_attached()
        expect(self.page.get_by_role("button", name="Poster")).to_have_count(0)
        self.page.context.clear_cookies()
        self.enter("operator")
        self.page.goto(f"{self.live_server_url}/checks/{first.pk}/")
        expect(self.page.locator(".lanes svg .head-line")).to_be_attached()
        expect(self.page.get_by_role("button", name="Poster")).to_have_count(0)
        self.page.goto(f"{self.live_server_url}/checks/{second.pk}/?frame=30")
        expect(self.page.get_by_role("button", name="Poster")).to_be_visible()
        expect(self.page.locator("[data-frame]")).to_have_text("30")
        self.page.keyboard.press("ArrowRight")
        with self.page.expect_request(lambda one: one.method == "POST") as sent:
            self.page.keyboard.press("b")
        self.assertRegex(sent.value.post_data or "", r"frame=31$")
        expect(self.page).to_have_url(re.compile(f"/deliverables/{owed.pk}/"))
        brought = Brought.objects.get()
        self.assertEqual((brought.asked, brought.name, brought.facts["picture"]), ("poster", "b_poster.jpg", [96, 64]))

    def test_day_and_night_are_remembered(self) -> None:
        self.open_one()
        self.page.get_by_role("button", name="Theme").click()
        expect(self.page.locator("html")).to_have_class("night")
        self.page.reload()
        expect(self.page.locator("html")).to_have_class("night")


class SideBySideTest(BrowserTestCase):
    def test_rows_that_agree_unfold_by_group_and_all_at_once(self) -> None:
        first, second = self.media("a.mp4"), self.media("b.mp4", frames=40)
        self.work()
        self.enter("viewer")
        self.page.goto(f"{self.live_server_url}/side-by-side/?files={first.pk},{second.pk}")
        agreeing = self.page.get_by_role("cell", name="Chroma subsampling", exact=True)
        expect(self.page.get_by_role("cell", name="Frames", exact=True)).to_be_visible()
        expect(agreeing).to_be_hidden()
        self.page.locator("button[data-group=Picture]").click()
        expect(agreeing).to_be_visible()
        self.page.get_by_role("button", name="All rows").click()
        expect(self.page.get_by_role("cell", name="Sound tracks", exact=True)).to_be_visible()
        self.page.get_by_role("button", name="Only what differs").click()
        expect(agreeing).to_be_hidden()
        expect(self.page.locator("button[data-group=Picture]")).to_be_visible()
