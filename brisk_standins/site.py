"""An upload site: takes a file by tus (1.0: creation, checksum, termination) with a token, makes an item of it, checks
it by its own rules, and then makes its own smaller copies, small ones first; tells of each since when it plays.

``/api/uploads`` speaks tus; ``/api/room`` tells what there is room for; ``POST /api/items`` names a whole upload,
``GET /api/items/NAME`` tells where it stands; ``/copies/NAME/LABEL.mp4`` plays, in ranges, to everybody.
"""

from __future__ import annotations

import base64
import hashlib
import json
import re
import shutil
import time
import uuid
from dataclasses import dataclass, field
from pathlib import Path
from threading import Lock
from typing import Any
from urllib.parse import quote, unquote

import av

from brisk_standins.copies import LADDER, encode_copy, rungs_for
from brisk_standins.page import PageHandler, Switches, serve_page

FAULTS = {
    "slow": "makes the largest copy two minutes later",
    "dies": "stops making copies half way",
    "wrong": "shows another picture in its largest copy",
    "levels": "narrows the levels of its copies once more",
    "late": "has the sound of its copies 200 ms late",
    "refuses": "refuses everything, with a reason",
    "drops": "breaks the connection off after every 300 kB",
    "full": "has no room",
    "locked": "refuses every token",
    "corrupts": "changes a byte of everything it is sent",
    "forgets": "forgets uploads that are not whole",
}
TOKEN = "pebble-on-the-bank"  # noqa: S105 - of the demonstration, shown on its page
_DROP_AFTER = 300_000
_LARGEST = 2 << 30  # bytes of a file
_LONGEST_S = 3600
_SLOW_S = 120
_NAME = re.compile(r"[\w .()+-]{1,120}\.(mp4|mov|mxf|mkv)", re.IGNORECASE)
_LINES = (300, 1_000, 3_000, 8_000)  # kbit/s of the lines that it tells of
_SHARE = 0.8  # of a line that a copy may take
_BLOCK = 1 << 16


