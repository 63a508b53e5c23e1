import json
import socket
import subprocess
import sys
import threading
import time
from contextlib import suppress
from unittest import TestCase

from brisk_web.config.serving import SHORT, Arrived, arrival
from brisk_web.config.tests.tiny_app import BIG

THREADS = 3
WORKER = "brisk_web.config.tests.tiny_app.Hasty"
ASK = b"GET / HTTP/1.1\r\nHost: here\r\n\r\n"


def post(size: int, path: str = "/read", *more: str) -> bytes:
    lines = [f"POST {path} HTTP/1.1", "Host: here", f"Content-Length: {size}", *more]
    return "\r\n".join([*lines, "", ""]).encode()


class ServingTest(TestCase):
    """A web process of three threads, and more clients than that."""

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        with socket.create_server(("127.0.0.1", 0)) as probe:
            cls.port = probe.getsockname()[1]
        options = ["--worker-class", WORKER, "--threads", str(THREADS), "--no-sendfile", "--log-level", "critical"]
        command = [sys.executable, "-m", "gunicorn", "brisk_web.config.tests.tiny_app", *options]
        cls.web = subprocess.Popen([*command, "--bind", f"127.0.0.1:{cls.port}"])
        cls.addClassCleanup(cls.end)
        for _ in range(200):
            try:
                socket.create_connection(("127.0.0.1", cls.port)).close()
                return
            except ConnectionRefusedError:
                time.sleep(0.1)
        raise AssertionError("the web does not listen")

    @classmethod
    def end(cls) -> None:
        cls.web.terminate()
        cls.web.wait(30)

    def line(self, sent: bytes = b"", window: int = 0) -> socket.socket:
        """A client that has sent something."""
        client = socket.socket()
        self.addCleanup(client.close)
        if window:
            client.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, window)
        client.settimeout(30)
        client.connect(("127.0.0.1", self.port))
        client.sendall(sent)
        return client

    def answer(self, client: socket.socket) -> str:
        """The status and the text of the next answer, "" for a line that ended."""
        data = b""
        try:
            while b"\r\n\r\n" not in data or len(data.split(b"\r\n\r\n", 1)[1]) < length_of(data):
                more = client.recv(1)
                if not more:
                    return ""
                data += more
        except ConnectionResetError:
            return ""
        head, _, text = data.partition(b"\r\n\r\n")
        return f"{head.split()[1].decode()} {text.decode()}"

    def assert_answered(self) -> None:
        self.assertEqual(self.answer(self.line(ASK)), "200 GET 0 0")

    def test_heads_that_do_not_end_take_no_thread(self) -> None:
        slow = [self.line(ASK[: 1 + 2 * number]) for number in range(4 * THREADS)]
        self.assert_answered()
        for number, client in enumerate(slow):
            client.sendall(ASK[1 + 2 * number :])
            self.assertEqual(self.answer(client), "200 GET 0 0")
        ended = self.line(b"GET / HTTP/1.1\r\nHost: h")
        self.assertEqual(self.answer(ended), "", "it is ended in time")

    def test_a_head_in_pieces_is_answered(self) -> None:
        client = self.line()
        for byte in ASK:
            client.sendall(bytes([byte]))
        self.assertEqual(self.answer(client), "200 GET 0 0")

    def test_the_first_that_waits_gives_way_to_many(self) -> None:
        waits = [self.line(b"GET /") for _ in range(30)]  # where 20 may wait
        self.assertEqual(self.answer(waits[0]), "")
        self.assert_answered()

    def test_bodies_that_drip_leave_threads_and_are_ended(self) -> None:
        slow = [self.line(post(1 << 20) + b"abc") for _ in range(3 * THREADS)]
        self.assert_answered()
        told = [self.answer(client) for client in slow]
        taken = [text for text in told if text.startswith("200")]
        refused = [text for text in told if text.startswith("503")]
        self.assertEqual(taken, ["200 POST 3 294"] * len(taken))
        self.assertGreaterEqual(len(taken), 2)
        self.assertIn("try again", refused[0])
        self.assertEqual(json.loads(refused[0][4:])["status"], 503)
        self.assertEqual(self.answer(self.line(post(1 << 20) + b"a" * (1 << 20))), f"200 POST {1 << 20} {97 << 20}")

    def test_short_bodies_that_drip_take_no_thread(self) -> None:
        for _ in range(4 * THREADS):
            self.line(post(30_000) + b"abc")
        self.assert_answered()

    def test_bodies_come_whole(self) -> None:
        for size in (0, 1, 1000, SHORT - 100, SHORT, SHORT + 1, 3 << 20):
            client = self.line(post(size))
            for at in range(0, size, 200_000):
                client.sendall(b"b" * min(200_000, size - at))
            self.assertEqual(self.answer(client), f"200 POST {size} {98 * size}")
        chunked = self.line(b"POST /read HTTP/1.1\r\nHost: here\r\nTransfer-Encoding: chunked\r\n\r\n")
        chunked.sendall(b"3\r\nabc\r\n")
        chunked.sendall(b"0\r\n\r\n")
        self.assertEqual(self.answer(chunked), "200 POST 3 294")
        asks = self.line(post(3, "/read", "Expect: 100-continue"))
        self.assertEqual(self.answer(asks), "100 ")
        asks.sendall(b"abc")
        self.assertEqual(self.answer(asks), "200 POST 3 294")

    def test_requests_on_one_line(self) -> None:
        client = self.line(ASK)
        self.assertEqual(self.answer(client), "200 GET 0 0")
        client.sendall(ASK + post(3) + b"abc" + ASK[:9])
        self.assertEqual([self.answer(client) for _ in range(2)], ["200 GET 0 0", "200 POST 3 294"])
        client.sendall(ASK[9:])
        self.assertEqual(self.answer(client), "200 GET 0 0")

    def test_who_has_said_all_and_closed_that_way_is_answered(self) -> None:
        client = self.line(ASK)
        client.shutdown(socket.SHUT_WR)
        self.assertEqual(self.answer(client), "200 GET 0 0")
        broken = self.line(b"GET / HTTP/1.1\r\nHo")
        broken.shutdown(socket.SHUT_WR)
        self.assertIn(self.answer(broken)[:3], ("", "400"))

    def test_clients_that_take_little_leave_threads(self) -> None:
        ask = b"GET /big HTTP/1.1\r\nHost: here\r\n\r\n"
        slow, over = [self.line(ask, window=4096) for _ in range(3 * THREADS)], threading.Event()

        def take() -> None:
            while not over.wait(0.1):
                for client in slow:  # ten times the least
                    with suppress(OSError):
                        client.recv(2 << 10)

        taking = threading.Thread(target=take)
        taking.start()
        try:
            for _ in range(3):
                self.assert_answered()
        finally:
            over.set()
            taking.join()

    def test_clients_that_take_nothing_give_their_threads_back(self) -> None:
        ask = b"GET /big HTTP/1.1\r\nHost: here\r\n\r\n"
        for _ in range(2 * THREADS):
            self.line(ask, window=4096)
        self.assert_answered()
        for _ in range(20):  # it may be told off while those wait
            got, more = 0, b"begin"
            with self.line(ask) as takes, suppress(ConnectionResetError):
                while more:
                    more = takes.recv(1 << 16)
                    got += len(more)
                    if got >= BIG:
                        return
            time.sleep(0.5)
        self.fail("who takes all of it gets it")


