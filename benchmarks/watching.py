"""How long a look at a watched folder of ten thousand files takes, against listing it and asking each for its state.

    DATABASE_URL=postgresql://... PYTHONPATH=. .venv/bin/python benchmarks/watching.py [FILES]

Makes a database of its own beside the one that is named, and removes it. The first look meets all files; the next ones
find them unchanged, then register a hundred; the last finds all of them moved into another folder.
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path

from django.test.runner import DiscoverRunner
from django.utils import timezone

from benchmarks.pages import furnish  # noqa: F401 - sets Django up first
from brisk_web.storage.models import StorageRoot
from brisk_web.watching.models import WatchedFolder
from brisk_web.watching.services import look


def _bare(folder: Path) -> int:
    """List everything and ask for its state."""
    count = 0
    for where, _, names in os.walk(folder):
        for name in names:
            os.stat(f"{where}/{name}")
            count += 1
    return count


def _timed(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def main() -> None:
    """Fill a folder, look, print."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 10_000
    runner = DiscoverRunner(verbosity=0, interactive=False)
    before = runner.setup_databases()
    try:
        with tempfile.TemporaryDirectory(prefix="brisk-watching-") as name:
            folder = Path(name) / "in"
            for number in range(count):
                path = folder / f"{number // 100:03}" / f"canal_{number:05}.srt"
                path.parent.mkdir(parents=True, exist_ok=True)
                path.write_text("1\n00:00:01,000 --> 00:00:02,000\nA lamp.\n")
            root = StorageRoot.objects.create(name="Shelf", url=name)
            watched = WatchedFolder.objects.create(root=root, folder="in", from_now_on=False)
            _bare(folder)
            bare, now = _timed(lambda: _bare(folder)), timezone.now()
            print(f"{count} files: listing them takes {bare * 1000:.0f} ms")

            def once(seconds: int) -> int:
                return look(WatchedFolder.objects.get(pk=watched.pk), now + timedelta(seconds=seconds))

            for what, seconds in (("all are new", 0), ("none has changed", 5), ("a hundred are registered", 60)):
                took = _timed(lambda seconds=seconds: once(seconds))  # type: ignore[misc]
                print(f"{what}: {took * 1000:.0f} ms, {took / bare:.1f} times listing them")
            folder.rename(folder.with_name("away"))
            folder.mkdir()
            folder.with_name("away").rename(folder / "done")
            took = _timed(lambda: once(65))
            print(f"all lie in another folder: {took * 1000:.0f} ms, {took / bare:.1f} times listing them")
    finally:
        runner.teardown_databases(before)


if __name__ == "__main__":
    main()
