"""What a rule is: one way to put an unmet line into words, with a stable code."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from brisk_core.spec.line import Unmet, Worded, in_prose

_MOST_QUOTED = 3  # sentences of a list that one finding quotes


TOLD = "{told}"  #: a template of whole sentences, which may begin with the name of a file


@dataclass(frozen=True, slots=True, kw_only=True)
class Rule:
    """One way to say what is wrong."""

    code: str
    applies: Callable[[Unmet], bool]
    template: str
    why: str = ""
    remedy: str = ""
    parameters: Callable[[Unmet], dict[str, Any]] | None = None

    def word(self, unmet: Unmet) -> Worded:
        """Return what is wrong, why it matters, and what to change."""
        values = {
            "label": unmet.label,
            "required": unmet.required,
            "found": unmet.found_text,
            "who": unmet.who,
        }
        if self.parameters:
            values |= self.parameters(unmet)
        sentence = self.template.format(**values)
        inside = {"required": in_prose(unmet.required), "label": unmet.label}
        return Worded(
            code=self.code,
            says=sentence if self.template == TOLD else sentence[:1].upper() + sentence[1:],
            why=self.why.format(**inside),
            remedy=self.remedy.format(**inside),
        )


def places(count: int) -> str:
    """Return how many places there are, in words."""
    return "one place" if count == 1 else f"{count} places"


def sentences(unmet: Unmet) -> dict[str, Any]:
    """The sentences of a list as one text, with how many there are."""
    listed = "; ".join(unmet.found[:_MOST_QUOTED])
    more = len(unmet.found) - _MOST_QUOTED
    return {"listed": listed + (f"; and {more} more" if more > 0 else "")}
