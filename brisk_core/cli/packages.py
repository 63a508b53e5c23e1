"""``brisk-sentry package``: makes a package of files, and verifies any that arrives."""

from __future__ import annotations

import argparse
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from brisk_core.cli.saying import A_FAIL, NO_FAIL, UNREADABLE, WRONG_USE, Parser, Refusal, printable, say, say_json
from brisk_core.handoff import Item, make_image, make_package, verify_package
from brisk_core.handoff.copying import CopyRefused
from brisk_core.handoff.manifests import ManifestRefused
from brisk_core.handoff.packages import KINDS


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add the kinds of what is done with packages."""
    kinds = parser.add_subparsers(dest="kind", required=True, parser_class=Parser)
    make = kinds.add_parser("make", help="copy files into a new folder, verify them, list them")
    make.add_argument("folder", help="of the package; it must not be there yet")
    make.add_argument("files", nargs="+")
    make.add_argument("--manifest", action="append", choices=KINDS, help="mhl without it; may be given again")
    make.add_argument("--author", default="", help="who made it, for the manifest")
    image = kinds.add_parser("image", help="write files and a list of SHA-256 as an image of a data disc")
    image.add_argument("image", help="that is written; it must not be there yet")
    image.add_argument("files", nargs="+")
    image.add_argument("--label", default="DATA", help="of the disc: capital letters, digits, underscores")
    verify = kinds.add_parser("verify", help="hold a folder against its manifests")
    verify.add_argument("folder")
    verify.add_argument("--json", action="store_true", help="print what was found as JSON")


def run(options: argparse.Namespace) -> int:
    """Make or verify a package; return the exit status: 1 for one that does not hold."""
    return {"make": _make, "image": _image, "verify": _verify}[options.kind](options)


def _items(options: argparse.Namespace) -> list[Item]:
    files = [Path(name) for name in options.files]
    missing = [path for path in files if not path.is_file()]
    if missing:
        raise Refusal(UNREADABLE, f"{missing[0]} is no file")
    return [Item(source=path, path=path.name) for path in files]


@contextmanager
def _refusing() -> Iterator[None]:
    """Say what cannot be written as the command says things."""
    try:
        yield
    except (CopyRefused, ManifestRefused) as error:
        raise Refusal(WRONG_USE, str(error)) from error
    except OSError as error:
        raise Refusal(UNREADABLE, f"it cannot be written: {error.strerror or error}") from error


def _make(options: argparse.Namespace) -> int:
    with _refusing():
        digests = make_package(
            Path(options.folder), _items(options), options.manifest or ["mhl"], author=options.author
        )
    for path, found in sorted(digests.items()):
        say(f"{found['xxh128']}  {printable(path)}")
    return NO_FAIL


def _image(options: argparse.Namespace) -> int:
    with _refusing():
        digests = make_image(Path(options.image), _items(options), options.label)
    for path, digest in sorted(digests.items()):
        say(f"{digest}  {printable(path)}")
    return NO_FAIL


def _verify(options: argparse.Namespace) -> int:
    folder = Path(options.folder)
    if not folder.is_dir():
        raise Refusal(UNREADABLE, f"{folder} is no folder")
    found = verify_package(folder)
    if options.json:
        say_json(
            {
                "right": found.right,
                "manifest": found.manifest,
                "checked": found.checked,
                "missing": list(found.missing),
                "changed": list(found.changed),
                "extra": list(found.extra),
                "says": found.says,
            }
        )
    else:
        say(printable(found.says))
    return NO_FAIL if found.right else A_FAIL
