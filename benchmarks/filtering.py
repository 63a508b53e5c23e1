"""What the meters cost beside one filter graph of the library that measures the comparable things, in one run.

Both decode the same file in one thread; the bare decode is taken off either. The graph has one filter each for fields,
black, freezes, levels, the active area, blocks and scenes, as far as the library has them; sound is left out.
"""

from __future__ import annotations

import os
import sys
import tempfile
from functools import partial
from pathlib import Path
from typing import Any

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # as for everything that loads the core first

import av
import av.filter

from benchmarks.scanning import FRAMES, ROUNDS, bare_decode, made_files, processor
from brisk_core.reading import Source, open_container
from brisk_core.scan import Segment, scan_pictures

_WANTED = ("idet", "blackdetect", "freezedetect", "signalstats", "cropdetect", "bbox", "blockdetect", "scdet")

FILTERS = tuple(name for name in _WANTED if name in av.filter.filters_available)


def filtered(path: Path) -> None:
    """Decode every picture in one thread and pull it through the graph."""
    with open_container(Source.at(str(path))) as container:
        stream: Any = container.streams.video[0]
        stream.codec_context.thread_count = 1
        graph = av.filter.Graph()
        graph.threads = 1
        last: Any = graph.add_buffer(template=stream)
        for name in FILTERS:
            one = graph.add(name)
            last.link_to(one)
            last = one
        last.link_to(graph.add("buffersink"))
        graph.configure()
        for frame in container.decode(stream):
            graph.push(frame)
            while True:
                try:
                    graph.pull()
                except (av.FFmpegError, EOFError):
                    break


def main() -> None:
    """Print the table."""
    print(f"filters: {', '.join(FILTERS)}; missing: {', '.join(sorted({*_WANTED} - {*FILTERS})) or 'none'}")
    with tempfile.TemporaryDirectory() as name:
        for title, path, series in made_files(Path(name)):
            scan = partial(scan_pictures, Source.at(str(path)), series, Segment(0, len(series)), full=False)
            works = (scan, partial(filtered, path), partial(bare_decode, path))
            rounds = [[processor(work) for work in works] for _ in range(ROUNDS)]
            mine, graph, bare = (min(column) / FRAMES * 1000 for column in zip(*rounds, strict=True))
            print(f"{title}: meters {mine - bare:.1f} ms a picture, filter graph {graph - bare:.1f}, "
                  f"{(graph - bare) / (mine - bare):.1f} times as much")  # fmt: skip


if __name__ == "__main__":
    sys.exit(main())
