"""An upload site: tus 1.0.0 (creation, checksum) with a token; a whole upload becomes an item in one step.

The open packages that speak tus wait without end for a server that went silent; the three requests stand here.
"""

from __future__ import annotations

import base64
import hashlib
import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any
from urllib.parse import quote, urljoin, urlsplit

import requests

from brisk_core.handoff import digests_of, safe_path
from brisk_web.handoff.doors.door import CHUNK, PART, DoorClosed, DoorRefused, Marks, Told

_TIMEOUT_S = 20
_LONGEST_ANSWER = 1 << 20
_LONGEST_WORDS = 200
_TUS = {"Tus-Resumable": "1.0.0"}


class SiteDoor:
    """An upload site; ``address`` is where its API begins, such as https://site.example/api."""

    def __init__(self, address: str, token: str, marks: Marks, words: Mapping[str, str] | None = None) -> None:
        self._words = dict(words or {})  # title, tags and the like, told with an item
        self._base = address.rstrip("/") + "/"
        self._marks = marks
        self._wanted: dict[str, str] = {}  # SHA-256 of what was sent, by path
        self._session = requests.Session()
        self._session.auth = _Bearer(token)

    def _ask(self, method: str, address: str, **more: Any) -> tuple[int, requests.Response, Any]:
        """Return status, answer and the JSON in it; raises for what no caller can bear."""
        try:
            answer = self._session.request(
                method, urljoin(self._base, address), timeout=_TIMEOUT_S, allow_redirects=False, stream=True, **more
            )
            with answer:
                content = answer.raw.read(_LONGEST_ANSWER, decode_content=True)
        except requests.Timeout as error:
            raise DoorClosed("The site has not answered for 20 seconds.") from error
        except (requests.exceptions.SSLError, requests.exceptions.InvalidURL) as error:
            raise DoorRefused(f"The site cannot be trusted or reached by this address: {error}") from error
        except (requests.RequestException, OSError) as error:
            broke = any(word in str(error) for word in ("aborted", "reset", "Broken pipe"))
            raise DoorClosed("The connection broke off." if broke else "Nobody answers at this address.") from error
        try:
            told = json.loads(content) if content else None
        except (ValueError, RecursionError):
            told = None
        _refuse(answer.status_code, told)
        return answer.status_code, answer, told

    def free(self) -> int | None:
        """Ask the site what it has room for."""
        _, _, told = self._ask("GET", "room")
        free = told.get("free") if isinstance(told, dict) else None
        return free if isinstance(free, int) and free >= 0 else None

    def size_of(self, path: str) -> int | None:
        """Return the bytes of an item, or those of an upload that have arrived."""
        if not path.endswith(PART):
            item = self.item(path)
            return None if item is None else _count(item.get("bytes"))
        place = self._marks.get(path)
        if place is None:
            return None
        status, answer, _ = self._ask("HEAD", place, headers=_TUS)
        if status in (404, 410):
            del self._marks[path]
            return None
        return _count(answer.headers.get("Upload-Offset"))

    def item(self, name: str) -> dict[str, Any] | None:
        """Return what the site tells of an item, ``None`` where it has none of this name."""
        status, _, told = self._ask("GET", f"items/{quote(safe_path(name), safe='')}")
        if status in (404, 410):
            return None
        if not isinstance(told, dict):
            raise DoorClosed("The site's answer cannot be read.")
        return told

    def send(self, source: Path, path: str, told: Told) -> None:
        """Send what is missing of a file, in chunks that the site checks one by one."""
        there, size = self.size_of(path), source.stat().st_size
        if there is None or there > size:
            there = 0
            self._marks[path] = self._open(path.removesuffix(PART), size)
        with open(source, "rb") as reading:
            reading.seek(there)
            while chunk := reading.read(CHUNK):
                there = self._send_chunk(self._marks[path], there, chunk)
                reading.seek(there)
                told(there)

    def _open(self, name: str, size: int) -> str:
        words = base64.b64encode(name.encode()).decode()
        headers = _TUS | {"Upload-Length": str(size), "Upload-Metadata": f"filename {words}"}
        status, answer, _ = self._ask("POST", "uploads", headers=headers)
        place = urljoin(urljoin(self._base, "uploads"), answer.headers.get("Location", ""))
        if status != 201 or urlsplit(place)[:2] != urlsplit(self._base)[:2]:
            raise DoorRefused("The site opens no upload, or names a place at another address for it.")
        return place

    def _send_chunk(self, place: str, there: int, chunk: bytes) -> int:
        summed = base64.b64encode(hashlib.sha256(chunk).digest()).decode()
        headers = _TUS | {
            "Upload-Offset": str(there),
            "Upload-Checksum": f"sha256 {summed}",
            "Content-Type": "application/offset+octet-stream",
        }
        status, answer, _ = self._ask("PATCH", place, headers=headers, data=chunk)
        if status == 460:
            raise DoorClosed("A chunk arrived changed; it is sent anew.")
        if status != 204:
            raise DoorClosed("The site has another part of the file than it told; it is asked again.")
        return _count(answer.headers.get("Upload-Offset"))

    def holds(self, path: str, source: Path, xxh128: str, told: Told) -> bool:
        """Have all bytes arrived, each chunk checked by SHA-256? Of an item: does the site tell the file's SHA-256?"""
        wanted = digests_of(source, ["sha256"], told).digests["sha256"]
        if path.endswith(PART):
            self._wanted[path] = wanted
            return self.size_of(path) == source.stat().st_size
        item = self.item(path)
        return item is not None and item.get("sha256") == wanted

    def read(self, path: str, most: int) -> bytes | None:
        """Nothing but items can be read of a site."""
        return None

    def remove(self, path: str) -> None:
        """End an upload, if there is one."""
        if place := self._marks.get(path):
            self._ask("DELETE", place, headers=_TUS)
            del self._marks[path]

    def give_name(self, part: str, path: str) -> None:
        """Make an item of an upload."""
        told = self._words | {"upload": urlsplit(self._marks[part]).path, "name": path}
        status, _, answer = self._ask("POST", "items", json=told)
        if status == 409:
            raise DoorRefused(f"The site takes no {path}: {_words(answer) or 'it has one already'}.")
        if status not in (200, 201):
            raise DoorRefused(f"The site refuses {path}: {_words(answer) or f'status {status}'}.")
        shown = answer.get("sha256") if isinstance(answer, dict) else None
        if self._wanted.get(part, shown) != shown:
            raise DoorRefused(
                f"{path} at the site is not what was sent: its SHA-256 is another. Have it removed there."
            )
        del self._marks[part]

    def fetch(self, address: str, to: Path, size: int, told: Told) -> None:
        """Fetch what the site plays, of a size that it told, from the byte where an earlier try ended."""
        place = urljoin(self._base, address)
        if urlsplit(place)[:2] != urlsplit(self._base)[:2]:
            raise DoorRefused("The site names another address for its copy; nothing is fetched from there.")
        while (there := to.stat().st_size if to.exists() else 0) < size:
            end = min(there + (CHUNK << 2), size) - 1
            try:
                # As a viewer: without the token.
                answer = requests.get(
                    place,
                    headers={"Range": f"bytes={there}-{end}"},
                    timeout=_TIMEOUT_S,
                    allow_redirects=False,
                    stream=True,
                )
                with answer:
                    _refuse(answer.status_code, None)
                    if answer.status_code != 206:
                        raise DoorClosed(f"The site does not play {Path(address).name} (status {answer.status_code}).")
                    piece = answer.raw.read(end - there + 1)
            except requests.RequestException as error:
                raise DoorClosed("The site broke off while its copy was fetched.") from error
            if not piece:
                raise DoorClosed("The site broke off while its copy was fetched.")
            with open(to, "ab") as writing:
                writing.write(piece)
            told(there + len(piece))

    def close(self) -> None:
        """Close the connections."""
        self._session.close()


