"""The result of holding a file against something else: an edit, a master, another attempt, its own captions."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from brisk_core.facts.kinds import Span


@dataclass(frozen=True, slots=True, kw_only=True)
class Sentence:
    """One thing to say, with where it shows in the file."""

    says: str
    frame: int | None  #: None where it is no place
    fault: bool  #: False for something worth knowing that is in order
    end: int | None = None  #: first frame after; None for a place of one frame

    def span(self) -> Span | None:
        """The place as a span."""
        if self.frame is None:
            return None
        start = max(self.frame, 0)
        return Span(start=start, end=max(self.end or 0, start + 1), detail="")


@dataclass(frozen=True, slots=True, kw_only=True)
class Held:
    """A characteristic that only a comparison knows, and whether it is as it should be."""

    right: bool | None  #: None when it could not be measured
    required: str  #: spelled
    found: str  #: spelled; the reason when it could not be measured
    document: Any = None  #: the value as JSON
    sentences: tuple[Sentence, ...] = ()
    remedy: str = ""
    asked: bool = True  #: False when nothing can be asked of it here, so that it does not count
    look: bool = False  #: right as far as can be told, but a person should look at what is told

    def spans(self) -> tuple[Span, ...]:
        """The places of its faults, or of everything when there are none."""
        told = [one for one in self.sentences if one.fault] or list(self.sentences)
        return tuple(span for span in (one.span() for one in told) if span)
