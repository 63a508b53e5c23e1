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


def serve_page(port: int, title: str, switches: Switches, state: Callable[[], Any]) -> ThreadingHTTPServer:
    """Serve the page on loopback in a thread: ``/`` for people, ``/state.json`` for programs; POST sets the faults."""

    class Handler(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            if self.path == "/state.json":
                self._answer(json.dumps(state(), ensure_ascii=False), "application/json")
            elif self.path == "/":
                self._answer(_html(title, switches, state()), "text/html")
            else:
                self.send_error(404)

        def do_POST(self) -> None:
            length = min(int(self.headers.get("Content-Length") or 0), _LONGEST_FORM)
            switches.set(parse_qs(self.rfile.read(length).decode("utf-8", "replace")).get("fault", []))
            self.send_response(303)
            self.send_header("Location", "/")
            self.end_headers()

        def _answer(self, text: str, kind: str) -> None:
            content = text.encode()
            self.send_response(200)
            self.send_header("Content-Type", f"{kind}; charset=utf-8")
            self.send_header("Content-Length", str(len(content)))
            self.end_headers()
            self.wfile.write(content)

        def log_message(self, format: str, *args: Any) -> None:
            pass

    server = ThreadingHTTPServer(("127.0.0.1", port), Handler)
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
