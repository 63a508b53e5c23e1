import re

from PIL import Image
from playwright.sync_api import Route, expect

from brisk_web.browser_tests.base import BrowserTestCase
from brisk_web.checks.services import open_check
from brisk_web.inspections.models import Inspection
from brisk_web.testing import SPEC, spec_version


class BenchTest(BrowserTestCase):
    def open_one(self, text: str = SPEC) -> int:
        opened = open_check(self.media(frames=60, sound="aac"), spec_version(text))
        self.work()
        self.enter("viewer")
        self.page.goto(f"{self.live_server_url}/checks/{opened.pk}/")
        expect(self.page.locator(".lanes svg .head-line")).to_be_attached()
        return opened.pk

    def test_views_of_the_frame_by_button_key_and_address(self) -> None:
        number = self.open_one()
        picture = self.page.locator(".frame-box img:not(.frame-kept)")
        expect(picture).to_have_attribute("src", re.compile(r"view=picture"))
        self.page.get_by_role("button", name="Fields", exact=True).click()
        expect(picture).to_have_attribute("src", re.compile(r"view=fields"))
        expect(self.page).to_have_url(re.compile(r"view=fields"))
        expect.set_options(timeout=15_000)
        expect(self.page.get_by_text("decoding")).to_be_hidden()
        self.assertEqual(picture.evaluate("image => image.naturalWidth"), 198)
        self.page.keyboard.press("v")
        expect(picture).to_have_attribute("src", re.compile(r"view=levels"))
        for key, address in ((".", r"/0\.jpg\?view=top-field"), (".", "view=bottom-field"), (".", r"/1\.jpg\?view=top-field"),
                             (",", r"/0\.jpg\?view=bottom-field")):  # fmt: skip
            self.page.keyboard.press(key)
            expect(picture).to_have_attribute("src", re.compile(address))
        expect(self.page.get_by_role("button", name="Fields", exact=True)).to_have_attribute("aria-pressed", "true")
        self.page.goto(f"{self.live_server_url}/checks/{number}/?view=difference&frame=7")
        expect(picture).to_have_attribute("src", re.compile(r"/7\.jpg\?view=difference"))
        expect(self.page.get_by_role("button", name="Change", exact=True)).to_have_attribute("aria-pressed", "true")

    def test_lanes_of_the_scan_fold_move_and_remember(self) -> None:
        number = self.open_one()
        lanes = [one.get_attribute("data-lane") for one in self.page.locator(".lane-name").all()]
        for name in ("fields", "cadence", "levels", "loudness", "peak", "faults"):
            self.assertIn(name, lanes)
        high = self.page.locator("[data-lane=levels] .lane-grip").bounding_box()
        self.page.locator("[data-lane=levels]").click()
        folded = self.page.locator("[data-lane=levels] .lane-grip").bounding_box()
        assert high
        assert folded
        self.assertLess(folded["height"], high["height"] / 2)
        grip, target = (
            self.page.locator(f"[data-lane={name}] .lane-grip").bounding_box() for name in ("loudness", "fields")
        )
        assert grip
        assert target
        self.page.mouse.move(grip["x"] + 10, grip["y"] + 8)
        self.page.mouse.down()
        self.page.mouse.move(target["x"] + 10, target["y"] + 4)
        self.page.mouse.up()
        order = [one.get_attribute("data-lane") for one in self.page.locator(".lane-name").all()]
        self.assertLess(order.index("loudness"), order.index("fields"))
        self.page.goto(f"{self.live_server_url}/checks/{number}/")
        expect(self.page.locator(".lanes svg .head-line")).to_be_attached()
        again = [one.get_attribute("data-lane") for one in self.page.locator(".lane-name").all()]
        self.assertEqual(again, order)

    def test_folds_go_with_the_address(self) -> None:
        self.open_one()
        self.page.locator("[data-lane=levels]").click()
        expect(self.page).to_have_url(re.compile(r"folded=[a-z.]*levels"))
        address = self.page.url
        self.page.evaluate("localStorage.clear()")
        self.page.goto(address.split("?")[0])
        grip = self.page.locator("[data-lane=levels] .lane-grip")
        high = grip.bounding_box()
        self.page.goto(address)
        folded = grip.bounding_box()
        assert high
        assert folded
        self.assertLess(folded["height"], high["height"] / 2)
        self.page.locator("[data-lane=levels]").click()  # as at first: the address need not say it
        expect(self.page).not_to_have_url(re.compile("folded="))
        self.page.goto(f"{address.split('?')[0]}?folded=none")
        for name in ("levels", "steps"):
            tall = self.page.locator(f"[data-lane={name}] .lane-grip").bounding_box()
            assert tall
            self.assertGreater(tall["height"], folded["height"])

    def test_the_picture_that_the_scan_kept_stands_until_the_exact_one_has_come(self) -> None:
        number = self.open_one()
        inspection = Inspection.objects.get(files__checks__pk=number)
        inspection.small_folder.mkdir(parents=True)
        Image.new("RGB", (240, 160), (200, 30, 30)).save(inspection.small_folder / "00000000.jpg")
        held: list[Route] = []
        self.page.route(re.compile(r"/frames/0\.jpg"), lambda route: held.append(route))
        self.page.goto(f"{self.live_server_url}/checks/{number}/", wait_until="commit")
        kept = self.page.locator(".frame-kept")
        expect(kept).to_have_js_property("naturalWidth", 240)
        expect(kept).to_be_visible()
        self.assertEqual(len(held), 1)
        held[0].continue_()
        expect(kept).to_be_hidden(timeout=15_000)
        expect(self.page.locator(".frame-box img:not(.frame-kept)")).to_have_js_property("naturalWidth", 192)
        self.page.keyboard.press("ArrowRight")  # no picture is kept of the next frame
        expect(self.page.locator("[data-frame]")).to_have_text("1")
        expect(kept).to_be_hidden()

    def test_single_keys_can_be_switched_off_and_stay_off(self) -> None:
        number = self.open_one()
        self.page.keyboard.press("?")
        self.page.get_by_label("Single keys act at once").uncheck()
        self.page.get_by_role("button", name="Close").click()
        self.page.goto(f"{self.live_server_url}/checks/{number}/")
        expect(self.page.locator(".lanes svg .head-line")).to_be_attached()
        picture = self.page.locator(".frame-box img:not(.frame-kept)")
        expect(picture).to_have_attribute("src", re.compile(r"/0\.jpg\?view=picture"))
        self.page.keyboard.press("v")
        self.page.keyboard.press("ArrowRight")
        self.page.wait_for_timeout(300)
        expect(picture).to_have_attribute("src", re.compile(r"/0\.jpg\?view=picture"))
        self.page.locator(".lanes").focus()
        self.page.keyboard.press("ArrowRight")
        expect(picture).to_have_attribute("src", re.compile(r"/1\.jpg\?view=picture"))
        self.page.keyboard.press("?")
        self.page.get_by_label("Single keys act at once").check()
        self.page.get_by_role("button", name="Close").click()
        self.page.keyboard.press("v")
        expect(picture).to_have_attribute("src", re.compile("view=fields"))

    def test_on_paper_every_line_stands_and_no_button(self) -> None:
        self.open_one()
        lines = self.page.locator(".ledger-line").count()
        self.page.emulate_media(media="print")
        self.assertGreater(lines, 10)
        ledger = self.page.locator(".ledger-lines")
        self.assertLessEqual(ledger.evaluate("one => one.scrollHeight - one.clientHeight"), 1)
        self.assertEqual(self.page.locator(".ledger-line:visible").count(), lines)
        self.assertEqual(self.page.locator(".button:visible").count(), 0)
        background = self.page.evaluate("getComputedStyle(document.documentElement).backgroundColor")
        self.assertEqual(background, "rgb(255, 255, 255)")

    def test_fields_are_not_turned_by_themselves_where_motion_is_unwelcome(self) -> None:
        self.page.emulate_media(reduced_motion="reduce")
        self.open_one()
        picture = self.page.locator(".frame-box img:not(.frame-kept)")
        self.page.keyboard.press("t")
        expect(picture).to_have_attribute("src", re.compile("view=top-field"))
        self.page.wait_for_timeout(1200)
        expect(picture).to_have_attribute("src", re.compile("view=top-field"))
        self.page.keyboard.press("t")
        expect(picture).to_have_attribute("src", re.compile("view=bottom-field"))

    def test_both_fields_are_shown_in_turn_until_another_view_is_chosen(self) -> None:
        self.open_one()
        picture = self.page.locator(".frame-box img:not(.frame-kept)")
        self.page.keyboard.press("t")
        expect(self.page.get_by_role("button", name="In turn")).to_have_attribute("aria-pressed", "true")
        for field in ("bottom-field", "top-field", "bottom-field"):
            expect(picture).to_have_attribute("src", re.compile(field))
        self.page.get_by_role("button", name="Picture", exact=True).click()
        expect(picture).to_have_attribute("src", re.compile("view=picture"))
        expect(self.page.get_by_role("button", name="In turn")).to_have_attribute("aria-pressed", "false")

    def test_samples_are_told_where_the_picture_is_double_clicked(self) -> None:
        self.open_one()
        self.page.locator(".frame-box img:not(.frame-kept)").dblclick()
        expect(self.page.get_by_text(re.compile(r"frame 0, from column \d+, line \d+, 8 bit"))).to_be_visible()
        expect(self.page.locator("table.samples").first.locator("td")).to_have_count(96)
        self.page.get_by_role("button", name="Close").click()
        expect(self.page.locator("table.samples").first).to_be_hidden()

    def test_a_stretch_plays(self) -> None:
        self.open_one()
        self.page.keyboard.press("p")
        expect(self.page.locator("video")).to_have_js_property("videoWidth", 192, timeout=30_000)
        self.page.get_by_role("button", name="Stop").click()
        expect(self.page.locator("video")).to_be_hidden()

    def test_the_film_strip_leads_to_the_frame(self) -> None:
        self.open_one()
        self.page.get_by_text("More", exact=True).click()
        self.page.get_by_role("link", name="Film strip").click()
        expect(self.page.get_by_text("1 shot, none with faults")).to_be_visible()
        strip = self.page.locator(".strip-shot img")
        expect(strip).to_have_js_property("naturalWidth", 144, timeout=15_000)
        self.page.locator(".strip-shot").click()
        expect(self.page).to_have_url(re.compile(r"/checks/\d+/\?"))
