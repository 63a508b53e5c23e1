"""A playout deck: a card that is filled by FTP, and a list that shows only clips of its setting, and only after its
card was read again. A line protocol on TCP asks for SETTING, LIST, RELOAD and CUE; answers begin with OK or NO.
"""

from __future__ import annotations

import os
import time
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from socketserver import StreamRequestHandler, ThreadingTCPServer
from threading import Lock, Thread
from typing import Any

import av
from pyftpdlib.authorizers import AuthenticationFailed, DummyAuthorizer  # type: ignore[import-untyped]
from pyftpdlib.filesystems import AbstractedFS  # type: ignore[import-untyped]
from pyftpdlib.handlers import DTPHandler, FTPHandler  # type: ignore[import-untyped]
from pyftpdlib.ioloop import IOLoop  # type: ignore[import-untyped]
from pyftpdlib.servers import FTPServer  # type: ignore[import-untyped]

from brisk_standins.page import Switches, serve_page

FAULTS = {
    "drops": "breaks the connection off after every 300 kB",
    "full": "its card is full",
    "locked": "refuses every login",
    "corrupts": "changes a byte of everything it is sent",
    "stuck": "cannot cue",
}
_DROP_AFTER = 300_000
_LONGEST_NAME = 32  # signs of a name in its list
_ENDINGS = (".mov", ".mxf", ".mp4")


@dataclass
class Deck:
    """A deck with a card and a setting."""

    card: Path
    size: tuple[int, int] = (1920, 1080)
    rate: Fraction = Fraction(25)
    codecs: tuple[str, ...] = ("prores", "dnxhd", "mpeg2video")
    switches: Switches = field(default_factory=lambda: Switches(FAULTS))
    clips: list[str] = field(default_factory=list)  #: as the card was read last
    _lock: Lock = field(default_factory=Lock)

    @property
    def setting(self) -> str:
        """Return size, rate and codecs in words."""
        return f"{self.size[0]}x{self.size[1]} at {float(self.rate):g}, {'/'.join(self.codecs)}"

    def state(self) -> dict[str, Any]:
        """Return what its page shows."""
        return {"setting": self.setting, "list": self.clips, "card": sorted(os.listdir(self.card))}

    def reload(self) -> None:
        """Read the card again."""
        with self._lock:
            self.clips = [path.name[:_LONGEST_NAME] for path in sorted(self.card.iterdir()) if self._shows(path)]

    def _shows(self, path: Path) -> bool:
        if not path.is_file() or path.suffix.lower() not in _ENDINGS:
            return False
        try:
            with av.open(str(path)) as container:
                stream = container.streams.video[0]
                context = stream.codec_context
                return (
                    (context.width, context.height) == self.size
                    and stream.average_rate == self.rate
                    and context.name in self.codecs
                )
        except (av.error.FFmpegError, IndexError, OSError):
            return False

    def answer(self, line: str) -> str:
        """Return what it says to a line of the protocol."""
        word, _, rest = line.strip().partition(" ")
        if word == "SETTING":
            return f"OK {self.setting}"
        if word == "LIST":
            return "\r\n".join(["OK", *self.clips, "."])
        if word == "RELOAD":
            self.reload()
            return f"OK {len(self.clips)} clips"
        if word == "CUE":
            return self._cue(rest)
        return "NO such word; SETTING, LIST, RELOAD and CUE are known"

    def _cue(self, name: str) -> str:
        if "stuck" in self.switches:
            return "NO servo"
        path = next((one for one in self.card.iterdir() if one.name[:_LONGEST_NAME] == name), None)
        if name not in self.clips or path is None:
            return "NO such clip"
        try:
            with av.open(str(path)) as container:
                next(container.decode(video=0))
        except (av.error.FFmpegError, StopIteration, OSError) as error:
            return f"NO picture: {error}"
        return "OK 0"


def _line_server(deck: Deck, port: int) -> ThreadingTCPServer:
    class Handler(StreamRequestHandler):
        def handle(self) -> None:
            while line := self.rfile.readline(4096):
                self.wfile.write(f"{deck.answer(line.decode('utf-8', 'replace'))}\r\n".encode())

    class Server(ThreadingTCPServer):
        allow_reuse_address = True
        daemon_threads = True

    return Server(("127.0.0.1", port), Handler)


def _ftp_server(deck: Deck, port: int, user: str, password: str, loop: IOLoop) -> FTPServer:
    class Authorizer(DummyAuthorizer):  # type: ignore[misc]
        def validate_authentication(self, username: str, password: str, handler: Any) -> None:
            if "locked" in deck.switches:
                raise AuthenticationFailed("Not today.")
            super().validate_authentication(username, password, handler)

    class Card(AbstractedFS):  # type: ignore[misc]
        def open(self, filename: str, mode: str) -> Any:
            if "full" in deck.switches and mode.startswith(("w", "a", "r+")):
                raise OSError(28, "No space left on device")
            return super().open(filename, mode)

    class Wire(DTPHandler):  # type: ignore[misc]
        def handle_read(self) -> None:
            super().handle_read()
            if "drops" in deck.switches and self.get_transmitted_bytes() > _DROP_AFTER:
                self.cmd_channel.close()

        handle_read_event = handle_read  # which is the one that is called

    class Handler(FTPHandler):  # type: ignore[misc]
        def on_file_received(self, file: str) -> None:
            if "corrupts" in deck.switches and os.path.getsize(file):
                with open(file, "r+b") as written:
                    first = written.read(1)
                    written.seek(0)
                    written.write(bytes([first[0] ^ 1]))

    authorizer = Authorizer()
    authorizer.add_user(user, password, str(deck.card), perm="elradfmwMT")
    Handler.authorizer, Handler.abstracted_fs, Handler.dtp_handler = authorizer, Card, Wire
    Handler.auth_failed_timeout = 0
    return FTPServer(("127.0.0.1", port), Handler, ioloop=loop)


@dataclass
class Running:
    """A deck that runs in threads of this process."""

    deck: Deck
    ftp_port: int
    line_port: int
    _ftp: Any
    _line: ThreadingTCPServer
    _ends: list[bool]

    def stop(self) -> None:
        """Close its ports."""
        self._ends.append(True)
        self._line.shutdown()
        self._line.server_close()


def start(deck: Deck, *, ftp_port: int = 0, line_port: int = 0, user: str, password: str) -> Running:
    """Start a deck in threads; a port of 0 takes a free one."""
    deck.card.mkdir(parents=True, exist_ok=True)
    loop = IOLoop()
    ends: list[bool] = []
    ftp = _ftp_server(deck, ftp_port, user, password, loop)
    line = _line_server(deck, line_port)

    def serve() -> None:
        while not ends:
            loop.loop(timeout=0.2, blocking=False)
        ftp.close_all()
        loop.close()

    Thread(target=serve, daemon=True).start()
    Thread(target=line.serve_forever, daemon=True).start()
    return Running(deck, ftp.address[1], line.server_address[1], ftp, line, ends)


def run(card: Path, port: int, ftp_port: int, line_port: int, user: str, password: str) -> None:
    """Run a deck for good, with its page."""
    deck = Deck(card=card)
    serve_page(port, "Deck of Wherry House", deck.switches, deck.state)
    start(deck, ftp_port=ftp_port, line_port=line_port, user=user, password=password)
    while True:
        time.sleep(3600)
