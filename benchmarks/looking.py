"""How long a first look takes, over length and codec, against a bare decode of the whole file by the library.

Files of 1080 lines are made long by repeating packets, so that each is as large as a real one of its length; the bare
decode is measured over the short file and multiplied, as that of two hours would take longer than anybody waits.
"""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

from benchmarks.scanning import FILES, FRAMES, RATE, bare_decode, make, processor
from brisk_core.facts import Depth
from brisk_core.first_look import first_look
from brisk_core.inspect import inspect
from brisk_core.reading import Source, inspect_headers
from brisk_core.small_media import repeat_packets

MINUTES = (2, 20, 120)
LARGEST = 12_000_000_000  # bytes of a file that is made


def main() -> None:
    """Print the table."""
    with tempfile.TemporaryDirectory(dir=sys.argv[1] if len(sys.argv) > 1 else None) as name:
        folder = Path(name)
        for title, (file, *recipe) in FILES.items():
            short = make(folder / file, *recipe)
            inspect(Source.at(str(short)), Depth.PACKETS)
            bare = processor(lambda short=short: bare_decode(short)) / FRAMES  # type: ignore[misc]
            for minutes in MINUTES:
                times = round(minutes * 60 * RATE / FRAMES)
                if short.stat().st_size * times > LARGEST:
                    print(f"{title}, {minutes} min: left out, {short.stat().st_size * times / 1e9:.0f} GB")
                    continue
                long = folder / f"long{short.suffix}"
                repeat_packets(short, long, times)
                source = Source.at(str(long))
                headers = inspect_headers(source)
                first_look(source, headers)  # the disc's cache is as warm as for the decode
                began = time.perf_counter()
                look = first_look(source, headers)
                took = time.perf_counter() - began
                whole = bare * FRAMES * times
                print(f"{title}, {minutes} min: {took:.1f} s for {look.pictures} pictures, "
                      f"{took / whole:.4f} of a bare decode ({whole:.0f} s)")  # fmt: skip
                long.unlink()


if __name__ == "__main__":
    sys.exit(main())
