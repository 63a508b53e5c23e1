"""One inspection of one file: headers, then packets, in one process. The sandbox and the command line both call it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import xxhash

from brisk_core.facts import Depth, Inspection, Stage, find_contradictions
from brisk_core.packets import PacketSeries, observe_packets, read_packets, save_series
from brisk_core.reading import Source, read_headers

_CHUNK = 4 << 20
Progress = Callable[[int, int], None]


@dataclass(frozen=True, slots=True, kw_only=True)
class Inspected:
    """An inspection and the series it leaves."""

    inspection: Inspection
    series: PacketSeries | None


def digest(source: Source, progress: Progress | None = None) -> str:
    """Return the XXH3-128 digest of the whole file in hexadecimal, streamed once."""
    state = xxhash.xxh3_128()
    done = 0
    with source.open() as file:
        while chunk := file.read(_CHUNK):
            state.update(chunk)
            done += len(chunk)
            if progress:
                progress(done, source.size)
    return state.hexdigest()


def inspect(
    source: Source,
    depth: Depth = Depth.FULL,
    *,
    checksum: str | None = None,
    progress: Progress | None = None,
    series_path: Path | None = None,
) -> Inspected:
    """Inspect a file to a depth.

    ``checksum`` is the XXH3-128 digest where it is known; without it ``file.checksum`` stays unread.
    Raises ``UnreadableFile`` when the file is no media file.
    """
    reading = read_headers(source)
    series = None
    if checksum:
        reading.builder.observed("file.checksum", {"xxh3_128": checksum})
    if depth is not Depth.HEADERS:
        taken = read_packets(source, reading, progress)
        observe_packets(reading, taken)
        series = taken.series
        reading.builder.observed("file.contradictions", find_contradictions(reading.builder))
        if series is not None and series_path is not None:
            save_series(series, series_path)
    if depth is Depth.FULL:
        for stage in (Stage.PICTURES, Stage.SAMPLES):
            reading.builder.unread_missing(stage, "this engine does not measure it")
    inspection = reading.builder.finish(file_name=source.name, file_size=source.size, depth=depth)
    return Inspected(inspection=inspection, series=series)
