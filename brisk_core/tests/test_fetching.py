import json
import os
import random
import tempfile
from pathlib import Path
from typing import Any
from unittest import TestCase, mock

import fsspec

from brisk_core import sandbox
from brisk_core.errors import ReadingStopped, UnreadableFile
from brisk_core.reading import Source
from brisk_core.reading.source import lend
from brisk_core.sandbox import requests
from brisk_core.sandbox.fetching import MOST, Ranges
from brisk_core.small_media import Small, make_small


class ElsewhereTest(TestCase):
    """A file in a store that this process alone can reach; its children have no network and another memory."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.store = fsspec.filesystem("memory")
        self.store.makedirs("/brisk", exist_ok=True)
        self.addCleanup(self.store.rm, "/brisk", recursive=True)
        self.fetched: list[tuple[int, int]] = []
        plain = type(self.store).cat_file

        def cat_file(store: Any, path: str, start: int, end: int) -> bytes:
            self.fetched.append((start, end))
            return bytes(plain(store, path, start=start, end=end))

        counting = mock.patch.object(type(self.store), "cat_file", cat_file)
        counting.start()
        self.addCleanup(counting.stop)

    def kept(self, name: str, **recipe: Any) -> tuple[Path, str]:
        """A file on this machine, and its address in the store."""
        path = make_small(self.folder / name, Small(**recipe))
        self.store.pipe(f"/brisk/{name}", path.read_bytes())
        return path, f"memory://brisk/{name}"

    def inspected(self, url: str, name: str, **more: Any) -> dict[str, Any]:
        return sandbox.run(requests.Inspect(url=url, name=name, depth="full", take_digest=True, **more))

    def test_it_is_read_as_if_it_lay_here(self) -> None:
        for name, recipe in (("a.mp4", {"sound": "aac"}), ("a.mkv", {}), ("a.ts", {})):
            path, url = self.kept(name, **recipe)
            here, there = (
                self.inspected(str(path), name, scan_path=str(self.folder / "here.npz")),
                self.inspected(url, name, scan_path=str(self.folder / "there.npz")),
            )
            self.assertEqual(here["characteristics"], there["characteristics"], name)
            self.assertTrue((self.folder / "there.npz").exists())

    def test_headers_fetch_little_of_a_large_file(self) -> None:
        path, _ = self.kept("a.mkv", frames=50)
        self.store.pipe("/brisk/large.mkv", path.read_bytes() + b"\xec\x88" + b"\x00" * (24 << 20))
        self.fetched.clear()
        sandbox.run(requests.Inspect(url="memory://brisk/large.mkv", name="large.mkv", depth="headers"))
        self.assertLess(sum(end - start for start, end in self.fetched), 1 << 20)

    def test_one_that_is_not_there_is_told(self) -> None:
        with self.assertRaisesRegex(UnreadableFile, "cannot open none.mp4 where it lies"):
            self.inspected("memory://brisk/none.mp4", "none.mp4")
        with self.assertRaisesRegex(UnreadableFile, "cannot open a.mp4"):
            self.inspected("nowhere://brisk/a.mp4", "a.mp4")

    def test_a_store_that_stops_answering_is_told_and_nothing_is_measured(self) -> None:
        _, url = self.kept("a.mp4", frames=40)
        calls = iter(range(100))

        def failing(*_: Any, **__: Any) -> bytes:
            raise ConnectionError(f"broken off {next(calls)}")

        with mock.patch.object(type(self.store), "cat_file", failing), self.assertRaises(UnreadableFile):
            self.inspected(url, "a.mp4")

    def test_no_address_is_fetched_that_was_not_asked_about(self) -> None:
        _, url = self.kept("a.mp4")
        document = {"facts": {"url": "memory://brisk/secret"}, "url": "memory://brisk/secret"}
        request = requests.FirstLook(url=url, document=document, small_folder="memory://brisk/x")
        self.assertEqual(list(request.fetches()), [url])
        self.assertEqual(list(requests.Digest(url="/a/b://c").fetches()), [])

    def test_ranges_that_a_hostile_child_asks_for(self) -> None:
        path, url = self.kept("a.mp4")
        ranges = Ranges([url])
        self.assertEqual(ranges.read([0, 4, 8]), path.read_bytes()[4:12])
        self.assertEqual(ranges.read([0, 1 << 60, 8]), b"")
        wrong: tuple[object, ...] = (
            None, "x", [0, 0], [1, 0, 1], [-1, 0, 1], [0, -1, 1], [0, 0, 0], [0, 0, MOST + 1], [0, 0.0, 1], [True, 0, 1],
            [0, "0", 1], {"0": 1}, [0, 0, 1, 1],
        )  # fmt: skip
        for asked in wrong:
            with self.assertRaises(ValueError, msg=repr(asked)):
                ranges.read(asked)

    def test_a_hostile_child_is_stopped(self) -> None:
        _, url = self.kept("a.mp4")
        self.store.pipe("/brisk/a.mp4", os.urandom(1 << 20))
        for asked, says in (([7, 0, 1], "asked for what it may not have"), ([0, 0, 1 << 20], "longer than it may")):
            # The second asks for more than a pipe holds, and takes nothing of it.
            line = json.dumps({"fetch": asked})
            program = f"import time\nprint({line!r}, flush=True)\ntime.sleep(20)\n"
            with self.started(program), self.assertRaisesRegex(ReadingStopped, says):
                sandbox.run(requests.Digest(url=url), limits=sandbox.Limits(wall_s=2))

    def started(self, program: str) -> Any:
        """Return a patch by which a program of ours is the child."""
        from brisk_core.tests.test_sandbox import Program

        return mock.patch.object(sandbox._server, "child", return_value=Program(program))


class LentTest(TestCase):
    def test_any_way_of_reading_gives_the_bytes_of_the_file(self) -> None:
        data = os.urandom(700_001)
        sizes: list[int] = []

        def fetch(first: int, count: int) -> bytes:
            sizes.append(count)
            return data[first : first + count]

        lend("memory://lent", len(data), fetch)
        source = Source.at("memory://lent", "a.bin")
        self.assertEqual((source.size, source.name, source.local_path), (len(data), "a.bin", None))
        with source.open() as file:
            self.assertEqual(file.read(), data)
            self.assertEqual(sizes, [1 << 16, 1 << 17, 1 << 18, 700_001 - 7 * (1 << 16)])  # larger and larger pieces
            choose = random.Random(1)
            for _ in range(300):
                at, count = choose.randrange(len(data) + 9), choose.choice((0, 1, 7, 4096, 70_000, 300_000))
                file.seek(at)
                self.assertEqual(file.read(count), data[at : at + count])
            file.seek(-5, os.SEEK_END)
            self.assertEqual((file.read(), file.read(), file.tell()), (data[-5:], b"", len(data)))
            with self.assertRaises(ValueError):
                file.seek(-1)

    def test_pictures_and_sound_that_lie_apart_are_read_in_turns(self) -> None:
        data = os.urandom(3_000_000)
        fetched: list[tuple[int, int]] = []

        def fetch(first: int, count: int) -> bytes:
            fetched.append((first, count))
            return data[first : first + count]

        lend("memory://apart", len(data), fetch)
        pictures, sound = bytearray(), bytearray()
        with Source.at("memory://apart", "a.mp4").open() as file:
            for number in range(400):
                file.seek(6_000 * number)
                pictures += file.read(6_000)
                file.seek(2_400_000 + 1_500 * number)
                sound += file.read(1_500)
        self.assertEqual((bytes(pictures), bytes(sound)), (data[:2_400_000], data[2_400_000:]))
        self.assertLess(len(fetched), 20)
        self.assertLess(sum(count for _, count in fetched), 1.5 * len(data))
