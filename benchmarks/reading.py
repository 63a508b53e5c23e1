"""Ratios of reading against the bare library, in one run: headers against open, packets against demux.

Each pair is measured alternately and the medians are compared, so that what else the machine does falls on both.
"""

from __future__ import annotations

import statistics
import tempfile
import time
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import av

from brisk_core.facts import Depth
from brisk_core.inspect import inspect
from brisk_core.packets import read_packets
from brisk_core.reading import Source, read_headers
from brisk_core.small_media import Small, make_small

ROUNDS = 7


def bare_open(path: Path) -> None:
    """Open the file and let the library parse what it needs to know its streams."""
    with av.open(str(path)) as container:
        assert container.streams.video[0].codec_context.width  # noqa: S101


def bare_demux(path: Path) -> None:
    """Run through all packets."""
    with av.open(str(path)) as container:
        for _ in container.demux():
            pass


def seconds(work: Callable[[], object]) -> float:
    """Return how long the work takes."""
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def ratio(ours: Callable[[], object], theirs: Callable[[], object]) -> tuple[float, float]:
    """Return the ratio of medians, and the median of ours in milliseconds."""
    ours()
    theirs()
    pairs = [(seconds(ours), seconds(theirs)) for _ in range(ROUNDS)]
    mine, bare = (statistics.median(column) for column in zip(*pairs, strict=True))
    return mine / bare, mine * 1000


def main() -> None:
    """Print one table."""
    print(f"{'file':26} {'bytes':>12} {'headers / open':>18} {'packets / demux':>18}")
    with tempfile.TemporaryDirectory() as folder:
        for minutes, label in ((Fraction(1, 6), "10 s"), (Fraction(10), "10 min")):
            for name in ("a.mp4", "a.ts"):
                frames = int(minutes * 60 * 25)
                recipe = Small(frames=frames, size=(640, 360), sound="aac", container_options={})
                path = make_small(Path(folder) / f"{frames}-{name}", recipe)
                source = Source.at(str(path))
                headers, headers_ms = ratio(lambda s=source: read_headers(s), lambda p=path: bare_open(p))
                reading = read_headers(source)
                packets, packets_ms = ratio(
                    lambda s=source, r=reading: read_packets(s, r), lambda p=path: bare_demux(p)
                )
                whole = inspect(source, Depth.PACKETS).inspection
                assert whole.best("picture.frame_count") == frames  # noqa: S101
                size = path.stat().st_size
                print(
                    f"{label + ' ' + name[2:]:26} {size:>12,} {headers:>8.2f} ({headers_ms:5.1f} ms) "
                    f"{packets:>8.2f} ({packets_ms:5.1f} ms)"
                )


if __name__ == "__main__":
    main()
