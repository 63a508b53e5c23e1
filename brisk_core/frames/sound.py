"""Decoded sound of a stretch, at one rate and on the clock of the picture."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

import av
import numpy as np
from av.stream import Disposition
from numpy.typing import NDArray

from brisk_core.reading import Source, open_container, picture_start

RATE = 48_000  #: Hz at which sounds are compared
_MOST_TOGETHER = 8  # tracks of one channel that are read as one
_EARLY_ROLL = 0.4  # seconds decoded before a window, so that coders have settled

#: Forms of samples, side by side or in planes, that are brought to full scale 1 as the library's resampler does.
_FULL_SCALE = {"flt": 1, "fltp": 1, "s16": 1 << 15, "s16p": 1 << 15, "s32": 1 << 31, "s32p": 1 << 31}
_LOOSE = 2.0  # samples by which times of frames may lie apart from where the ones before end
_TOLD_BY = 1.0  # seconds at the beginning of a track that tell where its frames begin

Samples = NDArray[np.float32]  #: (channels, count) at full scale 1


class SoundTrack:
    """A sound track that is read at any place while its file is open; made by ``open_sound``."""

    def __init__(self, container: Any, streams: Sequence[Any], origin: float) -> None:
        self._container = container
        self._streams = streams
        self._origin = origin
        self._phases = [_phase_of(container, stream) for stream in streams]
        self.channels: int = sum(stream.channels for stream in streams)
        self.codec: str = streams[0].codec_context.name
        self.rate: int = streams[0].rate  #: samples a second, before they are brought to ``RATE``
        self.duration: float = max(map(self._duration_of, streams))  #: seconds, as the wrapper says

    def _duration_of(self, stream: Any) -> float:
        if stream.duration and stream.time_base:
            return float(stream.duration * stream.time_base)
        return float(self._container.duration or 0) / 1_000_000

    def read(self, start: float, length: float) -> Samples:
        """Return ``(channels, length × 48,000)`` samples; silence stands where the file has no sound."""
        at = self._origin + start
        return np.concatenate(
            [
                _read_stream(self._container, stream, phase, at, length)
                for stream, phase in zip(self._streams, self._phases, strict=True)
            ]
        )


@contextmanager
def open_sound(source: Source, track: int | None = None) -> Iterator[SoundTrack | None]:
    """Open a sound track on the clock of the picture, or of the sound where there is no picture.

    ``track`` counts from 0; without it the first is opened, or all tracks of one channel together. Yields ``None``
    without such a track; raises ``UnreadableFile``.
    """
    with open_container(source) as container:
        streams = list(container.streams.audio)
        for stream in streams[: _MOST_TOGETHER if track is None else track + 1]:
            _learn_channels(container, stream)
        if track is not None:
            chosen = streams[track : track + 1]
        elif streams and streams[0].channels == 1:
            chosen = [stream for stream in streams[:_MOST_TOGETHER] if stream.channels == 1]
        else:
            chosen = streams[:1]
        yield SoundTrack(container, chosen, _origin_of(container)) if chosen else None


def read_sound(source: Source, start: float, length: float) -> Samples | None:
    """Return a stretch of the sound that ``open_sound`` opens, ``None`` without sound."""
    with open_sound(source) as opened:
        return opened.read(start, length) if opened else None


def _origin_of(container: Any) -> float:
    """Return when the picture starts in seconds, or the sound where there is no picture."""
    if any(not stream.disposition & Disposition.attached_pic for stream in container.streams.video):
        return float(picture_start(container))
    starts = [stream.start_time * stream.time_base for stream in container.streams.audio if stream.start_time]
    return max(float(min(starts)), 0.0) if len(starts) == len(container.streams.audio) else 0.0


def _learn_channels(container: Any, stream: Any) -> None:
    """Decode the beginning of a track whose header stands too far in for the library to have met it."""
    if stream.channels:
        return
    with suppress(av.FFmpegError, IndexError, UnicodeDecodeError):  # it stays without channels, and is read as none
        next(iter(container.decode(stream)), None)


def _read_stream(container: Any, stream: Any, phase: int, start: float, length: float) -> Samples:
    wanted = round(length * RATE)
    found = np.zeros((stream.channels, wanted), np.float32)
    if not stream.channels:
        return found
    frames = _decoded(container, stream, start - _EARLY_ROLL, start + length)
    for run in _runs(frames, Fraction(stream.time_base), phase):
        samples = _resampled(run.frames, run.frames[0].layout.name)
        _put(found, samples, round((run.first / run.rate - start) * RATE))
    return found


def _decoded(container: Any, stream: Any, start: float, end: float) -> list[Any]:
    """Return the decoded frames between two times in seconds; where some cannot be decoded, those before."""
    frames: list[Any] = []
    _seek(container, stream, start)
    with suppress(av.FFmpegError, IndexError, UnicodeDecodeError):  # the rest is silent and says nothing
        for frame in container.decode(stream):
            if frame.pts is None:
                continue
            frames.append(frame)
            if float(frame.pts * frame.time_base) > end:
                break
    return frames


def _seek(container: Any, stream: Any, start: float) -> None:
    """Go to the last packet before a time; a first one lies before zero where a coder needs it to settle."""
    if start <= 0:
        with suppress(av.FFmpegError):  # some wrappers know no time before zero
            container.seek(-int(1 / stream.time_base), stream=stream, backward=True)
            return
    container.seek(max(int(start / stream.time_base), 0), stream=stream, backward=True)


@dataclass(slots=True)
class _Run:
    """Frames of one rate that follow each other without a gap."""

    first: float  #: sample of its rate at which it begins, on the clock of the file
    rate: int
    frames: list[Any]
    least: float  #: bounds of ``first`` by the times of all its frames
    most: float
    count: int = 0  #: samples

    def can_be(self, first: float) -> bool:
        """Do the times allow a sample as the first?"""
        return self.least - _LOOSE <= first <= self.most + _LOOSE


def _runs(frames: Sequence[Any], tick: Fraction, phase: int) -> list[_Run]:
    """Lay frames out one after the other: their times are rounded to ticks, which may be longer than many samples.

    Where every frame has as many samples, they lie ``phase`` samples from a multiple of that.
    """
    runs: list[_Run] = []
    for frame in frames:
        rate, half = frame.sample_rate, float(tick) * frame.sample_rate / 2
        at = float(frame.pts * frame.time_base) * rate
        last = runs[-1] if runs and _is_like(runs[-1].frames[-1], frame) else None
        if last is None or abs(at - last.count - last.first) > 2 * half + _LOOSE:
            runs.append(last := _Run(at, rate, [], at - half, at + half))
        begins = at - last.count
        last.least, last.most = max(last.least, begins - half), min(last.most, begins + half)
        last.frames.append(frame)
        last.count += frame.samples
    for run in runs:
        if float(tick) * run.rate > _LOOSE and run.least <= run.most + _LOOSE:
            run.first = _settled(run, phase)
    return runs


def _is_like(one: Any, other: Any) -> bool:
    return bool(
        one.sample_rate == other.sample_rate
        and one.layout.name == other.layout.name
        and one.format.name == other.format.name
    )


def _settled(run: _Run, phase: int) -> float:
    """Return where a run begins whose ticks are longer than samples."""
    if run.can_be(0.0):
        return 0.0
    middle = (run.least + run.most) / 2
    sizes = {frame.samples for frame in run.frames[1:-1]}
    if len(sizes) != 1:
        return middle
    size, cut = sizes.pop(), run.frames[0].samples  # the first frame of a track may be shorter than others
    grid = round((middle + cut - phase) / size) * size + phase - cut
    return float(grid) if run.can_be(grid) else middle


def _resampled(frames: Sequence[Any], layout: str) -> Samples:
    """Samples at ``RATE`` and full scale 1, by the library's resampler where they are not that already."""
    form = frames[0].format
    if frames[0].sample_rate == RATE and form.name in _FULL_SCALE:
        own = np.concatenate([frame.to_ndarray() for frame in frames], axis=1)
        if form.is_packed:
            own = own.reshape(-1, len(frames[0].layout.channels)).T
        return np.ascontiguousarray(own, np.float32) * np.float32(1 / _FULL_SCALE[form.name])
    resampler = av.AudioResampler(format="fltp", layout=layout, rate=RATE)
    pieces = [
        np.asarray(piece.to_ndarray(), np.float32) for frame in (*frames, None) for piece in resampler.resample(frame)
    ]
    return np.concatenate(pieces, axis=1) if pieces else np.zeros((0, 0), np.float32)


def _phase_of(container: Any, stream: Any) -> int:
    """Return how many samples from a multiple of their own number the frames of a track begin.

    It is asked for only where times are rounded to ticks that are longer than samples.
    """
    if not stream.channels or float(stream.time_base) * stream.rate <= _LOOSE:
        return 0
    frames = _decoded(container, stream, 0.0, _TOLD_BY)
    for run in _runs(frames, Fraction(stream.time_base), 0):
        if len(run.frames) > 1:
            first, second = (int(frame.samples) for frame in run.frames[:2])
            return (round(run.first) + first) % second
    return 0


def _put(found: Samples, samples: Samples, first: int) -> None:
    begin, end = max(first, 0), min(first + samples.shape[1], found.shape[1])
    if end > begin and samples.shape[0] == found.shape[0]:
        found[:, begin:end] = samples[:, begin - first : end - first]
