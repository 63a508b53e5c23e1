"""Reading of untrusted files in a child process that sees nothing else of the machine, with limits on what it uses.

``run`` asks a server (``server``, started once a process, with the core loaded) to fork a child, which enters its
``walls``, takes one of the ``requests`` on standard input, does it (``verbs``) and answers in JSON lines:
``{"progress": [done, all]}`` any number of times, then ``{"result": ...}`` or ``{"error": ...}``.
"""

from __future__ import annotations

import json
import os
import select
import selectors
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass, replace
from pathlib import Path
from typing import IO, Any

from brisk_core.errors import DISK_FULL, CaptionsRefused, CoreError, EditRefused, ReadingStopped, UnreadableFile
from brisk_core.sandbox.fetching import SIZE_BYTES, Ranges
from brisk_core.sandbox.requests import Answer, Request

__all__ = ["Cancelled", "Interrupted", "Limits", "NoRoom", "Progress", "run", "warm"]

_REFUSALS: dict[str, type[CoreError]] = {"EditRefused": EditRefused, "CaptionsRefused": CaptionsRefused}
Progress = Callable[[int, int], None]
APART = ".reading-"  #: how the names of folders begin in which a child writes
_POLL = 0.2  # seconds between two looks at the clock and at the wish to stop
_MOST_STDERR = 4000
#: Nothing that a file does raises these: somebody stops the house, or the machine is out of memory.
_FROM_OUTSIDE = (signal.SIGKILL, signal.SIGTERM, signal.SIGINT, signal.SIGHUP)
_WISH, _WISH_TO_MEASURE, _STATUS_BYTES = b"child", b"meter", 4  # as the server has them, which is not loaded here


@dataclass(frozen=True, slots=True, kw_only=True)
class Limits:
    """What a child process may use."""

    memory: int = 3 << 30  #: bytes of address space; reading needs 0.4 GB, libraries map much that they do not use
    processor_s: int = 3600
    wall_s: int = 3600
    open_files: int = 64
    written: int = 1 << 30  #: bytes of the largest file it may write


class Cancelled(ReadingStopped):
    """The reading was stopped because somebody asked."""


class Interrupted(ReadingStopped):
    """The reading was ended from outside, with the machine or the house; it says nothing of the file."""


class NoRoom(Interrupted):
    """There was no room for what a reading leaves behind; it says nothing of the file."""


class Child:
    """A child of the server, with its standard streams."""

    def __init__(self, control: socket.socket, pipes: tuple[int, int, int]) -> None:
        self._control = control
        self.stdin: IO[bytes] = os.fdopen(pipes[0], "wb", 0)
        self.stdout: IO[bytes] = os.fdopen(pipes[1], "rb", 0)
        self.stderr: IO[bytes] = os.fdopen(pipes[2], "rb", 0)
        self._code: int | None = None

    def wait(self) -> int:
        """Wait for its end; return its exit code, or the negative number of the signal that ended it."""
        if self._code is None:
            status = self._control.recv(_STATUS_BYTES)
            killed = -int(signal.SIGKILL)  # the server is gone, and its children with it
            self._code = os.waitstatus_to_exitcode(int.from_bytes(status, "little")) if status else killed
        return self._code

    def close(self) -> None:
        """Kill it if it still runs, and wait for its end."""
        if self._code is None:
            self._control.shutdown(socket.SHUT_WR)
            self.wait()
        self._control.close()
        for pipe in (self.stdin, self.stdout, self.stderr):
            pipe.close()


