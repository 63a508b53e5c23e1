"""Decoded sound of a stretch, at one rate and on the clock of the picture."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from brisk_core.reading import Source, open_container, picture_start

RATE = 48_000  #: Hz at which sounds are compared
_MOST_TOGETHER = 8  # tracks of one channel that are read as one
_EARLY_ROLL = 0.4  # seconds decoded before a window, so that coders have settled

Samples = NDArray[np.float32]  #: (channels, count) at full scale 1


class SoundTrack:
    """A sound track that is read at any place while its file is open; made by ``open_sound``."""

    def __init__(self, container: Any, streams: Sequence[Any], origin: float) -> None:
        self._container = container
        self._streams = streams
        self._origin = origin
        self.channels: int = sum(stream.channels for stream in streams)
        self.codec: str = streams[0].codec_context.name
        self.duration: float = max(map(self._duration_of, streams))  #: seconds, as the wrapper says

    def _duration_of(self, stream: Any) -> float:
        if stream.duration and stream.time_base:
            return float(stream.duration * stream.time_base)
        return float(self._container.duration or 0) / 1_000_000

    def read(self, start: float, length: float) -> Samples:
        """Return ``(channels, length × 48,000)`` samples; silence stands where the file has no sound."""
        at = self._origin + start
        return np.concatenate([_read_stream(self._container, stream, at, length) for stream in self._streams])


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
        yield SoundTrack(container, chosen, float(picture_start(container))) if chosen else None


def read_sound(source: Source, start: float, length: float) -> Samples | None:
    """Return a stretch of the sound that ``open_sound`` opens, ``None`` without sound."""
    with open_sound(source) as opened:
        return opened.read(start, length) if opened else None


def _learn_channels(container: Any, stream: Any) -> None:
    """Decode the beginning of a track whose header stands too far in for the library to have met it."""
    if stream.channels:
        return
    with suppress(av.FFmpegError, IndexError, UnicodeDecodeError):  # it stays without channels, and is read as none
        next(iter(container.decode(stream)), None)


def _read_stream(container: Any, stream: Any, start: float, length: float) -> Samples:
    wanted = round(length * RATE)
    found = np.zeros((stream.channels, wanted), np.float32)
    if not stream.channels:
        return found
    container.seek(max(int((start - _EARLY_ROLL) / stream.time_base), 0), stream=stream, backward=True)
    resampler = av.AudioResampler(format="fltp", layout=stream.layout.name, rate=RATE)
    try:
        for frame in container.decode(stream):
            if frame.pts is None:
                continue
            time = float(frame.pts * frame.time_base)
            for piece in resampler.resample(frame):
                first = round((time - start) * RATE)
                samples = np.asarray(piece.to_ndarray(), np.float32)
                _put(found, samples, first)
                time += samples.shape[1] / RATE
            if time > start + length:
                break
    except (av.FFmpegError, IndexError, UnicodeDecodeError):
        pass  # what could be decoded stands; the rest is silent and says nothing
    return found


def _put(found: Samples, samples: Samples, first: int) -> None:
    begin, end = max(first, 0), min(first + samples.shape[1], found.shape[1])
    if end > begin and samples.shape[0] == found.shape[0]:
        found[:, begin:end] = samples[:, begin - first : end - first]
