"""How many checks a second are judged again when a spec changes, against loading the same documents alone.

    DATABASE_URL=postgresql://... PYTHONPATH=. .venv/bin/python benchmarks/judging.py [CHECKS]

Makes a database of its own beside the one that is named, and removes it. Each check has an inspection of its own; three
lines of the spec change their weight.
"""

from __future__ import annotations

import copy
import sys
import tempfile
import time
from pathlib import Path

from benchmarks.pages import furnish  # sets Django up first

from django.test.runner import DiscoverRunner

from brisk_core import sandbox
from brisk_core.sandbox import requests
from brisk_core.small_media import Small, make_small
from brisk_core.spec import parse_spec, spec_to_document
from brisk_web.checks.models import Check
from brisk_web.checks.services import judge_again
from brisk_web.inspections.models import Inspection
from brisk_web.jobs.models import Job
from brisk_web.shelf.services import publish
from brisk_web.storage.models import StorageRoot

_CHANGED = 3  # lines


def main() -> None:
    """Furnish, judge again, print."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 500
    runner = DiscoverRunner(verbosity=0, interactive=False)
    before = runner.setup_databases()
    try:
        folder = Path(tempfile.mkdtemp(prefix="brisk-judging-"))
        path = make_small(folder / "a.mp4", Small(sound="aac"))
        ask = requests.Inspect(url=path.as_uri(), name=path.name, depth="full", take_digest=True)
        root = StorageRoot.objects.create(name="Shelf", url=str(folder))
        furnish(count, 0, Job.objects.create(title="Canal"), root, sandbox.run(ask))
        version = Check.objects.earliest("pk").spec_version
        document = copy.deepcopy(spec_to_document(version.parsed()))
        for line in document["lines"][:_CHANGED]:
            line["weight"] = "must" if line.get("weight") == "should" else "should"
        fresh = publish(parse_spec(document))
        began = time.perf_counter()
        list(Inspection.objects.values_list("document", flat=True))
        bare = time.perf_counter() - began
        began = time.perf_counter()
        done = judge_again(fresh, by=None)
        took = time.perf_counter() - began
        print(f"{done} checks judged again in {took:.2f} s, {done / took:.0f} a second; "
              f"{took / bare:.1f} times loading their documents ({bare:.2f} s)")  # fmt: skip
    finally:
        runner.teardown_databases(before)


if __name__ == "__main__":
    main()
