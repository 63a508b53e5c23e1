"""The verb ``inspect``: reads a file and prints its facts. Loads no more than that needs."""

from __future__ import annotations

import argparse

from brisk_core.cli.files import read_file
from brisk_core.cli.saying import NO_FAIL, say, say_json
from brisk_core.facts import REGISTRY, Depth, Unheard, Witness, inspection_to_json, spell


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what ``inspect`` takes."""
    parser.add_argument("file")
    parser.add_argument("--depth", choices=[depth.value for depth in Depth], default=Depth.FULL.value)
    parser.add_argument("--json", action="store_true", help="print JSON of schema brisk-sentry/inspection/1")


def run(options: argparse.Namespace) -> int:
    """Inspect a file; return the exit status."""
    inspection = read_file(options.file, Depth(options.depth))
    if options.json:
        say_json(inspection_to_json(inspection))
        return NO_FAIL
    for id_, witnessed in inspection.facts.items():
        characteristic = REGISTRY[id_]
        said = [
            spell(
                characteristic.kind,
                characteristic.per_track,
                None if value is Unheard.UNHEARD else value,
                characteristic.unit,
            )
            for value in (witnessed.of(witness) for witness in Witness)
        ]
        if any(text != "–" for text in said):
            say(f"{id_:32} {said[0]:28} {said[1]:28} {said[2]}")
    return NO_FAIL
