"""The second look at an upload site: its copies come late, are fetched, held against what was signed, and judged."""

from __future__ import annotations

import datetime
import os
import shutil
import time
from fractions import Fraction
from pathlib import Path
from typing import Any
from unittest import mock

import av
import numpy as np
from django.conf import settings
from django.utils import timezone

from brisk_standins import copies as ladders
from brisk_standins import site as sites
from brisk_standins.copies import Rung
from brisk_web.decisions.services import waive
from brisk_web.handoff import services
from brisk_web.handoff.copies import largest_wait, remove_copies
from brisk_web.handoff.doors import SiteDoor
from brisk_web.handoff.looking import look_again, spell_wait
from brisk_web.handoff.models import HandOff, ServedCopy
from brisk_web.handoff.states import State
from brisk_web.handoff.tests.test_handoff import HandOffCase
from brisk_web.jobs.models import Deliverable
from brisk_web.storage.models import MediaFile
from brisk_web.storage.services import register
from brisk_web.work.models import Work

_LADDER = (Rung(96, 300_000), Rung(180, 900_000))


def make_film(path: Path, rate: int = 25, frames: int = 60) -> Path:
    """Write two shots of a wandering texture with a melody, 320 x 180."""
    rng = np.random.default_rng(5)
    grounds = [np.kron(rng.integers(30, 225, (24, 40)), np.ones((16, 16))).astype(np.uint8) for _ in range(2)]
    container: Any
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=rate)
        stream.width, stream.height, stream.pix_fmt = 320, 180, "yuv420p"
        stream.options = {"preset": "ultrafast", "crf": "14"}
        sound = container.add_stream("aac", rate=48000)
        sound.layout = "stereo"
        for number in range(frames):
            ground, step = grounds[number * 2 // frames], number * 25 // rate
            piece = ground[2 * step :][:180, 3 * step :][:, :320]
            frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(np.dstack([piece] * 3)), format="rgb24")
            frame.pts, frame.time_base = number, Fraction(1, rate)
            container.mux(stream.encode(frame.reformat(format="yuv420p")))
        container.mux(stream.encode(None))
        count = 48000 * frames // rate // 1024 * 1024
        beat = rng.normal(size=count) * (
            np.sin(np.arange(count) / 3000) > rng.uniform(-1, 1, count // 1024).repeat(1024)
        )
        for at in range(0, count, 1024):
            block = np.stack([beat[at : at + 1024]] * 2).astype(np.float32) * 0.1
            part = av.AudioFrame.from_ndarray(block, format="fltp", layout="stereo")
            part.sample_rate, part.pts, part.time_base = 48000, at, Fraction(1, 48000)
            container.mux(sound.encode(part))
        container.mux(sound.encode(None))
    return path


class SiteCase(HandOffCase):
    """A signed film, and a site that takes it."""

    rate = 25

    def setUp(self) -> None:
        ladder = mock.patch.object(ladders, "LADDER", _LADDER)
        ladder.start()
        self.addCleanup(ladder.stop)
        super().setUp()
        self.site = sites.Site(home=self.folder / "site", token="pebble", late_s=0)
        server = sites.serve(self.site)
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        self.pebble = self.keep(
            name="Pebbleview", kind="site", address=f"http://127.0.0.1:{server.server_address[1]}/api", password="pebble",
            answers="copies",
        )  # fmt: skip

    def media(self, name: str = "a.mp4", *, by: str = "operator", **recipe: Any) -> MediaFile:
        make_film(self.folder / "shelf" / name, self.rate)
        return register(self.root, name, by=self.people[by])

    def steps(self, later_s: float = 1) -> None:
        """Let the site do what it has to do by a time from now."""
        while self.site.step(time.time() + later_s):
            pass

    def looked(self, row: HandOff) -> HandOff:
        """Look until nothing is on its way in the house."""
        for _ in range(4):
            before = row.answer_says
            HandOff.objects.filter(pk=row.pk, answer="").update(look_at="2020-01-01T00:00Z")
            look_again()
            self.work()
            row.refresh_from_db()
            if row.answer or row.answer_says == before:
                break
        return row

    def there(self) -> dict[str, bytes]:
        return {path.parent.name: path.read_bytes() for path in self.site.home.glob("items/*/original")}

    def clear(self) -> None:
        for kind in ("items", "uploads"):
            shutil.rmtree(self.site.home / kind)
            (self.site.home / kind).mkdir()


class SiteTest(SiteCase):
    def test_copies_that_come_late_are_judged_one_by_one_and_taken_when_all_are_right(self) -> None:
        self.assertIn("lets the house in", services.try_destination(self.pebble))
        self.site.late_s = 1e12
        row = self.sent(self.hand_over(self.pebble))
        self.assertEqual((row.state, row.answer, row.error), (Work.State.DONE, "", ""))
        self.assertIn("is checking it", row.answer_says)
        self.steps()
        row = self.looked(row)
        self.assertEqual((row.answer, self.state()), ("", State.WITH_THEM))
        self.assertIn("1 of 2 copies are there, 1 looked at and right so far", row.answer_says)
        self.assertIn("The largest, 180p, is not there yet", row.answer_says)
        self.assertIsNotNone(row.look_at)
        small = row.copies.get(label="96p")
        self.assertIn(small.outcome, ("pass", "caution"), small.says)
        assert small.media_file
        self.assertIsNotNone(small.media_file.retired_at)  # it waits in no intake
        self.site.late_s = 0
        self.steps()
        row = self.looked(row)
        self.assertEqual((row.answer, self.state()), ("taken", State.TAKEN), row.answer_says)
        self.assertIn("Both copies are there and show what was signed", row.answer_says)
        self.sign_in()
        page = self.client.get(f"/hand-off/{row.pk}/")
        self.assertContains(page, "What the site shows")
        self.assertContains(page, "320 × 180, 25 fps, avc")
        self.assertContains(page, "180p, as signed")
        waits = [one.waited_s for one in row.copies.all()]
        self.assertNotIn(None, waits)
        again = HandOff(destination=self.pebble, pk=row.pk + 1)
        self.assertEqual(largest_wait(again), max(waits))  # type: ignore[type-var]

    def test_bytes_of_copies_go_when_nobody_needs_them_and_what_was_found_stays(self) -> None:
        row = self.sent(self.hand_over(self.pebble))
        self.steps()
        row = self.looked(row)
        small, large = row.copies.order_by("pk")
        folder = Path(settings.DATA_FOLDER) / "copies"
        paths = [folder / one.media_file.path for one in (small, large) if one.media_file]
        left = paths[0].with_name("former.180p.1-2.mp4")
        left.write_bytes(b"of a copy that was made anew")
        self.assertEqual(remove_copies(), 0)
        # One that somebody needs for more than this is no longer only a copy.
        ServedCopy.objects.filter(pk=small.pk).update(judged_at="2020-01-01T00:00Z", outcome="pass")
        Deliverable.objects.update(master=small.media_file)
        self.assertEqual((remove_copies(), paths[0].exists()), (0, True))
        Deliverable.objects.update(master=None)
        days = datetime.timedelta(days=1)
        ServedCopy.objects.filter(pk=small.pk).update(judged_at=timezone.now() - 31 * days, outcome="pass")
        ServedCopy.objects.filter(pk=large.pk).update(judged_at=timezone.now() - 31 * days, outcome="fail")
        os.utime(left, (1, 1))
        self.assertEqual(remove_copies(), 2)
        self.assertEqual([path.exists() for path in (*paths, left)], [False, True, False])
        self.sign_in()
        page = self.client.get(f"/hand-off/{row.pk}/")
        self.assertContains(page, "Its bytes were removed")
        self.assertContains(self.client.get(f"/files/{small.media_file_id}/"), "is no longer there")
        ServedCopy.objects.filter(pk=large.pk).update(judged_at=timezone.now() - 361 * days)
        self.assertEqual(remove_copies(), 1)
        self.assertEqual((remove_copies(), paths[1].exists()), (0, False))

    def test_what_is_shown_otherwise_is_told_and_opens_the_deliverable_again(self) -> None:
        for fault, says in (
            ("levels", "Same levels: Levels differ"),
            ("late", "Same sound: The sound is 200 ms late"),
            ("wrong", "Frame for frame:"),
        ):
            with self.subTest(fault):
                self.site.switches.set([fault])
                row = self.sent(self.hand_over(self.pebble))
                self.steps()
                row = self.looked(row)
                self.assertEqual((row.answer, self.state()), ("wrong", State.WRONG), row.answer_says)
                self.assertIn(says, row.answer_says)
                self.assertIn("is not what was signed", row.answer_says)
                self.assertTrue(row.is_back)
                self.clear()

    def test_a_refusal_a_site_that_dies_and_one_that_loses_it(self) -> None:
        self.site.switches.set(["refuses"])
        row = self.sent(self.hand_over(self.pebble))
        self.steps()
        row = self.looked(row)
        self.assertEqual((row.answer, self.state()), ("refused", State.REFUSED))
        self.assertIn("the title is misleading", row.answer_says)
        self.clear()
        self.site.switches.set(["dies"])
        row = self.sent(self.hand_over(self.pebble))
        self.steps()
        row = self.looked(row)
        self.assertEqual(row.answer, "")
        self.assertIn("1 of 2 copies", row.answer_says)
        self.clear()
        row = self.looked(row)
        self.assertEqual((row.answer, row.answer_says), ("refused", "The site no longer has it."))

    def test_a_copy_that_was_made_anew_is_looked_at_anew_and_one_that_cannot_be_judged_is_never_right(self) -> None:
        row = self.sent(self.hand_over(self.pebble))
        self.steps()
        row = self.looked(row)
        self.assertEqual(row.answer, "taken", row.answer_says)
        self.site.switches.set(["levels"])
        folder = self.site.home / "items" / row.name
        told = self.site.item(row.name)
        assert told
        told.pop("lines")
        told["state"], told["copies"][1] = "making copies", {"label": "180p", "state": "waits"}
        self.site._write(folder, told)
        self.steps(later_s=60)
        services.look_now(row, by=self.operator)
        row = self.looked(row)
        self.assertEqual(row.answer, "wrong", row.answer_says)
        with mock.patch("brisk_web.handoff.copies.masters.ask", return_value=None):
            ServedCopy.objects.filter(label="180p").update(outcome="", says="")
            services.look_now(row, by=self.operator)
            row = self.looked(row)
        self.assertEqual(row.answer, "")
        self.assertIn("could not be judged", row.answer_says)

    def test_a_worker_killed_at_any_moment_leaves_no_half_file_and_is_taken_up(self) -> None:
        self.survives_kills(self.pebble, SiteDoor, self.there, self.clear)

    def test_faults_of_the_way_are_told_and_waited_for(self) -> None:
        for fault, state, says in (
            ("full", Work.State.QUEUED, "There is no room"),
            ("locked", Work.State.FAILED, "refuses the token"),
            ("corrupts", Work.State.FAILED, "is not what was sent"),
        ):
            with self.subTest(fault):
                self.site.switches.set([fault])
                row = self.sent(self.hand_over(self.pebble))
                self.assertEqual(row.state, state, row.says)
                self.assertIn(says, row.says + row.error)
                services.cancel(row, by=self.operator)

    def test_waits_in_words(self) -> None:
        found = [spell_wait(one) for one in (-3.0, 40.0, 89.0, 1860.0, 7500.0)]
        self.assertEqual(found, ["0 s", "40 s", "89 s", "31 minutes", "2 h 5 min"])


class DoubleRateTest(SiteCase):
    """Fifty pictures a second, of which the site shows every second one."""

    rate = 50

    def make_signable(self) -> None:
        waive(self.check, "rate", "they take 50 as well", by=self.lead)
        super().make_signable()

    def test_every_second_picture_is_a_caution(self) -> None:
        row = self.sent(self.hand_over(self.pebble))
        self.steps()
        row = self.looked(row)
        self.assertEqual(row.answer, "taken", row.answer_says)
        self.assertIn("Every picture", row.answer_says)
        self.assertEqual({one.outcome for one in row.copies.all()}, {"caution"})
