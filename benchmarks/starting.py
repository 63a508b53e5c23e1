"""How long the command takes to the facts of a file's headers, against the bare start of Python and of the library.

Run ``.venv/bin/python benchmarks/starting.py``.
"""

from __future__ import annotations

import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from brisk_core.small_media import Small, make_small

_RUNS = 9


def _seconds(*command: str) -> float:
    began = time.perf_counter()
    subprocess.run(command, check=True, stdout=subprocess.DEVNULL)
    return time.perf_counter() - began


def main() -> None:
    """Print the medians of some runs, and what the command takes over the library."""
    with tempfile.TemporaryDirectory() as folder:
        file = str(make_small(Path(folder) / "small.mp4", Small()))
        opened = "import sys, av; print(av.open(sys.argv[1]).streams.video[0].codec_context.width)"
        command = Path(sys.executable).parent / "brisk-sentry"
        runs = {
            "python": (sys.executable, "-c", "pass"),
            "python and the library": (sys.executable, "-c", opened, file),
            "brisk-sentry inspect --depth headers": (str(command), "inspect", "--depth", "headers", file),
        }
        took = {name: statistics.median(_seconds(*words) for _ in range(_RUNS)) for name, words in runs.items()}
    bare = took["python and the library"]
    for name, seconds in took.items():
        print(f"{name:38} {seconds:6.3f} s  {seconds / bare:5.2f} x")


if __name__ == "__main__":
    main()
