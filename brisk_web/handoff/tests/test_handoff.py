"""Handing over to real doors and stand-ins: whole or not at all, once, under the right name, and what they answer."""

from __future__ import annotations

import html
import json
import os
import random
import re
import signal
import threading
import time
import traceback
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import time as clock
from pathlib import Path
from typing import Any, NoReturn
from unittest import mock

from django.db import connection
from django.urls import reverse
from django.utils import timezone

from brisk_core.handoff import digests_of, verify_package
from brisk_standins import deck as decks
from brisk_standins.intake import Intake, public_key_of
from brisk_web.checks.services import trials
from brisk_web.decisions.services import take_back
from brisk_web.decisions.tests.test_decisions import DecisionCase
from brisk_web.handoff import sending, services
from brisk_web.handoff.doors import DoorClosed, DoorRefused, FolderDoor, FtpDoor, ObjectsDoor, SftpDoor
from brisk_web.handoff.doors.sftp import fingerprint
from brisk_web.handoff.looking import look_again
from brisk_web.handoff.models import Destination, HandOff
from brisk_web.handoff.refusals import Reason, line_of, reasons_of
from brisk_web.handoff.sending import send
from brisk_web.handoff.services import HandOffRefused
from brisk_web.handoff.states import State
from brisk_web.handoff.tests.servers import ObjectStore, SftpServer
from brisk_web.house.models import AuditEntry
from brisk_web.work.models import Work
from brisk_web.work.sweep import sweep


class HandOffCase(DecisionCase):
    """A signed render and a folder to send it to."""

    def setUp(self) -> None:
        super().setUp()
        self.make_signable()
        self.sign()
        self.outside = self.folder / "outside"
        self.outside.mkdir()
        self.destination = self.keep(name="Outside", kind="folder", address=str(self.outside))

    def keep(self, password: str = "", **fields: Any) -> Destination:
        return services.keep_destination(Destination(**fields), secret=password, by=self.lead)

    def hand_over(self, destination: Destination | None = None) -> HandOff:
        return services.hand_over(self.render_of(self.check), destination or self.destination, by=self.operator)

    def sent(self, row: HandOff) -> HandOff:
        self.work()
        row.refresh_from_db()
        return row

    def right(self, path: Path) -> None:
        """The file is there, and is the one that was signed."""
        self.assertEqual(digests_of(path, ["xxh128"]).digests["xxh128"], self.hand_over_checksum)

    def survives_kills(
        self,
        destination: Destination,
        door: type[Any],
        there: Callable[[], dict[str, bytes]],
        clear: Callable[[], None],
    ) -> None:
        """Kill the worker at 20 moments of a transfer: no half file has the right name, and the next one ends it.

        ``there`` tells what lies over there by name, ``clear`` removes it.
        """
        source, died = Path(self.check.media_file.url), 0
        for number in range(20):
            with self.subTest(number):
                HandOff.objects.all().delete()
                clear()
                row = self.hand_over(destination)
                died += self._die_at(number, row, door)
                self.assertIn(there().get("CANAL_V01.mp4"), (None, source.read_bytes()))
                HandOff.objects.filter(pk=row.pk).update(beat_at="2020-01-01T00:00Z")
                sweep(forgotten_s=0)
                self._end(row)
                self.assertEqual((row.state, row.error), (Work.State.DONE, ""))
                self.assertEqual(there(), {"CANAL_V01.mp4": source.read_bytes()})
        self.assertGreaterEqual(died, 10)

    def _die_at(self, number: int, row: HandOff, door: type[Any]) -> bool:
        """Let a worker, a process of its own, be killed at the n-th of its steps, each chunk and each call at the door;
        was there such a step?
        """
        connection.close()  # the other process must not share it
        worker = os.fork()
        if worker == 0:
            self._work_until_killed(number, row, door)
        ended = os.waitstatus_to_exitcode(os.waitpid(worker, 0)[1])
        self.assertIn(ended, (0, -signal.SIGKILL))
        self.lose_tasks()
        row.refresh_from_db()
        return ended == -signal.SIGKILL

    @staticmethod
    def _work_until_killed(number: int, row: HandOff, door: type[Any]) -> NoReturn:
        """Be the worker: nothing of this process is cleared up, whatever happens."""
        signal.alarm(60)
        steps = iter(range(10_000))

        def step(real: Any) -> Any:
            def stepped(*args: Any, **more: Any) -> Any:
                if next(steps) == number:
                    os.kill(os.getpid(), signal.SIGKILL)
                return real(*args, **more)

            return stepped

        try:
            for name in ("free", "size_of", "send", "holds", "give_name"):
                mock.patch.object(door, name, step(getattr(door, name))).start()
            mock.patch("brisk_web.handoff.sending._telling", return_value=step(lambda done: None)).start()
            mock.patch(f"{door.__module__}.CHUNK", 4096).start()
            claim = send.claim(row.pk)
            assert claim
            send.do(claim)
        except BaseException:
            traceback.print_exc()
            os._exit(1)
        os._exit(0)

    def _end(self, row: HandOff) -> None:
        """Let the next worker take a hand-off up; the place that the killed one held is free once its session ends."""
        for _ in range(50):
            HandOff.objects.filter(pk=row.pk).update(not_before=None)
            if taken_up := send.claim(row.pk):
                send.do(taken_up)
            row.refresh_from_db()
            if "waits until another one" not in row.says:
                return
            time.sleep(0.1)

    @staticmethod
    def files_in(folder: Path) -> tuple[Callable[[], dict[str, bytes]], Callable[[], None]]:
        """What lies in a folder, and how it is emptied."""

        def clear() -> None:
            for path in folder.iterdir():
                path.unlink()

        return lambda: {path.name: path.read_bytes() for path in folder.iterdir()}, clear

    @property
    def hand_over_checksum(self) -> str:
        inspection = self.check.media_file.inspection
        assert inspection
        return inspection.checksum


