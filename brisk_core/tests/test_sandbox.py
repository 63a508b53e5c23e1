import os
import signal
import tempfile
import time
from contextlib import AbstractContextManager
from pathlib import Path
from unittest import TestCase, mock

from brisk_core import sandbox
from brisk_core.errors import EditRefused, ReadingStopped, UnreadableFile
from brisk_core.facts import inspection_from_json
from brisk_core.small_media import Small, make_small


class SandboxTest(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def request(self, path: Path, **more: object) -> dict[str, object]:
        return {"url": str(path), "name": path.name, "depth": "full"} | more

    def test_an_inspection_comes_back_whole(self) -> None:
        path = make_small(self.folder / "a.mp4", Small())
        series = self.folder / "a.npz"
        document = sandbox.run("inspect", self.request(path, take_digest=True, series_path=str(series)))
        self.assertEqual(inspection_from_json(document).best("picture.frame_count"), 50)
        self.assertEqual(len(document["characteristics"]["file.checksum"]["observed"]["xxh3_128"]), 32)
        self.assertTrue(series.exists())

    def test_the_sentence_of_a_refusal_comes_back(self) -> None:
        (self.folder / "a.mp4").write_text("hello")
        with self.assertRaisesRegex(UnreadableFile, "it starts with 'hello'"):
            sandbox.run("inspect", self.request(self.folder / "a.mp4"))
        (self.folder / "a.edl").write_text("TITLE: X\n")
        with self.assertRaisesRegex(EditRefused, "the EDL has no events"):
            sandbox.run("edit", {"path": str(self.folder / "a.edl"), "name": "a.edl", "hints": {"rate": "25"}})

    def test_progress_is_reported(self) -> None:
        path = self.folder / "big"
        path.write_bytes(os.urandom(24 << 20))
        seen: list[tuple[int, int]] = []
        sandbox.run("digest", {"url": str(path)}, progress=lambda done, total: seen.append((done, total)))
        self.assertTrue(seen)
        self.assertEqual(seen[0][1], 24 << 20)

    def child_that(self, program: str) -> AbstractContextManager[object]:
        """Let the child be another program, to see what the parent makes of its end."""
        (self.folder / "child").write_text(f"#!/bin/sh\nexec python3 -c '{program}'\n")
        (self.folder / "child").chmod(0o755)
        return mock.patch("brisk_core.sandbox.sys.executable", str(self.folder / "child"))

    def test_a_crash_is_one_sentence(self) -> None:
        with (
            self.child_that("import os, signal; os.kill(os.getpid(), signal.SIGSEGV)"),
            self.assertRaisesRegex(ReadingStopped, r"the reading process crashed \(SIGSEGV\)"),
        ):
            sandbox.run("digest", {"url": "x"})

    def test_an_end_without_an_answer(self) -> None:
        with (
            self.child_that("raise SystemExit(3)"),
            self.assertRaisesRegex(ReadingStopped, r"ended without an answer \(exit 3\)"),
        ):
            sandbox.run("digest", {"url": "x"})

    def test_a_child_that_takes_too_long_is_stopped(self) -> None:
        with (
            self.child_that("import time; time.sleep(60)"),
            self.assertRaisesRegex(ReadingStopped, "reading took longer than 1 s and was stopped"),
        ):
            sandbox.run("digest", {"url": "x"}, limits=sandbox.Limits(wall_s=1))

    def test_a_cancel_stops_within_a_second(self) -> None:
        began = time.monotonic()
        with self.child_that("import time; time.sleep(60)"), self.assertRaises(sandbox.Cancelled):
            sandbox.run("digest", {"url": "x"}, should_stop=lambda: True)
        self.assertLess(time.monotonic() - began, 5)

    def test_a_child_that_needs_too_much_memory_is_stopped(self) -> None:
        path = make_small(self.folder / "a.mp4", Small())
        with self.assertRaisesRegex(ReadingStopped, "memory|without an answer"):
            sandbox.run("inspect", self.request(path), limits=sandbox.Limits(memory=100 << 20))

    def test_a_child_that_needs_too_much_processor_time_is_stopped(self) -> None:
        path = self.folder / "sparse"
        with path.open("wb") as file:
            file.truncate(200 << 30)
        with self.assertRaisesRegex(ReadingStopped, "processor time"):
            sandbox.run("digest", {"url": str(path)}, limits=sandbox.Limits(processor_s=1))

    def test_no_child_outlives_its_parent(self) -> None:
        program = (
            "from brisk_core import sandbox; "
            "going = lambda done, total: print('going', flush=True); "
            f"sandbox.run('digest', {{'url': {str(self.folder / 'sparse')!r}}}, progress=going)"
        )
        with (self.folder / "sparse").open("wb") as file:
            file.truncate(200 << 30)
        import subprocess
        import sys

        with subprocess.Popen([sys.executable, "-c", program], stdout=subprocess.PIPE) as parent:
            assert parent.stdout
            self.assertEqual(parent.stdout.readline(), b"going\n")
            children = Path(f"/proc/{parent.pid}/task/{parent.pid}/children").read_text().split()
            parent.send_signal(signal.SIGKILL)
        self.assertTrue(children)
        deadline = time.monotonic() + 5
        while any(
            Path(f"/proc/{child}").exists() and "Z" not in Path(f"/proc/{child}/stat").read_text().split()[2]
            for child in children
        ):
            self.assertLess(time.monotonic(), deadline, "the child still runs")
            time.sleep(0.05)
