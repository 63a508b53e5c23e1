"""Every door by one contract: goes on at the byte, verifies, names in one step, overwrites nothing, says what is wrong."""

from __future__ import annotations

import os
import re
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any
from unittest import TestCase, mock

import paramiko
from cryptography.hazmat.primitives import serialization
from cryptography.hazmat.primitives.asymmetric import ec, ed25519, rsa

from brisk_core.handoff import digests_of
from brisk_standins import site as sites
from brisk_web.handoff.doors import PART, Door, DoorClosed, DoorRefused, FolderDoor, ObjectsDoor, SftpDoor, SiteDoor
from brisk_web.handoff.doors.sftp import fingerprint, private_key
from brisk_web.handoff.tests.servers import SftpServer, WithStore


class Stopped(Exception):
    """What a person's cancel raises in the middle of sending."""


class DoorContract:
    """What holds for every door; a test of one says how it is opened and what is there."""

    chunk = 4096
    size = 300_000
    reads = True  #: can small files be read?

    def open(self) -> Door:
        raise NotImplementedError

    def there(self) -> dict[str, bytes]:
        """Return what has its right name over there."""
        raise NotImplementedError

    def setUp(self) -> None:
        super().setUp()  # type: ignore[misc]
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)  # type: ignore[attr-defined]
        self.folder = Path(folder.name)
        self.source = self.folder / "FILM_V01.mp4"
        self.source.write_bytes(os.urandom(self.size))
        self.xxh128 = digests_of(self.source, ["xxh128"]).digests["xxh128"]
        self.marks: dict[str, str] = {}

    def deliver(self: Any, door: Door, name: str = "FILM_V01.mp4") -> None:
        door.send(self.source, name + PART, lambda _: None)
        self.assertTrue(door.holds(name + PART, self.source, self.xxh128, lambda _: None))
        door.give_name(name + PART, name)

    def test_a_file_arrives_under_its_name_and_no_other(self: Any) -> None:
        door = self.open()
        self.assertIsNone(door.size_of("FILM_V01.mp4"))
        self.assertIsNone(door.size_of("FILM_V01.mp4" + PART))
        told: list[int] = []
        door.send(self.source, "FILM_V01.mp4" + PART, told.append)
        self.assertEqual((told, told[-1]), (sorted(told), self.size))
        self.assertNotIn("FILM_V01.mp4", self.there())
        door.give_name("FILM_V01.mp4" + PART, "FILM_V01.mp4")
        self.assertEqual(self.there(), {"FILM_V01.mp4": self.source.read_bytes()})
        self.assertEqual(door.size_of("FILM_V01.mp4"), self.size)
        self.assertTrue(door.holds("FILM_V01.mp4", self.source, self.xxh128, lambda _: None))
        self.assertIsNone(door.size_of("FILM_V01.mp4" + PART))
        self.assertEqual(self.marks, {})
        door.close()

    def test_what_is_stopped_goes_on_at_the_byte(self: Any) -> None:
        def stop(done: int) -> None:
            if done > self.size // 2:
                raise Stopped

        door = self.open()
        with self.assertRaises(Stopped):
            door.send(self.source, "a.mp4" + PART, stop)
        door.close()
        door = self.open()
        there = door.size_of("a.mp4" + PART)
        self.assertTrue(self.size // 2 <= there < self.size or there == 0)
        told: list[int] = []
        door.send(self.source, "a.mp4" + PART, told.append)
        self.assertGreaterEqual(told[0], there)
        door.give_name("a.mp4" + PART, "a.mp4")
        self.assertEqual(self.there()["a.mp4"], self.source.read_bytes())
        door.close()

    def test_nothing_is_overwritten(self: Any) -> None:
        door = self.open()
        self.deliver(door)
        before = self.there()
        self.source.write_bytes(os.urandom(self.size))
        door.send(self.source, "FILM_V01.mp4" + PART, lambda _: None)
        with self.assertRaises(DoorRefused):
            door.give_name("FILM_V01.mp4" + PART, "FILM_V01.mp4")
        self.assertEqual(self.there(), before)
        self.assertFalse(door.holds("FILM_V01.mp4", self.source, "0" * 32, lambda _: None))
        door.close()

    def test_what_lies_there_longer_than_the_file_is_begun_anew(self: Any) -> None:
        door = self.open()
        door.send(self.source, "b.mp4" + PART, lambda _: None)
        self.source.write_bytes(os.urandom(self.size // 3))
        self.xxh128 = digests_of(self.source, ["xxh128"]).digests["xxh128"]
        self.deliver(door, "b.mp4")
        self.assertEqual(self.there()["b.mp4"], self.source.read_bytes())
        door.close()

    def test_an_unfinished_one_is_removed(self: Any) -> None:
        door = self.open()
        door.send(self.source, "c.mp4" + PART, lambda _: None)
        door.remove("c.mp4" + PART)
        self.assertIsNone(door.size_of("c.mp4" + PART))
        door.remove("c.mp4" + PART)
        door.close()

    def test_small_files_are_read_and_long_ones_refused(self: Any) -> None:
        if not self.reads:
            return
        door = self.open()
        self.source.write_bytes(b"receipt")
        self.xxh128 = digests_of(self.source, ["xxh128"]).digests["xxh128"]
        self.deliver(door, "r.json")
        self.assertEqual(door.read("r.json", 100), b"receipt")
        self.assertIsNone(door.read("none.json", 100))
        with self.assertRaises(DoorRefused):
            door.read("r.json", 3)
        door.close()

    def says(self: Any, act: Callable[[], Any], kind: type[Exception], words: str) -> None:
        with self.assertRaisesRegex(kind, words):
            act()


class FolderDoorTest(DoorContract, TestCase):
    def open(self) -> Door:
        (self.folder / "out").mkdir(exist_ok=True)
        return FolderDoor(str(self.folder / "out"))

    def there(self) -> dict[str, bytes]:
        found = (self.folder / "out").iterdir()
        return {path.name: path.read_bytes() for path in found if path.suffix != PART}


class SftpDoorTest(DoorContract, TestCase):
    def setUp(self) -> None:
        super().setUp()
        (self.folder / "out").mkdir()
        self.server = SftpServer(self.folder / "out")
        self.addCleanup(self.server.stop)
        self.key = fingerprint(self.server.key)
        patch = mock.patch("brisk_web.handoff.doors.sftp.CHUNK", self.chunk)
        patch.start()
        self.addCleanup(patch.stop)

    def open(self, user: str = "merrow", key: str | None = None, shown: str = "lock") -> Door:
        return SftpDoor(f"sftp://127.0.0.1:{self.server.port}/", user, shown, self.key if key is None else key)

    def there(self) -> dict[str, bytes]:
        found = (self.folder / "out").rglob("*")
        base = self.folder / "out"
        return {
            path.relative_to(base).as_posix(): path.read_bytes()
            for path in found
            if path.is_file() and path.suffix != PART
        }

    def test_folders_of_a_package_are_made(self) -> None:
        door = self.open()
        self.deliver(door, "FILM/ascmhl/chain.xml")
        self.assertEqual(list(self.there()), ["FILM/ascmhl/chain.xml"])
        door.close()

    def test_the_server_is_known_by_its_key(self) -> None:
        self.says(lambda: self.open(key=""), DoorRefused, f"shows the key {re.escape(self.key)}")
        self.server.key = paramiko.ECDSAKey.generate()
        self.says(self.open, DoorRefused, "another key than the one kept.*Nothing was sent, not even the password")
        self.key = fingerprint(self.server.key)
        self.open().close()

    def test_a_key_of_one_s_own_in_place_of_a_password(self) -> None:
        for kind, form in (
            (ed25519.Ed25519PrivateKey.generate(), serialization.PrivateFormat.OpenSSH),
            (ec.generate_private_key(ec.SECP256R1()), serialization.PrivateFormat.TraditionalOpenSSL),
            (rsa.generate_private_key(65537, 2048), serialization.PrivateFormat.OpenSSH),
        ):
            text = kind.private_bytes(serialization.Encoding.PEM, form, serialization.NoEncryption()).decode()
            with self.subTest(type(kind).__name__):
                pasted = text.replace("\n", "\r\n")  # as a form sends it
                self.says(lambda pasted=pasted: self.open(shown=pasted), DoorRefused, "refuses the login")
                self.server.let_in.append(private_key(text))
                door = self.open(shown=pasted)
                self.deliver(door, f"{type(kind).__name__}.mp4")
                door.close()
        locked = kind.private_bytes(
            serialization.Encoding.PEM, form, serialization.BestAvailableEncryption(b"lamplight")
        )
        self.says(lambda: self.open(shown=locked.decode()), DoorRefused, "protected by a passphrase")
        broken = "\n".join([*text.splitlines()[:2], text.splitlines()[-1]])
        self.says(lambda: self.open(shown=broken), DoorRefused, "No private key can be read")

    def test_what_is_wrong_is_told(self) -> None:
        self.says(lambda: self.open(user="nobody"), DoorRefused, "refuses the login")
        self.says(lambda: SftpDoor("sftp://127.0.0.1:1/", "a", "b", ""), DoorClosed, "Nobody answers")
        self.server.full = True
        door = self.open()
        self.says(lambda: door.send(self.source, "x.part", lambda _: None), DoorClosed, "The server refuses")
        door.close()

    def test_a_connection_that_breaks_is_gone_on_from_where_it_broke(self) -> None:
        for share in (0.01, 0.5, 0.99):
            with self.subTest(share):
                self.server.drop_after = max(int(self.size * share), 40_000)
                name, sizes = f"d{share}.mp4", []
                for _ in range(12):
                    try:
                        door = self.open()
                        self.addCleanup(door.close)
                        door.send(self.source, name + PART, lambda _: None)
                        break
                    except DoorClosed:
                        part = self.folder / "out" / (name + PART)
                        sizes.append(part.stat().st_size if part.exists() else 0)
                self.assertEqual(sizes, sorted(sizes))
                self.assertEqual((self.folder / "out" / (name + PART)).read_bytes(), self.source.read_bytes())

    def test_what_arrives_changed_is_noticed(self) -> None:
        self.server.corrupts = True
        door = self.open()
        door.send(self.source, "x.mp4" + PART, lambda _: None)
        self.assertFalse(door.holds("x.mp4" + PART, self.source, self.xxh128, lambda _: None))
        door.close()


class SiteDoorTest(DoorContract, TestCase):
    reads = False

    def setUp(self) -> None:
        super().setUp()
        self.site = sites.Site(home=self.folder / "site", token="pebble")
        self.server = sites.serve(self.site)
        self.addCleanup(self.server.server_close)
        self.addCleanup(self.server.shutdown)
        patch = mock.patch("brisk_web.handoff.doors.site.CHUNK", 16_384)
        patch.start()
        self.addCleanup(patch.stop)

    def open(self, token: str = "pebble") -> SiteDoor:  # noqa: S107
        door = SiteDoor(f"http://127.0.0.1:{self.server.server_address[1]}/api", token, self.marks)
        self.addCleanup(door.close)
        return door

    def there(self) -> dict[str, bytes]:
        return {path.parent.name: path.read_bytes() for path in self.site.home.glob("items/*/original")}

    def test_what_is_wrong_is_told(self) -> None:
        self.says(lambda: self.open("wrong").free(), DoorRefused, "refuses the token")
        self.says(lambda: SiteDoor("http://127.0.0.1:1/api", "x", {}).free(), DoorClosed, "Nobody answers")
        door = self.open()
        self.site.switches.set(["full"])
        self.assertEqual(door.free(), 0)
        self.says(lambda: door.send(self.source, "a.mp4.part", lambda _: None), DoorClosed, "no room")
        self.site.switches.set([])
        door.send(self.source, "notes.txt.part", lambda _: None)
        self.says(lambda: door.give_name("notes.txt.part", "notes.txt"), DoorRefused, "ends as a media file does")
        with mock.patch("brisk_standins.site._LARGEST", 1000):
            self.says(lambda: door.send(self.source, "b.mp4.part", lambda _: None), DoorRefused, "too large")

    def test_what_arrives_changed_is_noticed(self) -> None:
        door = self.open()
        self.site.switches.set(["corrupts"])
        self.says(lambda: self.deliver(door), DoorRefused, "is not what was sent: its SHA-256 is another")
        self.assertFalse(door.holds("FILM_V01.mp4", self.source, self.xxh128, lambda _: None))
        self.site.switches.set([])
        with mock.patch("brisk_web.handoff.doors.site.hashlib") as wrong:
            wrong.sha256.return_value.digest.return_value = b"\0" * 32
            self.says(lambda: door.send(self.source, "a.mp4.part", lambda _: None), DoorClosed, "arrived changed")
        self.assertEqual(door.size_of("a.mp4.part"), 0)

    def test_a_connection_that_breaks_and_an_upload_that_was_forgotten(self) -> None:
        self.site.switches.set(["drops"])
        sizes: list[int] = []
        with mock.patch("brisk_standins.site._DROP_AFTER", 100_000):
            for _ in range(8):
                door = self.open()
                try:
                    door.send(self.source, "a.mp4.part", lambda _: None)
                    break
                except DoorClosed as closed:
                    self.assertIn("connection broke off", str(closed))
                    self.site.switches.set([])
                    sizes.append(door.size_of("a.mp4.part") or 0)
                    self.site.switches.set(["drops"])
        self.assertEqual((sizes, len(sizes) > 1), (sorted(set(sizes)), True))
        self.site.switches.set([])
        door = self.open()
        door.remove("a.mp4.part")
        with self.assertRaises(Stopped):
            door.send(self.source, "a.mp4.part", mock.Mock(side_effect=Stopped))
        self.site.switches.set(["forgets"])
        self.assertIsNone(door.size_of("a.mp4.part"))
        self.site.switches.set([])
        self.deliver(door, "a.mp4")

    def test_answers_of_any_shape_are_told_and_break_nothing(self) -> None:
        door = self.open()
        for told in (b"", b"[]", b"null", b"{", b"\xff", b"[" * 100_000, b'{"bytes": -1}', b'{"bytes": "many"}'):
            with self.subTest(told[:10]), mock.patch.object(sites.SiteHandler, "_tell", _saying(told)):
                self.says(lambda: door.size_of("a.mp4"), DoorClosed, "site")
        elsewhere = {"Location": "http://127.0.0.1:1/elsewhere"}
        with mock.patch.object(sites.SiteHandler, "_open_upload", lambda one: one.answer(201, headers=elsewhere)):
            self.says(lambda: door.send(self.source, "z.mp4.part", lambda _: None), DoorRefused, "another address")

    def test_a_copy_is_fetched_in_pieces_and_only_from_the_site(self) -> None:
        self.deliver(self.open())
        item = self.site.home / "items" / "FILM_V01.mp4"
        (item / "180p.mp4").write_bytes(self.source.read_bytes())
        told = self.site.item("FILM_V01.mp4")
        assert told
        ready = {"label": "180p", "state": "ready", "height": 180, "bit_rate": 1}
        self.site._write(item, {key: value for key, value in told.items() if key != "lines"} | {"copies": [ready]})
        door, to = self.open(), self.folder / "copy.part"
        with self.assertRaises(Stopped):
            door.fetch("/copies/FILM_V01.mp4/180p.mp4", to, self.size, mock.Mock(side_effect=Stopped))
        self.assertTrue(0 < to.stat().st_size < self.size)
        door.fetch("/copies/FILM_V01.mp4/180p.mp4", to, self.size, lambda _: None)
        self.assertEqual(to.read_bytes(), self.source.read_bytes())
        for address, says in (
            ("http://127.0.0.1:1/copies/a.mp4", "another address"),
            ("//elsewhere.example/a.mp4", "another address"),
            ("file:///etc/passwd", "another address"),
        ):
            self.says(lambda a=address: door.fetch(a, self.folder / "x", 9, lambda _: None), DoorRefused, says)  # type: ignore[misc]
        self.says(lambda: door.fetch("/copies/none", self.folder / "x", 9, lambda _: None), DoorClosed, "does not play")


def _saying(content: bytes) -> Callable[[sites.SiteHandler], None]:
    return lambda handler: handler.answer(200, content, "application/json")


class ObjectsDoorTest(WithStore, DoorContract, TestCase):
    size = 11 << 20  # two parts: none but the last is shorter than 5 MiB

    def open(self, bucket: str = "") -> Door:
        return ObjectsDoor(f"s3://{bucket or self.store.bucket}/in/", "merrow", "lock", self.store.endpoint, self.marks)

    def there(self) -> dict[str, bytes]:
        return self.store.there()

    def test_what_is_wrong_is_told(self) -> None:
        self.says(lambda: self.open("no-such-bucket"), DoorClosed, "no such bucket")
        self.says(lambda: ObjectsDoor("s3://a/", "k", "s", "http://127.0.0.1:1", {}), DoorClosed, "Nobody answers")

    def test_parts_of_another_file_are_not_gone_on_from(self) -> None:
        door = self.open()
        with self.assertRaises(Stopped):
            door.send(self.source, "a.mp4" + PART, mock.Mock(side_effect=Stopped))
        self.source.write_bytes(os.urandom(self.size))
        self.xxh128 = digests_of(self.source, ["xxh128"]).digests["xxh128"]
        self.deliver(door, "a.mp4")
        self.assertEqual(self.there()["a.mp4"], self.source.read_bytes())

    def test_an_upload_that_was_ended_over_there_is_begun_anew(self) -> None:
        door = self.open()
        with self.assertRaises(Stopped):
            door.send(self.source, "a.mp4" + PART, mock.Mock(side_effect=Stopped))
        upload = self.marks["a.mp4" + PART]
        self.store.client.abort_multipart_upload(Bucket=self.store.bucket, Key="in/a.mp4", UploadId=upload)
        self.assertIsNone(door.size_of("a.mp4" + PART))
        self.deliver(door, "a.mp4")