@dataclass
class Site:
    """A site with its files; ``step`` goes on with whatever there is to do."""

    home: Path
    token: str
    late_s: float = 20.0  #: seconds after which the largest copy is begun
    switches: Switches = field(default_factory=lambda: Switches(FAULTS))
    _lock: Lock = field(default_factory=Lock)

    def __post_init__(self) -> None:
        for name in ("uploads", "items"):
            (self.home / name).mkdir(parents=True, exist_ok=True)

    def state(self) -> dict[str, Any]:
        """Return what its page shows."""
        items = [self.item(path.name) for path in sorted((self.home / "items").iterdir())]
        uploads = len(list((self.home / "uploads").glob("*.json")))
        return {"token": self.token, "unfinished uploads": uploads, "items": [one for one in items if one]}

    # -- uploads ------------------------------------------------------------------------------------------------------

    def open_upload(self, length: int) -> str:
        """Open an upload; return its name."""
        name = uuid.uuid4().hex
        (self.home / "uploads" / f"{name}.bin").touch()
        (self.home / "uploads" / f"{name}.json").write_text(json.dumps({"length": length}))
        return name

    def upload(self, name: str) -> tuple[Path, int] | None:
        """Return where an upload is gathered and how long it will be; ``None`` where there is none."""
        told = self.home / "uploads" / f"{name}.json"
        if not re.fullmatch(r"[0-9a-f]{32}", name) or not told.exists():
            return None
        path = told.with_suffix(".bin")
        length = int(json.loads(told.read_text())["length"])
        if "forgets" in self.switches and path.stat().st_size < length:
            self.end_upload(name)
            return None
        return path, length

    def end_upload(self, name: str) -> None:
        """Remove an upload."""
        for ending in ("json", "bin"):
            (self.home / "uploads" / f"{name}.{ending}").unlink(missing_ok=True)

    # -- items --------------------------------------------------------------------------------------------------------

    def add_item(self, name: str, upload: str, words: dict[str, Any]) -> tuple[int, str]:
        """Make an item of a whole upload; return a status and what is wrong."""
        found = self.upload(upload)
        if found is None or found[0].stat().st_size < found[1]:
            return 409, "there is no whole upload of this name"
        if not _NAME.fullmatch(name):
            return 422, "a name has 1 to 120 letters, digits, spaces, or . ( ) + - _ and ends as a media file does"
        folder = self.home / "items" / name
        with self._lock:
            try:
                folder.mkdir()
            except FileExistsError:
                return 409, "an item of this name is there already"
            original = folder / "original"
            found[0].rename(original)
            self.end_upload(upload)
            if "corrupts" in self.switches:
                with open(original, "r+b") as file:
                    first = file.read(1)
                    file.seek(0)
                    file.write(bytes([first[0] ^ 1]))
            digest = hashlib.file_digest(original.open("rb"), "sha256").hexdigest()
            self._write(
                folder,
                {
                    "name": name, "state": "checking", "reasons": [], "bytes": original.stat().st_size,
                    "sha256": digest, "copies": [], "added_at": time.time(), "words": words,
                },
            )  # fmt: skip
        return 201, ""

    def item(self, name: str) -> dict[str, Any] | None:
        """Return what it tells of an item."""
        told = self.home / "items" / name / "item.json"
        if "/" in name or name.startswith(".") or not told.exists():
            return None
        item: dict[str, Any] = json.loads(told.read_text("utf-8"))
        ready = [one for one in item["copies"] if one["state"] == "ready"]
        playing = []
        for line in _LINES:
            fits = [one for one in ready if one["bit_rate"] <= line * 1000 * _SHARE]
            playing.append({"kbps": line, "copy": max(fits, key=lambda one: one["height"])["label"] if fits else None})
        return item | {"lines": playing}

    @staticmethod
    def _write(folder: Path, item: dict[str, Any]) -> None:
        part = folder / "item.json.part"
        part.write_text(json.dumps(item, ensure_ascii=False), "utf-8")
        part.replace(folder / "item.json")

    def step(self, now: float) -> bool:
        """Do the next thing that there is to do; return whether there was one."""
        for folder in sorted((self.home / "items").iterdir()):
            told = folder / "item.json"
            if not told.exists():
                continue
            item = json.loads(told.read_text("utf-8"))
            if item["state"] == "checking":
                self._check(folder, item)
                return True
            if item["state"] == "making copies" and self._make_next(folder, item, now):
                return True
        return False

    def _check(self, folder: Path, item: dict[str, Any]) -> None:
        reasons = ["rejected by a person: the title is misleading"] if "refuses" in self.switches else []
        height = 0
        try:
            with av.open(str(folder / "original")) as container:
                if (container.duration or 0) / av.time_base > _LONGEST_S:
                    reasons.append("it is longer than an hour")
                if container.streams.video:
                    height = container.streams.video[0].height
                    next(container.decode(video=0))
                else:
                    reasons.append("it has no picture")
        except (av.error.FFmpegError, StopIteration, OSError) as error:
            reasons.append(f"it cannot be opened: {error}")
        item["reasons"], item["state"] = reasons, "refused" if reasons else "making copies"
        if not reasons:
            item["copies"] = [{"label": rung.label, "state": "waits"} for rung in rungs_for(height)]
        self._write(folder, item)

    def _make_next(self, folder: Path, item: dict[str, Any], now: float) -> bool:
        """Make the next copy of an item; return whether there was one to make now."""
        waiting = [one for one in item["copies"] if one["state"] == "waits"]
        is_last = len(waiting) == 1
        late = self.late_s + (_SLOW_S if "slow" in self.switches else 0)
        if is_last and len(item["copies"]) > 1 and now - item["added_at"] < late:
            return False
        if "dies" in self.switches and len(waiting) <= len(item["copies"]) // 2:
            return False
        copy = waiting[0]
        rungs = {rung.label: rung for rung in rungs_for(int(copy["label"][:-1]))}
        path = folder / f"{copy['label']}.mp4"
        chosen = {one for one in self.switches.on if one != "wrong" or is_last}
        try:
            made = encode_copy(folder / "original", path, rungs[copy["label"]], chosen)
        except (av.error.FFmpegError, ValueError, OSError) as error:
            item["state"], item["reasons"] = "refused", [f"no copy could be made: {error}"]
            self._write(folder, item)
            return True
        with av.open(str(path)) as container:
            made["bit_rate"] = int(made["bytes"] * 8 * av.time_base / (container.duration or av.time_base))
        address = f"/copies/{quote(item['name'])}/{copy['label']}.mp4"
        copy |= made | {"state": "ready", "ready_at": now, "address": address}
        if is_last:
            item["state"] = "ready"
        self._write(folder, item)
        return True


