"""How the web waits for slow lines: a request takes a thread once it is there, and an answer leaves it in time.

gunicorn gives a thread to a connection as soon as its first byte has come, and keeps it until the last one is sent: as
many slow clients as there are threads, signed in or not, and nobody else is answered. Here a connection waits in the
loop until its head, and a short body with it, have arrived. Longer bodies (uploads) take a thread while they come, but
never all of them, and a line on which next to nothing moves is ended.
"""

from __future__ import annotations

import enum
import errno
import json
import re
import socket
import struct
import threading
import time
from collections.abc import Callable, Iterable, MutableMapping
from contextlib import suppress
from dataclasses import dataclass
from functools import partial
from selectors import EVENT_READ
from typing import Any

from gunicorn import util
from gunicorn.workers.gthread import ThreadWorker

#: Bytes of head and body that are waited for before a thread is taken; longer bodies are read as they come.
SHORT = 64 << 10
_HEAD_ENDS = b"\r\n\r\n"
_LENGTH = re.compile(rb"\r\ncontent-length:[ \t]*(\d{1,18})[ \t]*(?:\r\n|$)")
_SHARE_OF_LONG = 2 / 3  # of the threads of a process: those that may hold long bodies

_FULL = json.dumps(
    {
        "type": "about:blank",
        "title": "Service Unavailable",
        "status": 503,
        "detail": "so much is being uploaded that there is no room for more at once; try again in a few seconds",
    }
).encode()  # RFC 9457, as all refusals of calls

_Start = Callable[..., Any]
_Application = Callable[[MutableMapping[str, Any], _Start], Iterable[bytes]]


class Arrived(enum.Enum):
    """How much of a request is there."""

    TOO_LITTLE = "less than what is waited for"
    HEAD = "its head; its body comes while it is read"
    ALL = "all of it, or what is left of a line that ended"


class Line:
    """The socket of one connection, with a clock: it ends where the other side takes or gives next to nothing."""

    def __init__(
        self, sock: socket.socket, takers: threading.Semaphore, *, grace: float, least: float, silence: float
    ) -> None:
        """Watch a socket.

        ``takers`` is held by lines whose other side does not take what is sent at once. ``grace`` seconds of waiting
        are free; then ``least`` bytes have to move in each. ``silence`` is the longest wait, in seconds, in which
        nothing moves at all.
        """
        self._sock, self._takers = sock, takers
        self._grace, self._least = grace, least
        self.arrived = Arrived.TOO_LITTLE  #: when the request was given a thread
        self.refused = False  #: is the body of the request left where it is?
        self._give_back: list[threading.Semaphore] = []
        span = struct.pack("ll", int(silence), int(silence % 1 * 1e6))  # struct timeval
        sock.setsockopt(socket.SOL_SOCKET, socket.SO_RCVTIMEO, span)
        sock.setsockopt(socket.SOL_SOCKET, socket.SO_SNDTIMEO, span)
        self._received, self._sent = _Moved(), _Moved()

    def __getattr__(self, name: str) -> Any:
        return getattr(self._sock, name)

    def begin(self) -> None:
        """Begin a request."""
        self.refused = False
        self._received, self._sent = _Moved(), _Moved()

    def end(self) -> None:
        """Give back what was held for the request."""
        while self._give_back:
            self._give_back.pop().release()

    def hold(self, share: threading.Semaphore) -> bool:
        """Hold one of a share until the request ends; is there one?"""
        free = share.acquire(blocking=False)
        if free:
            self._give_back.append(share)
        return free

    def recv(self, size: int, flags: int = 0) -> bytes:
        """Receive; nothing, as from a line that broke, where it is silent or too slow."""
        if flags & socket.MSG_PEEK:
            return self._sock.recv(size, flags)
        if self._is_slow(self._received):
            return b""
        with self._received:
            try:
                data = self._sock.recv(size, flags)
            except BlockingIOError:
                return b""
        self._received.count += len(data)
        return data

    def sendall(self, data: bytes) -> None:
        """Send all of it; raises ``ConnectionResetError`` where the other side is silent or too slow, or where too many
        wait like this one.
        """
        rest = memoryview(data)
        while rest:
            rest = rest[self._send(rest[:SHORT]) :]

    def _send(self, data: memoryview) -> int:
        with suppress(BlockingIOError):
            return self._sock.send(data, socket.MSG_DONTWAIT)
        count = 0
        if (self._takers in self._give_back or self.hold(self._takers)) and not self._is_slow(self._sent):
            with self._sent, suppress(BlockingIOError):
                count = self._sock.send(data)
        if not count:
            raise ConnectionResetError(errno.ECONNRESET, "the client takes too little")
        self._sent.count += count
        return count

    def _is_slow(self, moved: _Moved) -> bool:
        return moved.waited > self._grace and moved.count < self._least * moved.waited


@dataclass(slots=True)
class _Moved:
    """What has moved in one direction, and how long it was waited for; as a context, the time in it is waited."""

    count: int = 0
    waited: float = 0.0
    _since: float = 0.0

    def __enter__(self) -> None:
        self._since = time.monotonic()

    def __exit__(self, *_: object) -> None:
        self.waited += time.monotonic() - self._since


