"""Real files of many wrappers from a few coded streams: what is predicted is held against them."""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction
from functools import cache
from pathlib import Path
from typing import Any

import av
import numpy as np

from brisk_core.plan import Stream

SIZE = (320, 192)
RATE = 48_000


@dataclass(frozen=True, slots=True)
class Coded:
    """A coded stream in a file of its own."""

    path: Path
    stream: Stream
    rate: Fraction  #: frames a second; of sound, its sample rate

    def cut(self, seconds: Fraction) -> Coded:
        """The same stream, planned for a shorter length; only what is predicted changes."""
        share = seconds / self.stream.seconds
        packets = round(self.stream.packets * share)
        return replace(
            self, stream=replace(self.stream, packets=packets, size=self.stream.size * share, seconds=seconds)
        )


@cache
def picture(
    folder: Path,
    codec: str,
    bits: int,
    rate: Fraction = Fraction(25),
    frames: int = 200,
    options: str = "",
    pixels: str = "yuv420p",
) -> Coded:
    """A picture of noise over drifting tiles, coded at about so many bits a second."""
    path = folder / f"{codec}-{bits}-{float(rate):.2f}-{frames}-{abs(hash(options))}.mkv"
    rng = np.random.default_rng(bits)
    tiles = rng.integers(16, 235, (SIZE[1] // 8, SIZE[0] // 8 + frames), dtype=np.uint8)
    with av.open(str(path), "w") as container:
        stream: Any = container.add_stream(codec, rate=rate)
        stream.width, stream.height = SIZE
        stream.pix_fmt, stream.bit_rate = pixels, bits
        stream.options = dict(one.split("=", 1) for one in options.split(",") if one)
        for number in range(frames):
            luma = np.kron(tiles[:, number : number + SIZE[0] // 8], np.ones((8, 8), np.int16))
            luma = (luma + rng.integers(-12, 12, luma.shape)).clip(0, 255).astype(np.uint8)
            whole = np.concatenate([luma, np.full((SIZE[1] // 2, SIZE[0]), 128, np.uint8)])
            frame = av.VideoFrame.from_ndarray(whole, format="yuv420p")
            container.mux(stream.encode(frame.reformat(format=pixels)))
        container.mux(stream.encode(None))
    return _measured(path, "picture", rate, frames / rate)


@cache
def sound(folder: Path, codec: str, bits: int, seconds: Fraction = Fraction(8), layout: str = "stereo") -> Coded:
    """Noise, coded at about so many bits a second; plain samples where ``bits`` is 0."""
    path = folder / f"{codec}-{bits}-{float(seconds):g}-{layout}.mkv"
    rng = np.random.default_rng(1)
    with av.open(str(path), "w") as container:
        stream: Any = container.add_stream(codec, rate=RATE)
        stream.layout = layout
        if bits:
            stream.bit_rate = bits
        step = stream.codec_context.frame_size or 1920
        resampler = av.AudioResampler(format=stream.codec_context.format.name, layout=layout, rate=RATE)
        for start in range(0, int(seconds * RATE), step):
            count = min(step, int(seconds * RATE) - start)
            samples = rng.normal(0, 4000, (1, count * stream.codec_context.layout.nb_channels)).astype(np.int16)
            frame = av.AudioFrame.from_ndarray(samples, format="s16", layout=layout)
            frame.sample_rate, frame.pts = RATE, start
            for ready in resampler.resample(frame):
                ready.pts = start
                container.mux(stream.encode(ready))
        container.mux(stream.encode(None))
    return _measured(path, "sound", Fraction(RATE), seconds)


def _measured(path: Path, kind: str, rate: Fraction, seconds: Fraction) -> Coded:
    with av.open(str(path)) as container:
        packets = [packet for packet in container.demux(container.streams[0]) if packet.size]
        name = container.streams[0].codec_context.name
        return Coded(
            path,
            Stream(
                kind=kind,
                codec={"h264": "avc", "mpeg2video": "mpeg2"}.get(name, "pcm" if name.startswith("pcm") else name),
                packets=len(packets),
                size=Fraction(sum(packet.size for packet in packets)),
                seconds=seconds,
                random_access=sum(packet.is_keyframe for packet in packets) if kind == "picture" else 1,
                reorders=kind == "picture" and any(packet.pts != packet.dts for packet in packets),
            ),
            rate,
        )


def wrap(path: Path, coded: list[Coded], *, format: str | None = None, options: dict[str, str] | None = None) -> int:
    """Wrap streams in one file, in order of time; return its bytes."""
    sources = [av.open(str(one.path)) for one in coded]
    with av.open(str(path), "w", format=format, options=options or {}) as container:
        rows: list[tuple[float, int, Any]] = []
        for number, source in enumerate(sources):
            target = container.add_stream_from_template(source.streams[0])
            step = 1 / coded[number].rate
            for at, packet in enumerate(packet for packet in source.demux(source.streams[0]) if packet.size):
                if coded[number].stream.kind == "picture":  # the wrapper that it comes from rounds to milliseconds
                    base = packet.time_base
                    packet.pts, packet.dts = round(packet.pts * base / step), at - 2 * coded[number].stream.reorders
                    packet.duration, packet.time_base = 1, step
                packet.stream = target
                rows.append((float(packet.dts * packet.time_base), number, packet))
        for _, _, packet in sorted(rows, key=lambda row: row[:2]):
            container.mux(packet)
    for source in sources:
        source.close()
    return path.stat().st_size
