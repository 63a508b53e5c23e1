"""Pictures of odd and tiny sizes, such as a damaged header gives: every meter bears them."""

import tempfile
import warnings
from pathlib import Path
from typing import Any
from unittest import TestCase

import av
import numpy as np

from brisk_core.facts import keys
from brisk_core.inspect import inspect
from brisk_core.reading import Source

SIZES = (
    (1, 1), (2, 1), (1, 2), (2, 2), (177, 1), (1, 177), (4, 4), (7, 7), (8, 8), (9, 15), (17, 31), (33, 5), (5, 33),
    (64, 6), (6, 64), (640, 2), (2, 640), (24, 24), (40, 40),
)  # fmt: skip


def write(path: Path, size: tuple[int, int], codec: str, pixels: str) -> Path:
    """Thirteen pictures of noise, every third of them flat."""
    with av.open(str(path), "w") as container:
        stream: Any = container.add_stream(codec, rate=25)
        stream.width, stream.height = size
        stream.pix_fmt = pixels
        for number in range(13):
            frame = av.VideoFrame(*size, pixels)
            noise = np.random.default_rng(number)
            for plane in frame.planes:
                samples = np.frombuffer(memoryview(plane), np.uint8)
                samples[:] = noise.integers(16, 235, samples.size) if number % 3 else 100
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


class TinyPicturesTest(TestCase):
    def test_pictures_of_any_size_are_measured(self) -> None:
        with tempfile.TemporaryDirectory() as folder, warnings.catch_warnings():
            warnings.simplefilter("error")
            for size in SIZES:
                for name, codec, pixels in (("a.mkv", "rawvideo", "yuv420p"), ("a.mov", "png", "gray")):
                    with self.subTest(size, codec=codec):
                        path = write(Path(folder) / name, size, codec, pixels)
                        found = inspect(Source.at(str(path))).inspection
                        self.assertEqual((found[keys.PICTURE_SIZE], found[keys.PICTURE_FRAME_COUNT]), (size, 13))
