"""Packages: a folder with everything that belongs together and a manifest, made from files and verified."""

from __future__ import annotations

import os
import re
import unicodedata
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from brisk_core.handoff.copying import CopyRefused, copy_verified, digests_of
from brisk_core.handoff.hash_list import CHAIN, MHL_FOLDER, c4_of, write_mhl
from brisk_core.handoff.manifests import (
    ALGORITHMS,
    CHECKED,
    Listed,
    ManifestRefused,
    list_text,
    read_chain,
    read_manifest,
    safe_path,
    text_of,
)
from brisk_core.text_lines import lines_of

__all__ = ["Item", "Verified", "make_package", "safe_path", "verify_package"]

_CODED = re.compile(r"%(0[AaDd]|25)")  # line ends and the percent sign in the paths of a bag (RFC 8493, 2.1.3)
#: Kinds of manifest that a package can be given.
KINDS = ("mhl", *ALGORITHMS, "bagit")


@dataclass(frozen=True, slots=True, kw_only=True)
class Item:
    """A file that goes into a package."""

    source: Path
    path: str  #: inside the package, with slashes
    xxh128: str = ""  #: that it must have; empty where it is not known


@dataclass(frozen=True, slots=True, kw_only=True)
class Verified:
    """What a verification of a folder found."""

    manifest: str  #: of which list; empty for none
    checked: int  #: files that are as listed
    missing: tuple[str, ...]  #: paths that are listed and not there
    changed: tuple[str, ...]  #: paths whose content or size is another
    extra: tuple[str, ...]  #: paths that no list names
    mistake: str = ""  #: why the list cannot be read

    @property
    def right(self) -> bool:
        """Is everything there that is listed, as it is listed, and nothing else?"""
        return bool(self.manifest and self.checked) and not (self.missing or self.changed or self.extra or self.mistake)

    @property
    def says(self) -> str:
        """The outcome as a sentence."""
        if self.mistake:
            return self.mistake
        if not self.manifest:
            return "There is no list of checksums in this folder."
        parts = [
            f"{len(paths)} {words}: {', '.join(paths[:3])}{' and more' if len(paths) > 3 else ''}"
            for paths, words in ((self.missing, "missing"), (self.changed, "changed"), (self.extra, "not listed"))
            if paths
        ]
        return f"{self.checked} of {self.checked + len(self.missing) + len(self.changed)} files as listed" + (
            f"; {'; '.join(parts)}" if parts else ""
        )


def make_package(
    folder: Path,
    items: Sequence[Item],
    manifests: Iterable[str] = ("mhl",),
    *,
    author: str = "",
    told: Callable[[int, int], None] | None = None,
) -> dict[str, dict[str, str]]:
    """Copy files into a new folder, verify each copy, and write manifests; return the digests of each path.

    ``told`` is called with bytes done and bytes in all, and may raise to stop. Raises ``CopyRefused`` where the folder
    is there already, two files want one name, or a copy is not what its source is. A folder that could not be
    completed keeps the ending ``.part``, so that nobody takes it for a package; it is made anew the next time.
    """
    kinds = list(dict.fromkeys(manifests))
    unknown = [kind for kind in kinds if kind not in KINDS]
    if unknown:
        raise CopyRefused(f"met {unknown[0]!r} as a manifest; expected one of {', '.join(KINDS)}")
    paths = [safe_path(item.path) for item in items]
    twice = {path for path in paths if [one.casefold() for one in paths].count(path.casefold()) > 1}
    if twice:
        raise CopyRefused(f"two files want the name {sorted(twice)[0]}")
    if folder.exists():
        raise CopyRefused(f"{folder.name} is there already; nothing is overwritten")
    algorithms = [kind for kind in kinds if kind in ALGORITHMS] + ["xxh128"]
    if "bagit" in kinds:
        algorithms.append("sha256")
    part = folder.with_name(f"{folder.name}.part")
    _clear(part)
    total, before = sum(item.source.stat().st_size for item in items), 0
    digests: dict[str, dict[str, str]] = {}
    for item, path in zip(items, paths, strict=True):
        expected = ("xxh128", item.xxh128) if item.xxh128 else None
        copied = copy_verified(
            item.source,
            part / path,
            algorithms,
            expected=expected,
            told=_behind(told, before, total) if told else None,
        )
        digests[path], before = copied.digests, before + copied.size
    _write_manifests(part, folder.name, kinds, digests, author)
    os.rename(part, folder)
    return digests


def _behind(told: Callable[[int, int], None], before: int, total: int) -> Callable[[int], None]:
    """Tell the bytes of one file behind those of the files before it."""
    return lambda size: told(before + size, total)


def _clear(part: Path) -> None:
    """Remove what an earlier try left; it has the ending that only an unfinished package has."""
    if part.exists():
        for path in sorted(part.rglob("*"), reverse=True):
            path.rmdir() if path.is_dir() and not path.is_symlink() else path.unlink()
        part.rmdir()
    part.mkdir(parents=True)


def _write_manifests(
    folder: Path, name: str, kinds: Sequence[str], digests: dict[str, dict[str, str]], author: str
) -> None:
    for kind in kinds:
        if kind in ALGORITHMS:
            text = list_text({path: found[kind] for path, found in digests.items()})
            (folder / f"manifest.{kind}").write_text(text, encoding="utf-8")
    if "mhl" in kinds:
        write_mhl(folder, name, {path: found["xxh128"] for path, found in digests.items()}, author)
    if "bagit" in kinds:
        _write_bag(folder, author)


