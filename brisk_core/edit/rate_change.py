"""What happens to the frames of a source on the way to another rate: which are repeated, left out or blended."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from math import floor

from brisk_core.exact import spell_rate

_MOST_SHOWN = 60  # frames of the pattern that are drawn; a longer cycle is cut there
_CLOSE = Fraction(1, 500)  # rates nearer than this are played at the other speed rather than converted


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """One frame of the target: the source frames it is made of."""

    first: int  #: source frame, from 0 at the start of the pattern
    share: Fraction  #: of the next source frame, when neighbours are blended; 0 shows the first alone
    repeats: bool  #: shows the same source frame as the step before, when frames are not blended
    skipped: int  #: source frames left out just after this step, when frames are not blended


@dataclass(frozen=True, slots=True, kw_only=True)
class RateChange:
    """A change of rate that keeps time."""

    source: Fraction  #: frames a second
    target: Fraction
    steps: tuple[Step, ...]  #: one cycle of the pattern, cut at 60 frames
    whole: bool  #: is ``steps`` a whole cycle?
    repeated: Fraction  #: target frames a second that repeat
    dropped: Fraction  #: source frames a second that are left out
    blended: Fraction  #: target frames a second that are blended from two, when neighbours are blended

    @property
    def even(self) -> bool:
        """Does every source frame stand equally long, or every n-th get shown?"""
        ratio = self.target / self.source
        return ratio.denominator == 1 or ratio.numerator == 1

    @property
    def says(self) -> str:
        """One sentence."""
        way = f"{spell_rate(self.source)} to {spell_rate(self.target)}"
        if self.source == self.target:
            return f"{spell_rate(self.source)} as it is"
        if abs(self.target / self.source - 1) < _CLOSE:
            every = 1 / abs(self.target - self.source)
            what = "repeated" if self.target > self.source else "left out"
            return f"{way}: one frame {what} every {float(every):.0f} s, or all played {_percent(self)} {_speed(self)}"
        if self.even:
            if self.target > self.source:
                return f"{way}: every frame shown {self.target / self.source} times"
            return f"{way}: one frame of {self.source / self.target} kept, the others left out"
        parts = []
        if self.repeated:
            parts.append(f"{_number(self.repeated)} repeated")
        if self.dropped:
            parts.append(f"{_number(self.dropped)} left out")
        return f"{way}: each second {' and '.join(parts)}, or {_number(self.blended)} blended from two"


def _percent(change: RateChange) -> str:
    return f"{abs(float(change.target / change.source) - 1) * 100:.1f} %"


def _speed(change: RateChange) -> str:
    return "faster" if change.target > change.source else "slower"


def _number(value: Fraction) -> str:
    return f"{float(value):.1f}".removesuffix(".0")


def change_rate(source: Fraction, target: Fraction) -> RateChange:
    """Return what a change of rate does to the frames; both in frames a second, above 0."""
    if source <= 0 or target <= 0:
        raise ValueError(f"met rates {source} and {target}; expected both above 0")
    ratio = source / target
    cycle = ratio.denominator
    steps = []
    previous = -1
    for number in range(min(cycle, _MOST_SHOWN)):
        place = number * ratio
        first, following = floor(place), floor(place + ratio)
        steps.append(
            Step(
                first=first,
                share=place - first,
                repeats=first == previous,
                skipped=max(following - first - 1, 0),
            )
        )
        previous = first
    repeated = max(target - source, Fraction(0))
    dropped = max(source - target, Fraction(0))
    # Of the target frames in a cycle, all but the first of each whole step fall between two source frames.
    blended = target * Fraction(cycle - 1, cycle)
    return RateChange(
        source=source,
        target=target,
        steps=tuple(steps),
        whole=cycle <= _MOST_SHOWN,
        repeated=repeated,
        dropped=dropped,
        blended=blended,
    )