class FolderTest(HandOffCase):
    def test_a_signed_render_goes_is_verified_and_counts_as_taken(self) -> None:
        row = self.hand_over()
        self.assertEqual(self.state(), State.SENDING)
        row = self.sent(row)
        self.assertEqual((row.state, row.answer, row.error), (Work.State.DONE, "taken", ""))
        self.right(self.outside / "CANAL_V01.mp4")
        self.assertEqual([path.name for path in self.outside.iterdir()], ["CANAL_V01.mp4"])
        self.assertEqual(self.state(), State.TAKEN)
        with self.assertRaisesRegex(HandOffRefused, "there already"):
            self.hand_over()

    def test_a_try_sends_nothing_and_says_what_would_happen(self) -> None:
        self.sign_in()
        address = f"/deliverables/{self.wide.pk}/hand-over"
        page = self.client.post(address, {"rehearse": self.destination.pk})
        self.assertContains(page, "CANAL_V01.mp4 would have")
        self.assertContains(page, "Nothing of that name is there, and")
        self.assertContains(page, "Nothing was sent.")
        self.assertEqual((HandOff.objects.count(), list(self.outside.iterdir())), (0, []))
        render = self.render_of(self.check)
        (self.outside / "CANAL_V01.mp4").write_bytes(b"theirs")
        self.assertIn("is there already, with 6 B", services.rehearse(render, self.destination))
        packed = self.keep(
            name="Packed", kind="folder", address=str(self.outside), package="mhl", opens=clock(0), closes=clock(0)
        )
        self.assertIn("CANAL_V01/CANAL_V01.mp4 would have", services.rehearse(render, packed))
        self.assertIn("It would wait until 00:00", services.rehearse(render, packed))
        (self.outside / "CANAL_V01.mp4").unlink()
        with mock.patch("shutil.disk_usage", return_value=mock.Mock(free=10)):
            self.assertIn("no room for it: 10 B are free", services.rehearse(render, self.destination))
        self.destination.address = "/nowhere"
        self.assertIn(
            "It could not go now. The folder /nowhere is not there", services.rehearse(render, self.destination)
        )
        take_back(render.signatures.get(), "too early", by=self.operator)
        with self.assertRaisesRegex(HandOffRefused, "not signed"):
            services.rehearse(render, self.destination)

    def test_what_is_not_signed_or_is_void_does_not_go(self) -> None:
        waiver = self.check.waivers.get(line="size")
        take_back(waiver, "no", by=self.lead)
        with self.assertRaisesRegex(HandOffRefused, "not signed"):
            self.hand_over()
        self.assertEqual(HandOff.objects.count(), 0)

    def test_a_signature_that_is_taken_back_on_the_way_stops_it(self) -> None:
        row = self.hand_over()
        take_back(self.render_of(self.check).signatures.get(), "too early", by=self.operator)
        row = self.sent(row)
        self.assertEqual(
            (row.state, row.error), (Work.State.FAILED, "The signature that it goes under no longer stands.")
        )
        self.assertEqual(list(self.outside.iterdir()), [])

    def test_a_file_that_changed_after_it_was_signed_is_not_sent(self) -> None:
        row = self.hand_over()
        path = Path(self.check.media_file.url)
        path.write_bytes(path.read_bytes()[:-1] + b"!")
        row = self.sent(row)
        self.assertEqual(
            (row.state, row.error),
            (Work.State.FAILED, "The file is not the one that was signed: its checksum is another."),
        )
        self.assertEqual(list(self.outside.iterdir()), [])

    def test_nothing_is_overwritten(self) -> None:
        (self.outside / "CANAL_V01.mp4").write_text("somebody's")
        row = self.sent(self.hand_over())
        self.assertEqual(row.state, Work.State.FAILED)
        self.assertIn("nothing is overwritten", row.error)
        self.assertEqual((self.outside / "CANAL_V01.mp4").read_text(), "somebody's")

    def test_a_worker_killed_at_any_moment_leaves_no_half_file_and_is_taken_up(self) -> None:
        self.survives_kills(self.destination, FolderDoor, *self.files_in(self.outside))

    def test_paused_gone_on_cancelled_and_tried_again(self) -> None:
        row = self.hand_over()
        self.assertTrue(services.pause(row, by=self.operator))
        self.assertEqual(self.sent(row).state, Work.State.QUEUED)
        self.assertEqual(row.in_words, "paused")
        self.assertTrue(services.go_on(row, by=self.operator))
        self.assertEqual(self.sent(row).state, Work.State.DONE)
        other = self.keep(name="Gone", kind="folder", address=str(self.folder / "gone"))
        row = self.sent(self.hand_over(other))
        self.assertEqual((row.state, row.failures), (Work.State.QUEUED, 1))
        self.assertIn("is it mounted? Tries again at", row.says)
        self.assertTrue(services.cancel(row, by=self.operator))
        self.assertFalse(services.go_on(row, by=self.operator))
        (self.folder / "gone").mkdir()
        self.assertEqual(self.sent(self.hand_over(other)).state, Work.State.DONE)

    def test_a_full_disk_and_too_little_room_wait_and_are_given_up_in_the_end(self) -> None:
        with mock.patch.object(FolderDoor, "free", return_value=10):
            row = self.sent(self.hand_over())
            self.assertIn("There is no room", row.says)
            for _ in range(11):
                HandOff.objects.filter(pk=row.pk).update(not_before=None)
                send.knock(row.pk)
                row = self.sent(row)
        self.assertEqual(row.state, Work.State.FAILED)
        self.assertIn("Given up after 12 tries", row.error)
        self.assertTrue(services.go_on(row, by=self.operator))
        self.assertEqual(self.sent(row).state, Work.State.DONE)

    def test_a_way_that_breaks_again_and_again_but_gets_further_is_not_given_up(self) -> None:
        source = Path(self.check.media_file.url).read_bytes()
        step = len(source) // 15

        def send(door: FolderDoor, one: Path, path: str, told: Callable[[int], None]) -> None:
            at = self.outside / path
            there = len(at.read_bytes()) if at.exists() else 0
            at.write_bytes(source[: there + step])
            told(min(there + step, len(source)))
            if there + step < len(source):
                raise DoorClosed("The connection broke off.")

        with mock.patch.object(FolderDoor, "send", send), mock.patch("brisk_web.work.kernel._REPORT_S", 0):
            row, tries = self.hand_over(), 0
            while not row.is_over and tries < 40:
                row, tries = self.sent(row), tries + 1
                HandOff.objects.filter(pk=row.pk).update(not_before=None)
                self.lose_tasks()
                sending.send.knock(row.pk)
        self.assertEqual((row.state, row.error), (Work.State.DONE, ""))
        self.assertGreater(tries, 12)
        self.right(self.outside / "CANAL_V01.mp4")

    def test_hours_names_and_one_at_a_time(self) -> None:
        now = timezone.localtime().time()
        shut = self.keep(
            name="Nightly", kind="folder", address=str(self.outside), opens=clock((now.hour + 2) % 24), closes=clock((now.hour + 3) % 24),
            name_rule="{title}_{size}_{rate}{scan}_V{attempt:2}", name_case="upper",
        )  # fmt: skip
        row = self.sent(self.hand_over(shut))
        self.assertEqual((row.state, row.name), (Work.State.QUEUED, "CANAL_192X128_25P_V01.mp4"))
        self.assertIn("when it may be sent", row.says)
        for opens, closes, at, open_ in (
            (clock(22), clock(6), clock(23), True), (clock(22), clock(6), clock(5, 59), True), (clock(22), clock(6), clock(12), False),
            (clock(9), clock(17), clock(9), True), (clock(9), clock(17), clock(17), False),
        ):  # fmt: skip
            self.assertEqual(Destination(opens=opens, closes=closes).is_open(at), open_)
        with self.assertRaisesRegex(HandOffRefused, "not known: language"):
            self.hand_over(self.keep(name="Named", kind="folder", address=str(self.outside), name_rule="{language}"))


