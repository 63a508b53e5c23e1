"""A disc on a player outside: sent whole, put in, walked by every key; what differs is told in sentences."""

from __future__ import annotations

from typing import Any
from unittest import mock

from brisk_core.small_media import Small, make_small
from brisk_standins import player as players
from brisk_web.handoff.models import Destination
from brisk_web.handoff.services import HandOffRefused, hand_over
from brisk_web.house.services import DecisionRefused
from brisk_web.jobs.models import Job
from brisk_web.planner.models import DiscTrial, Plan
from brisk_web.planner.outside import try_outside
from brisk_web.planner.services import keep
from brisk_web.storage.services import register
from brisk_web.testing import QueueTestCase

DISC = """
schema: brisk-sentry/disc/1
name: Canal
kind: sd-single
family: "25"
starts_with: menu
home: menu
items:
  - id: menu
    kind: screen
    name: Menu
    buttons: [{ id: b1, label: Film, to: film }, { id: b2, label: Short, to: short }]
  - { id: film, kind: clip, name: Film, file: film.mpg, then: menu }
  - { id: short, kind: clip, name: Short, length: "2:00", rate: 25, size: 720x576, shape: "16:9", scan: interlaced, codec: mpeg2, sounds: [ac3 192 kb/s], then: menu }
"""


class OutsideTest(QueueTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.operator = self.people["operator"]
        make_small(self.folder / "shelf" / "film.mpg", Small(codec="mpeg2video", options={}, frames=30))
        register(self.root, "film.mpg", by=self.operator)
        self.work()
        self.plan = keep(
            Job.objects.create(title="Canal"), "Canal", {"text": DISC}, None, by=self.operator, kind=Plan.Kind.DISC
        )
        self.player = players.Player(folder=self.folder / "discs")
        server = players.serve(self.player)
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        self.destination = Destination.objects.create(
            name="Desk player", kind="folder", address=str(self.folder / "discs"), answers="player",
            asked_at=f"http://127.0.0.1:{server.server_address[1]}/",
        )  # fmt: skip

    def tried(self) -> DiscTrial:
        trial = try_outside(self.plan, self.destination, by=self.operator)
        self.work()
        trial.refresh_from_db()
        return trial

    def test_it_goes_every_way_as_planned_and_plays_the_real_file(self) -> None:
        trial = self.tried()
        self.assertEqual((trial.state, trial.error, trial.wrong), ("done", "", []))
        self.assertTrue(trial.right)
        self.assertIn("ways as planned and plays every file that it has", trial.says)
        folder = self.folder / "discs" / trial.folder
        self.assertEqual(sorted(path.name for path in folder.iterdir()), ["disc.json", "film.mpg"])
        self.assertEqual((folder / "film.mpg").read_bytes(), (self.folder / "shelf" / "film.mpg").read_bytes())
        self.assertEqual(self.player.state()["in"], "Canal")
        self.sign_in()
        page = self.client.get(f"/plans/{self.plan.pk}/")
        self.assertContains(page, "ways as planned")
        self.assertContains(page, "Play on Desk player")

    def test_each_fault_is_told_by_what_a_viewer_would_see(self) -> None:
        for fault, says in (
            ("stops", "Film, end: it goes to a stop; the plan goes to Menu (“Film” lit)."),
            ("deaf", "Film, title: it goes to Film; the plan goes to Menu"),
            ("deaf", "Menu (“Short” lit), title: it goes to Menu (“Short” lit); the plan goes to Menu (“Film” lit)."),
            ("crossed", "Menu (“Short” lit), enter: it goes to Film; the plan goes to Short."),
            ("blind", "Film: it cannot be read."),
        ):
            with self.subTest(fault):
                self.player.switches.set([fault])
                trial = self.tried()
                self.assertEqual((trial.state, trial.right), ("done", False))
                self.assertTrue(any(says in one for one in trial.wrong), trial.wrong)
        self.player.switches.set(["empty"])
        self.assertEqual(self.tried().error, "The player says: there is no disc.")

    def test_what_cannot_be_played_says_why(self) -> None:
        with self.assertRaisesRegex(DecisionRefused, "plays no disc"):
            try_outside(
                self.plan, Destination.objects.create(name="Other", kind="folder", address="/tmp"), by=self.operator
            )
        try_outside(self.plan, self.destination, by=self.operator)
        with self.assertRaisesRegex(DecisionRefused, "already"):
            try_outside(self.plan, self.destination, by=self.operator)
        self.work()
        (self.folder / "shelf" / "film.mpg").unlink()
        self.assertIn("film.mpg is no longer where it was", self.tried().error)
        Destination.objects.filter(pk=self.destination.pk).update(asked_at="http://127.0.0.1:1/")
        self.destination.refresh_from_db()
        make_small(self.folder / "shelf" / "film.mpg", Small(codec="mpeg2video", options={}, frames=30))
        self.assertIn("The player does not answer", self.tried().error)

    def test_a_player_takes_no_render(self) -> None:
        render: Any = mock.Mock()
        with (
            mock.patch("brisk_web.handoff.services.Render.objects"),
            mock.patch("brisk_web.handoff.services.signed_basis"),
            self.assertRaisesRegex(HandOffRefused, "plays discs"),
        ):
            hand_over(render, self.destination, by=self.operator)
