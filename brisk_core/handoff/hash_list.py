"""The first generation of an ASC MHL history (ASC MHL 2.0): a hash list in XML, and the chain that seals it by C4."""

from __future__ import annotations

import hashlib
import socket
from collections.abc import Mapping
from datetime import UTC, datetime
from pathlib import Path
from xml.sax.saxutils import escape, quoteattr

from brisk_core.version import ENGINE

MHL_FOLDER = "ascmhl"
CHAIN = f"{MHL_FOLDER}/ascmhl_chain.xml"  #: seals the generations of a history
_IGNORED = (".DS_Store", "ascmhl", "ascmhl/", "manifest.*")  # what the history does not speak of
_C4_SIGNS = "123456789ABCDEFGHJKLMNPQRSTUVWXYZabcdefghijkmnopqrstuvwxyz"
_C4_LENGTH = 88  # signs after "c4"


def write_mhl(folder: Path, name: str, digests: Mapping[str, str], author: str) -> None:
    """Write a history into a folder whose name is going to be ``name``; ``digests`` are xxh128 by path."""
    now = datetime.now(UTC)
    home = folder / MHL_FOLDER
    home.mkdir()
    generation = home / f"0001_{name}_{now:%Y-%m-%d_%H%M%S}Z.mhl"
    generation.write_text(_hash_list(folder, digests, author, now), encoding="utf-8")
    (folder / CHAIN).write_text(
        '<?xml version="1.0" encoding="UTF-8"?>\n<ascmhldirectory xmlns="urn:ASC:MHL:DIRECTORY:v2.0">\n'
        f'  <hashlist sequencenr="1">\n    <path>{escape(generation.name)}</path>\n'
        f"    <c4>{c4_of(generation.read_bytes())}</c4>\n  </hashlist>\n</ascmhldirectory>\n",
        encoding="utf-8",
    )


def _hash_list(folder: Path, digests: Mapping[str, str], author: str, now: datetime) -> str:
    at = now.isoformat(timespec="seconds")
    lines = [
        '<?xml version="1.0" encoding="UTF-8"?>',
        '<hashlist version="2.0" xmlns="urn:ASC:MHL:v2.0">',
        "  <creatorinfo>",
        f"    <creationdate>{at}</creationdate>",
        f"    <hostname>{escape(socket.gethostname())}</hostname>",
        f'    <tool version="{ENGINE}">Brisk Sentry</tool>',
        *([f"    <author>{escape(author)}</author>"] if author else []),
        "  </creatorinfo>",
        "  <processinfo>",
        "    <process>transfer</process>",
        "    <ignore>",
        *(f"      <pattern>{escape(one)}</pattern>" for one in _IGNORED),
        "    </ignore>",
        "  </processinfo>",
        "  <hashes>",
    ]
    for path in sorted(digests):
        stat = (folder / path).stat()
        changed = datetime.fromtimestamp(stat.st_mtime, UTC).isoformat(timespec="seconds")
        lines += [
            "    <hash>",
            f"      <path size={quoteattr(str(stat.st_size))} lastmodificationdate={quoteattr(changed)}>"
            f"{escape(path)}</path>",
            f'      <xxh128 action="original" hashdate={quoteattr(at)}>{digests[path]}</xxh128>',
            "    </hash>",
        ]
    return "\n".join([*lines, "  </hashes>", "</hashlist>", ""])


def c4_of(content: bytes) -> str:
    """Return the C4 identifier of some bytes (SMPTE ST 2114): SHA-512 in base 58 behind "c4", 90 signs."""
    value, signs = int.from_bytes(hashlib.sha512(content).digest(), "big"), ""
    while value:
        value, rest = divmod(value, len(_C4_SIGNS))
        signs = _C4_SIGNS[rest] + signs
    return f"c4{signs.rjust(_C4_LENGTH, _C4_SIGNS[0])}"
