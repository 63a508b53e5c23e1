"""Ratios of reading against the bare library, in one run: headers against open, packets against demux.

Each pair is measured alternately and the quickest rounds are compared, which a busy machine disturbs least. Then memory
over length (a file made long by repeating its packets), and the bytes that headers of a huge file take.
"""

from __future__ import annotations

import resource
import subprocess
import sys
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
from brisk_core.small_media import Small, make_small, repeat_packets

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
    """Return the ratio of the quickest rounds, and ours in milliseconds."""
    ours()
    theirs()
    pairs = [(seconds(ours), seconds(theirs)) for _ in range(ROUNDS)]
    mine, bare = (min(column) for column in zip(*pairs, strict=True))
    return mine / bare, mine * 1000


def peak_memory(path: Path) -> int:
    """Return the most bytes of memory that a process of its own takes to read a file's packets."""
    done = subprocess.run(
        [sys.executable, "-m", "benchmarks.reading", str(path)], capture_output=True, check=True, text=True
    )
    return int(done.stdout.split()[-1])


def read_and_report(path: str) -> None:
    """Read a file's packets and print the most memory it took, in bytes."""
    inspect(Source.at(path), Depth.PACKETS)
    print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024)


def bytes_read(path: Path) -> int:
    """Return how many bytes a process of its own reads for the headers of a file, libraries aside."""
    words = (
        "import sys; from pathlib import Path; from brisk_core.reading import Source, read_headers;"
        "count = lambda: int(Path('/proc/self/io').read_text().split('rchar: ')[1].split()[0]);"
        "read_headers(Source.at(sys.argv[1])); before = count();"
        "read_headers(Source.at(sys.argv[1])); print(count() - before)"
    )
    done = subprocess.run([sys.executable, "-c", words, str(path)], capture_output=True, check=True, text=True)
    return int(done.stdout)


def enlarge(path: Path, to: int) -> None:
    """Make a file huge without writing: its media box claims the size and the file becomes sparse."""
    data = path.read_bytes()
    at = data.rindex(b"mdat") - 4
    if int.from_bytes(data[at : at + 4], "big") == 1:
        size_at, size = at + 8, (to - at).to_bytes(8, "big")
    else:  # the writer leaves a free box before the media, which gives way to a size of eight bytes
        at -= 8
        size_at, size = at, b"\0\0\0\1mdat" + (to - at).to_bytes(8, "big")
    with open(path, "r+b") as file:
        file.seek(size_at)
        file.write(size)
        file.truncate(to)


def print_long_files(folder: Path) -> None:
    """Print memory over length, and what the headers of a huge sparse file take."""
    minute = make_small(folder / "minute.mp4", Small(frames=1500, size=(320, 180), sound="aac"))
    hours = folder / "hours.mp4"
    repeat_packets(minute, hours, 120)
    short, long = peak_memory(minute), peak_memory(hours)
    print(f"memory: {short >> 20} MB for 1 min, {long >> 20} MB for 2 h, ratio {long / short:.2f}")
    huge = make_small(folder / "huge.mp4", Small(frames=250, container_options={"movflags": "+faststart"}))
    enlarge(huge, 10 << 30)
    for path in (minute, hours, huge):
        print(f"headers of {path.name}, {path.stat().st_size:,} bytes: {bytes_read(path):,} bytes read")


def main() -> None:
    """Print one table, then the long files."""
    print(f"{'file':26} {'bytes':>12} {'headers / open':>18} {'packets / demux':>18}")
    with tempfile.TemporaryDirectory() as folder:
        for minutes, label in ((Fraction(1, 6), "10 s"), (Fraction(10), "10 min")):
            for name in ("a.mp4", "a.ts"):
                frames = int(minutes * 60 * 25)
                ten = make_small(Path(folder) / f"ten-{name}", Small(frames=250, size=(640, 360), sound="aac"))
                path = Path(folder) / f"{frames}-{name}"
                repeat_packets(ten, path, frames // 250)
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
        print_long_files(Path(folder))


if __name__ == "__main__":
    if sys.argv[1:]:
        read_and_report(sys.argv[1])
    else:
        main()
