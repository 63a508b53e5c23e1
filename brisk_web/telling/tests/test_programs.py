"""Other programs are told in signed messages, again until they answer; what they answer is kept and breaks nothing."""

from __future__ import annotations

import json
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import timedelta
from http.server import BaseHTTPRequestHandler, HTTPServer
from threading import Thread
from typing import Any

from django.test import TestCase
from django.utils import timezone

from brisk_web.accounts.roles import LEAD
from brisk_web.house.models import AuditEntry
from brisk_web.house.services import record, retire
from brisk_web.jobs.models import Job
from brisk_web.telling.hooks import TRY, keep_hook, queue, remove_messages, signature_of
from brisk_web.telling.models import Hook, Message
from brisk_web.testing import HouseMixin, QueueTestCase
from brisk_web.work.models import Work

_SECRET = "between us"


class Receiver:
    """A program that takes messages, with the statuses that it answers, one after the other; the last again and again."""

    def __init__(self, *statuses: int, body: bytes = b"thank you", headers: tuple[tuple[str, str], ...] = ()) -> None:
        self.got: list[tuple[dict[str, str], bytes]] = []
        outer, left = self, list(statuses)

        class Handler(BaseHTTPRequestHandler):
            def do_POST(self) -> None:
                content = self.rfile.read(int(self.headers["Content-Length"]))
                outer.got.append((dict(self.headers), content))
                self.send_response(left.pop(0) if len(left) > 1 else left[0])
                for name, value in headers:
                    self.send_header(name, value)
                self.send_header("Content-Length", str(len(body)))
                self.end_headers()
                self.wfile.write(body)

            do_GET = do_POST

            def log_message(self, format: str, *args: Any) -> None:
                pass

        self._server = HTTPServer(("127.0.0.1", 0), Handler)
        self.url = f"http://127.0.0.1:{self._server.server_address[1]}/told"
        Thread(target=self._server.serve_forever, daemon=True).start()

    def stop(self) -> None:
        self._server.shutdown()
        self._server.server_close()


@contextmanager
def receiver(*statuses: int, **more: Any) -> Iterator[Receiver]:
    made = Receiver(*statuses, **more)
    try:
        yield made
    finally:
        made.stop()