class _Bearer(requests.auth.AuthBase):
    """The token, which no file of the machine's user takes the place of."""

    def __init__(self, token: str) -> None:
        self._token = token

    def __call__(self, request: requests.PreparedRequest) -> requests.PreparedRequest:
        if self._token:
            request.headers["Authorization"] = f"Bearer {self._token}"
        return request


def _count(value: Any) -> int:
    """A number of bytes as a site tells it."""
    text = str(value)
    if text.isascii() and text.isdecimal() and len(text) < 18:
        return int(text)
    raise DoorClosed("The site does not tell how many bytes it has.")


def _words(told: Any) -> str:
    """What an answer says is wrong."""
    words = told.get("error") if isinstance(told, dict) else None
    return "".join(sign if sign.isprintable() else " " for sign in str(words or "")[:_LONGEST_WORDS]).strip()


def _refuse(status: int, told: Any) -> None:
    """Raise for what is wrong with every request alike."""
    words = f": {_words(told)}" if _words(told) else ""
    if status in (401, 403):
        raise DoorRefused("The site refuses the token; enter the one that it gives you.")
    if 300 <= status < 400:
        raise DoorRefused("The site sends to another address, which is not followed; enter that one if it is right.")
    if status == 413:
        raise DoorRefused(f"The file is too large for the site{words}.")
    if status in (429, 503):
        raise DoorClosed(f"The site is busy{words}.")
    if status == 507:
        raise DoorClosed(f"The site has no room{words}.")
    if status >= 500:
        raise DoorClosed(f"The site has failed (status {status}){words}.")
