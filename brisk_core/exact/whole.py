"""Whole numbers in texts, of ordinary digits and of a length that a machine counts with."""

from __future__ import annotations

MOST_DIGITS = 18


def read_whole(text: str) -> int | None:
    """Return a text of at most 18 digits 0 to 9, with or without a minus before them, as a number; else ``None``."""
    digits = text[1:] if text.startswith("-") else text
    return int(text) if digits.isascii() and digits.isdigit() and len(digits) <= MOST_DIGITS else None
