"""The facts of a render that is planned, so that the one judge can say what a spec makes of it before it is made."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from brisk_core.facts import REGISTRY, Depth, FactsBuilder, Inspection, keys
from brisk_core.facts.keys import Key
from brisk_core.spec import Line, Spec

_NAME = "planned"


@dataclass(frozen=True, slots=True, kw_only=True)
class Bound:
    """What a line of a spec asks of a bit rate."""

    line: Line
    least: int | None  #: bits a second, None for a peak, which an average need not reach
    most: int | None  #: bits a second
    unknown: str = ""  #: why it cannot be told what the line asks; empty where it can


def planned_inspection(**facts: Any) -> Inspection:
    """Return the facts of a render that does not exist: each said by every witness that can say it.

    Facts are given by their keys' names in small letters: ``picture_size=(1920, 1080)``. What is not given is not
    measured, so no line that asks for it passes. Raises ``KeyError`` for a name that is no characteristic.
    """
    builder = FactsBuilder()
    for name, value in facts.items():
        key: Key[Any] = getattr(keys, name.upper(), None) or _unknown(name)
        for witness in REGISTRY[key.id].witnesses:
            builder.say(witness, key, value)
    return builder.finish(file_name=_NAME, file_size=0, depth=Depth.FULL)


def _unknown(name: str) -> Key[Any]:
    raise KeyError(f"met {name!r}; expected the name of a characteristic")


def rate_bounds(spec: Spec, planned: Inspection) -> Iterator[Bound]:
    """Yield what a spec asks of the average bit rate of the picture, and of its peak, for a planned render.

    A line whose case hangs on a fact that the plan does not have, or that has no case for it, says so.
    """
    for line in spec.lines:
        if line.characteristic.id in _PICTURE_RATES:
            condition, unknown = line.condition.chosen(planned)
            least, most = condition.bounds if condition else (None, None)
            if line.characteristic.id != keys.BITRATE_AVERAGE.id:
                least = None
            if unknown or least is not None or most is not None:
                yield Bound(line=line, least=least, most=most, unknown=unknown)


_PICTURE_RATES = (keys.BITRATE_AVERAGE.id, keys.BITRATE_MAXIMUM.id, keys.BITRATE_PEAK_1S.id)
