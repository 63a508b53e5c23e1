"""What is kept of a scan for every picture and every tenth of a second: the lanes of the pages are drawn from it.

About 60 bytes a picture before compression, and 10 bytes a tenth of a second for each sound track.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from brisk_core.whole_file import written_whole

SCAN_FORMAT = 2

#: Marks of a picture, one bit each.
REPEAT, BLEND, DROP, COMB, BLACK, FREEZE, CUT, MISSING, FLASH = (1 << bit for bit in range(9))

PICTURE_ROW = np.dtype([
    ("marks", "u2"), ("moment", "u1"), ("low", "u1"), ("high", "u1"), ("mean", "u1"), ("change", "f2"), ("below", "f2"),
    ("above", "f2"), ("blocks", "f2"), ("residual", "f2"), ("top", "u2"), ("bottom", "u2"),
    ("left", "u2"), ("right", "u2"),
    ("signature", "u8"), ("waves", "i2", 11),
])  # fmt: skip
SOUND_ROW = np.dtype([("momentary", "f2"), ("short", "f2"), ("true_peak", "f2"), ("phase", "f2"), ("level", "f2")])


@dataclass(frozen=True, slots=True, kw_only=True)
class ScanSeries:
    """Rows of pictures in presentation order, and of each sound track from its start."""

    pictures: NDArray[Any]  #: of ``PICTURE_ROW``
    sounds: tuple[NDArray[Any], ...] = ()  #: of ``SOUND_ROW``, ten a second; loudness in LUFS, peaks and levels in dBFS
    starts: tuple[float, ...] = field(default=())  #: seconds of the start of each track after the first picture


def save_scan(series: ScanSeries, path: Path) -> None:
    """Write the series to a file, whole or not at all."""
    with written_whole(path) as unfinished:
        np.savez_compressed(
            unfinished,
            allow_pickle=False,
            format=SCAN_FORMAT,
            pictures=series.pictures,
            starts=np.array(series.starts, np.float64),
            **{f"sound_{number}": track for number, track in enumerate(series.sounds)},
        )


def load_scan(path: Path) -> ScanSeries:
    """Read a series; raises ``ValueError`` for another format, ``OSError`` where there is none."""
    with np.load(path, allow_pickle=False) as data:
        if int(data["format"]) != SCAN_FORMAT:
            raise ValueError(f"met scan format {int(data['format'])} in {path}; expected {SCAN_FORMAT}")
        starts = tuple(data["starts"].tolist())
        sounds = tuple(data[f"sound_{number}"] for number in range(len(starts)))
        return ScanSeries(pictures=data["pictures"], sounds=sounds, starts=starts)
