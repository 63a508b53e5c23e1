"""What a rule is: one way to put an unmet line into words, with a stable code."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from brisk_core.spec.conditions import Condition, in_prose

_MOST_QUOTED = 3  # sentences of a list that one finding quotes


@dataclass(frozen=True, slots=True, kw_only=True)
class Unmet:
    """A line that is not met, as the rules see it."""

    id: str  #: characteristic
    label: str  #: in small letters, as it stands inside a sentence
    condition: Condition
    asked: Any  #: the one value asked for, None where there are several or none
    found: Any  #: the offending value
    required: str  #: spelled
    found_text: str  #: spelled
    who: str  #: "the wrapper says", "the packets show", ...
    difference: int | None = None  #: frames, for a length
    detail: str = ""  #: what more is known, a sentence without its full stop
    count: int = 0  #: places, for a buffer


@dataclass(frozen=True, slots=True, kw_only=True)
class Rule:
    """One way to say what is wrong."""

    code: str
    applies: Callable[[Unmet], bool]
    template: str
    why: str = ""
    remedy: str = ""
    parameters: Callable[[Unmet], dict[str, Any]] | None = None

    def say(self, unmet: Unmet) -> str:
        """Return the sentence."""
        values = {
            "label": unmet.label,
            "required": unmet.required,
            "found": unmet.found_text,
            "who": unmet.who,
        }
        if self.parameters:
            values |= self.parameters(unmet)
        sentence = self.template.format(**values)
        return sentence[:1].upper() + sentence[1:]

    def explain(self, unmet: Unmet) -> tuple[str, str]:
        """Return why it matters and what to change."""
        values = {"required": in_prose(unmet.required), "label": unmet.label}
        return self.why.format(**values), self.remedy.format(**values)


def places(count: int) -> str:
    """Return how many places there are, in words."""
    return "one place" if count == 1 else f"{count} places"


def sentences(unmet: Unmet) -> dict[str, Any]:
    """The sentences of a list as one text, with how many there are."""
    listed = "; ".join(unmet.found[:_MOST_QUOTED])
    more = len(unmet.found) - _MOST_QUOTED
    return {"listed": listed + (f"; and {more} more" if more > 0 else "")}
