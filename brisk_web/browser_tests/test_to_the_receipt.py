"""The whole way of a deliverable in the browser: faults, asked again, ticked off, waived, watched, signed, handed over,
answered; and what a refusal does.
"""

from __future__ import annotations

import re
import time
from fractions import Fraction
from typing import Any
from unittest import mock

from playwright.sync_api import expect

from brisk_standins import copies as ladders
from brisk_standins import deck as decks
from brisk_standins import site as sites
from brisk_standins.copies import Rung
from brisk_standins.intake import Intake, public_key_of
from brisk_web.accounts.roles import LEAD
from brisk_web.browser_tests.base import BrowserTestCase
from brisk_web.decisions.tests.test_decisions import SPEC
from brisk_web.handoff.looking import look_again
from brisk_web.handoff.models import Destination, HandOff
from brisk_web.handoff.services import keep_destination
from brisk_web.handoff.tests.test_copies import make_film
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.jobs.services import take_in
from brisk_web.storage.models import MediaFile
from brisk_web.storage.services import register
from brisk_web.testing import spec_version


class WholeWayCase(BrowserTestCase):
    """A deliverable, and somebody who takes it; a test of one says who that is and how they answer."""

    minutes = 1
    frames = 30
    name: str  #: of the destination
    before, after = "", ""  #: what the hand-off's page says before and after their answer

    def destination(self) -> Destination:
        raise NotImplementedError

    def they_act(self) -> None:
        """Let the other side do what it has to do."""

    def setUp(self) -> None:
        super().setUp()
        version = spec_version(SPEC)
        self.job = Job.objects.create(title="Canal")
        self.wide = Deliverable.objects.create(
            job=self.job, name="Wide", spec_version=version, naming_rule="CANAL_V##.mp4", rendered_by="Edit room 2"
        )
        keep_destination(self.destination(), secret="lock", by=self.people[LEAD])

    def attempt(self, name: str, **recipe: object) -> None:
        take_in(self.media(name, frames=self.frames, **recipe), self.wide, by=self.people["operator"])
        self.work()

    def look(self) -> None:
        self.they_act()
        HandOff.objects.filter(answer="").update(look_at="2020-01-01T00:00Z")
        look_again()
        self.work()

    def from_a_fault_to_their_answer(self) -> None:
        self.attempt("CANAL_V01.mp4", codec="mpeg4", rate=Fraction(24))
        self.enter(LEAD)
        page = self.page
        page.get_by_role("link", name="Ask again").click()
        expect(page.get_by_role("heading", name="Ask for attempt 2")).to_be_visible()
        page.get_by_label("To Edit room 2").fill("By Friday, please.")
        page.get_by_label("Keep point 3").select_option("no")
        page.get_by_role("button", name="Ask for attempt 2").click()
        expect(page.get_by_role("heading", name="Please render attempt 2")).to_be_visible()
        address = page.url
        self.attempt("CANAL_V02.mp4")
        page.goto(address)
        expect(page.get_by_role("status")).to_contain_text("2 of 3 points are mended")
        page.get_by_role("link", name="Attempt 2").click()

        # Waive one, by its line; then give a word for what no meter could measure.
        page.locator(".ledger-line[data-line=size]").click()
        page.get_by_role("link", name="Waive it").click()
        page.get_by_label("Why it is accepted").fill("They scale it themselves.")
        page.get_by_role("button", name="Waive it").click()
        expect(page.get_by_text("They scale it themselves.")).to_be_visible()
        page.keyboard.press("w")
        page.get_by_role("button", name="I watched it").first.click()
        expect(page.get_by_text("watched by lead").first).to_be_visible()
        while page.get_by_role("button", name="Keep my word").count():
            before = page.get_by_text("watched frames").count()
            page.get_by_placeholder("What you saw or heard").first.fill("as the edit has it")
            page.get_by_role("button", name="Keep my word").first.click()
            expect(page.get_by_text("watched frames")).to_have_count(before + 1)
            if before > 4:
                break

        # Sign with the password, and not with another.
        page.get_by_role("link", name="attempt 2").click()
        page.locator(".lanes").wait_for()
        page.keyboard.press("s")
        page.get_by_label("Your password").fill("wrong")
        page.get_by_role("button", name="Sign", exact=True).click()
        expect(page.get_by_role("alert")).to_contain_text("This is not your password")
        self.complaints = [one for one in self.complaints if "422" not in one]  # the refusal itself
        page.get_by_label("Your password").fill("right-word")
        page.get_by_role("button", name="Sign", exact=True).click()
        page.get_by_role("link", name="Hand over").click()
        page.get_by_role("button", name=f"Hand over to {self.name}").click()
        page.wait_for_url("**/hand-off/*/")
        self.work()
        if self.before:
            expect(page.get_by_text(self.before).first).to_be_visible()
            for _ in range(4):
                self.look()
        expect(page.get_by_text(self.after).first).to_be_visible()
        page.goto(f"{self.live_server_url}/?show=taken")
        expect(page.get_by_role("link", name="Wide")).to_be_visible()


