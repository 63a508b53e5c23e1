"""Waiting: how long a viewer waits for a file over a line of a bit rate, before it starts and while it plays.

A player fetches the index, then the media in the order of time. It begins when it holds some seconds, and stops when it
holds nothing, until it holds as many again.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from brisk_core.errors import PlanRefused
from brisk_core.exact import spell_seconds
from brisk_core.packets import PacketSeries
from brisk_core.packets.series import NO_TIME, SOUND_STEPS

BUFFER = Fraction(2)  #: seconds that a player holds before it begins
_STEP = Fraction(1, SOUND_STEPS)  # of the bytes that are counted
_MOST_STEPS = 24 * 3600 * SOUND_STEPS


@dataclass(frozen=True, slots=True, kw_only=True)
class Stall:
    """A stop while it plays."""

    at: float  #: seconds into the programme
    seconds: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Waiting:
    """What a viewer waits for."""

    start: float  #: seconds until it begins
    whole: float  #: seconds until a player begins that has to fetch the whole file first
    stalls: tuple[Stall, ...]
    least_start: float  #: seconds that it would have to wait at first so that it never stops

    @property
    def stalled(self) -> float:
        """Seconds of all stops together."""
        return sum(one.seconds for one in self.stalls)

    def says(self, *, index_first: bool) -> str:
        """Return it as a sentence's part."""
        begins = f"begins after {_spelled(self.start)}"
        if not index_first:
            begins += f" where a player can jump to the index, else after {_spelled(self.whole)}"
        if not self.stalls:
            return f"{begins} and never stops"
        count = len(self.stalls)
        stops = f"stops {count} time{'s' if count != 1 else ''}, {_spelled(self.stalled)} in all"
        return f"{begins}, {stops}, first after {_spelled(self.stalls[0].at)}"


def _spelled(seconds: float) -> str:
    """Seconds in words, to the tenth."""
    return spell_seconds(Fraction(round(seconds * 10), 10))


def even_media(media_bytes: int, seconds: Fraction) -> list[float]:
    """Return the bytes of each step of media of constant bit rate."""
    steps = min(max(int(seconds / _STEP), 1), _MOST_STEPS)
    return [media_bytes / steps] * steps


def media_of(series: PacketSeries) -> list[float]:
    """Return the bytes of pictures and sound of each step, from the packets of a real render."""
    known = series.pts != NO_TIME
    if not known.any():
        return []
    start = int(series.pts[known].min())
    times = ((series.pts[known] - start) * float(series.time_base * SOUND_STEPS)).astype(np.int64)
    steps = np.bincount(np.minimum(times, _MOST_STEPS), weights=series.sizes[known]).astype(np.float64)
    for track in series.sound:
        shared = min(len(track), len(steps))
        steps[:shared] += track[:shared]
    found: list[float] = steps.tolist()
    return found


def wait(media: Sequence[float], *, line: int, index: int = 0, whole: int = 0, buffer: Fraction = BUFFER) -> Waiting:
    """Return what a viewer waits for.

    ``media`` holds the bytes of each 1/25 s, ``line`` is in bits a second, ``index`` are bytes that are fetched first,
    ``whole`` those of the file. Raises ``PlanRefused`` without media or line.
    """
    if not media or line <= 0 or buffer <= 0:
        raise PlanRefused("expected media, a line and a buffer above 0")
    step = float(_STEP)
    arrives = (np.cumsum(np.asarray(media)) + index) * 8 / line  # when each step is there, in seconds from the click
    held = max(int(buffer / _STEP), 1)
    count = len(arrives)
    start = float(arrives[min(held, count) - 1])
    stalls: list[Stall] = []
    begun, at = start, 0  # when the step ``at`` was begun without a stop since
    while at < count:
        late = np.flatnonzero(arrives[at:] > begun + step * np.arange(count - at) + 1e-9)
        if not len(late):
            break
        dry = at + int(late[0])
        stopped = begun + step * (dry - at)
        resumed = float(arrives[min(dry + held, count) - 1])
        stalls.append(Stall(at=dry * step, seconds=resumed - stopped))
        begun, at = resumed, dry
    ahead = float(np.max(arrives - step * np.arange(count)))
    total = max(whole * 8 / line, float(arrives[-1]))
    return Waiting(start=start, whole=total, stalls=tuple(stalls), least_start=max(ahead, 0.0))