class _Server:
    """The server of this process; processes that are forked from it share it."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._wishes: socket.socket | None = None
        self._process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        """Start it unless it runs."""
        with self._lock:
            if self._wishes is None:
                self._start()

    def _start(self) -> None:
        ours, its = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        with its:
            self._process = subprocess.Popen(
                [sys.executable, "-m", "brisk_core.sandbox.server", str(its.fileno())],
                pass_fds=[its.fileno()],
                stdin=subprocess.DEVNULL,
                cwd=Path(__file__).resolve().parent.parent.parent,
                env={
                    "PATH": os.environ.get("PATH", ""),
                    "LANG": "C.UTF-8",
                    "OMP_NUM_THREADS": "1",
                    "OPENBLAS_NUM_THREADS": "1",
                },
            )
        self._wishes = ours

    def child(self, *, measures: bool = False) -> Child:
        """Return a fresh child, with the loops that measure at hand if it does; a server that is gone starts again."""
        wish = _WISH_TO_MEASURE if measures else _WISH
        mine: list[int] = []
        its: list[int] = []
        for index in range(3):
            read, write = os.pipe()
            (its if index == 0 else mine).append(read)
            (mine if index == 0 else its).append(write)
        control, other = socket.socketpair()
        try:
            with self._lock:
                for again in (True, False):
                    if self._wishes is None:
                        self._start()
                    assert self._wishes  # noqa: S101 - it was started
                    try:
                        socket.send_fds(self._wishes, [wish], [*its, other.fileno()])
                        break
                    except OSError:
                        self._wishes.close()
                        self._wishes = None
                        if not again:
                            raise
        finally:
            for descriptor in its:
                os.close(descriptor)
            other.close()
        return Child(control, (mine[0], mine[1], mine[2]))


_server = _Server()


def warm() -> None:
    """Start the server of this process ahead of the first reading; it loads the core while nobody asks."""
    _server.start()


def run(
    request: Request[Answer],
    *,
    limits: Limits | None = None,
    progress: Progress | None = None,
    should_stop: Callable[[], bool] | None = None,
) -> Answer:
    """Do what is asked in a child process and return its answer.

    Raises ``UnreadableFile``, ``EditRefused`` or ``CaptionsRefused`` with the child's sentence, ``ReadingStopped``
    when the child crashed or met a limit, ``Interrupted`` when it was ended from outside, ``Cancelled`` when
    ``should_stop`` said so.
    """
    with _written_apart(request) as (apart, folders):
        child = _server.child(measures=request.measures_pictures())
        try:
            answer: Answer = _converse(child, apart, folders, limits or Limits(), progress, should_stop)
            return answer
        finally:
            child.close()


@contextmanager
def _written_apart(request: Request[Any]) -> Iterator[tuple[Request[Any], list[str]]]:
    """Give a request whose files are written in folders of its own, and all folders that its child writes into.

    The child may write nowhere else, so it cannot touch what other children wrote. What it leaves is put in its place
    once it is done; folders that are named are made, and written into as they are.
    """
    folders = [path for name in request.kept_in if (path := getattr(request, name))]
    for path in folders:
        Path(path).mkdir(parents=True, exist_ok=True)
    places = {name: Path(path) for name in request.written if (path := getattr(request, name))}
    apart: dict[Path, tempfile.TemporaryDirectory[str]] = {}
    with ExitStack() as stack:
        for parent in {path.parent for path in places.values()}:
            parent.mkdir(parents=True, exist_ok=True)
            apart[parent] = tempfile.TemporaryDirectory(prefix=APART, dir=parent)
            stack.enter_context(apart[parent])
        made = {name: Path(apart[path.parent].name) / path.name for name, path in places.items()}
        yield (
            replace(request, **{name: str(path) for name, path in made.items()}),
            [
                *folders,
                *(one.name for one in apart.values()),
            ],
        )
        for name, path in made.items():
            if path.is_file() and not path.is_symlink():
                path.replace(places[name])


def _converse(
    child: Child,
    request: Request[Any],
    folders: Sequence[str],
    limits: Limits,
    progress: Progress | None,
    should_stop: Callable[[], bool] | None,
) -> Any:
    ranges = Ranges(request.fetches())
    message = {
        "verb": request.verb,
        "request": request.to_json(),
        "fetched": ranges.told,
        "folders": folders,
        "limits": [limits.memory, limits.processor_s, limits.open_files, limits.written],
    }
    deadline = time.monotonic() + limits.wall_s
    _send(child.stdin, json.dumps(message).encode() + b"\n", deadline)
    if not ranges.told:
        child.stdin.close()
    buffers = {child.stdout: b"", child.stderr: b""}
    answer: dict[str, Any] | None = None
    with selectors.DefaultSelector() as selector:
        pipe: Any
        for pipe in buffers:
            selector.register(pipe, selectors.EVENT_READ)
        while selector.get_map():
            for key, _ in selector.select(_POLL):
                pipe = key.fileobj
                chunk = os.read(key.fd, 1 << 16)
                if not chunk:
                    selector.unregister(pipe)
                    continue
                for said in _take_chunk(buffers, pipe, chunk, child.stdout):
                    if "fetch" in said:
                        _send(child.stdin, _fetched(ranges, said["fetch"]), deadline)
                    elif "progress" not in said:
                        answer = said
                    elif progress:
                        progress(*said["progress"])
            if time.monotonic() > deadline:
                raise ReadingStopped(f"reading took longer than {limits.wall_s} s and was stopped")
            if should_stop and should_stop():
                raise Cancelled("reading was cancelled")
    code = child.wait()
    if answer is None:
        raise _why_it_ended(code, buffers[child.stderr], limits)
    if "error" in answer:
        raise _REFUSALS.get(answer["error"]["kind"], UnreadableFile)(answer["error"]["says"])
    return answer["result"]


def _take_chunk(buffers: dict[Any, bytes], pipe: Any, chunk: bytes, stdout: IO[bytes]) -> list[dict[str, Any]]:
    """Keep what came; return the messages that are whole by now."""
    buffers[pipe] += chunk
    if pipe is not stdout:
        buffers[pipe] = buffers[pipe][-_MOST_STDERR:]
        return []
    *lines, buffers[pipe] = buffers[pipe].split(b"\n")
    return [json.loads(line) for line in lines]


def _fetched(ranges: Ranges, asked: object) -> bytes:
    """The answer to a child that asks for a range."""
    try:
        found = ranges.read(asked)
    except ValueError as error:
        raise ReadingStopped(f"the reading process asked for what it may not have ({error}); it was stopped") from error
    except OSError:
        return (-1).to_bytes(SIZE_BYTES, "little", signed=True)
    return len(found).to_bytes(SIZE_BYTES, "little", signed=True) + found


def _send(pipe: IO[bytes], message: bytes, deadline: float) -> None:
    """Send all of a message to a child that may have ended; one that does not take it in time is stopped."""
    os.set_blocking(pipe.fileno(), False)
    unsent = memoryview(message)
    while unsent:
        try:
            unsent = unsent[pipe.write(unsent) or 0 :]
        except BrokenPipeError:
            return
        if unsent:
            select.select([], [pipe], [], _POLL)
        if time.monotonic() > deadline:
            raise ReadingStopped("reading took longer than it may and was stopped")


def _why_it_ended(code: int, stderr: bytes, limits: Limits) -> ReadingStopped:
    if code == -signal.SIGXCPU or (code == -signal.SIGKILL and b"CPU" in stderr):
        return ReadingStopped(f"reading used more than {limits.processor_s} s of processor time and was stopped")
    if b"MemoryError" in stderr or b"bad_alloc" in stderr or b"Cannot allocate" in stderr:
        return ReadingStopped(f"reading needed more than {limits.memory >> 20} MB of memory and was stopped")
    if -code in _FROM_OUTSIDE:
        return Interrupted(
            f"the reading process was ended from outside ({signal.Signals(-code).name}), as when the machine is"
            " stopped or out of memory; that says nothing of the file"
        )
    if code < 0:
        name = signal.Signals(-code).name
        return ReadingStopped(f"the reading process crashed ({name}); the file is damaged or hostile")
    last = stderr.decode("utf-8", "replace").strip().splitlines()
    said = last[-1] if last else f"exit {code}"
    if said.startswith("OSError") and any(os.strerror(number) in said for number in DISK_FULL):
        return NoRoom("there was no room on the disk for what the reading leaves; that says nothing of the file")
    return ReadingStopped(f"the reading process ended without an answer ({said})")
