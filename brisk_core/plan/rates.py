"""Rates: which target rate harms material least, and how it is brought there.

Harm is counted in frames that are wrongly timed: for each source frame, how far the time that it stands is from the
time that it should, in frames of the target. Nothing is harmed only where nothing happens.
"""

from __future__ import annotations

import enum
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from math import floor, log2

from brisk_core.errors import PlanRefused
from brisk_core.exact import spell_rate, spell_seconds

_MOST_SPEED = Fraction(1, 20)  # change of speed that is heard and seen, but done
_REPEATED = Fraction(1, 100)  # harm of a frame that stands evenly longer: what is coded twice, and nothing else
_BLENDED = Fraction(1, 2)  # of a frame for each that is blended from two
_MOST_TIMES = 5  # that each frame stands
_PULLDOWN = Fraction(5, 2)  # fields for a frame, two and three in turn
_REGULAR, _IRREGULAR = 5, Fraction(5, 4)  # frames in which a pattern comes round again; harm where it takes longer


class Manner(enum.Enum):
    """What happens to the frames."""

    NOTHING = "nothing"
    FIELDS = "carried as fields"
    SPEED = "speed"
    REPEATED = "repeated"
    LEFT_OUT = "left out"
    BLENDED = "blended"
    PULLDOWN = "pulldown"


@dataclass(frozen=True, slots=True, kw_only=True)
class Target:
    """A rate that material may be brought to."""

    rate: Fraction  #: frames a second
    interlaced: bool = False

    @property
    def words(self) -> str:
        """As people say it: 25, 29.97 interlaced."""
        return f"{spell_rate(self.rate)}{' interlaced' if self.interlaced else ''}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Material:
    """Progressive pictures of one rate."""

    rate: Fraction  #: frames a second
    seconds: Fraction
    name: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Way:
    """One way from a rate to another."""

    manner: Manner
    wrongly_timed: Fraction  #: frames of the target a second
    says: str  #: one sentence's part

    def harm(self, seconds: Fraction) -> Fraction:
        """Frames that are wrongly timed in a length."""
        return self.wrongly_timed * seconds


@dataclass(frozen=True, slots=True, kw_only=True)
class RatePlan:
    """What a target makes of all material."""

    target: Target
    ways: tuple[Way, ...]  #: the least harmful for each material, in its order
    harm: Fraction  #: frames wrongly timed, of all


def ways(source: Fraction, target: Target) -> list[Way]:
    """Return the ways from a rate to a target, the least harmful first. Raises ``PlanRefused`` for a rate of 0."""
    if source <= 0 or target.rate <= 0:
        raise PlanRefused(f"met rates {source} and {target.rate}; expected both above 0")
    if source == target.rate:
        if target.interlaced:
            return [Way(manner=Manner.FIELDS, wrongly_timed=Fraction(0), says="both fields of one moment")]
        return [Way(manner=Manner.NOTHING, wrongly_timed=Fraction(0), says="as it is")]
    shown = target.rate * (2 if target.interlaced else 1)  # pictures a second: fields, where there are fields
    share = target.rate / shown
    found = [*_by_speed(source, shown, share, target), _by_holding(source, shown, share, target)]
    if (target.rate / source).denominator != 1 and (source / target.rate).denominator != 1:
        found.append(_by_blending(source, target))
    return sorted(found, key=lambda way: way.wrongly_timed)


def _by_speed(source: Fraction, shown: Fraction, share: Fraction, target: Target) -> list[Way]:
    """Playing all frames faster or slower, each as often as another."""
    found = []
    patterns = [Fraction(times) for times in range(1, _MOST_TIMES + 1)] + ([_PULLDOWN] if target.interlaced else [])
    for times in patterns:
        rate = shown / times
        if rate == source or abs(rate / source - 1) > _MOST_SPEED:
            continue
        faster = rate > source
        tune = f"sound {abs(12 * log2(rate / source)):.2f} semitones {'higher' if faster else 'lower'}"
        says = f"all played {_percent(rate / source)} {'faster' if faster else 'slower'}, {tune}{_then(times, target)}"
        held = _by_holding(rate, shown, share, target).wrongly_timed if rate != target.rate else Fraction(0)
        found.append(Way(manner=Manner.SPEED, wrongly_timed=abs(rate - source) + held, says=says))
    return found


