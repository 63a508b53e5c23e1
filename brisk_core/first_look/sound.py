"""The sound of a first look: less than half a second at each of some places."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from brisk_core.first_look.places import SOUND_S, SOUNDS, UNREADABLE, even_places
from brisk_core.reading import Source, open_container
from brisk_core.scan.sounds import samples_of

SILENT = -60.0  #: dBFS, mean of a place below which it is silent
_SAME = 1 / (1 << 15)  # of full scale, by which channels that are the same may differ
_LEAST = 10.0 ** (-120 / 20)


@dataclass(slots=True)
class HeardTrack:
    """What was heard of one sound track."""

    number: int  #: from 1
    seconds: list[float] = field(default_factory=list)  #: of each place at which something could be decoded
    levels: list[NDArray[np.float64]] = field(default_factory=list)  #: mean of each channel there, dBFS
    peak: float = -120.0  #: dBFS
    same: set[tuple[int, int]] | None = None  #: channels that were the same wherever one of them sounded
    says: str = ""  #: why nothing was heard

    def take(self, samples: NDArray[np.float32], second: float) -> None:
        """Measure what is heard at a place, ``(channels, count)``."""
        means = np.sqrt((samples.astype(np.float64) ** 2).mean(axis=1))
        self.seconds.append(second)
        self.levels.append(20 * np.log10(np.maximum(means, _LEAST)))
        self.peak = max(self.peak, float(20 * np.log10(max(np.abs(samples).max(), _LEAST))))
        channels = len(samples)
        pairs = {(one, other) for one in range(channels) for other in range(one + 1, channels)}
        sounding = {at for at in range(channels) if self.levels[-1][at] > SILENT}
        apart = {
            (one, other)
            for one, other in pairs
            if {one, other} & sounding and np.abs(samples[one] - samples[other]).max() > _SAME
        }
        self.same = (pairs if self.same is None else self.same) - apart


def hear_sounds(source: Source, duration: float) -> list[HeardTrack]:
    """Hear a little of every track at each of some places.

    Raises ``UnreadableFile`` when the file cannot be opened.
    """
    with open_container(source) as container:
        return [
            _hear(container, stream, HeardTrack(number=number), duration)
            for number, stream in enumerate(container.streams.audio, 1)
        ]


def _hear(container: Any, stream: Any, track: HeardTrack, duration: float) -> HeardTrack:
    if stream.codec_context is None:
        track.says = "the library knows no decoder for it"
        return track
    start = float((stream.start_time or 0) * stream.time_base)
    for place in even_places(duration, SOUNDS):
        samples = _samples_at(container, stream, start + place)
        if samples is not None:
            track.take(samples, place)
    if not track.seconds:
        track.says = "no sound could be decoded"
    return track


def _samples_at(container: Any, stream: Any, second: float) -> NDArray[np.float32] | None:
    """Return what sounds from a place on, ``None`` where nothing can be decoded."""
    found: list[NDArray[np.float32]] = []
    wanted = SOUND_S * (stream.codec_context.sample_rate or _USUAL_RATE)
    try:
        for frame in _frames_from(container, stream, second):
            samples = samples_of(frame)[0]
            if found and samples.shape[0] != found[0].shape[0]:
                break  # another programme begins here
            found.append(samples)
            if sum(one.shape[1] for one in found) >= wanted:
                break
    except UNREADABLE:
        pass
    finally:
        stream.codec_context.flush_buffers()
    return np.concatenate(found, axis=1) if found else None


def _frames_from(container: Any, stream: Any, second: float) -> Iterator[Any]:
    """Yield frames from a place on, but for those of the first packet of coded sound: it builds on the one before."""
    container.seek(int(second / stream.time_base), stream=stream, backward=True)
    for number, packet in enumerate(container.demux(stream)):
        if packet.dts is None or number == _MOST_PACKETS:
            return
        frames = packet.decode()
        if number or not frames or frames[0].samples > _SHORT:
            yield from frames


_SHORT = 4096  # samples of a packet of coded sound, at most
_MOST_PACKETS = 2000  # that are waited for, at one place
_USUAL_RATE = 48_000  # samples a second, where the stream tells none
