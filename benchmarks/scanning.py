"""Ratios of the full scan against a bare decode of the same file, in one run, and what each meter costs.

Three files of 1080 lines (AVC at 20 Mb/s, MPEG-2 4:2:2 at 50 Mb/s, ProRes HQ). Bare decode and scan are measured
alternately in processor time of one thread, and the quickest rounds are compared. Then two segments in two processes
against one, and memory over length.
"""

from __future__ import annotations

import multiprocessing
import os
import resource
import sys
import tempfile
import time
from collections import defaultdict
from collections.abc import Callable, Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # as for everything that loads the core first

import av
import numpy as np

from brisk_core.facts import Depth
from brisk_core.inspect import inspect
from brisk_core.meters import Picture
from brisk_core.meters.planes import PlaneReader
from brisk_core.packets import load_series
from brisk_core.reading import Source, open_container
from brisk_core.samples.drawings import DRAWINGS
from brisk_core.scan import PictureScan, Segment, plan_segments, scan_pictures
from brisk_core.small_media import repeat_packets

ROUNDS = 3
SIZE, RATE, FRAMES = (1920, 1080), Fraction(25), 75
_CONSTANT_50 = {
    "flags": "+ildct+ilme",
    "profile": "0",
    "level": "2",
    "g": "12",
    "bf": "2",
    "b": "50000000",
    "maxrate": "50000000",
    "minrate": "50000000",
    "bufsize": "17825792",
    "qmin": "1",
}
FILES: dict[str, tuple[str, str, str, dict[str, str], bool]] = {
    "AVC 20 Mb/s": ("avc.mp4", "libx264", "yuv420p", {"preset": "veryfast", "b": "20000000", "g": "25"}, False),
    "MPEG-2 4:2:2 50 Mb/s": ("mpeg2.mxf", "mpeg2video", "yuv422p", _CONSTANT_50, True),
    "ProRes HQ": ("prores.mov", "prores_ks", "yuv422p10le", {"profile": "3"}, False),
}


def make(path: Path, codec: str, pixels: str, options: dict[str, str], fields: bool) -> Path:
    """Encode the programme's pictures."""
    with av.open(str(path), "w") as container:
        stream: Any = container.add_stream(codec, rate=RATE)
        stream.width, stream.height = SIZE
        stream.pix_fmt = pixels
        stream.options = options
        for number in range(FRAMES):
            drawn = DRAWINGS["fields" if fields else "frames"](number, RATE, SIZE)
            frame = av.VideoFrame(*SIZE, "yuv422p")
            for plane, values in zip(frame.planes, (drawn.luma, drawn.blue, drawn.red), strict=True):
                rows = np.frombuffer(memoryview(plane), np.uint8).reshape(plane.height, plane.line_size)
                rows[:, : plane.width] = values
            frame = frame.reformat(format=pixels)
            frame.pts = number
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def made_files(folder: Path) -> Iterator[tuple[str, Path, Any]]:
    """Yield title, path and packet series of each of the three."""
    for title, (file, *recipe) in FILES.items():
        path, series_path = make(folder / file, *recipe), folder / f"{file}.npz"
        inspect(Source.at(str(path)), Depth.PACKETS, series_path=series_path)
        yield title, path, load_series(series_path)


def processor(work: Callable[[], object]) -> float:
    """Return the processor time of the work in seconds."""
    began = time.process_time()
    work()
    return time.process_time() - began


def bare_decode(path: Path) -> None:
    """Decode every picture and look at none."""
    with open_container(Source.at(str(path))) as container:
        stream: Any = container.streams.video[0]
        stream.codec_context.thread_count = 1
        for _ in container.decode(stream):
            pass