class IntakeTest(HandOffCase):
    def setUp(self) -> None:
        super().setUp()
        self.intake = Intake(folder=self.outside, home=self.folder / "home", delay_s=0)
        self.merrow = self.keep(
            name="Merrow", kind="folder", address=str(self.outside), answers="receipt", package="mhl md5",
            receipt_key=public_key_of(self.folder / "home"), name_rule="{title}_V{attempt:2}", name_case="upper",
        )  # fmt: skip

    def look(self, row: HandOff) -> HandOff:
        HandOff.objects.filter(pk=row.pk).update(look_at="2020-01-01T00:00Z")
        look_again()
        return self.sent(row)

    def test_a_package_is_taken_by_a_signed_receipt(self) -> None:
        row = self.sent(self.hand_over(self.merrow))
        self.assertEqual((row.state, row.answer, self.state()), (Work.State.DONE, "", State.WITH_THEM))
        self.assertTrue(verify_package(self.outside / "CANAL_V01").right)
        self.assertEqual(list((self.folder / "data" / "packages").iterdir()), [])  # what was sent is not kept twice
        self.intake.step(time.monotonic())
        row = self.look(row)
        self.assertEqual((row.answer, self.state()), ("taken", State.TAKEN))
        self.assertEqual(row.answer_says, "They took it, receipt CM-00001.")
        self.assertEqual(look_again(), 0)

    def test_each_fault_is_told_in_a_sentence_and_none_passes(self) -> None:
        row = self.sent(self.hand_over(self.merrow))
        receipt = self.outside / "CANAL_V01.receipt.json"
        for fault, answer, says in (
            ("silent", "", "There is no receipt yet."),
            ("forged", "", "The signature of the receipt is not theirs"),
            ("mistaken", "", "The receipt is about another file"),
            ("garbled", "", "cannot be read"),
            ("refuses", "refused", "the end credits are not the agreed ones"),
        ):
            with self.subTest(fault):
                receipt.unlink(missing_ok=True)
                self.intake.switches.set([fault])
                self.intake.step(time.monotonic())
                row = self.look(row)
                self.assertEqual(row.answer, answer)
                self.assertIn(says, row.answer_says)
        self.assertEqual(self.state(), State.REFUSED)
        receipt.unlink()
        self.intake.switches.set([])
        self.intake.step(time.monotonic())
        services.look_now(row, by=self.operator)
        self.assertEqual(self.sent(row).answer, "taken")

    def refused(self, *faults: str) -> HandOff:
        """A hand-off that the intake has refused."""
        row = self.sent(self.hand_over(self.merrow))
        self.intake.switches.set(faults)
        with mock.patch("brisk_standins.intake._MOST_BYTES", 1000):
            self.intake.step(time.monotonic())
        return self.look(row)

    def test_a_refusal_that_says_its_rule_becomes_a_line_in_two_clicks(self) -> None:
        row = self.refused("little")
        self.client.force_login(self.lead)
        link = re.search(
            r'href="(/specs/[^"]+refusal=[^"]+)"', self.client.get(reverse("hand-off", args=[row.pk])).content.decode()
        )
        assert link
        page = self.client.get(html.unescape(link[1]))  # the first click
        self.assertContains(page, "The last line is what Merrow refused")
        self.client.post(link[1].partition("?")[0], {"document": page.context["text"], "publish": "1"})  # the second
        version = self.version.spec.current
        assert version
        self.assertEqual((version.number, len(version.parsed().lines)), (2, len(self.version.parsed().lines) + 1))
        line = version.parsed().lines[-1]
        self.assertEqual((line.characteristic.id, line.raw_condition), ("file.size", {"at_most": 1000}))
        self.assertEqual(line.why, "Merrow refused CANAL_V01: the file is larger than the 2 MB that we take.")
        (trial,) = trials(version.parsed(), [self.check])
        self.assertEqual(trial.document["verdict"], "fail")

    def test_a_refusal_in_prose_is_a_line_that_somebody_must_fill_in(self) -> None:
        row = self.refused("refuses")
        self.client.force_login(self.lead)
        address = f"/specs/{self.version.spec.slug}/change"
        page = self.client.get(f"{address}?refusal={row.pk}&reason=1")
        self.assertContains(page, "Say what it asks for before it is published")
        self.assertIn("the end credits are not the agreed ones", page.context["text"])
        answer = self.client.post(address, {"document": page.context["text"], "publish": "1"})
        self.assertEqual(answer.status_code, 422)
        self.assertEqual(self.version.spec.versions.count(), 1)

    def test_reasons_name_a_characteristic_where_their_words_do(self) -> None:
        row = self.refused("refuses")
        for says, id_ in (
            ("The frame rate is not ours", "picture.frame_rate"),
            ("wrong field order in reel 2!", "picture.field_order"),
            ("true peak above -3", "sound.true_peak"),
            ("we do not like it", None),
        ):
            line = line_of(Reason(says=says, asks=None), row, set())
            self.assertEqual(line.get("characteristic"), id_, says)
            self.assertEqual(line["condition"], {})
        taken = {line_of(Reason(says="Too big", asks=None), row, set())["id"]}
        self.assertEqual(
            (taken, line_of(Reason(says="Too big", asks=None), row, taken)["id"]), ({"too-big"}, "too-big-2")
        )

    def test_answers_of_any_shape_give_reasons_or_none(self) -> None:
        row = self.refused("refuses")
        asked = {"characteristic": "file.size", "condition": {"at_most": 5}}
        for body, says, asks in (
            ({"reasons": "all"}, [row.answer_says], [None]),
            ({"reasons": []}, [row.answer_says], [None]),
            (["x"], [row.answer_says], [None]),
            ({"reasons": [3, "x" * 900]}, ["3", "x" * 500], [None, None]),
            ({"reasons": ["big"], "asks": 7}, ["big"], [None]),
            ({"reasons": ["big"], "asks": [7, {"reason": ["big"]}, {"reason": "big"}]}, ["big"], [None]),
            (
                {"reasons": ["big"], "asks": [{"reason": "big", "characteristic": "no.such", "condition": {}}]},
                ["big"],
                [None],
            ),
            ({"reasons": ["big", "odd"], "asks": [{"reason": "big", **asked}]}, ["big", "odd"], [asked, None]),
        ):
            row.answer_document = {"body": body}
            found = reasons_of(row)
            self.assertEqual(([one.says for one in found], [one.asks for one in found]), (says, asks))
        row.answer = "taken"
        self.assertEqual(reasons_of(row), [])

    def test_a_receipt_of_any_shape_is_told_and_breaks_nothing(self) -> None:
        row = self.sent(self.hand_over(self.merrow))
        receipt = self.outside / "CANAL_V01.receipt.json"
        for content in (
            b"", b"[]", b"{}", b'{"body": 3}', b'{"body": {"answer": "taken"}}', b"\xff\xfe", b"[" * 100_000, b'"x"', b"null", b"1" * 2_000_000,
            json.dumps({"body": {"answer": "taken", "name": "CANAL_V01", "xxh128": self.hand_over_checksum}, "signature": "zz"}).encode(),
        ):  # fmt: skip
            receipt.write_bytes(content)
            row = self.look(row)
            self.assertEqual((row.answer, row.state), ("", Work.State.DONE), content[:40])
            self.assertTrue(row.answer_says)


