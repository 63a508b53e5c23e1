import os
import selectors
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import time
from contextlib import AbstractContextManager
from pathlib import Path
from typing import Any
from unittest import TestCase, mock

from brisk_core import sandbox
from brisk_core.errors import EditRefused, ReadingStopped, UnreadableFile
from brisk_core.facts import inspection_from_json
from brisk_core.sandbox import requests, server, walls
from brisk_core.small_media import Small, make_small

#: What of the walls this machine has; a kernel before 5.13 has no Landlock.
_LANDLOCK = {"reading", "writing"} if walls._landlock_version() else set[str]()


def children_of(pid: int) -> list[str]:
    return Path(f"/proc/{pid}/task/{pid}/children").read_text().split()


class Program:
    """A program in the place of a child."""

    def __init__(self, program: str) -> None:
        pipe = subprocess.PIPE
        self._process = subprocess.Popen(
            [sys.executable, "-c", program], stdin=pipe, stdout=pipe, stderr=pipe, bufsize=0
        )
        self.stdin, self.stdout, self.stderr = self._process.stdin, self._process.stdout, self._process.stderr

    def wait(self) -> int:
        return self._process.wait()

    def close(self) -> None:
        self._process.kill()
        self._process.wait()
        for pipe in (self.stdin, self.stdout, self.stderr):
            assert pipe
            pipe.close()


