"""Known mistakes of pictures that a spec may order on purpose, each with the sentence that tells it."""

from __future__ import annotations

import re
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Mistake:
    """A sentence of ``content.mistakes``, with places for figures."""

    template: str

    def says(self, **figures: object) -> str:
        """Return the sentence."""
        return self.template.format(**figures)

    def is_told_by(self, sentence: str) -> bool:
        """Is this sentence the mistake, whatever its figures?"""
        text = re.split(r"\{\w+\}", self.template)
        return re.fullmatch(".+?".join(map(re.escape, text)), sentence) is not None


PULLDOWN = Mistake("The 3:2 pulldown is still in: two of five frames are blended from two film frames.")
PROGRESSIVE_AS_FIELDS = Mistake(
    "Pictures of one moment are coded as fields: no motion between the fields, half of it is lost or never was."
)
ENLARGED = Mistake("The picture was enlarged from about {lines} lines: nothing finer than that is in it.")
ENLARGED_ACROSS = Mistake(
    "The picture was enlarged sideways from about {samples} samples a line: nothing finer than that is in it."
)