class IntakeTest(WholeWayCase):
    name, before, after = "Merrow", "With them, no answer yet", "They took it, receipt CM-00001."

    def destination(self) -> Destination:
        outside = self.folder / "outside"
        outside.mkdir()
        self.intake = Intake(folder=outside, home=self.folder / "home", delay_s=0)
        return Destination(
            name="Merrow", kind="folder", address=str(outside), answers="receipt", package="mhl",
            receipt_key=public_key_of(self.folder / "home"), name_rule="{title}_V{attempt:2}", name_case="upper",
        )  # fmt: skip

    def they_act(self) -> None:
        self.intake.step(time.monotonic())

    def test_the_whole_way(self) -> None:
        self.from_a_fault_to_their_answer()

    def test_a_refusal_opens_the_deliverable_again(self) -> None:
        self.intake.switches.set(["refuses"])
        self.attempt("CANAL_V01.mp4", size=(1920, 1080), sound="aac")
        self.enter(LEAD)
        page = self.page
        check = self.wide.renders.get().check_record
        for finding in check.findings.filter(outcome="not measured"):
            self.client.post(
                f"/checks/{check.pk}/watch", {"start": 0, "end": 30, "line": finding.line, "says": "right"}
            )
        page.goto(f"{self.live_server_url}/checks/{check.pk}/sign")
        page.get_by_label("Your password").fill("right-word")
        page.get_by_role("button", name="Sign", exact=True).click()
        page.get_by_role("link", name="Hand over").click()
        page.get_by_role("button", name="Hand over to Merrow").click()
        page.wait_for_url("**/hand-off/*/")
        self.work()
        self.look()
        expect(page.get_by_text("the end credits are not the agreed ones").first).to_be_visible()
        page.goto(f"{self.live_server_url}/?show=waiting")
        expect(page.get_by_text(re.compile("Refused by them"))).to_be_visible()
        page.get_by_role("link", name="Decide").click()
        expect(page.get_by_role("link", name="Ask for attempt 2")).to_be_visible()


class DeckTest(WholeWayCase):
    name, after = "Wherry", "The deck lists it and stands on its first frame."

    def destination(self) -> Destination:
        deck = decks.Deck(card=self.folder / "card", size=(192, 128), codecs=("h264",))
        running = decks.start(deck, user="deck", password="lock")
        self.addCleanup(running.stop)
        return Destination(
            name="Wherry", kind="ftp", address=f"ftp://127.0.0.1:{running.ftp_port}/", user="deck", answers="deck",
            asked_at=f"127.0.0.1:{running.line_port}",
        )  # fmt: skip

    def test_the_whole_way(self) -> None:
        self.from_a_fault_to_their_answer()


class SiteTest(WholeWayCase):
    name, before, after = (
        "Pebbleview",
        "none of its copies is there yet",
        "Both copies are there and show what was signed",
    )
    frames = 60

    def setUp(self) -> None:
        ladder = mock.patch.object(ladders, "LADDER", (Rung(96, 300_000), Rung(180, 900_000)))
        ladder.start()
        self.addCleanup(ladder.stop)
        super().setUp()

    def destination(self) -> Destination:
        self.site = sites.Site(home=self.folder / "site", token="lock", late_s=0)
        server = sites.serve(self.site)
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        address = f"http://127.0.0.1:{server.server_address[1]}/api"
        return Destination(name="Pebbleview", kind="site", address=address, answers="copies")

    def media(self, name: str = "a.mp4", *, by: str = "operator", **recipe: Any) -> MediaFile:
        if "codec" in recipe:
            return super().media(name, by=by, **recipe)
        make_film(self.folder / "shelf" / name)
        return register(self.root, name, by=self.people[by])

    def they_act(self) -> None:
        while self.site.step(time.time() + 1):
            pass

    def test_the_whole_way(self) -> None:
        self.from_a_fault_to_their_answer()
        self.page.goto(f"{self.live_server_url}/hand-off/{HandOff.objects.get().pk}/")
        expect(self.page.get_by_role("table").last).to_contain_text("180p")
        expect(self.page.get_by_text("What a viewer gets:")).to_be_visible()
        self.page.get_by_role("link", name="Side by side").last.click()
        expect(self.page.get_by_role("heading", name="Side by side")).to_be_visible()