class ProgramsTest(QueueTestCase):
    def hook(self, url: str, *events: str) -> Hook:
        return keep_hook(Hook(name="Ledger", url=url, events=list(events)), secret=_SECRET, by=self.people[LEAD])

    def tries(self, most: int = 12) -> Message:
        """Let it try without its pauses until it is over."""
        for _ in range(most):
            self.work()
            message = Message.objects.get()
            if message.is_over:
                return message
            Message.objects.update(not_before=None)
            self.lose_tasks()
            from brisk_web.telling.hooks import send_message

            send_message.knock(message.pk)
        return message

    def test_what_is_recorded_is_told_signed_and_only_what_was_asked_for(self) -> None:
        with receiver(204) as program:
            hook = self.hook(program.url, "handoff.taken")
            job = Job.objects.create(title="Canal")
            record("job.opened", job, "Opened a job", by=self.people[LEAD])
            record("handoff.taken", job, "They took “Canal”", by=self.people[LEAD])
            message = self.tries()
        self.assertEqual((message.state, message.status, len(program.got)), (Work.State.DONE, 204, 1))
        headers, body = program.got[0]
        told = json.loads(body)
        self.assertEqual((told["event"], told["says"], told["by"]), ("handoff.taken", "They took “Canal”", "lead"))
        self.assertEqual(told["schema"], "brisk-sentry/event/1")
        expected = signature_of(_SECRET, headers["Brisk-Moment"], body)
        self.assertEqual(headers["Brisk-Signature"], f"hmac-sha256 {expected}")
        self.assertNotEqual(expected, signature_of("another", headers["Brisk-Moment"], body))
        self.assertNotEqual(expected, signature_of(_SECRET, "1", body))
        self.assertEqual(headers["Brisk-Message"], str(message.pk))
        self.assertNotIn(_SECRET, hook.secret)

    def test_messages_are_kept_for_a_month_after_their_end(self) -> None:
        hook = self.hook("http://127.0.0.1:9/", "handoff.taken")
        record("handoff.taken", self.root, "x")
        record("handoff.taken", self.root, "y")
        Message.objects.update(state=Work.State.DONE, created_at=timezone.now() - timedelta(days=31))
        self.assertEqual(remove_messages(), 2)
        record("handoff.taken", self.root, "w")
        Message.objects.update(state=Work.State.DONE, created_at=timezone.now() - timedelta(days=29))
        self.assertEqual(remove_messages(), 0)  # not yet
        Message.objects.all().delete()
        record("handoff.taken", self.root, "z")
        Message.objects.update(created_at=timezone.now() - timedelta(days=31))
        self.assertEqual((remove_messages(), hook.messages.count()), (0, 1))  # it has not ended

    def test_it_is_sent_again_after_growing_pauses_and_given_up_in_the_end(self) -> None:
        with receiver(500, 429, 200) as program:
            self.hook(program.url, "handoff.taken")
            record("handoff.taken", self.root, "x")
            self.work()
            message = Message.objects.get()
            self.assertEqual((message.state, message.status, message.failures), (Work.State.QUEUED, 500, 1))
            self.assertIsNotNone(message.not_before)
            message = self.tries()
        self.assertEqual((message.state, message.status, len(program.got)), (Work.State.DONE, 200, 3))
        bodies = {body for _, body in program.got}
        self.assertEqual(len(bodies), 1)
        Message.objects.all().delete()
        Hook.objects.update(url="http://127.0.0.1:1/")
        record("handoff.taken", self.root, "y")
        message = self.tries()
        self.assertEqual((message.state, message.says), (Work.State.FAILED, "nobody answers at this address"))
        self.assertIn("given up after 9 tries", message.error)

    def test_answers_of_any_shape_are_kept_short_and_redirects_are_not_followed(self) -> None:
        with receiver(302, body=b"\x00\xff<script>" * 100_000, headers=(("Location", "/elsewhere"),)) as program:
            self.hook(program.url, "handoff.taken")
            record("handoff.taken", self.root, "x")
            self.work()
        message = Message.objects.get()
        self.assertEqual((message.status, len(program.got)), (302, 1))
        self.assertLessEqual(len(message.says), 300)
        self.assertTrue(message.says.isprintable())

    def test_a_removed_address_hears_no_more_and_a_lost_key_is_told(self) -> None:
        with receiver(200) as program:
            hook = self.hook(program.url, "handoff.taken")
            queue(hook, TRY, "This is a try.", "hook:1", self.people[LEAD])
            retire(hook, by=self.people[LEAD])
            record("handoff.taken", self.root, "x")
            self.work()
            self.assertEqual([one.error for one in Message.objects.all()], ["the address was removed"])
            Hook.objects.update(retired_at=None, secret="sealed by somebody else")
            Message.objects.all().delete()
            record("handoff.taken", self.root, "x")
            self.work()
        self.assertEqual(program.got, [])
        self.assertIn("another key", Message.objects.get().error)


class HookPageTest(HouseMixin, TestCase):
    def setUp(self) -> None:
        super().setUp()
        self.sign_in(LEAD)

    def test_an_address_is_added_with_a_secret_that_is_shown_once(self) -> None:
        fields = {"name": "Ledger", "url": "https://ledger.example/told", "events": ["handoff.taken", "render.signed"]}
        page = self.client.post("/house/programs/new", fields, follow=True)
        self.assertContains(page, "Its secret, shown this once")
        self.assertNotContains(self.client.get("/house/programs/"), "shown this once")
        self.assertEqual(Hook.objects.get().events, ["handoff.taken", "render.signed"])
        self.assertTrue(AuditEntry.objects.filter(verb="hook.added").exists())
        before = Hook.objects.get().secret
        self.client.post(f"/house/programs/{Hook.objects.get().pk}/change", fields | {"name": "Ledger 2"})
        self.assertEqual((Hook.objects.get().name, Hook.objects.get().secret), ("Ledger 2", before))
        for wrong in ("ftp://a/", "file:///etc/passwd", "https://", "https://a:b@c/", "https://a:0/", "nothing"):
            page = self.client.post("/house/programs/new", fields | {"name": wrong, "url": wrong})
            self.assertEqual(page.status_code, 200, wrong)
        self.assertContains(self.client.post("/house/programs/new", fields | {"events": []}), "required")
        self.assertEqual(Hook.objects.count(), 1)
