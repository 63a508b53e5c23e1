"""Lists of checksums: written, read, and what a name in one may be.

Written are the lists that ``md5sum`` and ``sha256sum`` read (GNU coreutils), and ``xxh128sum`` alike. Read are those,
their kin of other algorithms, ASC MHL 2.0 and the hash lists before it (MHL 1.0 and 1.1); what is read comes from
outside, so document types are refused and sizes are limited.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path, PurePosixPath
from xml.parsers import expat

from brisk_core.errors import ValueRefused

#: Algorithms of lists that are written, by the name a list has them under, with the number of hexadecimal digits.
ALGORITHMS: dict[str, int] = {"md5": 32, "sha256": 64, "xxh128": 32}
#: Algorithms of lists that are read.
CHECKED: dict[str, int] = {**ALGORITHMS, "sha512": 128, "sha1": 40, "xxh3": 16, "xxh64": 16}
_MOST_BYTES = 64 << 20
#: Elements of hash lists with a digest, and the algorithm that checks it, the best first; "" where none does.
_MHL_ALGORITHMS = {
    "xxh128": "xxh128", "xxh3": "xxh3", "xxh64": "xxh64", "xxhash64be": "xxh64", "md5": "md5", "sha1": "sha1",
    "c4": "", "xxhash": "", "xxhash64": "",
}  # fmt: skip
_PATHS = ("path", "file")  # what holds the path of a file, in ASC MHL 2.0 and before
_LINE = re.compile(r"\\?([0-9a-fA-F]+) [ *](.+)")
_TAGGED = re.compile(r"\\?([A-Z0-9-]+) \((.+)\) = ([0-9a-fA-F]+)")  # as md5sum --tag and BSD write
_ALONE = re.compile(r"[0-9a-fA-F]+")  # a list beside one file, which names it


class ManifestRefused(ValueRefused):
    """A list of checksums that cannot be read, with a sentence."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Listed:
    """A file as a list has it."""

    path: str  #: relative, with slashes
    algorithm: str
    digest: str  #: hexadecimal, small letters
    size: int | None = None


def safe_path(text: str) -> str:
    """Return a relative path that stays inside its folder; raises ``ManifestRefused`` for any other."""
    path = PurePosixPath(text.replace("\\", "/"))
    parts = path.parts
    if not parts or path.is_absolute() or ".." in parts or "\0" in text or re.match(r"[A-Za-z]:", text):
        raise ManifestRefused(f"met the path {text[:80]!r}; expected one inside the folder")
    return str(path)


def list_text(digests: Mapping[str, str]) -> str:
    """Return a list of digests by path, in the order of the paths, as ``md5sum --check`` reads it."""
    lines = []
    for path in sorted(digests):
        escaped = path.replace("\\", "\\\\").replace("\n", "\\n")
        lines.append(f"{chr(92) if escaped != path else ''}{digests[path]}  {escaped}\n")
    return "".join(lines)


def read_manifest(path: Path) -> list[Listed]:
    """Return what a list of checksums lists, by its extension: one of ``CHECKED``, or ``.mhl``.

    Raises ``ManifestRefused`` with a sentence for what is none.
    """
    if path.stat().st_size > _MOST_BYTES:
        raise ManifestRefused(f"{path.name} has {path.stat().st_size:,} bytes; expected at most {_MOST_BYTES:,}")
    kind = path.suffix.lower().removeprefix(".")
    if kind == "mhl":
        return _Mhl(path.name).read(path.read_bytes())
    if kind not in CHECKED:
        raise ManifestRefused(f"met {path.name} as a list of checksums; expected .{', .'.join([*CHECKED, 'mhl'])}")
    try:
        text = path.read_bytes().decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise ManifestRefused(f"{path.name} is no text in UTF-8") from error
    return [
        _listed(line, number, kind, path.name)
        for number, line in enumerate(text.replace("\r\n", "\n").split("\n"), 1)
        if _says(line)
    ]


def _says(line: str) -> bool:
    return bool(line.strip()) and not line.startswith(("#", ";"))


