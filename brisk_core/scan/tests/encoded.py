"""Encoded files with known truth for the tests of the scan: moving texture and sound through real coders."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from brisk_core.facts import Inspection
from brisk_core.inspect import inspect
from brisk_core.meters.tests.drawn import Plane
from brisk_core.reading import Source


@dataclass(frozen=True, slots=True, kw_only=True)
class Coding:
    """How a file is written."""

    codec: str = "libx264"
    pixels: str = "yuv420p"
    suffix: str = ".mp4"
    options: dict[str, str] = field(default_factory=lambda: {"preset": "ultrafast", "crf": "18"})
    field_order: str = ""  #: tff or bff, set on each frame
    rate: Fraction = Fraction(25)
    bits: int = 8


CODINGS = {
    "avc": Coding(),
    "avc-10": Coding(pixels="yuv420p10le", bits=10),
    "hevc": Coding(codec="libx265", options={"preset": "ultrafast", "crf": "18", "x265-params": "log-level=error"}),
    "mpeg2": Coding(codec="mpeg2video", suffix=".mpg", options={"b": "6000000", "g": "12", "bf": "2"}),
    "prores": Coding(codec="prores_ks", pixels="yuv422p10le", suffix=".mov", options={"profile": "3"}, bits=10),
    "prores-444": Coding(codec="prores_ks", pixels="yuv444p10le", suffix=".mov", options={"profile": "4"}, bits=10),
    "ffv1": Coding(codec="ffv1", suffix=".mkv", options={}),
    "ffv1-16": Coding(codec="ffv1", pixels="yuv422p16le", suffix=".mkv", options={"level": "3"}, bits=16),
    "vp9": Coding(
        codec="libvpx-vp9", suffix=".webm", options={"deadline": "realtime", "cpu-used": "8", "b": "3000000"}
    ),
    "mjpeg": Coding(codec="mjpeg", pixels="yuvj422p", suffix=".avi", options={"qmin": "2", "qmax": "2"}),
}


def to_frame(luma: Plane, pixels: str, bits: int) -> Any:
    """A frame of a luma plane without colour."""
    height, width = luma.shape
    frame = av.VideoFrame(width, height, pixels)
    for number, plane in enumerate(frame.planes):
        kind = np.uint16 if bits > 8 else np.uint8
        rows = np.frombuffer(memoryview(plane), kind).reshape(plane.height, -1)
        value = luma.astype(kind) << (bits - 8) if number == 0 else kind(128 << (bits - 8))
        rows[:, : plane.width] = value
    return frame


def write(path: Path, planes: Sequence[Plane], coding: Coding, sound: NDArray[np.float32] | None = None) -> Path:
    """Write luma planes, and sound in 48 kHz as PCM or AAC, as the wrapper allows; return the path."""
    path = path.with_suffix(coding.suffix)
    with av.open(str(path), "w") as container:
        stream: Any = container.add_stream(coding.codec, rate=coding.rate)
        stream.height, stream.width = planes[0].shape
        stream.pix_fmt = coding.pixels
        stream.options = dict(coding.options)
        track: Any = None
        if sound is not None:
            track = container.add_stream(
                "pcm_s24le" if coding.suffix in (".mov", ".mkv", ".avi") else "aac", rate=48000
            )
            track.layout = "stereo"
        for number, plane in enumerate(planes):
            frame = to_frame(plane, coding.pixels, coding.bits)
            frame.pts = number
            if coding.field_order:
                frame = _marked(frame, coding)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
        if track is not None and sound is not None:
            for at in range(0, sound.shape[1], 1024):
                block = av.AudioFrame.from_ndarray(
                    np.ascontiguousarray(sound[:, at : at + 1024]), format="fltp", layout="stereo"
                )
                block.sample_rate, block.pts, block.time_base = 48000, at, Fraction(1, 48000)
                container.mux(track.encode(block))
            container.mux(track.encode(None))
    return path


def _marked(frame: Any, coding: Coding) -> Any:
    graph: Any = av.filter.Graph()
    source = graph.add_buffer(width=frame.width, height=frame.height, format=coding.pixels, time_base=1 / coding.rate)
    mark, sink = graph.add("setfield", coding.field_order), graph.add("buffersink")
    source.link_to(mark)
    mark.link_to(sink)
    graph.configure()
    graph.push(frame)
    return graph.pull()


def inspected(path: Path) -> Inspection:
    """The inspection of a file to its full depth."""
    return inspect(Source.at(str(path))).inspection
