"""Frames of a file by their number, exact whatever the seek does."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from brisk_core.errors import UnreadableFile
from brisk_core.packets import PacketSeries, Retiming, load_series
from brisk_core.reading import Source, open_container

#: Seconds before the frame at which decoding begins, tried in turn: a seek by decode time can land too late in
#: wrappers without an index. None is the start of the file.
_EARLIER = (0, 2, 10, None)
_SEEKING = 4  # decoded frames that a seek is worth: the decoder is emptied, and filled anew
_FARTHEST = 40  # frames between two wanted ones up to which decoding goes on where random access points are unknown


def exact_frames(
    source: Source, series_path: Path, numbers: Sequence[int], *, threads: int = 0
) -> Iterator[tuple[int, Any]]:
    """Yield the wanted frames that can be decoded, with their numbers, in ascending order.

    A frame is found by its presentation time in the packet series, so the number is exact. ``threads`` decode, as many
    as the library likes by default. Raises ``UnreadableFile`` for a number that the file does not have.
    """
    series = load_series(series_path)
    pts = series.presented_pts()
    for number in numbers:
        if not 0 <= number < len(pts):
            raise UnreadableFile(f"there is no frame {number}; the file has {len(pts)} frames")
    with open_container(source) as container:
        stream = container.streams.video[0]
        stream.thread_type = "AUTO"
        stream.codec_context.thread_count = threads
        for run in _runs(sorted(set(numbers)), series):
            yield from _decode_run(container, stream, series, {int(pts[number]): number for number in run})


def frames_to_decode(series: PacketSeries, numbers: Sequence[int]) -> NDArray[np.int64]:
    """Return how many frames lie between each of some frames and the random access point before it."""
    starts = np.flatnonzero(series.random_access[series.presentation_order])
    wanted = np.asarray(numbers, np.int64)
    if not starts.size:
        return np.full(len(wanted), _FARTHEST, np.int64)
    before = starts[np.maximum(np.searchsorted(starts, wanted, side="right") - 1, 0)]
    return np.asarray(np.maximum(wanted - before, 0), np.int64)


def _runs(numbers: Sequence[int], series: PacketSeries) -> list[list[int]]:
    """Numbers in runs that are decoded in one go: a seek begins anew where less is decoded from the random access
    point before the next number than from the number before it.
    """
    runs: list[list[int]] = []
    for number, away in zip(numbers, frames_to_decode(series, numbers), strict=True):
        if runs and number - runs[-1][-1] <= away + _SEEKING:
            runs[-1].append(number)
        else:
            runs.append([number])
    return runs


def _decode_run(container: Any, stream: Any, series: PacketSeries, wanted: dict[int, int]) -> Iterator[tuple[int, Any]]:
    start, last = min(wanted), max(wanted)
    for seconds in _EARLIER:
        target = 0 if seconds is None else max(start - int(seconds / series.time_base), 0)
        container.seek(target, stream=stream, backward=True)
        met = False
        try:
            for frame in _decoded(container, stream, wanted, Retiming(series)):
                if frame.pts is None:
                    continue
                if frame.pts in wanted and (met or frame.pts == start):
                    met = True
                    yield wanted[frame.pts], frame
                if frame.pts >= last:
                    break
        except (av.FFmpegError, IndexError, UnicodeDecodeError):
            pass  # a damaged place: what was decoded before it stands
        if met:
            return


def _decoded(container: Any, stream: Any, wanted: Mapping[int, int], retiming: Retiming) -> Iterator[Any]:
    """Yield decoded frames; of those that nobody wants the decoder leaves out the ones that no other is made from,
    where packets tell which they are.
    """
    for packet in container.demux(stream):
        is_wanted = retiming.needed or packet.pts is None or packet.pts in wanted
        stream.codec_context.skip_frame = "DEFAULT" if is_wanted else "NONREF"
        retiming.take(packet)
        for frame in packet.decode():
            yield retiming.stamp(frame)
