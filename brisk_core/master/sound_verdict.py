"""The sound of a file against its master's, in words: late, drifting, missing, another's, or in the wrong channels."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from brisk_core.facts import Sentence
from brisk_core.master.sound import SIDES, SURE, Laid, Routing
from brisk_core.master.sound_levels import Spans

_SAME = 0.35  # correlation below which a window is another sound
_LATE = 0.0105  # seconds; half a frame of 48 a second, and what coders leave at the start
_TOGETHER = 0.008  # seconds by which windows of one step may differ
_LOUDER, _CLEARLY_LOUDER = 0.3, 1.0  # dB
_DRIFT = 2e-5  # seconds a second: 0.1 s in 80 minutes
_MOST_STEPS = 0.5  # of the windows, above which lateness is no step
_MOST_NAMED = 4  # places that have a sentence of their own


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """A stretch over which the sound comes as late throughout."""

    start: float  #: seconds of the file; 0 for the first
    end: float | None  #: None for the last
    late: float  #: seconds


@dataclass(frozen=True, slots=True, kw_only=True)
class SoundVerdict:
    """What all windows say."""

    late: float  #: seconds, the median
    drift: float  #: seconds a second
    gain_db: float
    swapped: bool
    turned: tuple[int, ...]  #: channels from 1 whose polarity is inverted
    same: bool  #: is it the master's sound at all?
    windows: tuple[Laid, ...]
    channels: tuple[int, int]  #: of the file and of the master
    speed: Fraction = Fraction(1)  #: of the sound over that of the picture
    steps: tuple[Step, ...] = ()  #: where it does not come as late throughout
    routing: Routing = field(default_factory=Routing)
    strange: Spans = ()  #: at which it is another sound
    missing: Spans = ()  #: at which there is none and the master has some
    added: Spans = ()  #: at which there is some and the master has none

    @property
    def look(self) -> bool:
        """Is the loudness so far from the master's that a person should say whether it was meant?"""
        return self.same and abs(self.gain_db) > _CLEARLY_LOUDER

    def late_at(self, seconds: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return by how many seconds the sound comes late at seconds of the file."""
        found = np.full(len(seconds), self.late)
        for step in self.steps:
            found[seconds >= step.start] = step.late
        return found

    def to_json(self) -> dict[str, Any]:
        """The value of ``master.sound``."""
        spans = {
            name: [[round(start, 2), round(end, 2)] for start, end in found]
            for name, found in (("strange", self.strange), ("missing", self.missing), ("added", self.added))
        }
        return {
            "offset": round(self.late, 4),
            "drift": self.drift,
            "gain": round(self.gain_db, 2),
            "swapped": self.swapped,
            "turned": list(self.turned),
            "same": self.same,
            "speed": f"{self.speed.numerator}/{self.speed.denominator}",
            "channels": list(self.channels),
            "silent_channels": [at + 1 for at in self.routing.silent],
            "carried": [[at + 1, other + 1] for at, other in self.routing.carried],
            "steps": [[round(one.start, 2), one.end and round(one.end, 2), round(one.late, 4)] for one in self.steps],
            **spans,
            "windows": [[round(one.at, 2), round(one.late, 4), round(one.correlation, 3)] for one in self.windows],
        }


def conclude(
    windows: Sequence[Laid], channels: tuple[int, int], missing: Spans = (), added: Spans = ()
) -> SoundVerdict:
    """Return what all windows say together; ``missing`` and ``added`` are what levels say."""
    sure = [one for one in windows if one.correlation >= SURE]
    empty = SoundVerdict(
        late=0, drift=0, gain_db=0, swapped=False, turned=(), same=not windows, windows=tuple(windows),
        channels=channels, missing=missing, added=added,
    )  # fmt: skip
    if not sure:
        return empty
    speed = Counter(one.speed for one in sure).most_common(1)[0][0]
    steps = _steps(sure) if speed == 1 else ()
    drift = _drift(sure) if speed == 1 and not steps else 0.0
    gain = float(np.median([one.gain for one in sure]))
    turned = tuple(
        channel + 1
        for channel in range(min(len(one.signs) for one in sure))
        if float(np.median([one.signs[channel] for one in sure])) < -_SAME
    )
    return replace(
        empty,
        late=float(np.median([one.late for one in sure])),
        drift=drift if abs(drift) > _DRIFT else 0.0,
        gain_db=20 * float(np.log10(max(gain, 1e-6))),
        swapped=float(np.median([one.crossed for one in sure])) > SIDES,
        turned=turned,
        same=len(sure) >= len(windows) / 2,
        speed=speed,
        steps=steps,
        routing=_routing([one.routing for one in sure]),
        strange=_strange(windows),
    )


def _drift(sure: Sequence[Laid]) -> float:
    times = np.array([one.at for one in sure])
    if len(sure) < 3 or times.max() - times.min() <= 20:
        return 0.0
    return float(np.polyfit(times, [one.late for one in sure], 1)[0])


def _steps(sure: Sequence[Laid]) -> tuple[Step, ...]:
    """Stretches of one lateness each, where there are few of them and more than one; a drift has as many as windows."""
    groups: list[list[Laid]] = []
    for one in sorted(sure, key=lambda one: one.at):
        if groups and abs(one.late - float(np.median([other.late for other in groups[-1]]))) <= _TOGETHER:
            groups[-1].append(one)
        else:
            groups.append([one])
    lates = [float(np.median([one.late for one in group])) for group in groups]
    if not 1 < len(groups) <= max(2, _MOST_STEPS * len(sure)) or max(lates) - min(lates) <= _LATE:
        return ()
    edges = [(before[-1].at + after[0].at) / 2 for before, after in pairwise(groups)]
    starts, ends = [0.0, *edges], [*edges, None]
    return tuple(Step(start=start, end=end, late=late) for start, end, late in zip(starts, ends, lates, strict=True))


def _routing(routings: Sequence[Routing]) -> Routing:
    """What most windows say of the channels."""
    half = len(routings) / 2
    silent = Counter(at for one in routings for at in one.silent)
    carried = Counter(pair for one in routings for pair in one.carried)
    return Routing(
        silent=tuple(sorted(at for at, count in silent.items() if count > half)),
        carried=tuple(sorted(pair for pair, count in carried.items() if count > half)),
        one_for_both=sum(one.one_for_both for one in routings) > half,
    )


def _strange(windows: Sequence[Laid]) -> Spans:
    """Windows in which both are loud and nothing fits, between windows that do."""
    found = []
    for at, one in enumerate(windows):
        if one.correlation < _SAME:
            before = windows[at - 1].at if at else 0.0
            after = windows[at + 1].at if at + 1 < len(windows) else one.at + (one.at - before)
            found.append(((before + one.at) / 2 if at else 0.0, (one.at + after) / 2))
    return tuple(found)


def tell_sound(found: SoundVerdict, rate: Fraction) -> tuple[tuple[Sentence, ...], str]:
    """Return the sentences and a short word; ``rate`` is frames a second of the file."""
    if not found.same:
        says = "The sound is not the master's: no window of it is found there."
        return (Sentence(says=says, frame=0, fault=True),), "another sound"
    told = [*_of_time(found, rate), *_of_channels(found), *_of_stretches(found, rate)]
    # Channels that carry something else are quieter or louder by it.
    if abs(found.gain_db) > _LOUDER and not found.routing.one_for_both:
        word = "louder" if found.gain_db > 0 else "quieter"
        says = f"The sound is {abs(found.gain_db):.1f} dB {word} than the master's."
        told.append(Sentence(says=says, frame=0, fault=False))
    if found.channels[0] != found.channels[1]:
        says = f"The file has {found.channels[0]} channels, the master {found.channels[1]}."
        told.append(Sentence(says=says, frame=0, fault=False))
    return tuple(told), "; ".join(one.says.rstrip(".").lower() for one in told if one.fault) or "in step"


def _of_time(found: SoundVerdict, rate: Fraction) -> list[Sentence]:
    if found.speed != 1:
        much, pace = abs(float(found.speed) - 1) * 100, "faster" if found.speed > 1 else "slower"
        says = f"The sound runs {much:.1f} % {pace} than the picture: it was taken for sound of another rate."
        return [Sentence(says=says, frame=0, fault=True)]
    if found.steps:
        return [
            Sentence(
                says=f"{_between(step)} the sound is {_late(step.late, rate)} against the picture.",
                frame=round(step.start * rate),
                fault=True,
            )
            for step in found.steps
            if abs(step.late) > _LATE
        ]
    if found.drift:
        first, last = found.windows[0], found.windows[-1]
        says = (
            f"The sound drifts against the picture: {first.late * 1000:+.0f} ms at {first.at:.0f} s and "
            f"{last.late * 1000:+.0f} ms at {last.at:.0f} s, {found.drift * 3.6e6:.0f} ms an hour."
        )
        return [Sentence(says=says, frame=0, fault=True)]
    if abs(found.late) > _LATE:
        word = "late" if found.late > 0 else "early"
        frames = abs(found.late) * float(rate)
        says = f"The sound is {abs(found.late) * 1000:.0f} ms {word} against the master, {frames:.1f} frames."
        return [Sentence(says=says, frame=0, fault=True)]
    return []


def _late(late: float, rate: Fraction) -> str:
    return f"{abs(late) * 1000:.0f} ms ({abs(late) * float(rate):.1f} frames) {'late' if late > 0 else 'early'}"


def _between(step: Step) -> str:
    if step.end is None:
        return f"From about {_clock(step.start)} on"
    return (
        f"Until about {_clock(step.end)}"
        if not step.start
        else f"From about {_clock(step.start)} to {_clock(step.end)}"
    )


def _clock(seconds: float) -> str:
    minutes, rest = divmod(round(seconds), 60)
    hours, minutes = divmod(minutes, 60)
    return f"{hours}:{minutes:02}:{rest:02}" if hours else f"{minutes}:{rest:02}"


def _of_channels(found: SoundVerdict) -> list[Sentence]:
    told = []
    routing = found.routing
    if found.swapped:
        told.append("Left and right are exchanged.")
    elif routing.one_for_both:
        other = next((pair[1] for pair in routing.carried), None)
        alone = {1: "right", 0: "left"}.get(other) if other is not None else None
        what = f"the master's {alone}" if alone else "the same mix of the master's two"
        told.append(f"Both channels carry {what}; the master has two channels.")
    else:
        pairs = set(routing.carried)
        for at, other in routing.carried:
            if (other, at) in pairs:
                if at < other:
                    told.append(f"Channels {at + 1} and {other + 1} are exchanged.")
            else:
                told.append(f"Channel {at + 1} carries the master's channel {other + 1}.")
    if routing.silent:
        told.append(f"{_channels([at + 1 for at in routing.silent])} silent; the master has sound there.")
    if found.turned:
        told.append(f"{_channels(found.turned)} inverted in polarity.")
    return [Sentence(says=says, frame=0, fault=True) for says in told]


def _channels(numbers: Sequence[int]) -> str:
    names = " and ".join(map(str, numbers))
    return f"Channel {names} is" if len(numbers) == 1 else f"Channels {names} are"


def _of_stretches(found: SoundVerdict, rate: Fraction) -> list[Sentence]:
    told = []
    for spans, words in (
        (found.missing, "there is no sound; the master has some"),
        (found.added, "there is sound; the master has none"),
        (found.strange, "the sound is not the master's"),
    ):
        for start, end in spans[:_MOST_NAMED]:
            says = f"From {_exact(start)} to {_exact(end)} {words}."
            told.append(Sentence(says=says, frame=round(start * rate), end=round(end * rate), fault=True))
        if len(spans) > _MOST_NAMED:
            says = f"In {len(spans) - _MOST_NAMED} more places {words}."
            told.append(Sentence(says=says, frame=round(spans[_MOST_NAMED][0] * rate), fault=True))
    return told


def _exact(seconds: float) -> str:
    minutes, rest = divmod(seconds, 60)
    return f"{int(minutes)}:{rest:04.1f}"