def cost_of_meters(path: Path) -> dict[str, float]:
    """Return milliseconds a picture for each meter and each reduced form, by wall time of one thread."""
    spent: dict[str, float] = defaultdict(float)
    scan, reader = PictureScan.begin(0), PlaneReader(full=False)
    before: list[Picture] = []
    count = 0

    def timed(name: str, work: Callable[[], object]) -> None:
        began = time.perf_counter()
        work()
        spent[name] += time.perf_counter() - began

    def measure(picture: Picture) -> None:
        for form in ("bands", "tiles", "small", "small_chroma"):
            timed(f"form {form}", lambda: getattr(picture, form))  # noqa: B023 - called at once
        timed("histogram", lambda: scan.histogram.take(picture))
        for meter in scan.rows.meters:
            timed(meter.name, lambda: meter.measure(picture, before))  # noqa: B023 - called at once

    with open_container(Source.at(str(path))) as container:
        for frame in container.decode(container.streams.video[0]):
            picture = reader.picture(frame, count)
            measure(picture)
            picture.let_go()
            before = [*before, picture][-2:]
            count += 1
    return {name: value / count * 1000 for name, value in sorted(spent.items(), key=lambda pair: -pair[1])}


def scan_segment(job: tuple[str, str, int, int]) -> None:
    """Scan one segment in a process of its own."""
    path, series, first, end = job
    scan_pictures(Source.at(path), load_series(Path(series)), Segment(first, end), full=False)


def segments_gain(path: Path, series_path: Path) -> tuple[float, float]:
    """Return how many times faster two segments in two processes are than one, for the scan and for a bare decode."""
    segments = plan_segments(load_series(series_path), 2)
    jobs = [(str(path), str(series_path), one.first, one.end) for one in segments]
    whole = [(str(path), str(series_path), 0, segments[-1].end)]
    times = []
    with multiprocessing.get_context("spawn").Pool(2) as pool:
        pool.map(scan_segment, jobs)  # imports are not counted
        for work in (whole, jobs):
            began = time.perf_counter()
            pool.map(scan_segment, work, chunksize=1)
            times.append(time.perf_counter() - began)
        began = time.perf_counter()
        pool.map(bare_decode, [path], chunksize=1)
        one = time.perf_counter() - began
        began = time.perf_counter()
        pool.map(bare_decode, [path, path], chunksize=1)
        two = (time.perf_counter() - began) / 2
    return times[0] / times[1], one / two


def peak_memory(path: str) -> int:
    """Return the most memory in MB that a full inspection takes, in a process of its own."""
    inspect(Source.at(path), Depth.FULL)
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024


def main() -> None:
    """Print the table."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for title, path, series in made_files(folder):
            whole = Segment(0, len(series))

            def scan(path: Path = path, series: Any = series, whole: Segment = whole) -> None:
                scan_pictures(Source.at(str(path)), series, whole, full=False)

            pairs = [(processor(scan), processor(lambda path=path: bare_decode(path))) for _ in range(ROUNDS)]  # type: ignore[misc]
            mine, bare = (min(column) for column in zip(*pairs, strict=True))
            print(f"{title}: scan {mine / FRAMES * 1000:.1f} ms a picture, bare decode {bare / FRAMES * 1000:.1f}, "
                  f"ratio {mine / bare:.2f}")  # fmt: skip
            print("   " + ", ".join(f"{meter} {cost:.2f}" for meter, cost in cost_of_meters(path).items()))
        path = folder / "avc.mp4"
        longer = folder / "longer.mp4"
        repeat_packets(path, longer, 4)
        inspect(Source.at(str(longer)), Depth.PACKETS, series_path=folder / "longer.npz")
        ours, theirs = segments_gain(longer, folder / "longer.npz")
        print(f"two segments in two processes: {ours:.2f} times one; two bare decodes beside each other: {theirs:.2f}")
        sizes = []
        small = folder / "small.mp4"
        from brisk_core.small_media import Small, make_small

        make_small(small, Small(frames=250, sound="aac"))
        for times in (1, 40):
            repeat_packets(small, folder / f"small-{times}.mp4", times)
            with multiprocessing.get_context("spawn").Pool(1) as pool:
                sizes.append(pool.apply(peak_memory, (str(folder / f"small-{times}.mp4"),)))
        first, last = sizes
        print(f"memory of a full inspection: {first} MB for 10 s, {last} MB for 400 s, ratio {last / first:.2f}")


if __name__ == "__main__":
    sys.exit(main())
