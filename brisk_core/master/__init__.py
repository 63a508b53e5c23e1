"""A file against a master or an earlier attempt.

From the ground up: ``seeds`` and ``mapping`` (every frame's place in the master), ``cuts`` (the map by cuts alone),
``shots`` (the map in words), ``pairs`` (pictures side by side), ``geometry``, ``levels``, ``similarity``, ``sound``,
``against`` (all of it).
"""

from brisk_core.master.against import (
    AGAINST_SCHEMA,
    Against,
    Side,
    held_from_json,
    held_of,
    held_to_json,
    hold_against,
    ordered_frames,
    shot_names,
)

__all__ = [
    "AGAINST_SCHEMA",
    "Against",
    "Side",
    "held_from_json",
    "held_of",
    "held_to_json",
    "hold_against",
    "ordered_frames",
    "shot_names",
]
