"""The verb ``stems``: holds stems against their mix."""

from __future__ import annotations

import argparse
from pathlib import Path

from brisk_core import sandbox
from brisk_core.cli.saying import A_FAIL, NO_FAIL, UNREADABLE, WRONG_USE, Refusal, say, say_json
from brisk_core.errors import UnreadableFile
from brisk_core.reading import Source
from brisk_core.sandbox import requests


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what ``stems`` takes."""
    parser.add_argument("mix", help="a file, or FILE#N for its sound track N from 1")
    parser.add_argument("stems", nargs="+", help="files, or FILE#N for a track of one")
    parser.add_argument("--limit", type=float, help="dB under the mix that may be left, such as 60; 40 without it")
    parser.add_argument("--json", action="store_true", help="print JSON of schema brisk-sentry/stems/1")


def run(options: argparse.Namespace) -> int:
    """Hold stems against their mix; return the exit status: 1 where they do not add up."""
    try:
        mix, *stems = [_sound_of(name) for name in (options.mix, *options.stems)]
        limit = -abs(options.limit) if options.limit is not None else None
        found = sandbox.run(requests.Stems(mix=mix, stems=stems, limit=limit))
    except UnreadableFile as error:
        raise Refusal(UNREADABLE, str(error)) from error
    if options.json:
        say_json(found)
    else:
        say(f"{'pass' if found['right'] else 'fail'}: {found['found']}, asked {found['required']}")
        for says in found["says"]:
            say(says)
    return NO_FAIL if found["right"] else A_FAIL


def _sound_of(name: str) -> requests.Sound:
    """Read FILE or FILE#N; a file whose own name ends like that is taken as it is."""
    path, mark, track = name.rpartition("#")
    if mark and track.isdigit() and not Path(name).exists():
        if track == "0":
            raise Refusal(WRONG_USE, f"met {name!r}; tracks count from 1")
        return requests.Sound(url=Source.at_path(path).url, name=name, track=int(track) - 1)
    return requests.Sound(url=Source.at_path(name).url, name=Path(name).name)
