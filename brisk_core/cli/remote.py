"""The verb ``remote``: sends a file to a house, has it judged there, and says what came of it.

The token stands in ``BRISK_TOKEN``, never on the command line, where other people of the machine can read it.
"""

from __future__ import annotations

import argparse
import os
import time
from collections.abc import Mapping
from http import HTTPStatus
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

import requests

from brisk_core.cli.saying import A_FAIL, NO_FAIL, UNREADABLE, WRONG_USE, Refusal, say, say_json

_TIMEOUTS_S = (10, 300)  # to connect, and for the next bytes
_PAUSES_S = (1, 3, 6, 12, 24, 48)  # before going on with a file that broke off, or for which there was no room
_PIECE = 16 << 20  # bytes of a file that are sent at once
_LATER = (HTTPStatus.BAD_GATEWAY, HTTPStatus.SERVICE_UNAVAILABLE, HTTPStatus.GATEWAY_TIMEOUT)
_FIRST_PAUSE_S, _LONGEST_PAUSE_S = 0.5, 10.0
_LOOPBACK = ("127.0.0.1", "localhost", "::1")
_OVER = ("done", "failed", "cancelled")
_SHOWN = ("fail", "caution", "not measured")


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what ``remote`` takes."""
    parser.add_argument("file")
    parser.add_argument("--at", required=True, help="address of the house, such as https://checks.example")
    judged = parser.add_mutually_exclusive_group(required=True)
    judged.add_argument("--spec", help="id of a spec of the house, whose newest version judges")
    judged.add_argument("--deliverable", type=int, help="id of the deliverable that it is an attempt at")
    parser.add_argument("--wait", type=float, default=3600, help="seconds to wait for the verdict; 3600 without it")
    parser.add_argument("--json", action="store_true", help="print the check as JSON of schema brisk-sentry/check/1")


def run(options: argparse.Namespace) -> int:
    """Send, wait, say; return the exit status: 1 for a file that fails."""
    path = Path(options.file)
    if not path.is_file():
        raise Refusal(UNREADABLE, f"there is no file {options.file}")
    house = _House(options.at, os.environ.get("BRISK_TOKEN", ""))
    file = _send(house, path)
    if options.spec:
        check = house.ask("POST", "checks", json={"file": file["id"], "spec": options.spec})
    else:
        check = house.ask("POST", f"files/{file['id']}/attempts", json={"deliverable": options.deliverable})
    document = _wait_for(house, file, check, options.wait)
    if options.json:
        say_json(document)
    else:
        _print(document)
    return A_FAIL if document["verdict"] == "fail" else NO_FAIL


class Broken(Refusal):
    """A house that cannot be reached, or has no room for more at once: it may later."""


def _send(house: _House, path: Path) -> dict[str, Any]:
    """Send a file piece by piece, from where it broke off if it does; return it as the house knows it."""
    told = house.ask("POST", "uploads", json={"name": path.name, "size": path.stat().st_size})
    address, pauses, broke = f"uploads/{told['id']}/bytes", iter(_PAUSES_S), False
    with path.open("rb") as file:
        while told["file"] is None:
            try:
                if broke:
                    told, broke = house.ask("GET", address), False
                    continue
                file.seek(told["offset"])
                if not (piece := file.read(_PIECE)):
                    raise Refusal(UNREADABLE, f"{path.name} became shorter while it was sent")
                told = house.ask("PUT", address, params={"offset": told["offset"]}, data=piece)
                pauses = iter(_PAUSES_S)
            except Broken:
                pause = next(pauses, None)
                if pause is None:
                    raise
                time.sleep(pause)
                broke = True
    return dict(told["file"])


class _House:
    """A house that is called by a token."""

    def __init__(self, address: str, token: str) -> None:
        parts = urlsplit(address)
        if parts.scheme not in ("http", "https") or not parts.hostname or parts.query or "@" in parts.netloc:
            raise Refusal(
                WRONG_USE, f"met {address!r} as the address of a house; expected such as https://checks.example"
            )
        if parts.scheme == "http" and parts.hostname not in _LOOPBACK:
            raise Refusal(WRONG_USE, f"{address} would send the token in the clear; expected https")
        if not token:
            raise Refusal(WRONG_USE, "no token in BRISK_TOKEN; make one in the house, on the page of yours")
        self._base = f"{address.rstrip('/')}/api/v1/"
        self._session = requests.Session()
        self._session.trust_env = False  # no password of another file takes the token's place
        self._session.headers["Authorization"] = f"Bearer {token}"

    def ask(self, method: str, path: str, **more: Any) -> dict[str, Any]:
        """Call the house; return what it says. Raises ``Refusal`` with its sentence, ``Broken`` where it may later."""
        try:
            answer = self._session.request(
                method, self._base + path, timeout=_TIMEOUTS_S, allow_redirects=False, **more
            )
            told: Any = answer.json()
        except requests.JSONDecodeError as error:
            kind = Broken if answer.status_code in _LATER else Refusal
            raise kind(UNREADABLE, f"{self._base} answers {answer.status_code}, and not as a house does") from error
        except requests.RequestException as error:
            raise Broken(UNREADABLE, f"{self._base} cannot be reached: {error}") from error
        if not answer.ok or not isinstance(told, dict):
            says = told.get("detail") if isinstance(told, dict) else None
            kind = Broken if answer.status_code in _LATER else Refusal
            raise kind(WRONG_USE, f"the house refuses: {says or f'status {answer.status_code}'}")
        return told


def _wait_for(house: _House, file: Mapping[str, Any], check: Mapping[str, Any], seconds: float) -> dict[str, Any]:
    """Ask until the file is read and judged; return the check."""
    end, pause = time.monotonic() + seconds, _FIRST_PAUSE_S
    while True:
        known = house.ask("GET", f"files/{file['id']}")
        if known["reading"] in _OVER:
            break
        if time.monotonic() > end:
            raise Refusal(
                UNREADABLE, f"the house has not read {known['name']} within {seconds:g} s; its check is {check['id']}"
            )
        time.sleep(pause)
        pause = min(pause * 1.5, _LONGEST_PAUSE_S)
    if known["reading"] != "done":
        says = known["error"] or "reading it was cancelled"
        raise Refusal(UNREADABLE, f"{known['name']}: {says}")
    return house.ask("GET", f"checks/{check['id']}/document")


def _print(document: Mapping[str, Any]) -> None:
    counts = ", ".join(f"{count} {outcome}" for outcome, count in document["counts"].items() if count)
    say(f"{document['spec']['name']}, version {document['spec']['version']}: {document['verdict']} ({counts})")
    for row in document["findings"]:
        if row["outcome"] in _SHOWN:
            say(f"{row['outcome']:13} {row['label']:28} asked {row['required']:24} found {row['found']}")
            say(f"{'':13} {row['says']}")