class LongBodies:
    """Lets bodies that come while they are read take a share of the threads, and tells the others to come again."""

    def __init__(self, application: _Application, threads: int) -> None:
        """Stand before an application that runs in so many threads."""
        self._application = application
        self._free = threading.Semaphore(max(1, int(threads * _SHARE_OF_LONG)))

    def __call__(self, environ: MutableMapping[str, Any], start: _Start, /) -> Iterable[bytes]:
        """Answer one request (PEP 3333)."""
        line: Line = environ["gunicorn.socket"]
        if line.arrived is Arrived.HEAD and not line.hold(self._free):
            told = [("Content-Type", "application/problem+json"), ("Content-Length", str(len(_FULL)))]
            line.refused = True
            start("503 Service Unavailable", [*told, ("Retry-After", "3")])
            return [_FULL]
        return self._application(environ, start)


class PatientWorker(ThreadWorker):
    """A worker with threads that waits for requests outside of them.

    Of connections that wait the one that came first gives way where there are too many: a request that anybody means
    is there within moments.
    """

    head_seconds = 20.0  #: for a head, and for a short body, to arrive
    most_arriving = 800  #: connections that wait, below the 1,000 that a process holds
    grace, least, silence = 10.0, 2048.0, 20.0  #: of lines

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        """Begin without a connection."""
        super().__init__(*args, **kwargs)
        self._takers = threading.Semaphore(max(1, self.cfg.threads // 2))
        self._arriving: dict[Any, tuple[float, int]] = {}  # when each has to be there, and bytes that are; oldest first

    def load_wsgi(self) -> None:
        """Load the application."""
        super().load_wsgi()
        self.wsgi = LongBodies(self.wsgi, self.cfg.threads)

    def enqueue_req(self, conn: Any) -> None:
        """Give a connection a thread once its request is there; until then it waits in the loop."""
        if not isinstance(conn.sock, Line):
            conn.sock = Line(conn.sock, self._takers, grace=self.grace, least=self.least, silence=self.silence)
        there, seen = _look(conn, -1)
        if there or not self.alive:
            super().enqueue_req(conn)
            return
        if len(self._arriving) >= self.most_arriving:
            self._end(next(iter(self._arriving)))
        self._arriving[conn] = (time.monotonic() + self.head_seconds, seen)
        self.poller.register(conn.sock, EVENT_READ, partial(self._look_again, conn))

    def _look_again(self, conn: Any, _: Any) -> None:
        until, before = self._arriving[conn]
        there, seen = _look(conn, before)
        if not there:
            self._arriving[conn] = (until, seen)
            return
        self._leave(conn)
        super().enqueue_req(conn)

    def murder_pending(self) -> None:
        """End the connections whose request has not arrived in time; all that wait, where the worker stops."""
        super().murder_pending()
        now = time.monotonic()
        for conn in [one for one, (until, _) in self._arriving.items() if until < now or not self.alive]:
            self._end(conn)

    def handle(self, conn: Any) -> Any:
        """Answer one request, in a thread."""
        line: Line = conn.sock
        line.begin()
        try:
            goes_on = super().handle(conn)
        finally:
            line.end()
        if not goes_on:  # here and not in the loop, which would stand still for a client that stays
            util.close_graceful(conn.sock, timeout=0.2)
        return goes_on

    def _keepalive_after(self, conn: Any, keepalive: bool) -> bool:
        """May the connection take another request? Only where nobody has to wait for what is left of this one."""
        goes_on = not conn.sock.refused and super()._keepalive_after(conn, keepalive)  # type: ignore[misc]  # no stub
        return bool(goes_on)

    def _leave(self, conn: Any) -> None:
        del self._arriving[conn]
        self.poller.unregister(conn.sock)

    def _end(self, conn: Any) -> None:
        self._leave(conn)
        self.nr_conns -= 1
        conn.close()


def _look(conn: Any, before: int) -> tuple[bool, int]:
    """Has what is waited for arrived, and how many bytes of it lie in the socket? ``before`` are those of the last
    look: where it was woken by nothing new, the other side has ended.
    """
    held = conn.parser.unreader.buf.getvalue() if conn.parser else b""  # sent along with the request before
    conn.sock.setblocking(False)
    try:
        data = conn.sock.recv(SHORT, socket.MSG_PEEK)
        ended = not data or len(data) == before
    except BlockingIOError:
        data, ended = b"", False
    except OSError:  # it broke; the thread meets the same and ends it
        data, ended = b"", True
    arrived = Arrived.ALL if ended else arrival(held + data)
    conn.sock.arrived = arrived
    # The loop wakes for more than what lies there already.
    waits = arrived is Arrived.TOO_LITTLE
    conn.sock.setsockopt(socket.SOL_SOCKET, socket.SO_RCVLOWAT, len(data) + 1 if waits else 1)
    return not waits, len(data)


def arrival(data: bytes) -> Arrived:
    """Tell what has arrived of a request."""
    end = data.find(_HEAD_ENDS)
    if end < 0:
        return Arrived.TOO_LITTLE if len(data) < SHORT else Arrived.ALL  # too long for a head, which is told
    head = data[:end].lower()
    if b"\r\ntransfer-encoding:" in head:
        return Arrived.HEAD
    length = _LENGTH.search(head)
    size = end + len(_HEAD_ENDS) + (int(length[1]) if length else 0)
    if len(data) >= size:
        return Arrived.ALL
    return Arrived.HEAD if size > SHORT or b"\r\nexpect:" in head else Arrived.TOO_LITTLE
