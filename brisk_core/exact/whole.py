"""Whole numbers in texts, of ordinary digits and of a length that a machine counts with; values of more than 0."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

from brisk_core.errors import ValueRefused

Read = TypeVar("Read")

MOST_DIGITS = 18


def read_whole(text: str) -> int | None:
    """Return a text of at most 18 digits 0 to 9, with or without a minus before them, as a number; else ``None``."""
    digits = text[1:] if text.startswith("-") else text
    return int(text) if digits.isascii() and digits.isdigit() and len(digits) <= MOST_DIGITS else None


def positive(read: Callable[[Any], Read]) -> Callable[[Any], Read]:
    """Return a reader that refuses what is not more than 0 with ``ValueRefused``."""

    def checked(value: Any) -> Read:
        found: Any = read(value)
        if found <= 0:
            raise ValueRefused(f"met {value!r}; expected more than 0")
        return found  # type: ignore[no-any-return]

    return checked
