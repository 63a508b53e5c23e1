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
from brisk_core.exact import read_whole

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
    kind = path.suffix.lower().removeprefix(".")
    if kind == "mhl":
        return _Mhl(path.name).read(path)
    if kind not in CHECKED:
        raise ManifestRefused(f"met {path.name} as a list of checksums; expected .{', .'.join([*CHECKED, 'mhl'])}")
    return [
        _listed(line, number, kind, path.name)
        for number, line in enumerate(text_of(path).replace("\r\n", "\n").split("\n"), 1)
        if _says(line)
    ]


def _content_of(path: Path) -> bytes:
    if path.stat().st_size > _MOST_BYTES:
        raise ManifestRefused(f"{path.name} has {path.stat().st_size:,} bytes; expected at most {_MOST_BYTES:,}")
    return path.read_bytes()


def text_of(path: Path) -> str:
    """Return the text of a list; raises ``ManifestRefused`` where it is none in UTF-8."""
    try:
        return _content_of(path).decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise ManifestRefused(f"{path.name} is no text in UTF-8") from error


def read_chain(path: Path) -> dict[str, str]:
    """Return what the chain of an ASC MHL history seals: C4 identifiers by the names of its generations.

    Raises ``ManifestRefused`` with a sentence for what is none.
    """
    found: dict[str, str] = {}
    said: list[str] = []
    names: dict[str, str] = {}

    def end(tag: str) -> None:
        name = tag.rpartition("}")[2]
        if name == "hashlist" and "path" in names and "c4" in names:
            found[safe_path(names.pop("path"))] = names.pop("c4")
        names[name] = "".join(said).strip()
        said.clear()

    parser = _parser(path.name)
    parser.StartElementHandler = lambda *_: said.clear()
    parser.EndElementHandler = end
    parser.CharacterDataHandler = said.append
    _parse(parser, path)
    return found


def _parser(name: str) -> expat.XMLParserType:
    def refuse(*_: object) -> None:
        raise ManifestRefused(f"{name} brings a document type, which a hash list has no need of")

    parser = expat.ParserCreate(namespace_separator="}")
    parser.buffer_text = True
    parser.StartDoctypeDeclHandler = refuse
    return parser


def _parse(parser: expat.XMLParserType, path: Path) -> None:
    try:
        parser.Parse(_content_of(path), True)
    except (expat.ExpatError, LookupError) as error:  # an encoding that nobody knows is of the latter
        raise ManifestRefused(f"{path.name} is no XML: {error}") from error


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

    def read(self, path: Path) -> list[Listed]:
        parser = _parser(self.name)
        parser.StartElementHandler = self._start
        parser.EndElementHandler = self._end
        parser.CharacterDataHandler = self._say
        _parse(parser, path)
        return self.found

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
            self.size = read_whole(attributes.get("size", ""))

    def _say(self, text: str) -> None:
        self.text += text

    def _end(self, tag: str) -> None:
        name, said = self.inside.pop(), self.text.strip()
        if "hash" not in self.inside and name != "hash":
            return
        if name in _PATHS:
            self.path = safe_path(said)
        elif name == "size":
            self.size = read_whole(said)
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
