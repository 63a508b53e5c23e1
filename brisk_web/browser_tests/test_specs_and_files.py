import re
from fractions import Fraction

from playwright.sync_api import expect

from brisk_web.browser_tests.base import BrowserTestCase
from brisk_web.checks.services import open_check
from brisk_web.testing import SPEC, spec_version

BUFFER = SPEC.replace(
    "  - { id: rate,",
    "  - { id: buffer, characteristic: bitrate.buffer, condition: { fits_buffer: { rate: 60 kb/s, size: 8 kb } } }\n"
    "  - { id: rate,",
)


class LanesTest(BrowserTestCase):
    def open_one(self, text: str = SPEC, **recipe: object) -> None:
        opened = open_check(self.media(**recipe), spec_version(text))  # type: ignore[arg-type]
        self.work()
        self.enter("viewer")
        self.page.goto(f"{self.live_server_url}/checks/{opened.pk}/")
        expect(self.page.locator(".lanes svg .head-line")).to_be_attached()

    def test_a_buffer_that_runs_empty_is_drawn_and_its_places_are_spans(self) -> None:
        self.open_one(BUFFER)
        self.page.get_by_role("button", name="Buffer").click()
        expect(self.page.get_by_text("it needs a buffer of")).to_be_visible()
        expect(self.page.locator(".lanes .late").first).to_be_attached()
        expect(self.page.locator(".lanes .span").first).to_be_attached()
        expect(self.page.locator(".lanes text").filter(has_text="runs empty").first).to_be_attached()

    def test_uneven_steps_and_sound_are_drawn(self) -> None:
        base = Fraction(1, 90000)
        self.open_one(time_base=base, times=lambda number: number * 3600 + number % 3 * 600, sound="aac")
        expect(self.page.locator(".lanes .step.uneven")).to_be_attached()
        expect(self.page.locator(".lanes .sound")).to_have_count(1)

    def test_zoom_reaches_one_frame_and_comes_back(self) -> None:
        self.open_one(frames=60)
        bars = self.page.locator(".lanes [class^=type-]")
        expect(bars).to_have_count(60)
        for _ in range(7):
            self.page.keyboard.press("+")
        expect(bars).to_have_count(1)
        self.page.keyboard.press("-")
        expect(bars).to_have_count(2)

    def test_evidence_names_the_place_in_the_file(self) -> None:
        self.open_one()
        self.page.get_by_role("button", name="Codec").click()
        card = self.page.locator("[data-evidence=codec]")
        expect(card.get_by_text(re.compile(r"moov/trak 1/mdia/minf/stbl/stsd at byte [\d,]+"))).to_be_visible()


class SpecsAndFilesTest(BrowserTestCase):
    def test_a_lead_changes_a_spec_sees_what_it_does_and_judges_again(self) -> None:
        open_check(self.media(), spec_version())
        self.work()
        self.enter("lead")
        self.page.goto(f"{self.live_server_url}/specs/small/")
        self.page.get_by_role("link", name="Change…").click()
        box = self.page.get_by_label("Document")
        box.fill(SPEC.replace("picture.codec", "picture.kodec"))
        self.page.get_by_role("button", name="Publish").click()
        expect(self.page.get_by_text("1 mistake; nothing was published")).to_be_visible()
        self.complaints = [one for one in self.complaints if "422" not in one]  # the refusal itself
        box.fill(SPEC.replace("equals: true", "equals: false"))
        self.page.get_by_role("button", name="Publish").click()
        expect(self.page.get_by_text("Published Small spec, version 2")).to_be_visible()
        self.page.get_by_role("link", name="See what would change").click()
        expect(self.page.get_by_text("Fast start: fail → pass")).to_be_visible()
        self.page.get_by_role("button", name="Judge 1 again").click()
        expect(self.page.get_by_text("Judged 1 check again by version 2; no file was read again")).to_be_visible()

    def test_files_are_found_by_facts_and_ordered_by_column(self) -> None:
        self.media("LONG.mp4", frames=60)
        self.media("SHORT.mkv", frames=30, rate=Fraction(30000, 1001))
        self.work()
        self.enter("viewer")
        self.page.goto(f"{self.live_server_url}/files/")
        found = self.page.locator("[data-found]")
        expect(found).to_have_text("2 files")
        self.page.get_by_label("Filter by name, fact or amount").fill("29.97 under 2 s")
        self.page.keyboard.press("Enter")
        expect(found).to_have_text("1 of 2 files")
        expect(self.page.get_by_role("link", name="SHORT.mkv")).to_be_visible()
        self.page.get_by_role("link", name="All files").click()
        self.page.get_by_role("link", name="Duration").click()
        names = self.page.locator("tbody tr td:first-child")
        expect(names.first).to_have_text("SHORT.mkv")
        self.page.get_by_role("link", name="Duration").click()
        expect(names.first).to_have_text("LONG.mp4")
        self.page.get_by_label("Fact", exact=True).select_option(label="Wrapper")
        self.page.get_by_label("Value").fill("matroska")
        self.page.get_by_role("button", name="Find").click()
        expect(found).to_have_text("1 of 2 files")
