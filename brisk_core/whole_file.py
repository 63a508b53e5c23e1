"""Files that are written whole or not at all."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


@contextmanager
def written_whole(path: Path) -> Iterator[Path]:
    """Give a path beside ``path`` to write to; it takes the place of ``path`` in one step when all is written.

    What an error leaves behind is removed. Two processes that write the same file do not meet.
    """
    unfinished = path.with_suffix(f".{os.getpid()}.part{path.suffix}")
    try:
        yield unfinished
        unfinished.replace(path)
    finally:
        unfinished.unlink(missing_ok=True)