def _then(times: Fraction, target: Target) -> str:
    if times == _PULLDOWN:
        return ", then in two and three fields in turn (3:2)"
    if target.interlaced:
        return f", then each frame in {times} field{'s' if times > 1 else ''}" if times != 2 else ""
    return f", then each frame {times} times" if times > 1 else ""


def _by_holding(source: Fraction, shown: Fraction, share: Fraction, target: Target) -> Way:
    """Keeping time: frames stand longer, or are left out."""
    ratio = shown / source
    wrong = _uneven(source, shown) * share
    if ratio == 1:
        says = "each frame in one field: all its motion, half its lines"
        return Way(manner=Manner.FIELDS, wrongly_timed=_REPEATED * source, says=says)
    if ratio.denominator == 1:
        says = f"every frame in {ratio} fields" if target.interlaced else f"every frame shown {ratio} times"
        return Way(manner=Manner.REPEATED, wrongly_timed=_REPEATED * (shown - source) * share, says=says)
    if shown < source:
        says = f"{_frames(source - shown)} of each second left out"
        return Way(manner=Manner.LEFT_OUT, wrongly_timed=wrong, says=says)
    if target.interlaced and ratio == _PULLDOWN:
        return Way(manner=Manner.PULLDOWN, wrongly_timed=wrong, says="in two and three fields in turn (3:2)")
    wrong += _REPEATED * (shown - source) * share
    unit = "field" if target.interlaced else "frame"
    says = f"{_frames(shown - source, unit)} of each second repeated, unevenly"
    return Way(manner=Manner.REPEATED, wrongly_timed=wrong, says=says)


def _by_blending(source: Fraction, target: Target) -> Way:
    cycle = (source / target.rate).denominator
    blended = target.rate * Fraction(cycle - 1, cycle)
    return Way(
        manner=Manner.BLENDED,
        wrongly_timed=max(_BLENDED * blended, _REPEATED),
        says=f"{_frames(blended)} of each second blended from two",
    )


def _uneven(source: Fraction, shown: Fraction) -> Fraction:
    """Return how far the times that source frames stand are from those they should, in shown pictures a second.

    Of n shown pictures for a source frame on average, each stands for the whole number below it or above it.
    """
    ratio = shown / source
    low = floor(ratio)
    above = ratio - low  # share of the source frames that stand one picture longer
    regular = ratio.denominator <= _REGULAR or (1 / ratio).denominator <= _REGULAR
    return source * 2 * above * (1 - above) * (1 if regular else _IRREGULAR)


def rank(materials: Sequence[Material], targets: Sequence[Target]) -> list[RatePlan]:
    """Return the targets in order of the harm they do to all material. Raises ``PlanRefused`` without any of both."""
    if not materials or not targets:
        raise PlanRefused("expected at least one rate of material and one target")
    for one in materials:
        if one.seconds <= 0:
            raise PlanRefused(f"met a length of {spell_seconds(one.seconds)}; expected more than none")
    plans = []
    for target in targets:
        best = [ways(one.rate, target)[0] for one in materials]
        harm = sum((way.harm(one.seconds) for way, one in zip(best, materials, strict=True)), Fraction(0))
        plans.append(RatePlan(target=target, ways=tuple(best), harm=harm))
    return sorted(plans, key=lambda plan: (plan.harm, plan.target.rate, plan.target.interlaced))


def _percent(ratio: Fraction) -> str:
    return f"{abs(float(ratio) - 1) * 100:.2f}".rstrip("0").rstrip(".") + " %"


def _frames(value: Fraction, unit: str = "frame") -> str:
    number = f"{float(value):.2f}".rstrip("0").rstrip(".")
    return f"{number} {unit}{'' if number == '1' else 's'}"
