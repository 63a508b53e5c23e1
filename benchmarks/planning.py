"""What it costs to check a disc, against reading its document with the library alone.

    .venv/bin/python benchmarks/planning.py [ITEMS BUTTONS]

Half of the items are screens with so many buttons, half are clips; ways lead anywhere. Ratios are against loading the
same document from YAML and JSON in this run.
"""

from __future__ import annotations

import json
import random
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

import yaml

from brisk_core.plan.disc.answer import answer_disc
from brisk_core.plan.disc.capacity import weigh_disc
from brisk_core.plan.disc.document import read_disc
from brisk_core.plan.disc.navigation import navigate
from brisk_core.plan.disc.walk import walk_everything
from brisk_core.spec import shelf_specs

_CLIP = {
    "kind": "clip", "length": "1:00", "rate": 25, "size": "720x576", "shape": "16:9", "scan": "interlaced",
    "codec": "mpeg2", "picture_rate": "3 Mb/s",
}  # fmt: skip


def plan(items: int, buttons: int) -> dict[str, Any]:
    """A disc of so many items."""
    chance = random.Random(1)  # noqa: S311 - a plan to time
    ids = [f"i{number}" for number in range(items)]
    rows: list[dict[str, Any]] = []
    for number, id_ in enumerate(ids):
        if number % 2:
            rows.append({"id": id_, **_CLIP, "then": chance.choice(ids)})
        else:
            pressed = [{"label": f"b{at}", "to": chance.choice(ids)} for at in range(buttons)]
            rows.append({"id": id_, "kind": "screen", "buttons": pressed})
    top = {"name": "x", "kind": "hd-double", "family": 25, "starts_with": "i0", "home": "i0"}
    return {**top, "items": rows}


def timed(what: Callable[[], object]) -> float:
    """Seconds of the fastest of three runs."""
    found = []
    for _ in range(3):
        start = time.perf_counter()
        what()
        found.append(time.perf_counter() - start)
    return min(found)


def main() -> None:
    """Print the table."""
    items, buttons = map(int, sys.argv[1:3]) if len(sys.argv) > 2 else (2_000, 19)
    document = plan(items, buttons)
    as_yaml, as_json = yaml.safe_dump(document), json.dumps(document)
    specs, disc = shelf_specs(), read_disc(document)
    from_json, from_yaml = timed(lambda: json.loads(as_json)), timed(lambda: yaml.safe_load(as_yaml))
    ways = len(navigate(disc).steps)
    print(f"{items} items, {ways} ways; JSON is loaded in {from_json:.3f} s, YAML in {from_yaml:.2f} s")
    for name, what in (
        ("reading", lambda: read_disc(document)),
        ("navigation", lambda: navigate(disc)),
        ("walking everything", lambda: walk_everything(disc)),
        ("capacity", lambda: weigh_disc(disc)),
        ("the whole answer", lambda: answer_disc(disc, specs)),
    ):
        seconds = timed(what)
        print(f"{name:20} {seconds:6.2f} s, {seconds / from_json:7.1f} x JSON, {seconds / from_yaml:5.2f} x YAML")


if __name__ == "__main__":
    main()