class ArrivalTest(TestCase):
    def test_what_is_waited_for(self) -> None:
        for data, expected in (
            (b"", Arrived.TOO_LITTLE),
            (b"GET / HTTP/1.1\r\nHost: here\r\n", Arrived.TOO_LITTLE),
            (b"GET / HTTP/1.1\r\nHost: here\r\n\r\n", Arrived.ALL),
            (post(4) + b"abc", Arrived.TOO_LITTLE),
            (post(4) + b"abcd", Arrived.ALL),
            (post(SHORT), Arrived.HEAD),
            (post(4).replace(b"Content-Length", b"content-length"), Arrived.TOO_LITTLE),
            (post(4, "/read", "Expect: 100-continue"), Arrived.HEAD),
            (b"POST / HTTP/1.1\r\nTransfer-Encoding: chunked\r\n\r\n", Arrived.HEAD),
            (b"a" * (SHORT - 1), Arrived.TOO_LITTLE),
            (b"a" * SHORT, Arrived.ALL),
        ):
            self.assertEqual(arrival(data), expected, data[:80])


def length_of(answer: bytes) -> int:
    """What an answer says of its length, nothing for one without."""
    for line in answer.split(b"\r\n\r\n")[0].split(b"\r\n"):
        if line.lower().startswith(b"content-length:"):
            return int(line.split(b":")[1])
    return 0
