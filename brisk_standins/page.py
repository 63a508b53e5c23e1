"""The small page of a stand-in: its state, and switches for its faults."""

from __future__ import annotations

import json
from collections.abc import Callable
from html import escape
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from threading import Thread
from typing import Any
from urllib.parse import parse_qs

_LONGEST_FORM = 10_000


class Switches:
    """Faults by name, each on or off."""

    def __init__(self, faults: dict[str, str]) -> None:
        self.words = faults
        self.on: set[str] = set()

    def __contains__(self, fault: str) -> bool:
        return fault in self.on

    def set(self, chosen: list[str]) -> None:
        """Switch on those that are chosen, all others off."""
        self.on = {fault for fault in chosen if fault in self.words}


class PageHandler(BaseHTTPRequestHandler):
    """Answers ``/`` for people and ``/state.json`` for programs; a POST to ``/`` sets the faults."""

    protocol_version = "HTTP/1.1"
    wbufsize = -1  # head and body go in one packet: a second one would wait for the first one's receipt
    disable_nagle_algorithm = True
    timeout = 30  # seconds that a silent client is waited for
    title: str
    switches: Switches
    state: Callable[[], Any]

    def do_GET(self) -> None:
        if self.path == "/state.json":
            self.answer_json(type(self).state())
        elif self.path == "/":
            self.answer(200, _html(self.title, self.switches, type(self).state()).encode(), "text/html; charset=utf-8")
        else:
            self.send_error(404)

    def do_POST(self) -> None:
        form = self.rfile.read(min(self.length, _LONGEST_FORM)).decode("utf-8", "replace")
        self.switches.set(parse_qs(form).get("fault", []))
        self.answer(303, headers={"Location": "/"})

    @property
    def length(self) -> int:
        """Bytes of the body."""
        return int(self.headers.get("Content-Length") or 0)

    def answer(
        self, status: int, content: bytes = b"", kind: str = "text/plain", headers: dict[str, str] | None = None
    ) -> None:
        """Answer with a status and a body."""
        self.send_response(status)
        for name, value in ({"Content-Type": kind, "Content-Length": str(len(content))} | (headers or {})).items():
            self.send_header(name, value)
        self.end_headers()
        if self.command != "HEAD":
            self.wfile.write(content)

    def answer_json(self, value: Any, status: int = 200, headers: dict[str, str] | None = None) -> None:
        """Answer with JSON."""
        self.answer(status, json.dumps(value, ensure_ascii=False).encode(), "application/json", headers)

    def log_message(self, format: str, *args: Any) -> None:
        pass


def serve_page(
    port: int,
    title: str,
    switches: Switches,
    state: Callable[[], Any],
    *,
    handler: type[PageHandler] = PageHandler,
    **more: Any,
) -> ThreadingHTTPServer:
    """Serve the page on loopback in a thread; ``more`` are attributes of a handler that answers more than a page."""
    own = type("Handler", (handler,), {"title": title, "switches": switches, "state": staticmethod(state), **more})
    server = ThreadingHTTPServer(("127.0.0.1", port), own)
    server.daemon_threads = True
    Thread(target=server.serve_forever, daemon=True).start()
    return server


def _html(title: str, switches: Switches, state: Any) -> str:
    boxes = "".join(
        f'<label><input type="checkbox" name="fault" value="{escape(fault)}"{" checked" if fault in switches else ""}> '
        f"{escape(words)}</label><br>"
        for fault, words in switches.words.items()
    )
    told = escape(json.dumps(state, indent=2, ensure_ascii=False))
    return (
        f'<!doctype html><html lang="en"><meta charset="utf-8"><title>{escape(title)}</title>'
        "<style>body{font:16px/1.5 sans-serif;max-width:46rem;margin:2rem auto;padding:0 1rem}"
        "pre{white-space:pre-wrap}</style>"
        f"<h1>{escape(title)}</h1><p>A stand-in for the outside world.</p>"
        f'<form method="post"><fieldset><legend>Faults</legend>{boxes}<button>Set</button></fieldset></form>'
        f"<h2>State</h2><pre>{told}</pre></html>"
    )
