"""The command that sends a file to a house and waits for its verdict."""

from __future__ import annotations

import contextlib
import io
import json
import os
import threading
from http.server import BaseHTTPRequestHandler, HTTPServer
from pathlib import Path
from unittest import mock

from django.test import LiveServerTestCase
from procrastinate.contrib.django.models import ProcrastinateJob

from brisk_core.cli import main, remote
from brisk_core.cli.saying import A_FAIL, NO_FAIL, UNREADABLE, WRONG_USE
from brisk_core.small_media import Small, make_small
from brisk_web.accounts.roles import OPERATOR, VIEWER
from brisk_web.house.tokens import make_token
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.storage.models import MediaFile, Upload
from brisk_web.testing import QueueTestCase, spec_version

_PASSES = """
brisk_spec: 1
id: codec
name: Codec alone
family: web
source: a test
issued: 2026-03-02
lines:
  - { id: codec, characteristic: picture.codec, condition: { equals: avc } }
"""


class RemoteTest(QueueTestCase, LiveServerTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.path = make_small(self.folder / "OLP CANAL_V01.mp4", Small(frames=10))
        self.token = make_token(self.people[OPERATOR], "Queue", ["read", "take-in"], 1)[1]

    def remote(self, *words: str, token: str | None = None, at: str = "") -> tuple[int, str]:
        """Run the command while the house works; return its status and what it said."""
        said, status = io.StringIO(), []
        arguments = ["remote", *words, "--at", at or self.live_server_url]
        token = self.token if token is None else token
        with (
            mock.patch.dict(os.environ, {"BRISK_TOKEN": token}),
            contextlib.redirect_stdout(said),
            contextlib.redirect_stderr(said),
        ):
            command = threading.Thread(target=lambda: status.append(main(arguments)))
            command.start()
            while command.is_alive():
                if ProcrastinateJob.objects.filter(status="todo").exists():
                    self.work()
                command.join(0.2)
        return status[0], said.getvalue()

    def test_a_file_is_sent_judged_and_answered_for(self) -> None:
        spec_version(_PASSES)
        spec_version()
        status, said = self.remote(str(self.path), "--spec", "codec")
        self.assertEqual(status, NO_FAIL, said)
        self.assertIn("Codec alone, version 1: pass (", said)
        status, said = self.remote(str(self.path), "--spec", "small", "--json")
        document = json.loads(said)
        self.assertEqual((status, document["schema"], document["verdict"]), (A_FAIL, "brisk-sentry/check/1", "fail"))
        self.assertEqual(set(MediaFile.objects.values_list("name", flat=True)), {"OLP CANAL_V01.mp4"})

    def test_it_is_taken_in_for_a_deliverable(self) -> None:
        owed = Deliverable.objects.create(
            job=Job.objects.create(title="Canal"), name="Wide", spec_version=spec_version()
        )
        status, said = self.remote(str(self.path), "--deliverable", str(owed.pk))
        self.assertEqual((status, owed.renders.count()), (A_FAIL, 1))
        self.assertIn("fail          Fast start", said)

    def test_a_file_goes_on_where_it_broke_off(self) -> None:
        data, arrived, asked = self.path.read_bytes(), bytearray(), []

        class Rough(BaseHTTPRequestHandler):
            """A house that is full, breaks off in a piece, takes one, and then refuses."""

            def do_POST(self) -> None:
                self.tell(201)

            def do_GET(self) -> None:
                asked.append("GET")
                self.tell(200)

            def do_PUT(self) -> None:
                piece = self.rfile.read(int(self.headers["Content-Length"]))
                asked.append(int(self.path.rpartition("=")[2]))
                if len(asked) == 1:
                    self.tell(503)
                elif len(asked) == 3:  # half of it arrives, and nothing is answered
                    arrived.extend(piece[: len(piece) // 2])
                elif len(asked) == 5:
                    arrived.extend(piece)
                    self.tell(200)
                else:
                    self.tell(403)

            def tell(self, status: int) -> None:
                self.send_response(status)
                self.end_headers()
                told = {"id": "7", "offset": len(arrived), "file": None, "detail": "enough"}
                self.wfile.write(json.dumps(told).encode())

        with (
            HTTPServer(("127.0.0.1", 0), Rough) as house,
            mock.patch.object(remote, "_PAUSES_S", (0, 0)),
            mock.patch.object(remote, "_PIECE", len(data) // 2 + 1),
        ):
            threading.Thread(target=house.serve_forever, daemon=True).start()
            address = f"http://127.0.0.1:{house.server_port}"
            status, said = self.remote(str(self.path), "--spec", "small", at=address)
            house.shutdown()
        self.assertEqual(status, WRONG_USE)
        half = (len(data) // 2 + 1) // 2
        self.assertEqual(asked[:5], [0, "GET", 0, "GET", half])
        self.assertTrue(data.startswith(bytes(arrived)))
        self.assertGreater(len(arrived), half)
        self.assertIn("enough", said)

    def test_a_file_of_several_pieces_arrives_as_it_is(self) -> None:
        spec_version(_PASSES)
        with mock.patch.object(remote, "_PIECE", 1000):
            status, said = self.remote(str(self.path), "--spec", "codec")
        self.assertEqual(status, NO_FAIL, said)
        self.assertEqual(Path(MediaFile.objects.get().url).read_bytes(), self.path.read_bytes())

    def test_what_cannot_be_done_is_said_with_another_status(self) -> None:
        spec_version()
        broken = self.folder / "broken.mp4"
        broken.write_bytes(b"\x00\x00\x00\x18ftypmp42" + b"x" * 500)
        nobody = make_token(self.people[VIEWER], "Guest", ["read", "take-in"], 1)[1]
        for words, more, status, says in (
            ([str(self.folder / "gone.mp4"), "--spec", "small"], {}, UNREADABLE, "there is no file"),
            ([str(self.path), "--spec", "small"], {"token": ""}, WRONG_USE, "no token in BRISK_TOKEN"),
            ([str(self.path), "--spec", "small"], {"token": "brisk-guess"}, WRONG_USE, "No token that counts"),
            ([str(self.path), "--spec", "small"], {"token": nobody}, WRONG_USE, "viewer may not do this."),
            ([str(self.path), "--spec", "none"], {}, WRONG_USE, "There is no spec 'none'."),
            ([str(self.path), "--spec", "small"], {"at": "http://checks.example"}, WRONG_USE, "in the clear"),
            ([str(self.path), "--spec", "small"], {"at": "ftp://x"}, WRONG_USE, "as the address of a house"),
            ([str(self.path), "--spec", "small"], {"at": "http://127.0.0.1:1"}, UNREADABLE, "cannot be reached"),
            ([str(self.path)], {}, WRONG_USE, "--spec --deliverable is required"),
            ([str(broken), "--spec", "small"], {}, UNREADABLE, "broken.mp4: "),
        ):
            found, said = self.remote(*words, **more)
            self.assertEqual(found, status, said)
            self.assertIn(says, said)
        self.assertFalse(Upload.objects.filter(file=None).exists())
