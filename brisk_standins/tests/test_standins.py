"""Stand-ins by themselves: what they show, take, refuse, and their pages with faults."""

from __future__ import annotations

import json
import tempfile
from fractions import Fraction
from pathlib import Path
from unittest import TestCase
from urllib.parse import urlencode
from urllib.request import urlopen

from brisk_core.handoff import Item, make_package
from brisk_core.small_media import Small, make_small
from brisk_standins.deck import Deck
from brisk_standins.intake import Intake
from brisk_standins.page import serve_page


class StandInCase(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)


class DeckTest(StandInCase):
    def test_only_clips_of_its_setting_are_listed_and_only_after_a_reload(self) -> None:
        deck = Deck(card=self.folder, size=(192, 128), codecs=("h264",))
        for name, recipe in (
            ("RIGHT.mov", Small(frames=5)),
            ("A_NAME_THAT_IS_LONGER_THAN_ITS_LIST.mov", Small(frames=5)),
            ("RATE.mov", Small(frames=5, rate=Fraction(30))),
            ("SIZE.mov", Small(frames=5, size=(320, 240))),
            ("CODEC.mov", Small(frames=5, codec="mpeg4")),
        ):
            make_small(self.folder / name, recipe)
        (self.folder / "notes.txt").touch()
        (self.folder / "broken.mov").write_bytes(b"nothing")
        self.assertEqual(deck.answer("LIST"), "OK\r\n.")
        self.assertEqual(deck.answer("RELOAD"), "OK 2 clips")
        self.assertEqual(deck.answer("LIST"), "OK\r\nA_NAME_THAT_IS_LONGER_THAN_ITS_L\r\nRIGHT.mov\r\n.")
        self.assertEqual(deck.answer("CUE RIGHT.mov"), "OK 0")
        for line in ("CUE RATE.mov", "CUE", "", "DANCE", "\x00"):
            self.assertTrue(deck.answer(line).startswith("NO "))


class IntakeTest(StandInCase):
    def test_what_is_unfinished_waits_and_what_breaks_its_rules_is_refused(self) -> None:
        folder, shelf = self.folder / "in", self.folder / "shelf"
        folder.mkdir()
        shelf.mkdir()
        intake = Intake(folder=folder, home=self.folder / "home", delay_s=5)
        film = make_small(shelf / "FILM_V01.mxf", Small(frames=5, codec="mpeg2video", options={}))
        make_package(folder / "FILM_V01", [Item(source=film, path="FILM_V01.mxf")], ["mhl"])
        make_package(folder / "film v2", [Item(source=film, path="FILM.mxf")], ["md5"])
        make_package(folder / "CHANGED_V01", [Item(source=film, path="FILM.mxf")], ["md5"])
        (folder / "CHANGED_V01" / "EXTRA.txt").touch()
        (folder / "NO_MANIFEST").mkdir()
        (folder / "HALF_V01.mxf.part").touch()
        intake.step(0)
        self.assertEqual(list(folder.glob("*.json")), [])
        intake.step(6)
        self.assertEqual(intake.answered, {"FILM_V01": "taken", "film v2": "refused", "CHANGED_V01": "refused"})
        reasons = {
            path.name.partition(".")[0]: json.loads(path.read_text("utf-8"))["body"]["reasons"]
            for path in folder.glob("*.receipt.json")
        }
        self.assertIn("capital letters", reasons["film v2"][0])
        self.assertIn("not listed: EXTRA.txt", reasons["CHANGED_V01"][0])
        intake.step(60)
        self.assertEqual(len(intake.answered), 3)

    def test_the_page_shows_the_state_and_switches_faults(self) -> None:
        (self.folder / "in").mkdir()
        intake = Intake(folder=self.folder / "in", home=self.folder / "home")
        server = serve_page(0, "Intake <of> Merrow", intake.switches, intake.state)
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        base = f"http://127.0.0.1:{server.server_address[1]}/"
        with urlopen(base) as answer:
            self.assertIn("Intake &lt;of&gt; Merrow", answer.read().decode())
        with urlopen(base, urlencode({"fault": "refuses"}).encode()) as answer:
            self.assertIn('value="refuses" checked', answer.read().decode())
        with urlopen(f"{base}state.json") as answer:  # noqa: S310
            self.assertEqual(len(json.load(answer)["key"]), 64)
        self.assertEqual(intake.switches.on, {"refuses"})
