"""A file against a master or an earlier attempt.

From the ground up: ``frame_map`` (what a map is made of), ``seeds`` and ``mapping`` (every frame's place in the
master), ``speeds`` (shots at another speed), ``cuts`` (the map by cuts alone), ``shots`` (the map in words), ``pairs``
(pictures side by side), ``geometry``, ``levels``, ``similarity``, ``refining``, ``standing``, ``foreign`` and
``singles`` (the map made sharper by pictures), ``shotwise`` (parts of the picture and single shots), ``sound``,
``sound_levels`` and ``sound_verdict``, ``holding`` (what a judge needs), ``against`` (all of it).
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
