"""The Check page by keyboard alone, and what of it goes with the address."""

import re

from playwright.sync_api import expect

from brisk_web.browser_tests.base import BrowserTestCase
from brisk_web.checks.services import open_check
from brisk_web.testing import spec_version


class CheckKeysTest(BrowserTestCase):
    def setUp(self) -> None:
        super().setUp()
        file = self.media("OLP_CANAL_WIDE_V01.mp4", frames=60)
        self.check = open_check(file, spec_version(), by=self.people["operator"])
        self.work()
        self.enter()
        self.address = f"{self.live_server_url}/checks/{self.check.pk}/"

    def lanes(self) -> list[str]:
        return self.page.locator(".lanes .lane-name").evaluate_all("all => all.map((one) => one.dataset.lane)")

    def test_filter_and_zoom_go_with_the_address(self) -> None:
        self.page.goto(self.address)
        expect(self.page.locator(".lanes .lane-name").first).to_be_visible()
        self.page.get_by_label("Filter lines").fill("rate")
        self.page.get_by_label("Filter lines").blur()
        for _ in range(2):
            self.page.keyboard.press("+")
        expect(self.page).to_have_url(re.compile("only=rate"))
        expect(self.page).to_have_url(re.compile(r"shown=0-15"))
        shown = self.page.locator(".ledger-line:visible").count()
        self.page.reload()
        expect(self.page.get_by_label("Filter lines")).to_have_value("rate")
        expect(self.page.locator(".ledger-line:visible")).to_have_count(shown)
        with self.page.expect_response(lambda one: "/lanes?" in one.url) as asked:
            self.page.reload()
        self.assertIn("start=0&end=15&", asked.value.url)
        self.page.keyboard.press("0")
        expect(self.page).not_to_have_url(re.compile("shown="))
        self.page.goto(f"{self.address}?shown=50-9000")  # nothing such: the whole file
        with self.page.expect_response(lambda one: "/lanes?" in one.url) as asked:
            self.page.reload()
        self.assertIn("start=0&end=60&", asked.value.url)

    def test_the_page_comes_with_its_picture(self) -> None:
        plain = self.page.context.request.get(f"{self.address}?frame=17").text()
        self.assertIn(f"/files/{self.check.media_file_id}/frames/17.jpg?view=picture", plain)
        asked: list[str] = []
        self.page.on("request", lambda one: asked.append(one.url) if "/frames/" in one.url else None)
        self.page.goto(f"{self.address}?frame=17")
        expect(self.page.locator(".lanes .lane-name").first).to_be_visible()
        self.page.wait_for_timeout(300)
        self.assertEqual(len([url for url in asked if "17.jpg" in url]), 1, asked)
        expect(self.page.locator("[data-frame]")).to_have_text("17")

    def test_the_ledger_is_made_wider_by_keys_and_by_dragging(self) -> None:
        self.page.goto(self.address)
        expect(self.page.locator(".lanes .lane-name").first).to_be_visible()
        split, ledger = self.page.get_by_role("separator"), self.page.locator(".ledger")
        before = ledger.bounding_box()
        split.focus()
        for _ in range(3):
            self.page.keyboard.press("ArrowRight")
        wider = ledger.bounding_box()
        assert before
        assert wider
        self.assertAlmostEqual(wider["width"] - before["width"], 42, delta=4)  # three rem
        expect(self.page.locator("[data-frame]")).to_have_text("0")  # and no frame was stepped
        self.page.reload()
        self.assertEqual(ledger.bounding_box(), wider)
        middle = wider["x"] + wider["width"], wider["y"] + 200
        self.page.mouse.move(*middle)
        self.page.mouse.down()
        self.page.mouse.move(middle[0] - 100, middle[1])
        self.page.mouse.up()
        narrow = ledger.bounding_box()
        assert narrow
        self.assertAlmostEqual(wider["width"] - narrow["width"], 100, delta=4)
        split.dblclick()
        self.assertEqual(ledger.bounding_box(), before)

    def test_lanes_are_folded_and_moved(self) -> None:
        self.page.goto(self.address)
        expect(self.page.locator(".lanes .lane-name").first).to_be_visible()
        before = self.lanes()
        self.page.keyboard.press("l")
        box = self.page.get_by_role("dialog", name="Lanes")
        second = box.locator("tr").nth(1)
        name = second.locator("label").inner_text()
        second.get_by_role("button", name="down").focus()
        self.page.keyboard.press("Enter")
        expect(box.locator("tr").nth(2).locator("label")).to_have_text(name)
        expect(box.locator("tr").nth(2).get_by_role("button", name="down")).to_be_focused()
        self.assertEqual(self.lanes()[:3], [before[0], before[2], before[1]])
        first = box.locator("tr").first.get_by_role("checkbox")
        first.focus()
        self.page.keyboard.press("Space")
        expect(first).not_to_be_checked()
        expect(first).to_be_focused()
        self.page.keyboard.press("Escape")
        self.page.reload()
        expect(self.page.locator(".lanes .lane-name").first).to_contain_text("…")
        self.assertEqual(self.lanes()[:3], [before[0], before[2], before[1]])

    def test_arrows_in_a_toolbar_are_its_own(self) -> None:
        self.page.goto(self.address)
        expect(self.page.locator(".lanes .lane-name").first).to_be_visible()
        self.page.get_by_role("button", name="Picture", exact=True).focus()
        self.page.keyboard.press("ArrowRight")
        expect(self.page.get_by_role("button", name="Fields", exact=True)).to_be_focused()
        self.page.keyboard.press("End")
        expect(self.page.get_by_role("button", name="In turn")).to_be_focused()
        self.page.keyboard.press("ArrowRight")
        expect(self.page.get_by_role("button", name="Picture", exact=True)).to_be_focused()
        expect(self.page.locator("[data-frame]")).to_have_text("0")
        self.page.locator(".lanes").focus()
        self.page.keyboard.press("ArrowRight")
        expect(self.page.locator("[data-frame]")).to_have_text("1")

    def test_the_lanes_are_told_in_words(self) -> None:
        self.page.goto(f"{self.address}?shown=20-30")
        table = self.page.locator(".lanes table")
        expect(table.locator("caption")).to_have_text("Lanes of frames 20 to 29, from 00:00:00:20 to 00:00:01:04")
        expect(table.get_by_role("row")).to_have_count(len(self.lanes()))
        expect(table.get_by_role("row").filter(has_text="Picture types")).to_contain_text("I, P, B by size")

    def test_samples_are_told_and_moved_over(self) -> None:
        self.page.goto(self.address)
        expect(self.page.locator(".lanes .lane-name").first).to_be_visible()
        self.page.keyboard.press("x")
        box = self.page.get_by_role("dialog", name="Samples")
        expect(box.locator("table.samples").first.locator("td")).to_have_count(96)
        words = box.locator("[x-text=samplesWords]")
        middle = words.inner_text()
        self.page.keyboard.press("ArrowRight")
        expect(words).not_to_have_text(middle)
        expect(words).to_contain_text("from column")
        for _ in range(3):
            self.page.keyboard.press("Shift+ArrowLeft")
        expect(words).to_contain_text("from column 0,")
        self.page.keyboard.press("Escape")
        expect(box).to_be_hidden()
        expect(self.page.locator("[data-frame]")).to_have_text("0")  # the arrows were those of the samples
