"""A scan as a whole: in one go, or from segments that were scanned elsewhere."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from fractions import Fraction
from pathlib import Path

import numpy as np

from brisk_core.facts import FactsBuilder, Stage, Witness, keys
from brisk_core.packets import PacketSeries
from brisk_core.reading import Source
from brisk_core.scan.conclude import judge_pictures, observe_pictures, picture_rows
from brisk_core.scan.conclude_sound import observe_sounds
from brisk_core.scan.pictures import PictureScan, scan_pictures
from brisk_core.scan.segments import Segment
from brisk_core.scan.series import PICTURE_ROW, ScanSeries
from brisk_core.scan.sounds import TrackScan, scan_sounds

Progress = Callable[[int, int], None]  #: pictures done, pictures in all


def full_range(builder: FactsBuilder) -> bool:
    """Is the picture of full range by the file's own word?"""
    said = builder.told(keys.PICTURE_RANGE)
    return bool(said == "full")


def scan_whole(
    source: Source, packets: PacketSeries | None, builder: FactsBuilder, progress: Progress | None = None
) -> ScanSeries:
    """Scan pictures and sound of a file in this process and record what they show."""
    scan = None
    if packets is not None:
        whole = Segment(0, len(packets))
        scan = scan_pictures(source, packets, whole, full=full_range(builder), progress=progress)
    duration = builder.said(Witness.OBSERVED, keys.WRAPPER_DURATION) or builder.said(
        Witness.DECLARED, keys.WRAPPER_DURATION
    )
    return conclude_scan(builder, packets, scan, scan_sounds(source, float(duration or 0)))


def conclude_scan(
    builder: FactsBuilder, packets: PacketSeries | None, scan: PictureScan | None, sounds: Sequence[TrackScan] | None
) -> ScanSeries:
    """Record what joined pictures and the tracks of sound show; return what is kept of them.

    ``sounds`` is empty for a file without sound, and ``None`` where it could not be scanned (nothing is said then).
    """
    start = Fraction(0)
    rows = None
    if packets is None or scan is None:
        builder.unread_missing(Stage.PICTURES, "the file has no pictures that can be read")
    else:
        # What lies before zero is cut by the edit list.
        start = max(int(packets.presented_pts()[0]), 0) * packets.time_base
        rate = builder.said(Witness.OBSERVED, keys.PICTURE_FRAME_RATE) or Fraction(25)
        codec = builder.said(Witness.CODED, keys.PICTURE_CODEC) or builder.said(Witness.DECLARED, keys.PICTURE_CODEC)
        verdicts = judge_pictures(scan, rate, full=full_range(builder), packets=packets, codec=codec)
        observe_pictures(builder, scan, verdicts, packets)
        rows = picture_rows(scan, verdicts)
    if sounds is None:
        builder.unread_missing(Stage.SAMPLES, "the sound could not be scanned")
    sound_rows = () if sounds is None else observe_sounds(builder, sounds, start)
    builder.unread_missing(Stage.SAMPLES, "this engine does not measure it")
    return ScanSeries(
        pictures=rows if rows is not None else np.zeros(0, PICTURE_ROW),
        sounds=sound_rows,
        starts=tuple(float(track.start - start) for track in sounds or ()),
    )


def join_parts(paths: Sequence[Path | None], segments: Sequence[Segment]) -> PictureScan:
    """Join the scans of all segments; the pictures of a segment without a file count as missing."""
    whole = PictureScan.begin(0)
    for path, segment in zip(paths, segments, strict=True):
        if path is None:
            scan = PictureScan.begin(segment.first)
            for _ in range(segment.length):
                scan.skip()
        else:
            scan = PictureScan.load(path)
        whole.join(scan)
    return whole
