"""Name patterns: plain letters, ``#`` for a digit, ``?`` for one character, ``*`` for any number of characters.

A run of ``#`` in a naming rule stands for the attempt: ``CANAL_V##.mxf`` builds and recognises ``CANAL_V02.mxf``.
Matching takes time in proportion to name times pattern, whatever the pattern.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from brisk_core.errors import ValueRefused

LONGEST = 255
_ATTEMPT = re.compile(r"#+")


@dataclass(frozen=True, slots=True)
class NamePattern:
    """A pattern for whole names; raises ``ValueRefused`` for one that no file name could fit."""

    text: str

    def __post_init__(self) -> None:
        if not self.text or len(self.text) > LONGEST or "/" in self.text or "\0" in self.text:
            raise ValueRefused(
                f"met {self.text[:40]!r} as a name pattern; expected 1 to {LONGEST} characters without slashes"
            )

    def matches(self, name: str) -> bool:
        """Does the whole name fit? Case counts, as it does for many receivers."""
        places = {0}
        for sign in name:
            places = self._past_stars(places)
            following = set()
            for place in places:
                if place >= len(self.text):
                    continue
                wanted = self.text[place]
                if wanted == "*":
                    following.add(place)
                elif wanted == "?" or (wanted == "#" and sign in "0123456789") or wanted == sign:
                    following.add(place + 1)
            places = following
            if not places:
                return False
        return len(self.text) in self._past_stars(places)

    def _past_stars(self, places: set[int]) -> set[int]:
        reached = set(places)
        for place in places:
            while place < len(self.text) and self.text[place] == "*":
                place += 1
                reached.add(place)
        return reached

    def name_for(self, attempt: int) -> str:
        """Return the name of an attempt: the first run of ``#`` becomes its number."""
        return _ATTEMPT.sub(lambda run: str(attempt).zfill(len(run[0])), self.text, count=1)

    def attempt_in(self, name: str) -> int | None:
        """Return the attempt number in a name that fits, ``None`` when it does not fit or the pattern has no ``#``."""
        run = _ATTEMPT.search(self.text)
        if not run or not self.matches(name) or "*" in self.text[: run.start()]:
            return None
        return int(name[run.start() : run.end()])
