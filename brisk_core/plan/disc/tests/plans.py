"""A disc on which nothing is wrong, to plant faults in."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from brisk_core.plan.disc.document import DiscFile, read_disc
from brisk_core.plan.disc.items import Disc

CLIP: dict[str, Any] = {
    "id": "film", "kind": "clip", "name": "Film", "length": "10:00", "rate": 25, "size": "720x576", "shape": "16:9",
    "scan": "interlaced", "codec": "mpeg2", "chroma": "4:2:0", "bit_depth": 8, "group": 12, "open_groups": False,
    "picture_rate": "6 Mb/s", "sounds": ["ac3 448 kb/s 6 channels"],
    "chapters": ["0:00", {"at": "1500 frames", "name": "The locks"}, "3000 frames"], "then": "menu",
}  # fmt: skip
SHORT = CLIP | {"id": "short", "name": "Short", "length": "2:00", "chapters": [], "then": "back"}
MENU: dict[str, Any] = {
    "id": "menu",
    "kind": "screen",
    "name": "Menu",
    "buttons": [
        {"id": "play", "label": "Play", "to": "film"},
        {"id": "locks", "label": "The locks", "to": "film chapter 2"},
        {"id": "short", "label": "Short", "to": "short"},
    ],
}
RIGHT = [MENU, CLIP, SHORT]


def disc(
    *, items: list[dict[str, Any]] | None = None, files: Mapping[str, DiscFile] | None = None, **more: Any
) -> Disc:
    """Return the disc, or one of other items that starts with the first of them."""
    rows = items or RIGHT
    top = {"name": "Test", "kind": "sd-single", "family": 25, "starts_with": rows[0]["id"], "home": rows[0]["id"]}
    return read_disc({**top, **more, "items": rows}, files)