def _listed(line: str, number: int, kind: str, name: str) -> Listed:
    digest, path = _digest_and_path(line, kind, name)
    if len(digest) != CHECKED[kind]:
        raise ManifestRefused(f"line {number} of {name}: met {line[:60]!r}; expected {CHECKED[kind]} digits and a path")
    if line.startswith("\\"):
        path = re.sub(r"\\([\\n])", lambda one: "\n" if one[1] == "n" else "\\", path)
    return Listed(path=safe_path(path), algorithm=kind, digest=digest.lower())


def _digest_and_path(line: str, kind: str, name: str) -> tuple[str, str]:
    """Take a line of a list apart; both are empty where it is none."""
    if met := _LINE.fullmatch(line):
        return met[1], met[2]
    if (met := _TAGGED.fullmatch(line)) and met[1].lower().replace("-", "") == kind:
        return met[3], met[2]
    if _ALONE.fullmatch(line.strip()):
        return line.strip(), name.rpartition(".")[0]
    return "", ""


@dataclass
class _Mhl:
    """Reads the files of a hash list: ASC MHL 2.0 (urn:ASC:MHL:v2.0), or MHL 1.0 and 1.1, which have no namespace."""

    name: str
    found: list[Listed] = field(default_factory=list)
    inside: list[str] = field(default_factory=list)
    text: str = ""
    path: str = ""
    size: int | None = None
    digests: dict[str, str] = field(default_factory=dict)

    def read(self, content: bytes) -> list[Listed]:
        parser = expat.ParserCreate(namespace_separator="}")
        parser.buffer_text = True
        parser.StartDoctypeDeclHandler = self._refuse_doctype
        parser.StartElementHandler = self._start
        parser.EndElementHandler = self._end
        parser.CharacterDataHandler = self._say
        try:
            parser.Parse(content, True)
        except expat.ExpatError as error:
            raise ManifestRefused(f"{self.name} is no XML: {error}") from error
        return self.found

    def _refuse_doctype(self, *_: object) -> None:
        raise ManifestRefused(f"{self.name} brings a document type, which a hash list has no need of")

    def _start(self, tag: str, attributes: dict[str, str]) -> None:
        name = tag.rpartition("}")[2]
        is_first = tag == "hashlist" and attributes.get("version", "").startswith("1.")
        if not self.inside and not is_first and (name != "hashlist" or "urn:ASC:MHL:v2" not in tag):
            raise ManifestRefused(f"{self.name}: met <{name}>; expected a hash list of ASC MHL 2.0, or of MHL 1")
        self.inside.append(name)
        self.text = ""
        if name == "hash":
            self.path, self.size, self.digests = "", None, {}
        elif name == "path":
            size = attributes.get("size", "")
            self.size = int(size) if size.isdecimal() else None

    def _say(self, text: str) -> None:
        self.text += text

    def _end(self, tag: str) -> None:
        name, said = self.inside.pop(), self.text.strip()
        if "hash" not in self.inside and name != "hash":
            return
        if name in _PATHS:
            self.path = safe_path(said)
        elif name == "size" and said.isdecimal():
            self.size = int(said)
        elif algorithm := _MHL_ALGORITHMS.get(name):
            self.digests[algorithm] = said.lower()
        elif name == "hash":
            self._keep()

    def _keep(self) -> None:
        """Keep a file with the best of its digests."""
        known = next((one for one in dict.fromkeys(_MHL_ALGORITHMS.values()) if one and one in self.digests), None)
        if known is None:
            checked = ", ".join(dict.fromkeys(filter(None, _MHL_ALGORITHMS.values())))
            raise ManifestRefused(f"{self.name}: {self.path} has no digest that this engine checks ({checked})")
        digest = self.digests[known]
        if len(digest) != CHECKED[known] or not _ALONE.fullmatch(digest):
            met = f"{self.name}: met {digest[:60]!r} as the {known} of {self.path}"
            raise ManifestRefused(f"{met}; expected {CHECKED[known]} hexadecimal digits")
        self.found.append(Listed(path=self.path, algorithm=known, digest=digest, size=self.size))
