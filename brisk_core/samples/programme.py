"""The shots of the programme: an evening on a canal, eight seconds long."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

TITLE = "The Lamplighters’ Canal"
START_TIMECODE = "10:00:00:00"


@dataclass(frozen=True, slots=True, kw_only=True)
class Shot:
    """One shot: where it begins, how its light and its boat are."""

    name: str
    start: Fraction  #: seconds
    sky: tuple[int, int, int]  #: luma, blue and red difference at the horizon, 8-bit narrow range
    lamps: int
    boat_speed: float  #: picture widths a second; negative goes left
    skyline: int  #: seed of the houses


def _shots(*rows: tuple[str, float, tuple[int, int, int], int, float]) -> tuple[Shot, ...]:
    shots, at = [], Fraction(0)
    for number, (name, length, sky, lamps, speed) in enumerate(rows):
        shots.append(Shot(name=name, start=at, sky=sky, lamps=lamps, boat_speed=speed, skyline=17 + number))
        at += Fraction(str(length))
    return tuple(shots)


#: Lengths are whole numbers of frames at 25 and at 30 frames a second.
SHOTS = _shots(
    ("Lock at dawn", 1.2, (122, 118, 141), 3, 0.10),
    ("Keys", 0.8, (70, 131, 136), 2, 0.16),
    ("Lamp 12", 1.0, (96, 124, 143), 5, -0.12),
    ("Rope", 0.6, (84, 126, 140), 1, 0.25),
    ("Barge", 1.4, (110, 122, 146), 4, -0.18),
    ("Match", 0.8, (58, 130, 138), 2, 0.22),
    ("Flare", 1.0, (140, 112, 152), 6, 0.14),
    ("Dusk", 1.2, (48, 136, 132), 6, -0.10),
)
LENGTH = Fraction(8)


def shot_at(time: Fraction) -> Shot:
    """Return the shot on screen at a time; the last one goes on past the end."""
    return next(shot for shot in reversed(SHOTS) if shot.start <= max(time, Fraction(0)))
