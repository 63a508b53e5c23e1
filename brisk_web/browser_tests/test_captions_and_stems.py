import re
import wave

import numpy as np
from playwright.sync_api import Route, expect

from brisk_web.browser_tests.base import BrowserTestCase
from brisk_web.captions.tests.test_captions import LATE
from brisk_web.checks.services import open_check
from brisk_web.storage.services import register
from brisk_web.testing import spec_version


class CaptionsTest(BrowserTestCase):
    def test_the_lane_says_what_stands_at_the_playhead_and_the_list_leads_there(self) -> None:
        (self.folder / "shelf" / "a.en.srt").write_text(LATE)
        check = open_check(self.media("a.mp4"), spec_version(), by=self.people["operator"])
        self.work()
        self.enter()
        self.page.goto(f"{self.live_server_url}/checks/{check.pk}/")
        lanes = self.page.locator(".lanes")
        expect(lanes.locator(".caption")).to_have_count(2)
        expect(lanes.locator(".caption.fail")).to_have_count(1)
        self.page.get_by_text("More", exact=True).click()
        self.page.get_by_role("link", name="Captions", exact=True).click()
        expect(self.page.get_by_text("1 of 2 have a fault.")).to_be_visible()
        self.page.get_by_role("link", name="00:00:01:05").click()
        expect(self.page).to_have_url(re.compile(r"frame=30"))
        expect(lanes.locator(".said")).to_have_text("one by one")
        self.page.keyboard.press("Home")
        expect(lanes.locator(".said")).to_have_count(0)
        self.page.keyboard.press("c")
        expect(lanes.locator(".said")).to_have_text("The lamps go out.")

    def test_captions_are_sent_and_taken_away(self) -> None:
        check = open_check(self.media("a.mp4"), spec_version(), by=self.people["operator"])
        self.work()
        sent = self.folder / "other.vtt"
        sent.write_text("WEBVTT\n\n00:00.120 --> 00:01.000\nThe lamps go out.\n")
        self.enter()
        self.page.goto(f"{self.live_server_url}/checks/{check.pk}/captions/")
        self.page.get_by_label("Caption file", exact=True).set_input_files(str(sent))
        self.page.get_by_role("button", name="Send").click()
        expect(self.page.get_by_text("other.vtt")).to_be_visible()
        self.work()
        expect(self.page.get_by_text("1 caption, none with a fault.")).to_be_visible()
        expect(self.page.get_by_text("WebVTT, 1 caption, ASCII")).to_be_visible()
        self.page.get_by_role("button", name="Remove").click()
        expect(self.page.get_by_text("None stand beside the file")).to_be_visible()


class StemsTest(BrowserTestCase):
    def test_what_is_typed_before_the_scripts_run_counts(self) -> None:
        for name in ("mix", "voice", "music"):
            self.media(f"{name}.mp4", sound="aac")
        self.work()
        self.enter()
        waiting: list[Route] = []
        self.page.route(
            re.compile(r"/ui/alpine"), lambda route: waiting.append(route)
        )  # a function of its own is needed
        mix = register(self.root, "mix.mp4", by=None)
        self.page.goto(f"{self.live_server_url}/files/{mix.pk}/stems/", wait_until="commit")
        self.page.get_by_label("Filter sounds").fill("voi")
        expect(self.page.locator(".stem-choice:visible")).to_have_count(2)
        waiting[0].continue_()
        expect(self.page.locator(".stem-choice:visible")).to_have_count(1)
        expect(self.page.get_by_label("Filter sounds")).to_have_value("voi")

    def test_stems_are_chosen_and_what_is_left_is_drawn(self) -> None:
        chance = np.random.default_rng(2)
        voice, music = (chance.normal(0, 0.1, 96_000) for _ in range(2))
        for name, samples in (("mix.wav", voice + music), ("voice.wav", voice), ("music.wav", music * 0.5)):
            with wave.open(str(self.folder / "shelf" / name), "wb") as file:
                file.setparams((1, 2, 48_000, 0, "NONE", ""))
                file.writeframes((np.clip(samples, -1, 1) * 32767).round().astype("<i2").tobytes())
            register(self.root, name, by=self.people["operator"])
        self.work()
        mix = register(self.root, "mix.wav", by=self.people["operator"])
        self.enter()
        self.page.goto(f"{self.live_server_url}/files/{mix.pk}/")
        self.page.get_by_role("link", name="Stems").click()
        self.page.get_by_label("Filter sounds").fill("voi")
        expect(self.page.locator(".stem-choice:visible")).to_have_count(1)
        self.page.get_by_label("voice.wav").check()
        self.page.get_by_label("Filter sounds").fill("")
        self.page.get_by_label("music.wav").check()
        self.page.get_by_role("button", name="Add them up").click()
        expect(self.page.get_by_text("in queue")).to_be_visible()
        self.work()
        expect(self.page.get_by_text("music.wav is 6.0 dB quieter than in the mix.")).to_be_visible()
        expect(self.page.locator(".stem-lane polyline")).to_have_count(3)
