"""What holding a render against its master costs, in processor time, against a bare decode of both by the library.

Drawn shots of two seconds, each a texture of its own that moves, as a master (MPEG-2 4:2:2, 50 Mb/s) and its render
(AVC, 12 Mb/s) of 1080 lines, both with sound. Scans are made before and not counted.
"""

from __future__ import annotations

import os
import sys
import tempfile
from fractions import Fraction
from pathlib import Path
from typing import Any

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # as for everything that loads the core first

import av
import cv2
import numpy as np

from benchmarks.scanning import bare_decode, processor
from brisk_core.facts import Depth
from brisk_core.inspect import inspect
from brisk_core.master import Side, hold_against
from brisk_core.reading import Source

RATE, SIZE, SHOT = Fraction(25), (1920, 1080), 50
SECONDS = (8, 20, 40)
SIDES: dict[str, tuple[str, str, dict[str, str]]] = {
    "master.mxf": ("mpeg2video", "yuv422p", {"b": "50000000", "g": "12", "bf": "2", "profile": "0", "level": "2"}),
    "render.mp4": ("libx264", "yuv420p", {"preset": "veryfast", "b": "12000000", "g": "50"}),
}


def _texture(shot: int) -> Any:
    """A field of soft and fine detail, larger than a picture."""
    random = np.random.default_rng(shot)
    wide, high = SIZE[0] + 200, SIZE[1] + 200
    coarse = cv2.resize(random.uniform(40, 200, (high // 90, wide // 90)).astype(np.float32), (wide, high))
    fine = cv2.resize(random.uniform(-25, 25, (high // 6, wide // 6)).astype(np.float32), (wide, high))
    return np.clip(coarse + fine, 16, 235).astype(np.uint8)


def make(path: Path, codec: str, pixels: str, options: dict[str, str], seconds: int) -> Path:
    """Encode the shots and a sound that never repeats."""
    sound = np.cumsum(np.random.default_rng(1).normal(0, 0.02, (2, seconds * 48_000)), axis=1)
    sound = ((sound - cv2.blur(sound, (4801, 1))) * 8000).clip(-30000, 30000).astype(np.int16)
    with av.open(str(path), "w") as container:
        stream: Any = container.add_stream(codec, rate=RATE)
        stream.width, stream.height = SIZE
        stream.pix_fmt, stream.options = pixels, options
        track: Any = container.add_stream("pcm_s16le" if path.suffix == ".mxf" else "aac", rate=48_000, layout="stereo")
        for number in range(int(seconds * RATE)):
            if number % SHOT == 0:
                texture = _texture(number // SHOT)
            left, top = 3 * (number % SHOT), 2 * (number % SHOT)
            frame = av.VideoFrame(*SIZE, "gray")
            frame.planes[0].update(np.ascontiguousarray(texture[top : top + SIZE[1], left : left + SIZE[0]]))
            frame = frame.reformat(format=pixels, src_color_range="MPEG", dst_color_range="MPEG")
            frame.pts = number
            container.mux(stream.encode(frame))
            part = sound[:, number * 1920 : (number + 1) * 1920]
            piece = av.AudioFrame.from_ndarray(np.ascontiguousarray(part.T).reshape(1, -1), "s16", "stereo")
            piece.sample_rate, piece.pts = 48_000, number * 1920
            container.mux(track.encode(piece))
        container.mux(stream.encode(None))
        container.mux(track.encode(None))
    return path


def side_of(path: Path) -> Side:
    """Scan a file."""
    series, scan = path.with_suffix(".series.npz"), path.with_suffix(".scan.npz")
    found = inspect(Source.at(str(path)), Depth.FULL, series_path=series, scan_path=scan).inspection
    return Side(source=Source.at(str(path)), inspection=found, series_path=series, scan_path=scan)


def main() -> None:
    """Print the table."""
    for seconds in SECONDS:
        with tempfile.TemporaryDirectory() as name:
            master, render = (make(Path(name) / file, *recipe, seconds) for file, recipe in SIDES.items())
            sides = side_of(render), side_of(master)
            bare = sum(processor(lambda path=path: bare_decode(path)) for path in (master, render))  # type: ignore[misc]
            found: Any = None

            def hold(sides: tuple[Side, Side] = sides) -> None:
                nonlocal found
                found = hold_against(*sides)

            hold()  # the disc's cache and compiled loops are as warm as for the decode
            took = processor(hold)
            told = ", ".join(
                f"{id_.split('.')[1]} {'met' if one.right else one.found}" for id_, one in found.held.items()
            )
            print(f"{seconds} s: {took:.1f} s, bare decode of both {bare:.1f} s, ratio {took / bare:.2f} ({told})")


if __name__ == "__main__":
    sys.exit(main())
