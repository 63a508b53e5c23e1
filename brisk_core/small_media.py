"""Small media files with known properties, for tests and benchmarks: grey ramps that move, and a tone."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np

_TONE_HZ = 440


@dataclass(frozen=True, slots=True, kw_only=True)
class Small:
    """What a small file is made of."""

    size: tuple[int, int] = (192, 128)
    rate: Fraction = Fraction(25)
    frames: int = 50
    codec: str = "libx264"
    pixels: str = "yuv420p"
    options: dict[str, str] = field(default_factory=lambda: {"preset": "ultrafast"})
    container_options: dict[str, str] = field(default_factory=dict)
    format: str | None = None
    time_base: Fraction | None = None  #: of the encoder; the frame period where it is not given
    times: Callable[[int], int] | None = None  #: presentation time of frame n in ticks of the time base
    timecode: str | None = None
    sound: str | None = None  #: codec, None for a silent file
    sample_rate: int = 48000
    sound_seconds: float | None = None  #: length of the sound; that of the pictures where it is not given
    prepare: Callable[[Any, Any], None] | None = None  #: called with container and stream before the first frame
    mark: Callable[[Any], Any] | None = None  #: gives each frame flags, such as that of its fields


def make_small(path: Path, recipe: Small) -> Path:
    """Write a small file and return its path."""
    container: Any = av.open(str(path), "w", format=recipe.format, options=recipe.container_options)
    if recipe.timecode:
        container.metadata["timecode"] = recipe.timecode
    stream: Any = container.add_stream(recipe.codec, rate=recipe.rate)
    stream.width, stream.height = recipe.size
    stream.pix_fmt = recipe.pixels
    base = recipe.time_base or 1 / recipe.rate
    stream.time_base = stream.codec_context.time_base = base
    stream.options = dict(recipe.options)
    if recipe.prepare:
        recipe.prepare(container, stream)
    sound: Any = container.add_stream(recipe.sound, rate=recipe.sample_rate) if recipe.sound else None
    if sound is not None:
        sound.layout = "stereo"
    for number in range(recipe.frames):
        frame = _frame(recipe, number, base)
        container.mux(stream.encode(recipe.mark(frame) if recipe.mark else frame))
    container.mux(stream.encode(None))
    if sound is not None:
        _write_tone(container, sound, recipe)
    container.close()
    return path


def _frame(recipe: Small, number: int, base: Fraction) -> av.VideoFrame:
    width, height = recipe.size
    ramp = (np.add.outer(np.arange(height), np.arange(width)) + number * 3) % 200 + 20
    frame = av.VideoFrame.from_ndarray(np.dstack([ramp.astype(np.uint8)] * 3), format="rgb24")
    frame = frame.reformat(format=recipe.pixels)
    frame.pts = recipe.times(number) if recipe.times else number
    frame.time_base = base
    return frame


def _write_tone(container: Any, stream: Any, recipe: Small) -> None:
    length = recipe.sound_seconds or recipe.frames / recipe.rate
    count = round(length * recipe.sample_rate)
    tone = np.sin(2 * np.pi * _TONE_HZ * np.arange(count) / recipe.sample_rate) * 0.2
    for at in range(0, count, 1024):
        block = np.stack([tone[at : at + 1024]] * 2)
        if recipe.sound and recipe.sound.startswith("pcm"):
            frame = av.AudioFrame.from_ndarray(
                (block * 0x7FFFFFFF).astype(np.int32).T.reshape(1, -1), format="s32", layout="stereo"
            )
        else:
            frame = av.AudioFrame.from_ndarray(block.astype(np.float32), format="fltp", layout="stereo")
        frame.sample_rate, frame.pts = recipe.sample_rate, at
        frame.time_base = Fraction(1, recipe.sample_rate)
        container.mux(stream.encode(frame))
    container.mux(stream.encode(None))


def repeat_packets(source: Path, path: Path, times: int) -> None:
    """Write the packets of a file again and again, one run after the other."""
    old: Any
    new: Any
    with av.open(str(source)) as old, av.open(str(path), "w") as new:
        streams = {one.index: new.add_stream_from_template(one) for one in old.streams}
        packets = [packet for packet in old.demux() if packet.dts is not None and packet.pts is not None]
        pictures = [packet for packet in packets if packet.stream.type == "video"]
        start = min(packet.pts for packet in pictures)
        seconds_long = len(pictures) / Fraction(old.streams.video[0].average_rate or 25)
        for turn in range(times):
            for packet in packets:
                if turn and packet.pts * packet.time_base < start * pictures[0].time_base:
                    continue  # the lead-in of a sound coder, which stands before the first picture
                shift = round(turn * seconds_long / packet.time_base) if turn else 0
                copy: Any = av.Packet(bytes(packet))
                copy.pts, copy.dts, copy.duration = packet.pts + shift, packet.dts + shift, packet.duration
                copy.time_base, copy.is_keyframe = packet.time_base, packet.is_keyframe
                copy.stream = streams[packet.stream.index]
                new.mux(copy)
