"""What a person is writing survives pages that refresh themselves, and sessions that end."""

from django.contrib.sessions.models import Session
from playwright.sync_api import Page, expect

from brisk_web.browser_tests.base import BrowserTestCase
from brisk_web.jobs.models import Job


class RefreshTest(BrowserTestCase):
    def refreshed(self, times: int = 2) -> None:
        """Wait until the page has been asked for as often, and taken in."""
        for _ in range(times):
            with self.page.expect_response(lambda answer: "x-part" in answer.request.headers):
                pass
        self.page.wait_for_timeout(100)

    def test_text_focus_selection_and_scroll_stay_while_work_goes_on(self) -> None:
        for number in range(30):
            self.media(f"a{number}.mp4", frames=4)
        self.enter()
        self.page.goto(f"{self.live_server_url}/files/")
        field = self.page.get_by_label("Filter by name, fact or amount")
        field.fill("interlaced 25")
        field.evaluate("field => field.setSelectionRange(2, 7)")
        self.page.get_by_label("Comparison").select_option("over")
        field.focus()
        self.page.evaluate("window.scrollTo(0, 400)")
        self.refreshed()
        expect(field).to_have_value("interlaced 25")
        expect(field).to_be_focused()
        self.assertEqual(field.evaluate("field => [field.selectionStart, field.selectionEnd]"), [2, 7])
        expect(self.page.get_by_label("Comparison")).to_have_value("over")
        self.assertEqual(self.page.evaluate("window.scrollY"), 400)
        self.work()  # and what has been done is shown
        expect(self.page.locator("tbody tr").first).to_contain_text("192 × 128")

    def test_both_parts_of_the_desk_share_one_answer_and_hidden_windows_ask_nothing(self) -> None:
        self.media("a.mp4", frames=4)
        self.enter()
        asked: list[str] = []
        self.page.on("request", lambda one: asked.append(one.url) if "x-part" in one.headers else None)
        self.refreshed(2)
        seen = len(asked)
        self.assertLessEqual(seen, 3)
        self.page.evaluate("Object.defineProperty(document, 'hidden', { value: true, configurable: true })")
        self.page.wait_for_timeout(4000)
        self.assertLessEqual(len(asked) - seen, 1)
        self.page.evaluate("delete document.hidden; document.dispatchEvent(new Event('visibilitychange'))")
        self.refreshed(1)


class SessionTest(BrowserTestCase):
    def sign_in_elsewhere(self) -> Page:
        """Sign in in another tab of the same browser."""
        with self.page.context.expect_page() as opened:
            self.page.get_by_role("link", name="Sign in again in a new tab").click()
        tab = opened.value
        tab.get_by_label("Username").fill("operator")
        tab.get_by_label("Password").fill("right-word")
        tab.get_by_role("button", name="Sign in").click()
        tab.get_by_role("heading", name="Desk").wait_for()
        return tab

    def test_a_form_is_kept_until_one_is_signed_in_again(self) -> None:
        self.enter()
        self.page.goto(f"{self.live_server_url}/jobs/new")
        self.page.get_by_label("Title").fill("The Tidemill Ghosts")
        Session.objects.all().delete()
        self.page.locator("main button[type=submit]").click()
        expect(self.page.get_by_role("alert")).to_contain_text("You are signed out")
        expect(self.page.get_by_label("Title")).to_have_value("The Tidemill Ghosts")
        self.assertFalse(Job.objects.exists())
        self.sign_in_elsewhere().close()
        self.page.bring_to_front()
        self.page.evaluate("window.dispatchEvent(new Event('focus'))")
        expect(self.page.get_by_role("alert")).to_be_hidden()
        self.page.locator("main button[type=submit]").click()
        self.page.get_by_role("heading", name="The Tidemill Ghosts").wait_for()
        self.assertEqual(Job.objects.get().title, "The Tidemill Ghosts")

    def test_a_form_that_was_opened_before_another_tab_signed_in_anew_is_taken(self) -> None:
        self.enter()
        self.page.goto(f"{self.live_server_url}/jobs/new")
        self.page.get_by_label("Title").fill("Canal")
        other = self.page.context.new_page()
        other.goto(self.live_server_url)
        other.get_by_role("button", name="Sign out").click()
        other.get_by_label("Username").fill("operator")
        other.get_by_label("Password").fill("right-word")
        other.get_by_role("button", name="Sign in").click()
        other.get_by_role("heading", name="Desk").wait_for()
        self.page.locator("main button[type=submit]").click()
        self.page.get_by_role("heading", name="Canal").wait_for()

    def test_a_page_that_asks_by_itself_says_that_the_session_has_ended(self) -> None:
        self.media("a.mp4", frames=4)
        self.enter()
        self.page.goto(f"{self.live_server_url}/files/")
        Session.objects.all().delete()
        expect(self.page.get_by_role("alert")).to_contain_text("You are signed out")
        self.sign_in_elsewhere().close()
        self.page.evaluate("window.dispatchEvent(new Event('focus'))")
        expect(self.page.get_by_role("alert")).to_be_hidden()
        self.work()
        expect(self.page.locator("tbody tr").first).to_contain_text("192 × 128")
