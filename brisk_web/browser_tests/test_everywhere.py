"""What every page answers to: going anywhere by name, and the keys."""

import re

from playwright.sync_api import expect

from brisk_web.browser_tests.base import BrowserTestCase
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.pages.tests.furnished import addresses, furnish
from brisk_web.testing import spec_version


class EverywhereTest(BrowserTestCase):
    def test_any_place_is_reached_by_its_name_and_the_keyboard_alone(self) -> None:
        furnish(self, first="OLP_CANAL_V01.mp4")
        self.enter()
        palette = self.page.get_by_role("dialog", name="Go anywhere")
        for asked, kind, title in (
            ("v01", "file", "OLP_CANAL_V01.mp4"),
            ("small", "spec", "Small spec"),
            ("canal", "job", "Canal"),
            ("what the words", "page", "Glossary"),
        ):
            self.page.keyboard.press("Control+k")
            field = palette.get_by_role("combobox")
            expect(field).to_be_focused()
            self.page.keyboard.type(asked)
            place = palette.get_by_role("option").filter(has_text=title).filter(has_text=kind)
            expect(place).to_have_count(1)
            for _ in range(20):
                if place.get_attribute("aria-selected") == "true":
                    break
                self.page.keyboard.press("ArrowDown")
            self.assertEqual(field.get_attribute("aria-activedescendant"), place.get_attribute("id"))
            self.page.keyboard.press("Enter")
            expect(self.page.get_by_role("heading", level=1)).to_contain_text(title)
            expect(palette).to_be_hidden()

    def test_what_is_not_there_is_said_and_escape_leads_back(self) -> None:
        self.enter()
        self.page.get_by_role("button", name="Go to").click()
        palette = self.page.get_by_role("dialog", name="Go anywhere")
        palette.get_by_role("combobox").fill("no such thing")
        expect(palette.get_by_role("status")).to_have_text("Nothing has such a name.")
        self.page.keyboard.press("Enter")  # leads nowhere
        self.page.keyboard.press("Escape")
        expect(palette).to_be_hidden()
        expect(self.page).to_have_title("Desk · Brisk Sentry")

    def test_the_keys_are_told_on_every_page_and_do_nothing_while_one_writes(self) -> None:
        self.enter()
        for path in ("/", "/jobs/", "/files/", "/specs/", "/house/", "/glossary/", "/you/"):
            self.page.goto(self.live_server_url + path)
            self.page.keyboard.press("?")
            keys = self.page.get_by_role("dialog", name="Keys")
            expect(keys).to_contain_text("go to any job")
            self.page.keyboard.press("Escape")
            expect(keys).to_be_hidden()
        self.page.goto(f"{self.live_server_url}/files/")
        self.page.keyboard.press("/")
        field = self.page.get_by_label("Filter by name, fact or amount")
        expect(field).to_be_focused()
        self.page.keyboard.type("a?/")
        expect(field).to_have_value("a?/")
        expect(self.page.get_by_role("dialog", name="Keys")).to_be_hidden()


class PickTest(BrowserTestCase):
    def test_a_long_list_is_narrowed_to_what_is_meant(self) -> None:
        version = spec_version()
        for title in ("Canal", "Harbour"):
            job = Job.objects.create(title=title)
            for number in range(8):
                Deliverable.objects.create(job=job, name=f"Cut {number}", spec_version=version)
        file = self.media("a.mp4", frames=4)
        self.enter()
        self.page.goto(f"{self.live_server_url}/files/{file.pk}/take-in")
        self.page.get_by_label("Filter: Attempt at").fill("harbour 5")
        expect(self.page.get_by_role("status").filter(has_text="1 of 16")).to_be_visible()
        self.page.keyboard.press("Enter")  # to the list, not to the form
        expect(self.page.get_by_label("Attempt at", exact=True)).to_be_focused()
        self.page.get_by_role("button", name="Take in").click()
        expect(self.page.get_by_text("Harbour / Cut 5 / attempt 1")).to_be_visible()
        self.page.goto(f"{self.live_server_url}/files/{file.pk}/take-in")
        self.page.get_by_label("Filter: Attempt at").fill("nothing such")
        expect(self.page.get_by_role("status").filter(has_text="none is like that")).to_be_visible()
        self.page.get_by_role("button", name="Take in").click()
        expect(self.page.get_by_text("Choose a deliverable or a spec.")).to_be_visible()


class FormTest(BrowserTestCase):
    def test_the_first_mistake_has_the_focus_and_is_tied_to_its_field(self) -> None:
        job = Job.objects.create(title="Canal")
        version = spec_version()
        self.enter()
        self.page.goto(f"{self.live_server_url}/jobs/{job.pk}/deliverables/new")
        self.page.get_by_label("Name").fill("Wide")
        self.page.get_by_label("Spec", exact=True).select_option(str(version.pk))
        self.page.get_by_label("Naming rule").fill("wide/x")
        self.page.get_by_label("Range").fill("1-2")
        self.page.get_by_role("button", name="Add it").click()
        field = self.page.get_by_label("Range")
        expect(field).to_be_focused()
        expect(field).to_have_accessible_description(re.compile("a range needs a timeline"))


class LargeTextTest(BrowserTestCase):
    def test_text_of_twice_the_size_keeps_every_page_within_its_width(self) -> None:
        house = furnish(self, first="OLP_CANAL_V01.mp4")
        self.work()
        self.enter("lead")
        sizes = {"fontSizes": {"standard": 32, "fixed": 26}}
        self.page.context.new_cdp_session(self.page).send("Page.setFontSizes", sizes)
        for name in (
            "desk",
            "jobs",
            "job",
            "files",
            "file",
            "check",
            "against",
            "timeline",
            "specs",
            "spec",
            "house",
            "you",
        ):
            pattern = next(one for one in addresses() if one.name == name)
            self.page.goto(self.live_server_url + house.address(pattern))
            found = self.page.evaluate(
                "[getComputedStyle(document.querySelector('main')).fontSize, document.documentElement.scrollWidth]"
            )
            self.assertEqual(found, ["28px", 1280], name)
