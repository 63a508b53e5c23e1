"""A real browser on real pages: the system's Chromium, driven through Playwright, over a live server and a real worker."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from playwright.sync_api import Browser, Page, Playwright, sync_playwright

from brisk_web.pages.bench import settle
from brisk_web.testing import QueueTestCase

CHROMIUM = "/usr/bin/chromium"
FLAGS = [
    "--headless",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
_RULES = (Path(__file__).parent / "assets" / "axe.min.js").read_text(encoding="utf-8")
_JUDGE = """
async () => {
  const found = await axe.run(document, { resultTypes: ["violations"], rules: { "target-size": { enabled: true } } });
  return found.violations.map((one) => `${one.id}: ${one.nodes.map((node) => node.html.slice(0, 160)).join(" | ")}`);
}
"""


class BrowserTestCase(QueueTestCase, StaticLiveServerTestCase):
    """One browser for the class, one page a test; anything the console complains of fails the test."""

    playwright: Playwright
    browser: Browser

    @classmethod
    def setUpClass(cls) -> None:
        # Playwright's loop runs in this thread, which Django takes for asynchronous code.
        os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"
        super().setUpClass()
        cls.playwright = sync_playwright().start()
        cls.browser = cls.playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)

    @classmethod
    def tearDownClass(cls) -> None:
        cls.browser.close()
        cls.playwright.stop()
        super().tearDownClass()
        del os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"]

    def setUp(self) -> None:
        super().setUp()
        self.complaints: list[str] = []
        context = self.browser.new_context(viewport={"width": 1280, "height": 800})
        self.addCleanup(settle)  # before the folder goes that pictures are made in
        self.addCleanup(context.close)
        self.page: Page = context.new_page()
        self.page.set_default_timeout(15_000)
        self.page.on("pageerror", lambda error: self.complaints.append(str(error)))
        self.page.on("console", self._listen)

    def tearDown(self) -> None:
        self.assertEqual(self.complaints, [])
        super().tearDown()

    def _listen(self, message: Any) -> None:
        if message.type == "error" or "Content Security Policy" in message.text:
            self.complaints.append(message.text)

    def broken_rules(self) -> list[str]:
        """What on the page breaks a rule of the Web Content Accessibility Guidelines, and where."""
        if not self.page.evaluate("() => 'axe' in window"):
            self.page.evaluate(_RULES)
        return list(self.page.evaluate(_JUDGE))

    def enter(self, role: str = "operator") -> None:
        """Come in with a session that was begun before; signing in by the page has its own tests."""
        self.client.force_login(self.people[role])
        session = self.client.cookies[settings.SESSION_COOKIE_NAME].value
        self.page.context.add_cookies(
            [{"name": settings.SESSION_COOKIE_NAME, "value": session, "url": self.live_server_url}]
        )
        self.page.goto(self.live_server_url)
        self.page.get_by_role("heading", name="Desk").wait_for()