def _write_bag(folder: Path, author: str) -> None:
    """Turn the folder into a bag (RFC 8493) with SHA-256, with the Library of Congress's package."""
    import bagit  # type: ignore[import-untyped]

    bagit.make_bag(str(folder), {"Contact-Name": author} if author else {}, checksums=["sha256"])


def verify_package(folder: Path, told: Callable[[int, int], None] | None = None) -> Verified:
    """Hold a folder against its manifests: a bag, an ASC MHL history and its chain, or lists of checksums at its top.

    Files that no list names are told too; what systems leave by themselves counts among them. ``told`` is called with
    files done and files in all. Nothing is written, and nothing outside the folder is read.
    """
    there = {
        path.relative_to(folder).as_posix(): path
        for path in sorted(folder.rglob("*"))
        if path.is_symlink() or not path.is_dir()
    }
    try:
        name, listed, own = _lists_of(folder, there)
        missing, changed, unsealed = _broken_seals(there)
    except (ManifestRefused, OSError) as error:
        return Verified(manifest="", checked=0, missing=(), changed=(), extra=(), mistake=str(error))
    by_letters = {_composed(path): path for path in there}
    listed = [
        one if one.path in there else replace(one, path=by_letters.get(_composed(one.path), one.path)) for one in listed
    ]
    checked = 0
    for number, one in enumerate(listed, 1):
        path = there.get(one.path)
        if path is None:
            missing.append(one.path)
        elif path.is_symlink() or _is_other(path, one):
            changed.append(one.path)
        else:
            checked += 1
        if told is not None:
            told(number, len(listed))
    named = {one.path for one in listed}
    extra = [path for path in there if path not in named and path not in own] if name else []
    extra += unsealed
    return Verified(
        manifest=name,
        checked=checked,
        missing=tuple(dict.fromkeys(missing)),
        changed=tuple(dict.fromkeys(changed)),
        extra=tuple(extra),
    )


def _broken_seals(there: Mapping[str, Path]) -> tuple[list[str], list[str], list[str]]:
    """Generations of an ASC MHL history that its chain seals and that are missing or other, and those it does not seal.

    A history without its chain lacks it: whoever changes a file can write a list that says so.
    """
    generations = {path for path in there if path.startswith(f"{MHL_FOLDER}/") and path.endswith(".mhl")}
    if not generations and CHAIN not in there:
        return [], [], []
    if CHAIN not in there:
        return [CHAIN], [], []
    if there[CHAIN].is_symlink():
        return [], [CHAIN], []
    sealed = {f"{MHL_FOLDER}/{name}": seal for name, seal in read_chain(there[CHAIN]).items()}
    changed = [
        path
        for path in sorted(generations & set(sealed))
        if there[path].is_symlink() or c4_of(there[path].read_bytes()) != sealed[path]
    ]
    return sorted(set(sealed) - generations), changed, sorted(generations - set(sealed))


def _composed(path: str) -> str:
    """A path with its letters composed: systems write é in one sign or in two, and a copy may change that (UAX 15)."""
    return unicodedata.normalize("NFC", path)


def _is_other(path: Path, listed: Listed) -> bool:
    if listed.size is not None and path.stat().st_size != listed.size:
        return True
    return digests_of(path, [listed.algorithm]).digests[listed.algorithm] != listed.digest


def _lists_of(folder: Path, there: dict[str, Path]) -> tuple[str, list[Listed], set[str]]:
    """The name of what lists the folder, what it lists, and the paths that belong to the lists themselves."""
    if "bagit.txt" in there:
        return _bag_lists(folder, there)
    generations = sorted(path for path in there if path.startswith(f"{MHL_FOLDER}/") and path.endswith(".mhl"))
    plain = sorted(path for path in there if "/" not in path and path.rpartition(".")[2].lower() in (*CHECKED, "mhl"))
    own = {path for path in there if path.startswith(f"{MHL_FOLDER}/")} | set(plain)
    listed = [one for path in plain for one in read_manifest(folder / path)]
    by_path: dict[str, Listed] = {}
    for path in generations:  # the newest generation that names a file counts
        by_path |= {one.path: one for one in read_manifest(folder / path)}
    listed += by_path.values()
    listed = [one for one in listed if one.path not in own]
    return ", ".join([*plain, *generations]), listed, own


def _bag_lists(folder: Path, there: dict[str, Path]) -> tuple[str, list[Listed], set[str]]:
    """The lists of a bag (RFC 8493): payload and tag manifests of the algorithms that this engine checks."""
    names = [path for path in there if path.startswith(("manifest-", "tagmanifest-")) and path.endswith(".txt")]
    listed: list[Listed] = []
    for name in names:
        algorithm = name.removesuffix(".txt").rpartition("-")[2]
        if algorithm not in CHECKED:
            continue
        for number, line in enumerate(lines_of(text_of(folder / name)), 1):
            if not line.strip():
                continue
            digest, *rest = line.split(maxsplit=1)
            if len(digest) != CHECKED[algorithm] or not rest:
                raise ManifestRefused(f"line {number} of {name}: met {line[:60]!r}; expected a digest and a path")
            path = rest[0] if rest[0] in there else _CODED.sub(lambda one: chr(int(one[1], 16)), rest[0])
            listed.append(Listed(path=safe_path(path), algorithm=algorithm, digest=digest.lower()))
    if not listed:
        raise ManifestRefused(f"The bag has no manifest that this engine checks ({', '.join(CHECKED)}).")
    own = set(names) | {"bagit.txt", "bag-info.txt", "fetch.txt"}
    return "BagIt", listed, own
