"""The registry of characteristics: the one list of what can be known about a file.

The spec format, the judge, the pages, the reports and the command line all use these ids. An id never changes meaning.
"""

from __future__ import annotations

from brisk_core.facts.characteristic import Characteristic
from brisk_core.facts.registry.checks import CHECKS
from brisk_core.facts.registry.content import CONTENT
from brisk_core.facts.registry.define import CADENCES, CHROMAS, CODECS, SHIFTS, WRAPPERS
from brisk_core.facts.registry.packets import PACKETS
from brisk_core.facts.registry.picture import PICTURE
from brisk_core.facts.registry.sound_and_text import SOUND_AND_TEXT
from brisk_core.facts.registry.wrapper import WRAPPER

__all__ = ["CADENCES", "CHROMAS", "CODECS", "REGISTRY", "SHIFTS", "WRAPPERS", "characteristic"]

REGISTRY: dict[str, Characteristic] = {
    row.id: row for rows in (WRAPPER, PICTURE, CONTENT, PACKETS, SOUND_AND_TEXT, CHECKS) for row in rows
}


def characteristic(id_: str) -> Characteristic:
    """Return the characteristic with this id; raises ``KeyError`` for an unknown one."""
    return REGISTRY[id_]
