"""The verb ``look``: looks at some pictures and a little sound from all along a file, in seconds."""

from __future__ import annotations

import argparse
from fractions import Fraction
from pathlib import Path

from brisk_core import sandbox
from brisk_core.cli.files import read_file
from brisk_core.cli.saying import NO_FAIL, UNREADABLE, Refusal, say, say_json
from brisk_core.errors import UnreadableFile
from brisk_core.exact import spell_seconds
from brisk_core.facts import Depth, inspection_to_json
from brisk_core.first_look import FirstLook, Seen
from brisk_core.first_look.tell import counted
from brisk_core.reading import Source
from brisk_core.sandbox import requests


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what ``look`` takes."""
    parser.add_argument("file")
    parser.add_argument("--pictures", metavar="FOLDER", help="keep small pictures there, numbered from 0")
    parser.add_argument("--json", action="store_true", help="print JSON of schema brisk-sentry/first-look/1")


def run(options: argparse.Namespace) -> int:
    """Look at a file; return the exit status, which says nothing of what was seen."""
    headers = inspection_to_json(read_file(options.file, Depth.HEADERS))
    folder = str(Path(options.pictures).resolve()) if options.pictures else None
    try:
        request = requests.FirstLook(url=Source.at_path(options.file).url, document=headers, small_folder=folder)
        document = sandbox.run(request)
    except UnreadableFile as error:
        raise Refusal(UNREADABLE, str(error)) from error
    if options.json:
        say_json(document)
        return NO_FAIL
    look = FirstLook.from_json(document)
    pictures, places = counted(look.pictures, "picture"), counted(look.sounds, "place")
    say(f"Seen so far, in {pictures} and at {places} of the sound, over {_spelled(look.duration)}:")
    for seen in look.seen:
        say(f"{'!' if seen.odd else ' '} {seen.what:16} {seen.says}{_places(seen)}")
    return NO_FAIL


def _places(seen: Seen) -> str:
    places = [
        _spelled(first) if first == last else f"{_spelled(first)} to {_spelled(last)}" for first, last in seen.spans
    ]
    return f": {', '.join(places)}" if places else ""


def _spelled(seconds: float) -> str:
    return spell_seconds(Fraction(round(seconds * 10), 10))
