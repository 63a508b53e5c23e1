"""Lines of a text file, counted as editors count them."""

from __future__ import annotations

import re

_ENDS = re.compile(r"\r\n|\r|\n")


def lines_of(text: str) -> list[str]:
    """Return the lines of a text, parted by CR, LF or both.

    ``str.splitlines`` parts at form feeds and at the separators of Unicode as well, which are signs inside a line: line
    numbers would no longer be those that a person sees.
    """
    lines = _ENDS.split(text)
    return lines if lines[-1] else lines[:-1]
