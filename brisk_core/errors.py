"""Errors of the core. Every message says what was met, where, and what is expected.

::

    CoreError
    ├── ValueRefused          a value cannot be read as a rate, timecode, size, bit rate, ...
    ├── UnreadableFile        a media file cannot be read at all
    │   └── ReadingStopped    the child process that read it crashed, met a limit, was cancelled or interrupted
    ├── EditRefused           a timeline cannot be imported
    ├── CaptionsRefused       a caption file cannot be read
    ├── RangeRefused          an in and out range does not lie inside its timeline
    └── SpecRefused           a spec document has mistakes; carries all of them
"""

from __future__ import annotations

import errno
from collections.abc import Sequence
from dataclasses import dataclass

#: What the system says (``errno``) where a disk, or one's share of it, is full.
DISK_FULL = (errno.ENOSPC, errno.EDQUOT)


class CoreError(Exception):
    """Anything the core refuses, with a sentence for a person."""


class ValueRefused(CoreError, ValueError):
    """A text or number that is not the value it should be."""


class UnreadableFile(CoreError):
    """A media file that cannot be read at all."""


class ReadingStopped(UnreadableFile):
    """Reading in the child process ended early: a crash, a limit, or a cancel."""


class EditRefused(CoreError):
    """A timeline document that cannot be imported."""


class CaptionsRefused(CoreError):
    """A caption file that cannot be read."""


class RangeRefused(CoreError):
    """A range that does not lie inside its timeline."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Mistake:
    """One mistake in a document."""

    place: str  #: where, such as ``line "bitrate"`` or ``line 12``
    says: str  #: what was met and what is expected

    def __str__(self) -> str:
        return f"{self.place}: {self.says}"


class SpecRefused(CoreError):
    """A spec document with mistakes, all of them."""

    def __init__(self, mistakes: Sequence[Mistake]) -> None:
        self.mistakes = tuple(mistakes)
        count = len(self.mistakes)
        super().__init__(
            f"the spec has {count} mistake{'s' if count != 1 else ''}: " + "; ".join(str(m) for m in self.mistakes)
        )


class PlanRefused(CoreError):
    """A plan that cannot be worked out from what was given; ``mistakes`` has a place for each where they are known."""

    def __init__(self, says: str, mistakes: Sequence[Mistake] = ()) -> None:
        super().__init__(says)
        self.mistakes = tuple(mistakes)
