"""The command ``brisk-sentry``: inspect and check files without a database and without a server, or in a
house that is asked to.

Exit status: 0 no fail, 1 a fail, 2 wrong use, 3 the file cannot be read.
"""

from __future__ import annotations

import argparse
import importlib
import sys
from collections.abc import Sequence
from typing import Any

from brisk_core.cli.saying import NO_FAIL, Parser, Refusal, printable, say_json
from brisk_core.version import ENGINE

#: The verbs: what each does, and the module with its ``add_arguments`` and ``run``. Only the one that is asked for is
#: loaded: all of them together take a second and more.
_VERBS = {
    "inspect": ("read a file and print its facts", "inspecting"),
    "look": ("look at some pictures and a little sound from all along a file", "looking"),
    "check": ("judge a file by a spec and a timeline", "checking"),
    "stems": ("hold stems against their mix", "stems"),
    "plan": ("work out what fits before a render is made", "plans"),
    "remote": ("send a file to a house and wait for its verdict", "remote"),
    "package": ("make a package of files with manifests, or verify one", "packages"),
}


def _module(verb: str) -> Any:
    return importlib.import_module(f"brisk_core.cli.{_VERBS[verb][1]}")


def _parser(asked: str) -> argparse.ArgumentParser:
    """The parser, which knows the arguments of the verb that is asked for."""
    parser = Parser(prog="brisk-sentry", description="Says, with proof, whether a rendered file is what was ordered.")
    parser.add_argument("--version", action="version", version=ENGINE)
    verbs = parser.add_subparsers(dest="verb", required=True, parser_class=Parser)
    for verb, (says, _) in _VERBS.items():
        added = verbs.add_parser(verb, help=says)
        if verb == asked:
            _module(verb).add_arguments(added)
    return parser


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the command and return its exit status."""
    words = list(sys.argv[1:] if arguments is None else arguments)
    try:
        options = _parser(words[0] if words else "").parse_args(words)
        status: int = _module(options.verb).run(options)
        return status
    except Refusal as refusal:
        sys.stderr.write(f"brisk-sentry: {printable(' '.join(str(refusal).split()))}\n")
        if "--json" in words:
            say_json({"error": str(refusal)})
        return refusal.status
    except BrokenPipeError:
        return NO_FAIL