class SiteHandler(PageHandler):
    """Speaks tus and the site's own few words."""

    site: Site
    taken = 0  #: bytes that this connection has brought

    def _is_let_in(self) -> bool:
        right = f"Bearer {self.site.token}"
        if self.headers.get("Authorization") == right and "locked" not in self.site.switches:
            return True
        self.answer_json({"error": "the token is not right"}, 401)
        return False

    def _find_upload(self) -> tuple[Path, int] | None:
        found = self.site.upload(self.path.removeprefix("/api/uploads/"))
        if found is None:
            self.answer_json({"error": "there is no such upload"}, 404)
        return found

    def do_GET(self) -> None:
        if self.path.startswith("/copies/"):
            self._play()
        elif not self.path.startswith("/api/"):
            super().do_GET()
        elif self._is_let_in():
            self._tell()

    def _tell(self) -> None:
        if self.path == "/api/room":
            free = 0 if "full" in self.site.switches else shutil.disk_usage(self.site.home).free
            self.answer_json({"free": free, "largest": _LARGEST})
        elif self.path.startswith("/api/items/") and (item := self.site.item(unquote(self.path[len("/api/items/") :]))):
            self.answer_json(item)
        else:
            self.answer_json({"error": "there is no such item"}, 404)

    def do_HEAD(self) -> None:
        if self._is_let_in() and (found := self._find_upload()):
            there = {"Upload-Offset": str(found[0].stat().st_size), "Upload-Length": str(found[1])}
            self.answer(200, headers={"Tus-Resumable": "1.0.0", "Cache-Control": "no-store"} | there)

    def do_POST(self) -> None:
        if self.path == "/":
            super().do_POST()
        elif self._is_let_in():
            if self.path == "/api/uploads":
                self._open_upload()
            elif self.path == "/api/items":
                self._add_item()
            else:
                self.answer_json({"error": "there is nothing here"}, 404)

    def _open_upload(self) -> None:
        length = self.headers.get("Upload-Length") or ""
        if not length.isascii() or not length.isdecimal() or not 0 < int(length) <= _LARGEST:
            self.answer_json({"error": f"a file has 1 to {_LARGEST:,} bytes"}, 413)
        elif "full" in self.site.switches:
            self.answer_json({"error": "there is no room"}, 507)
        else:
            place = f"/api/uploads/{self.site.open_upload(int(length))}"
            self.answer(201, headers={"Location": place, "Tus-Resumable": "1.0.0"})

    def _add_item(self) -> None:
        try:
            told = json.loads(self.rfile.read(min(self.length, _BLOCK)))
            name, upload = str(told.pop("name")), str(told.pop("upload")).rpartition("/")[2]
        except (ValueError, KeyError, AttributeError):
            self.answer_json({"error": "expected an object with upload and name"}, 400)
            return
        status, wrong = self.site.add_item(name, upload, told)
        self.answer_json({"error": wrong} if wrong else self.site.item(name), status)

    def do_DELETE(self) -> None:
        if self._is_let_in() and self._find_upload():
            self.site.end_upload(self.path.removeprefix("/api/uploads/"))
            self.answer(204, headers={"Tus-Resumable": "1.0.0"})

    def do_PATCH(self) -> None:
        if not self._is_let_in() or not (found := self._find_upload()):
            return
        path, length = found
        there = path.stat().st_size
        if self.headers.get("Upload-Offset") != str(there) or there + self.length > length:
            self.answer_json({"error": f"the upload goes on at byte {there}"}, 409)
            self.close_connection = True
            return
        if "full" in self.site.switches:
            self.answer_json({"error": "there is no room"}, 507)
            self.close_connection = True
            return
        summed, wanted = hashlib.sha256(), self.headers.get("Upload-Checksum", "")
        with open(path, "ab") as file:
            left = self.length
            while left and (block := self.rfile.read(min(left, _BLOCK))):
                file.write(block)
                summed.update(block)
                left -= len(block)
                self.taken += len(block)
                if "drops" in self.site.switches and self.taken > _DROP_AFTER:
                    self.close_connection = True
                    return
            if wanted and wanted != f"sha256 {base64.b64encode(summed.digest()).decode()}":
                file.truncate(there)
                self.answer_json({"error": "the chunk is not what its checksum says"}, 460)
                return
        done = {"Upload-Offset": str(path.stat().st_size), "Tus-Resumable": "1.0.0"}
        self.answer(204, headers=done)

    def _play(self) -> None:
        parts = [unquote(part) for part in self.path.split("/")[2:]]
        item = self.site.item(parts[0]) if len(parts) == 2 else None
        known = {f"{one['label']}.mp4" for one in item["copies"] if one["state"] == "ready"} if item else set()
        if parts[-1] not in known:
            self.answer_json({"error": "there is no such copy"}, 404)
            return
        content = (self.site.home / "items" / parts[0] / parts[1]).read_bytes()
        asked = re.fullmatch(r"bytes=(\d+)-(\d*)", self.headers.get("Range", ""))
        if not asked:
            self.answer(200, content, "video/mp4", {"Accept-Ranges": "bytes"})
            return
        start, end = int(asked[1]), int(asked[2] or len(content) - 1)
        if start >= len(content):
            self.answer(416, headers={"Content-Range": f"bytes */{len(content)}"})
            return
        piece = content[start : end + 1]
        shown = {"Content-Range": f"bytes {start}-{start + len(piece) - 1}/{len(content)}", "Accept-Ranges": "bytes"}
        self.answer(206, piece, "video/mp4", shown)


def serve(site: Site, port: int = 0) -> Any:
    """Serve a site in a thread; a port of 0 takes a free one."""
    return serve_page(port, "Pebbleview", site.switches, site.state, handler=SiteHandler, site=site)


def run(home: Path, port: int, token: str) -> None:
    """Run a site for good."""
    site = Site(home=home, token=token)
    serve(site, port)
    while True:
        if not site.step(time.time()):
            time.sleep(0.5)


__all__ = ["FAULTS", "LADDER", "Site", "SiteHandler", "run", "serve"]
