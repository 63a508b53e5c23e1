"""Encoding of drawn pictures and sound into files, with the settings and the faults that a recipe names."""

from __future__ import annotations

from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.filter import Graph

from brisk_core.samples.picture import Drawn
from brisk_core.samples.sound import make_sound

_SOUND_BLOCK = 1024


@dataclass(frozen=True, slots=True, kw_only=True)
class Settings:
    """How one file is written."""

    container: str  #: the library's name of the wrapper
    codec: str
    pixels: str  #: yuv420p or yuv422p
    size: tuple[int, int]
    rate: Fraction
    options: dict[str, str]
    bit_rate: int
    fields: bool = False  #: pictures carry the field flag, top first
    profile: str | None = None
    container_options: dict[str, str] = field(default_factory=dict)
    timecode: str | None = None
    sound_codec: str | None = "aac"
    sound_rate: int = 48000
    mono_tracks: int = 0  #: number of mono tracks in place of one stereo track
    sound_dropout: bool = False  #: the sound is gone for a moment


class Encoder:
    """Writes one file, picture by picture."""

    def __init__(self, path: Path, settings: Settings, length: Fraction) -> None:
        self._settings = settings
        self._container = av.open(str(path), "w", format=settings.container, options=settings.container_options)
        if settings.timecode:
            self._container.metadata["timecode"] = settings.timecode
        stream: Any = self._container.add_stream(settings.codec, rate=settings.rate)
        stream.width, stream.height = settings.size
        stream.pix_fmt = settings.pixels
        stream.bit_rate = settings.bit_rate
        stream.time_base = 1 / settings.rate
        stream.codec_context.time_base = 1 / settings.rate
        stream.codec_context.thread_count = 1
        context = stream.codec_context
        context.color_primaries = context.color_trc = context.colorspace = 1
        context.color_range = 1
        stream.sample_aspect_ratio = Fraction(1)
        stream.options = dict(settings.options)
        if settings.profile:
            stream.profile = settings.profile
        self._stream = stream
        self._count = 0
        self._flag = _field_flag(settings) if settings.fields else None
        self._sounds = [self._add_sound() for _ in range(settings.mono_tracks or 1)] if settings.sound_codec else []
        self._sound = (
            make_sound(length, settings.sound_rate, dropout=settings.sound_dropout)
            if self._sounds
            else np.zeros((2, 0), np.float32)
        )
        self._sound_at = 0

    def _add_sound(self) -> Any:
        layout = "mono" if self._settings.mono_tracks else "stereo"
        stream: Any = self._container.add_stream(str(self._settings.sound_codec), rate=self._settings.sound_rate)
        stream.layout = layout
        if self._settings.sound_codec == "aac":
            stream.bit_rate = 192_000
        return stream

    def take(self, drawn: Drawn) -> None:
        """Encode one picture and the sound that belongs to it."""
        frame = _to_frame(drawn, self._settings.pixels)
        frame.pts = self._count
        frame.time_base = 1 / self._settings.rate
        if self._flag:
            frame = self._flag(frame)
        self._count += 1
        self._container.mux(self._stream.encode(frame))
        self._write_sound(round(self._count / self._settings.rate * self._settings.sound_rate))

    def _write_sound(self, until: int) -> None:
        while self._sounds and self._sound_at < min(until, self._sound.shape[1]):
            block = self._sound[:, self._sound_at : self._sound_at + _SOUND_BLOCK]
            for number, stream in enumerate(self._sounds):
                self._container.mux(stream.encode(_to_sound(block, stream, number, self._settings, self._sound_at)))
            self._sound_at += block.shape[1]

    def close(self) -> None:
        """Write what is left and close the file."""
        self._write_sound(self._sound.shape[1])
        for stream in (self._stream, *self._sounds):
            self._container.mux(stream.encode(None))
        self._container.close()


def _to_frame(drawn: Drawn, pixels: str) -> av.VideoFrame:
    height, width = drawn.luma.shape
    frame = av.VideoFrame(width, height, pixels)
    blue, red = drawn.blue, drawn.red
    if pixels == "yuv420p":
        blue, red = blue[::2], red[::2]
    for plane, source in zip(frame.planes, (drawn.luma, blue, red), strict=True):
        rows = np.frombuffer(memoryview(plane), np.uint8).reshape(plane.height, plane.line_size)
        rows[:, : plane.width] = source
    frame.color_range = 1
    frame.colorspace = 1
    return frame


def _to_sound(block: Any, stream: Any, number: int, settings: Settings, at: int) -> av.AudioFrame:
    if settings.mono_tracks:
        # Tracks 1 and 2 are left and right of the mix, the others are there and silent.
        samples = block[number : number + 1] if number < 2 else np.zeros_like(block[:1])
        packed = (np.clip(samples, -1, 1) * 0x7FFFFFFF).astype(np.int32)
        frame = av.AudioFrame.from_ndarray(packed, format="s32", layout="mono")
    else:
        frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(block), format="fltp", layout="stereo")
    frame.sample_rate = settings.sound_rate
    frame.pts = at
    frame.time_base = Fraction(1, settings.sound_rate)
    return frame


def _field_flag(settings: Settings) -> Any:
    """Return a function that marks a frame as two fields, top first; the flag lives on the frame."""
    graph: Any = Graph()
    source = graph.add_buffer(
        width=settings.size[0], height=settings.size[1], format=settings.pixels, time_base=1 / settings.rate
    )
    marked = graph.add("setfield", "tff")
    sink = graph.add("buffersink")
    source.link_to(marked)
    marked.link_to(sink)
    graph.configure()

    def mark(frame: av.VideoFrame) -> Any:
        graph.push(frame)
        return graph.pull()

    return mark


def rewrap(source: Path, path: Path, settings: Settings) -> None:
    """Write the packets of ``source`` into a new wrapper with the settings' options and timecode, as they are."""
    with (
        av.open(str(source)) as old,
        av.open(str(path), "w", format=settings.container, options=settings.container_options) as new,
    ):
        if settings.timecode:
            new.metadata["timecode"] = settings.timecode
        streams = {
            stream.index: new.add_stream_from_template(stream) for stream in (*old.streams.video, *old.streams.audio)
        }
        for packet in old.demux(list(old.streams.get(*streams))):
            if packet.dts is not None:
                packet.stream = streams[packet.stream.index]
                new.mux(packet)