class DeckTest(HandOffCase):
    def setUp(self) -> None:
        super().setUp()
        self.deck = decks.Deck(card=self.folder / "card", size=(192, 128), codecs=("h264",))
        self.running = decks.start(self.deck, user="deck", password="lock")
        self.addCleanup(self.running.stop)
        self.wherry = self.keep(
            name="Wherry", kind="ftp", address=f"ftp://127.0.0.1:{self.running.ftp_port}/", user="deck", password="lock",
            answers="deck", asked_at=f"127.0.0.1:{self.running.line_port}",
        )  # fmt: skip

    def tries(self, row: HandOff, most: int = 8) -> HandOff:
        """Let it try until it is over, without its pauses."""
        for _ in range(most):
            row = self.sent(row)
            if row.is_over:
                break
            HandOff.objects.filter(pk=row.pk).update(not_before=None)
            send.knock(row.pk)
        return row

    def test_a_clip_is_sent_listed_after_a_reload_and_cued(self) -> None:
        self.assertIn("lets the house in", services.try_destination(self.wherry))
        row = self.sent(self.hand_over(self.wherry))
        self.assertEqual((row.state, row.answer, row.error), (Work.State.DONE, "taken", ""))
        self.assertIn("only after the card was read again", row.answer_says)
        self.right(self.deck.card / "CANAL_V01.mp4")
        self.assertNotIn("lock", self.wherry.secret)

    def test_a_worker_killed_at_any_moment_leaves_no_half_file_and_is_taken_up(self) -> None:
        self.survives_kills(self.wherry, FtpDoor, *self.files_in(self.deck.card))

    def test_a_clip_unlike_its_setting_is_refused_with_the_setting(self) -> None:
        self.deck.rate = self.deck.rate * 2
        row = self.sent(self.hand_over(self.wherry))
        self.assertEqual(row.answer, "refused")
        self.assertIn(
            "does not list it, even after reading its card again. It is set to 192x128 at 50", row.answer_says
        )

    def test_faults_are_told_waited_for_and_leave_nothing_under_the_right_name(self) -> None:
        for fault, says in (
            ("full", "The server has no room"),
            ("corrupts", "reads back otherwise"),
        ):
            with self.subTest(fault):
                self.deck.switches.set([fault])
                row = self.sent(self.hand_over(self.wherry))
                self.assertEqual(row.state, Work.State.QUEUED)
                self.assertIn(says, row.says)
                self.assertFalse((self.deck.card / "CANAL_V01.mp4").exists())
                services.cancel(row, by=self.operator)
        self.deck.switches.set(["locked"])
        row = self.sent(self.hand_over(self.wherry))
        self.assertEqual(
            (row.state, row.error), (Work.State.FAILED, "The server refuses the login: user or password is wrong.")
        )
        self.deck.switches.set([])
        self.assertTrue(services.go_on(row, by=self.operator))
        self.assertEqual(self.tries(row).answer, "taken")

    def test_a_connection_that_breaks_is_gone_on_from_where_it_broke(self) -> None:
        big = self.folder / "shelf" / "big.bin"
        big.write_bytes(bytes(range(250)) * 4000)
        self.deck.switches.set(["drops"])
        for share in (1, 50, 99):
            with self.subTest(share), mock.patch("brisk_standins.deck._DROP_AFTER", 10_000 * share):
                sizes = self._send_till_it_is_there(big, f"big{share}.bin.part")
                self.assertGreater(len(sizes), 0)
                self.assertEqual(sizes, sorted(sizes))
                self.assertEqual((self.deck.card / f"big{share}.bin.part").read_bytes(), big.read_bytes())

    def _send_till_it_is_there(self, source: Path, name: str) -> list[int]:
        """Send again after each break; return the sizes that were there in between."""
        sizes: list[int] = []
        for _ in range(40):
            door = FtpDoor(self.wherry.address, "deck", "lock")
            try:
                door.send(source, name, lambda _: None)
                return sizes
            except DoorClosed as closed:
                self.assertIn("connection", str(closed))
            finally:
                door.close()
            sizes.append((self.deck.card / name).stat().st_size)
        self.fail("it never arrives")

    def test_addresses_where_nobody_lives(self) -> None:
        for address, says in (("ftp://127.0.0.1:1/", "Nobody answers"), ("ftps://127.0.0.1:1/", "Nobody answers")):
            self.wherry.address = address
            self.assertIn(says, services.try_destination(self.wherry))
        door = FtpDoor(f"ftp://127.0.0.1:{self.running.ftp_port}/", "deck", "lock")
        self.addCleanup(door.close)
        self.assertIsNone(door.size_of("nothing"))
        self.assertIsNone(door.read("nothing", 10))
        (self.deck.card / "long").write_bytes(b"x" * 11)
        with self.assertRaises(DoorRefused):
            door.read("long", 10)
        (self.deck.card / "taken").touch()
        with self.assertRaisesRegex(DoorRefused, "nothing is overwritten"):
            door.give_name("long", "taken")


