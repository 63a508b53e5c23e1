"""A disc is built on its map: by mouse, by keys alone, and by its forms; every step can be undone."""

from __future__ import annotations

from typing import Any

from playwright.sync_api import expect

from brisk_core.spec.document import read_document
from brisk_web.browser_tests.base import BrowserTestCase
from brisk_web.jobs.models import Job
from brisk_web.planner.models import Plan
from brisk_web.planner.services import keep

_DISC = """
schema: brisk-sentry/disc/1
name: Canal
kind: sd-single
family: "25"
starts_with: menu
home: menu
items:
  - { id: menu, kind: screen, name: Menu, buttons: [{ id: b1, label: Film, to: film }] }
  - { id: film, kind: clip, name: Film, length: "10:00", rate: 25, size: 720x576, shape: "16:9", scan: interlaced, codec: mpeg2, sounds: [ac3 192 kb/s], then: menu }
  - { id: short, kind: clip, name: Short, length: "2:00", rate: 25, size: 720x576, shape: "16:9", scan: interlaced, codec: mpeg2, sounds: [ac3 192 kb/s], then: menu }
"""


class DiscMapTest(BrowserTestCase):
    def setUp(self) -> None:
        super().setUp()
        job = Job.objects.create(title="Canal")
        self.plan = keep(job, "Canal", {"text": _DISC}, None, by=self.people["operator"], kind=Plan.Kind.DISC)
        self.enter()
        self.page.goto(f"{self.live_server_url}/plans/{self.plan.pk}/")

    def row(self, item: str) -> dict[str, Any]:
        self.plan.refresh_from_db()
        document = read_document(self.plan.asked["text"], expected="a disc")
        found: dict[str, Any] = next(one for one in document["items"] if one["id"] == item)
        return found

    def box(self, item: str) -> Any:
        return self.page.locator(f"[data-item={item}]")

    def middle(self, item: str) -> tuple[float, float]:
        area = self.box(item).locator("rect").bounding_box()
        return area["x"] + area["width"] / 2, area["y"] + area["height"] / 2

    def test_a_way_is_dragged_and_undone(self) -> None:
        self.box("menu").scroll_into_view_if_needed()
        mouse = self.page.mouse
        mouse.move(*self.middle("menu"))
        mouse.down()
        mouse.move(*self.middle("film"), steps=4)
        mouse.move(*self.middle("short"), steps=4)
        expect(self.page.locator("[data-map-says]")).to_have_text("Menu leads to Short")
        mouse.up()
        expect(self.page.get_by_label("Label of button b2")).to_have_value("Short")
        self.assertEqual(self.row("menu")["buttons"][1], {"id": "b2", "label": "Short", "to": "short"})
        self.page.get_by_role("button", name="Undo").click()
        expect(self.page.get_by_role("button", name="Undo")).to_have_count(0)
        self.assertEqual(len(self.row("menu")["buttons"]), 1)

    def test_a_way_is_drawn_by_keys_alone_and_an_item_removed(self) -> None:
        keyboard = self.page.keyboard
        self.box("menu").focus()
        keyboard.press("l")
        expect(self.page.locator("[data-map-says]")).to_contain_text("From Menu to")
        keyboard.press("Escape")
        expect(self.page.locator("[data-map-says]")).to_have_text("No way was drawn.")
        keyboard.press("ArrowRight")
        expect(self.box("film")).to_be_focused()
        self.box("short").focus()
        keyboard.press("l")
        self.box("film").focus()
        keyboard.press("Enter")
        self.page.wait_for_url("**item=short#map")
        self.assertEqual(self.row("short")["then"], "film")
        self.box("film").focus()
        keyboard.press("Delete")
        expect(self.box("film")).to_have_count(0)
        self.assertNotIn("to", self.row("menu")["buttons"][0])
        expect(self.page.get_by_text("leads nowhere").first).to_be_visible()

    def test_items_are_added_named_and_led_to_by_the_forms(self) -> None:
        page = self.page
        page.get_by_label("Name of a new screen").fill("Extras")
        page.get_by_role("button", name="Add screen").click()
        expect(page.get_by_label("Name of this screen")).to_have_value("Extras")
        page.get_by_label("Label of a new button").fill("Home")
        page.get_by_label("Where the new button leads").select_option("menu")
        page.get_by_role("button", name="Add button").click()
        expect(page.get_by_label("Label of button b1")).to_have_value("Home")
        page.get_by_label("Name of this screen").fill("Bonus")
        page.get_by_role("button", name="Rename").first.click()
        expect(self.box("extras")).to_contain_text("Bonus")
        self.box("menu").click()
        expect(page.get_by_label("Name of this screen")).to_have_value("Menu")
        page.get_by_label("Where Film leads").select_option("extras")
        with page.expect_navigation():
            page.get_by_role("button", name="Lead there").first.click()
        expect(page.get_by_label("Where Film leads")).to_have_value("extras")
        self.assertEqual(self.row("menu")["buttons"][0]["to"], "extras")
        self.box("extras").click()
        page.get_by_role("button", name="Start here").click()
        expect(page.get_by_text("the disc starts here")).to_be_visible()
        page.get_by_role("region", name="Bonus").get_by_role("button", name="Remove", exact=True).first.click()
        expect(page.get_by_text("The disc starts with “Bonus”. Let it start with another item first.")).to_be_visible()
