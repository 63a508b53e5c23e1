import re

from playwright.sync_api import expect

from brisk_core.facts import REGISTRY, Kind
from brisk_core.spec.offered import conditions_for
from brisk_web.browser_tests.base import BrowserTestCase
from brisk_web.shelf.models import Draft, SpecVersion
from brisk_web.testing import SPEC, spec_version

_TYPED = {
    Kind.TEXT: "4.1", Kind.TIMECODE: "10:00:00:00", Kind.COUNT: "2", Kind.NUMBER: "2", Kind.BYTES: "2 MB",
    Kind.BIT_RATE: "2 Mb/s", Kind.RATE: "25", Kind.RATIO: "16:9", Kind.SECONDS: "2 s", Kind.SIZE: "1920x1080",
}  # fmt: skip


class SpecRowsTest(BrowserTestCase):
    def open(self, address: str) -> None:
        self.enter("lead")
        self.page.goto(f"{self.live_server_url}{address}")
        expect(self.page.get_by_role("status").filter(has_text="No mistake")).to_be_visible()

    def tab_to(self, label: str) -> None:
        """Go to what has a label or a name by the key that goes from field to field."""
        focused = "document.activeElement.getAttribute('aria-label') || document.activeElement.innerText || document.activeElement.closest('label')?.innerText"
        for _ in range(400):
            self.page.keyboard.press("Tab")
            if str(self.page.evaluate(focused)).strip() == label:
                return
        raise AssertionError(f"no way to {label} by Tab")

    def test_a_spec_of_forty_lines_is_written_from_nothing_by_keyboard_alone(self) -> None:
        self.open("/specs/new")
        keyboard = self.page.keyboard
        for label, text in (("Name", "Forty"), ("Id", "forty"), ("Source", "By hand")):
            self.tab_to(label)
            keyboard.press("Control+A")
            keyboard.type(text)
        plain = (one for one in REGISTRY.values() if conditions_for(one)[0] in ("equals", "absent", "same_as_timeline"))
        wanted = [one for one in plain if one.kind in _TYPED or one.kind in (Kind.CHOICE, Kind.FLAG, Kind.SPANS)][:40]
        self.assertEqual(len(wanted), 40)
        self.tab_to("Characteristic of line 1")
        for number, characteristic in enumerate(wanted, 1):
            keyboard.press("Control+A")
            keyboard.type(characteristic.label if number % 2 else characteristic.id)  # either finds it
            keyboard.press("Tab")
            expect(self.page.get_by_label(f"Condition of line {number}", exact=True)).to_be_focused()
            if characteristic.kind in _TYPED and conditions_for(characteristic)[0] == "equals":
                keyboard.press("Tab")
                keyboard.press("Control+A")
                keyboard.type(_TYPED[characteristic.kind])
            if number < len(wanted):
                keyboard.press("Control+Enter")
        self.tab_to("Publish")
        keyboard.press("Enter")
        expect(self.page.get_by_text("Published Forty, version 1")).to_be_visible()
        lines = SpecVersion.objects.get(spec__slug="forty").parsed().lines
        self.assertEqual([line.characteristic.id for line in lines], [one.id for one in wanted])
        self.assertEqual(Draft.objects.count(), 0)

    def test_rows_and_text_follow_each_other_and_steps_are_taken_back(self) -> None:
        spec_version()
        self.open("/specs/small/change")
        text = self.page.get_by_label("Document")
        count = self.page.locator(".spec-row").count()
        self.page.get_by_label("Weight of line 1").select_option("should")
        expect(text).to_have_value(re.compile("weight: should"))
        text.fill(text.input_value().replace("weight: should", "weight: note"))
        expect(self.page.get_by_label("Weight of line 1")).to_have_value("note")
        self.page.get_by_label("Characteristic of line 1").press("Alt+ArrowDown")
        expect(self.page.get_by_label("Weight of line 2")).to_have_value("note")
        expect(self.page.get_by_role("status").filter(has_text="kept as a draft")).to_be_visible()
        self.page.get_by_label("Remove line 2", exact=True).click()
        expect(self.page.locator(".spec-row")).to_have_count(count - 1)
        expect(text).not_to_have_value(re.compile("weight: note"))
        for _ in range(4):
            self.page.get_by_role("button", name="Undo").click()
        expect(text).not_to_have_value(re.compile("weight:"))
        expect(self.page.locator(".spec-row")).to_have_count(count)
        self.page.get_by_role("button", name="Redo").click()
        expect(self.page.get_by_label("Weight of line 1")).to_have_value("should")

    def test_mistakes_stand_at_their_lines(self) -> None:
        spec_version()
        self.open("/specs/small/change")
        self.page.get_by_label("Characteristic of line 2").fill("picture.kodec")
        self.page.get_by_label("Characteristic of line 2").press("Tab")
        expect(self.page.locator(".spec-row-wrong")).to_have_count(1)
        expect(self.page.locator(".spec-row-wrong").get_by_text("picture.codec")).to_be_visible()

    def test_tables_and_cases_are_written_as_grids_and_blocks(self) -> None:
        spec_version(SPEC)
        self.open("/specs/small/change")
        self.page.get_by_role("button", name="Add a line").click()
        line = self.page.locator(".spec-row").count()
        name = f"line {line}"
        self.page.keyboard.type("picture.size")
        self.page.keyboard.press("Tab")
        self.page.get_by_label(f"Condition of {name}").select_option("table")
        self.page.get_by_label(f"Size, row 1 of {name}").fill("1280x720")
        self.page.get_by_label(f"Frame rate, row 1 of {name}").fill("50, 60")
        self.page.get_by_label(f"Add a row to {name}").click()
        self.page.get_by_label(f"Size, row 2 of {name}").fill("1920x1080")
        self.page.get_by_label(f"Frame rate, row 2 of {name}").fill("25")
        expect(self.page.get_by_role("status").filter(has_text="No mistake")).to_be_visible()
        self.page.get_by_role("button", name="Add a line").click()
        name = f"line {line + 1}"
        self.page.keyboard.type("Mean bit rate")
        self.page.keyboard.press("Tab")
        self.page.get_by_label(f"Condition of {name}", exact=True).select_option("cases")
        self.page.get_by_label(f"value of fact 1 of case 1 of {name}").fill("1920x1080")
        self.page.get_by_label(f"Condition of then of case 1 of {name}").select_option("at_most")
        self.page.get_by_label(f"value of then of case 1 of {name}").fill("20 Mb/s")
        self.page.get_by_label(f"Otherwise, for {name}").click()
        self.page.get_by_label(f"value of case 2 of {name}").fill("8 Mb/s")
        expect(self.page.get_by_role("status").filter(has_text="No mistake")).to_be_visible()
        self.page.get_by_role("button", name="Publish").click()
        expect(self.page.get_by_text("Published Small spec, version 2")).to_be_visible()
        lines = SpecVersion.objects.get(number=2).parsed().lines
        self.assertEqual(lines[-2].raw_condition["table"]["rows"], [["1280x720", [50, 60]], ["1920x1080", 25]])
        cases = [
            {"when": {"picture.size": {"equals": "1920x1080"}}, "then": {"at_most": "20 Mb/s"}},
            {"otherwise": {"equals": "8 Mb/s"}},
        ]
        self.assertEqual(lines[-1].raw_condition["cases"], cases)

    def test_lines_of_a_base_are_changed_here_left_out_and_taken_back(self) -> None:
        base = spec_version().parsed()
        self.open("/specs/new")
        self.page.get_by_label("Id", exact=True).fill("variant")
        self.page.get_by_label("Extends").fill("small")
        first, second = base.lines[0], base.lines[1]
        self.page.get_by_label(f"Leave out {first.label}", exact=True).click()
        self.page.get_by_label(f"Change {second.label} here", exact=True).click()
        expect(self.page.locator(".spec-row")).to_have_count(2)
        self.page.get_by_label("Weight of line 2").select_option("note")
        expect(self.page.get_by_label(f"Take back {first.label}", exact=True)).to_be_visible()
        expect(self.page.get_by_role("status").filter(has_text="No mistake")).to_be_visible()
        self.page.get_by_role("button", name="Publish").click()
        expect(self.page.get_by_text("Published New spec, version 1")).to_be_visible()
        lines = {line.id: line for line in SpecVersion.objects.get(spec__slug="variant").parsed().lines}
        self.assertNotIn(first.id, lines)
        self.assertEqual(lines[second.id].weight.value, "note")

    def test_a_draft_saves_itself_and_is_thrown_away(self) -> None:
        spec_version()
        self.open("/specs/small/change")
        self.page.get_by_label("Weight of line 1").select_option("note")
        expect(self.page.get_by_role("status").filter(has_text="kept as a draft")).to_be_visible()
        self.page.goto(f"{self.live_server_url}/specs/small/change")
        expect(self.page.get_by_text("This is your draft")).to_be_visible()
        expect(self.page.get_by_label("Weight of line 1")).to_have_value("note")
        self.page.get_by_role("button", name="Throw it away").click()
        expect(self.page.get_by_label("Weight of line 1")).to_have_value("must")
        self.assertEqual(Draft.objects.count(), 0)
