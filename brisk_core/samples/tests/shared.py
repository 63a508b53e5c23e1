"""The samples, built once for all tests of all processes."""

from __future__ import annotations

import fcntl
import os
import subprocess
import sys
from pathlib import Path

_REPOSITORY = Path(__file__).resolve().parents[3]


def shared_samples() -> Path:
    """Return the folder of the samples; one process builds them if they are not there, the others wait for it."""
    folder = Path(os.environ.get("BRISK_SAMPLES", _REPOSITORY / "var" / "demo"))
    folder.mkdir(parents=True, exist_ok=True)
    with (folder / "build.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        command = [sys.executable, "-m", "brisk_core.samples", str(folder)]  # a test process may have no children
        made = subprocess.run(command, cwd=_REPOSITORY, capture_output=True, text=True, check=True)
    return Path(made.stdout.strip().splitlines()[-1])
