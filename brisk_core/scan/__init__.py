"""The full scan: pictures and sound decoded once, measured by all meters, joined and concluded.

From the ground up: ``segments``, ``series`` (what is kept), ``small_pictures``, ``pictures`` and ``sounds`` (the two
passes), ``mistakes`` (signatures in words), ``conclude`` and ``conclude_sound`` (from rows to facts), ``run``.
"""

from brisk_core.scan.pictures import PictureScan, scan_pictures
from brisk_core.scan.run import conclude_scan, full_range, join_parts, scan_whole
from brisk_core.scan.segments import Segment, plan_segments
from brisk_core.scan.series import ScanSeries, load_scan, save_scan
from brisk_core.scan.sounds import TrackScan, load_sounds, save_sounds, scan_sounds

__all__ = [
    "PictureScan",
    "ScanSeries",
    "Segment",
    "TrackScan",
    "conclude_scan",
    "full_range",
    "join_parts",
    "load_scan",
    "load_sounds",
    "plan_segments",
    "save_scan",
    "save_sounds",
    "scan_pictures",
    "scan_sounds",
    "scan_whole",
]
