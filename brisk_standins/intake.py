"""A broadcaster's intake: a folder that it watches. It waits for a package's manifest, checks checksums, names and its
own rules, and after a while writes a signed receipt, or a refusal with its reasons, beside what it got.
"""

from __future__ import annotations

import json
import os
import re
import time
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import av
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from cryptography.hazmat.primitives.serialization import Encoding, NoEncryption, PrivateFormat, PublicFormat

from brisk_core.handoff import digests_of, verify_package
from brisk_standins.page import Switches, serve_page

FAULTS = {
    "refuses": "refuses everything, with a reason",
    "little": "takes nothing above 2 MB, and says so as a rule",
    "silent": "never answers",
    "forged": "signs with another key",
    "mistaken": "writes receipts about another file",
    "garbled": "writes receipts that are no JSON",
}
_RECEIPT = ".receipt.json"
_NAME = re.compile(r"[A-Z0-9][A-Z0-9_]{5,59}")  # its own stricter rule for names
_ENDINGS = (".mxf", ".mp4", ".mov")
_MANIFESTS = ("ascmhl/ascmhl_chain.xml", "manifest.*", "bagit.txt")
_MOST_SECONDS = 4 * 3600
_MOST_BYTES = 2_000_000  # where it is switched to take little


def key_of(folder: Path) -> Ed25519PrivateKey:
    """Return the key that receipts are signed by, made when it is first needed."""
    path = folder / "receipt-key"
    folder.mkdir(parents=True, exist_ok=True)
    try:
        with open(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
            made = Ed25519PrivateKey.generate()
            file.write(made.private_bytes(Encoding.Raw, PrivateFormat.Raw, NoEncryption()))
    except FileExistsError:
        pass
    return Ed25519PrivateKey.from_private_bytes(path.read_bytes())


def public_key_of(folder: Path) -> str:
    """Return the public key in hexadecimal, as the house keeps it."""
    return key_of(folder).public_key().public_bytes(Encoding.Raw, PublicFormat.Raw).hex()


@dataclass
class Intake:
    """An intake over a folder; ``step`` looks once at everything that arrived."""

    folder: Path  #: that is delivered into
    home: Path  #: of its key and number
    delay_s: float = 6.0  #: between seeing something whole and answering
    switches: Switches = field(default_factory=lambda: Switches(FAULTS))
    seen: dict[str, float] = field(default_factory=dict)  #: when each was first seen whole
    answered: dict[str, str] = field(default_factory=dict)

    def state(self) -> dict[str, Any]:
        """Return what its page shows."""
        waiting = [name for name in self.seen if name not in self.answered]
        return {"key": public_key_of(self.home), "waiting": waiting, "answered": self.answered}

    def step(self, now: float) -> None:
        """Look at what arrived, and answer what has waited long enough."""
        for path in sorted(self.folder.iterdir()):
            name = path.name
            if name.endswith((_RECEIPT, ".part")) or name.startswith(".") or "silent" in self.switches:
                continue
            receipt = self.folder / f"{name}{_RECEIPT}"
            if receipt.exists() or not _is_whole(path):
                continue
            first = self.seen.setdefault(name, now)
            if now - first >= self.delay_s:
                self._answer(path, receipt)

    def _answer(self, path: Path, receipt: Path) -> None:
        media, reasons = self._judge(path)
        if "refuses" in self.switches:
            reasons.append("rejected by a person: the end credits are not the agreed ones")
        asks = []
        if "little" in self.switches and media and media.stat().st_size > _MOST_BYTES:
            reasons.append("the file is larger than the 2 MB that we take")
            asks.append({"reason": reasons[-1], "characteristic": "file.size", "condition": {"at_most": _MOST_BYTES}})
        checksum = digests_of(media, ["xxh128"]).digests["xxh128"] if media else ""
        name = path.name
        if "mistaken" in self.switches:
            name, checksum = "ANOTHER_PROGRAMME", "0" * 32
        answer = "refused" if reasons else "taken"
        body = {
            "answer": answer,
            "name": name,
            "xxh128": checksum,
            "reasons": reasons,
            "asks": asks,
            "number": f"CM-{len(self.answered) + 1:05}",
        }
        key = Ed25519PrivateKey.generate() if "forged" in self.switches else key_of(self.home)
        told = json.dumps(body, sort_keys=True, separators=(",", ":"), ensure_ascii=False).encode()
        text = json.dumps({"body": body, "signature": key.sign(told).hex()}, ensure_ascii=False)
        unfinished = receipt.with_name(f".{receipt.name}")
        unfinished.write_text("thank you" if "garbled" in self.switches else text, encoding="utf-8")
        unfinished.replace(receipt)
        self.answered[path.name] = answer

    def _judge(self, path: Path) -> tuple[Path | None, list[str]]:
        """The media file of a delivery, and what is wrong with it."""
        reasons = []
        stem = path.stem if path.is_file() else path.name
        if not _NAME.fullmatch(stem):
            reasons.append(f"the name {stem} is not 6 to 60 capital letters, digits and underscores")
        if path.is_dir():
            found = verify_package(path)
            if not found.right:
                reasons.append(f"the package does not hold: {found.says}")
        files = (
            [path]
            if path.is_file()
            else [one for one in sorted(path.rglob("*")) if one.suffix in (".mxf", ".mp4", ".mov")]
        )
        if len(files) != 1:
            return None, [*reasons, f"{len(files)} media files; expected one"]
        try:
            with av.open(str(files[0])) as container:
                if not container.streams.video:
                    reasons.append("no picture")
                elif (container.duration or 0) / av.time_base > _MOST_SECONDS:
                    reasons.append("longer than four hours")
        except (av.error.FFmpegError, OSError) as error:
            reasons.append(f"the file cannot be opened: {error}")
        return files[0], reasons


def _is_whole(path: Path) -> bool:
    """A file alone is whole under its name; a package once its manifest lies in it and nothing is unfinished."""
    if path.is_file():
        return True
    if any(one.name.endswith(".part") for one in path.rglob("*")):
        return False
    return bool(
        list(path.glob("ascmhl/ascmhl_chain.xml")) or list(path.glob("manifest.*")) or list(path.glob("bagit.txt"))
    )


def run(folder: Path, home: Path, port: int) -> None:
    """Run an intake for good, with its page."""
    folder.mkdir(parents=True, exist_ok=True)
    intake = Intake(folder=folder, home=home)
    serve_page(port, "Intake of Channel Merrow", intake.switches, intake.state)
    while True:
        intake.step(time.monotonic())
        time.sleep(0.5)