class SftpTest(HandOffCase):
    def test_a_worker_killed_at_any_moment_leaves_no_half_file_and_is_taken_up(self) -> None:
        folder = self.folder / "card"
        folder.mkdir()
        server = SftpServer(folder)
        self.addCleanup(server.stop)
        merrow = self.keep(
            name="Merrow", kind="sftp", address=f"sftp://127.0.0.1:{server.port}/", user="merrow", password="lock"
        )
        self.assertIn("shows the key SHA256:", services.try_destination(merrow))
        merrow.host_key = fingerprint(server.key)
        merrow.save()
        self.survives_kills(merrow, SftpDoor, *self.files_in(folder))


class ObjectsTest(HandOffCase):
    def test_a_worker_killed_at_any_moment_leaves_no_half_file_and_is_taken_up(self) -> None:
        store = ObjectStore()
        self.addCleanup(store.stop)
        cloud = self.keep(
            name="Cloud", kind="objects", address=f"s3://{store.bucket}/in", user="merrow", password="lock",
            asked_at=store.endpoint,
        )  # fmt: skip
        self.survives_kills(cloud, ObjectsDoor, store.there, store.clear)


class ManyTest(HandOffCase):
    """Fifty hand-offs and four workers."""

    def rows(self, destinations: list[Destination]) -> list[int]:
        render = self.render_of(self.check)
        basis = services.signed_basis(render)
        made = [
            HandOff.objects.create(
                render=render, destination=destinations[number % len(destinations)], made_by=self.operator,
                name=f"CANAL_{number:02}.mp4", **basis,
            )
            for number in range(50)
        ]  # fmt: skip
        return [row.pk for row in made]

    def work_with_four(self, keys: list[int]) -> None:
        """Let four workers take whatever they get, each in an order of its own, until nothing waits."""

        def one(seed: int) -> None:
            order = random.Random(seed)
            try:
                while waiting := list(
                    HandOff.objects.filter(pk__in=keys, state__in=Work.ACTIVE).values_list("pk", flat=True)
                ):
                    order.shuffle(waiting)
                    HandOff.objects.filter(pk__in=waiting).update(not_before=None)
                    for pk in waiting:
                        if claim := send.claim(pk):
                            send.do(claim)
            finally:
                connection.close()

        with ThreadPoolExecutor(4) as pool:
            for done in [pool.submit(one, seed) for seed in range(4)]:
                done.result()

    def test_each_is_sent_once_and_right(self) -> None:
        places = []
        for number in range(5):
            (self.outside / str(number)).mkdir()
            places.append(
                self.keep(name=f"P{number}", kind="folder", address=str(self.outside / str(number)), at_once=4)
            )
        keys = self.rows(places)
        self.work_with_four(keys)
        self.assertEqual(set(HandOff.objects.values_list("state", "error")), {(Work.State.DONE, "")})
        self.assertEqual(AuditEntry.objects.filter(verb="handoff.sent").count(), 50)
        content = Path(self.check.media_file.url).read_bytes()
        files = [path for path in self.outside.rglob("*") if path.is_file()]
        self.assertEqual(len(files), 50)
        for path in files:
            self.assertEqual(path.read_bytes(), content)

    def test_a_destination_gets_no_more_at_once_than_it_allows(self) -> None:
        self.destination.at_once = 2
        self.destination.save()
        going, most = [0], [0]
        lock, real = threading.Lock(), sending._send

        def send_slowly(claim: Any) -> None:
            with lock:
                going[0] += 1
                most[0] = max(most[0], going[0])
            time.sleep(0.02)
            real(claim)
            with lock:
                going[0] -= 1

        with mock.patch.object(sending, "_send", send_slowly):
            self.work_with_four(self.rows([self.destination]))
        self.assertEqual(most, [2])
        self.assertEqual(len(list(self.outside.iterdir())), 50)