class SandboxTest(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def request(self, path: Path, **more: Any) -> requests.Inspect:
        return requests.Inspect(url=str(path), name=path.name, depth="full", **more)

    def test_an_inspection_comes_back_whole(self) -> None:
        path = make_small(self.folder / "a.mp4", Small())
        series = self.folder / "a.npz"
        document = sandbox.run(self.request(path, take_digest=True, series_path=str(series)))
        self.assertEqual(inspection_from_json(document).best("picture.frame_count"), 50)
        self.assertEqual(len(document["characteristics"]["file.checksum"]["observed"]["xxh3_128"]), 32)
        self.assertTrue(series.exists())

    def test_a_child_that_measures_pictures_finds_all_of_it_loaded(self) -> None:
        """Inside its walls it could not keep what it compiles, and every child would compile anew."""
        path = make_small(self.folder / "a.mp4", Small(frames=3))
        fields = {"url": str(path), "name": "a.mp4"}
        for depth, ready in (("headers", False), ("packets", False), ("full", True)):
            loaded: list[str] = []
            ours, its = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
            with ours, its, selectors.DefaultSelector() as selector:
                asked = sandbox._Server()
                asked._wishes = ours
                request = requests.Inspect(depth=depth, **fields)
                with (
                    mock.patch("os.fork", return_value=os.getpid()),
                    mock.patch.object(server, "_load", side_effect=lambda name, last, to=loaded: to.append(name)),
                ):
                    child = asked.child(measures=request.measures_pictures())
                    children: dict[int, Any] = {}
                    self.assertTrue(server._take_wish(its, selector, children, list(server.PRELOADED)))
                self.assertEqual(loaded, list(server.PRELOADED) if ready else [], depth)
                for pidfd, one in children.items():
                    os.close(pidfd)
                    one.control.close()
                child._code = 0
                child.close()
        measuring = {verb for verb, kind in requests.Request.kinds.items() if kind.measures}
        self.assertEqual(measuring, {"first_look", "conclude", "burned", "against"})

    def test_the_sentence_of_a_refusal_comes_back(self) -> None:
        (self.folder / "a.mp4").write_text("hello")
        with self.assertRaisesRegex(UnreadableFile, "it is plain text"):
            sandbox.run(self.request(self.folder / "a.mp4"))
        (self.folder / "a.edl").write_text("TITLE: X\n")
        with self.assertRaisesRegex(EditRefused, "the EDL has no events"):
            sandbox.run(requests.Edit(path=str(self.folder / "a.edl"), name="a.edl", hints={"rate": "25"}))

    def test_progress_is_reported(self) -> None:
        path = self.folder / "big"
        path.write_bytes(os.urandom(24 << 20))
        seen: list[tuple[int, int]] = []
        sandbox.run(requests.Digest(url=str(path)), progress=lambda done, total: seen.append((done, total)))
        self.assertTrue(seen)
        self.assertEqual(seen[0][1], 24 << 20)

    def child_that(self, program: str) -> AbstractContextManager[object]:
        """Let the child be another program, to see what the parent makes of its end."""
        return mock.patch.object(sandbox._server, "child", return_value=Program(program))

    def test_a_crash_is_one_sentence(self) -> None:
        with (
            self.child_that("import os, signal; os.kill(os.getpid(), signal.SIGSEGV)"),
            self.assertRaisesRegex(ReadingStopped, r"the reading process crashed \(SIGSEGV\)"),
        ):
            sandbox.run(requests.Digest(url="x"))

    def test_an_end_from_outside_says_nothing_of_the_file(self) -> None:
        for name in ("SIGTERM", "SIGKILL", "SIGINT"):
            program = f"import os, signal; signal.signal(2, signal.SIG_DFL); os.kill(os.getpid(), signal.{name})"
            with self.subTest(name), self.child_that(program), self.assertRaises(sandbox.Interrupted) as met:
                sandbox.run(requests.Digest(url="x"))
            self.assertIn(f"from outside ({name})", str(met.exception))

    def test_an_end_without_an_answer(self) -> None:
        with (
            self.child_that("raise SystemExit(3)"),
            self.assertRaisesRegex(ReadingStopped, r"ended without an answer \(exit 3\)"),
        ):
            sandbox.run(requests.Digest(url="x"))

    def test_an_end_for_want_of_room_says_nothing_of_the_file(self) -> None:
        for name, expected in (("ENOSPC", sandbox.NoRoom), ("EDQUOT", sandbox.NoRoom), ("EIO", ReadingStopped)):
            program = f"import errno, os; raise OSError(errno.{name}, os.strerror(errno.{name}))"
            with self.subTest(name), self.child_that(program), self.assertRaises(ReadingStopped) as met:
                sandbox.run(requests.Digest(url="x"))
            self.assertIs(type(met.exception), expected)

    def test_a_child_that_takes_too_long_is_stopped(self) -> None:
        with (
            self.child_that("import time; time.sleep(60)"),
            self.assertRaisesRegex(ReadingStopped, "reading took longer than 1 s and was stopped"),
        ):
            sandbox.run(requests.Digest(url="x"), limits=sandbox.Limits(wall_s=1))

    def test_a_cancel_stops_within_a_second(self) -> None:
        began = time.monotonic()
        with self.child_that("import time; time.sleep(60)"), self.assertRaises(sandbox.Cancelled):
            sandbox.run(requests.Digest(url="x"), should_stop=lambda: True)
        self.assertLess(time.monotonic() - began, 5)

    def used_when_warm(self) -> int:
        """Return the address space of a child, once the server has loaded all it loads."""
        used = [0, sandbox.run(requests.Walls())["used"]]
        while used[-1] != used[-2]:
            time.sleep(1)
            used.append(sandbox.run(requests.Walls())["used"])
        return used[-1]

    def test_a_child_that_needs_too_much_memory_is_stopped(self) -> None:
        (self.folder / "a.srt").write_bytes(b"x" * (30 << 20))
        limits = sandbox.Limits(memory=self.used_when_warm() + (20 << 20))
        with self.assertRaisesRegex(ReadingStopped, "needed more than [0-9]+ MB of memory and was stopped"):
            sandbox.run(requests.Captions(url=str(self.folder / "a.srt"), name="a.srt"), limits=limits)

    def test_a_child_that_needs_too_much_processor_time_is_stopped(self) -> None:
        path = self.folder / "sparse"
        with path.open("wb") as file:
            file.truncate(200 << 30)
        with self.assertRaisesRegex(ReadingStopped, "processor time"):
            sandbox.run(requests.Digest(url=str(path)), limits=sandbox.Limits(processor_s=1))

    def test_no_child_outlives_its_parent(self) -> None:
        program = (
            "from brisk_core import sandbox; from brisk_core.sandbox import requests; "
            "going = lambda done, total: print('going', flush=True); "
            f"sandbox.run(requests.Digest(url={str(self.folder / 'sparse')!r}), progress=going)"
        )
        with (self.folder / "sparse").open("wb") as file:
            file.truncate(200 << 30)
        with subprocess.Popen([sys.executable, "-c", program], stdout=subprocess.PIPE) as parent:
            assert parent.stdout
            self.assertEqual(parent.stdout.readline(), b"going\n")
            server = children_of(parent.pid)
            children = server + children_of(int(server[0]))
            parent.send_signal(signal.SIGKILL)
        self.assertEqual(len(children), 2)
        deadline = time.monotonic() + 5
        while any(
            Path(f"/proc/{child}").exists() and "Z" not in Path(f"/proc/{child}/stat").read_text().split()[2]
            for child in children
        ):
            self.assertLess(time.monotonic(), deadline, "the child still runs")
            time.sleep(0.05)

    def test_the_walls_stand_around_a_child(self) -> None:
        with socket.create_server(("127.0.0.1", 0)) as listener:
            limits = sandbox.Limits(memory=1 << 30, processor_s=7, open_files=20)
            met = sandbox.run(requests.Walls(reach=listener.getsockname()[1]), limits=limits)
        self.assertEqual(met["limits"], {"memory": 1 << 30, "processor_s": 7, "open_files": 20})
        self.assertEqual(met["open"], [0, 1, 2, 3])  # the last is the listing itself: nothing of others is open
        self.assertNotIn("DATABASE_URL", met["environment"])
        if self.may_leave_the_network():
            self.assertEqual((met["interfaces"], met["reached"]), (["lo"], False))

    def test_a_child_meets_nothing_but_what_it_was_asked_about(self) -> None:
        """What an exploit would try: the house's key, its code, other processes, other programs, the network."""
        secret = self.folder / "secret-key"
        secret.write_text("hush")
        with socket.create_server(("127.0.0.1", 0)) as listener:
            met = sandbox.run(requests.Walls(reach=listener.getsockname()[1], probe=str(secret)))
        by_calls = {"processes", "programs", "namespaces", "signals"}
        holds = {"privileges"} | _LANDLOCK | (by_calls if walls._filters else set[str]())
        self.assertEqual({name for name in holds if not met["refused"][name]}, set())
        self.assertEqual(set(met["refused"]), {*by_calls, "reading", "writing", "network", "privileges"})
        self.assertEqual(sorted(self.folder.iterdir()), [secret])

    def test_a_child_reads_no_file_beside_its_own_and_no_link_that_was_put_in_its_place(self) -> None:
        path, other = make_small(self.folder / "a.mp4", Small()), make_small(self.folder / "b.mp4", Small(frames=9))
        reads = list(self.request(path, series_path=str(other)).reads())
        self.assertEqual(reads, [str(path)])  # what is written is no leave to read it
        if not _LANDLOCK:
            self.skipTest("this kernel has no Landlock")
        swapped = self.folder / "c.mp4"
        swapped.symlink_to(other)
        with self.assertRaisesRegex(UnreadableFile, "cannot open .*b.mp4: Permission denied"):
            sandbox.run(requests.Digest(url=str(swapped)))
        self.assertEqual(len(sandbox.run(requests.Digest(url=str(other)))), 32)

    def test_a_child_writes_into_a_folder_of_its_own_and_its_files_are_put_in_their_places(self) -> None:
        path = make_small(self.folder / "a.mp4", Small())
        series, kept = self.folder / "deep" / "a.npz", self.folder / "deep" / "other.npz"
        kept.parent.mkdir()
        kept.write_text("of another file")
        sandbox.run(self.request(path, series_path=str(series)))
        self.assertEqual(sorted(kept.parent.iterdir()), [series, kept])
        self.assertEqual(kept.read_text(), "of another file")
        with self.assertRaises(UnreadableFile):
            sandbox.run(self.request(self.folder / "nothing.mp4", series_path=str(series)))
        self.assertEqual(sorted(kept.parent.iterdir()), [series, kept])

    def may_leave_the_network(self) -> bool:
        """Does this machine let a process leave the network, as itself or as a user of its own?"""
        return any(
            subprocess.run(["unshare", *flags, "true"], capture_output=True, check=False).returncode == 0
            for flags in (["--net"], ["--user", "--net"])
        )

    def test_many_children_at_once_are_kept_apart(self) -> None:
        paths = []
        for number in range(8):
            paths.append(self.folder / f"{number}")
            paths[-1].write_bytes(bytes([number]) * (number + 1))
        found: dict[int, str] = {}

        def read(number: int) -> None:
            found[number] = sandbox.run(requests.Digest(url=str(paths[number])))

        threads = [threading.Thread(target=read, args=(number,)) for number in range(8)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        again = {number: sandbox.run(requests.Digest(url=str(path))) for number, path in enumerate(paths)}
        self.assertEqual((found, len(set(found.values()))), (again, 8))

    def test_a_server_that_was_killed_is_started_again(self) -> None:
        path = self.folder / "a"
        path.write_bytes(b"hello")
        with mock.patch.object(sandbox, "_server", sandbox._Server()) as server:
            before = sandbox.run(requests.Digest(url=str(path)))
            assert server._process
            server._process.kill()
            server._process.wait()
            self.assertEqual(sandbox.run(requests.Digest(url=str(path))), before)
            assert server._wishes
            server._wishes.close()
            self.assertEqual(server._process.wait(10), 0)  # nobody can ask it any more

    def test_a_reading_whose_server_ends_was_interrupted(self) -> None:
        with (self.folder / "sparse").open("wb") as file:
            file.truncate(200 << 30)
        with mock.patch.object(sandbox, "_server", sandbox._Server()) as server:

            def stop_the_server(done: int, _total: int) -> None:
                assert server._process
                if done and server._process.poll() is None:
                    server._process.terminate()
                    server._process.wait()

            with self.assertRaises(sandbox.Interrupted):
                sandbox.run(requests.Digest(url=str(self.folder / "sparse")), progress=stop_the_server)

    def test_a_child_whose_parent_loses_interest_is_killed(self) -> None:
        with (self.folder / "sparse").open("wb") as file:
            file.truncate(200 << 30)
        with mock.patch.object(sandbox, "_server", sandbox._Server()) as server:
            asked: list[float] = []

            def stop() -> bool:
                asked.append(time.monotonic())
                return len(asked) > 2

            with self.assertRaises(sandbox.Cancelled):
                sandbox.run(requests.Digest(url=str(self.folder / "sparse")), should_stop=stop)
            assert server._process
            self.assertEqual(children_of(server._process.pid), [])
            assert server._wishes
            server._wishes.close()
            server._process.wait(10)
