"""The compact record of every picture packet, and its file."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from brisk_core.whole_file import written_whole

SERIES_FORMAT = 2
SOUND_STEPS = 25  # steps a second in which the bytes of sound packets are counted
MOST_SOUND_STEPS = 24 * 3600 * SOUND_STEPS  # kept; a later packet is counted in the totals only
NO_TIME = np.iinfo(np.int64).min  # stands where a packet carries no time
LAST_TIME = 1 << 60  # ticks; what lies farther from zero is no time, and sums of times stay within 64 bits


@dataclass(frozen=True, slots=True, kw_only=True)
class PacketSeries:
    """Picture packets in decode order, 22 bytes a packet, and the bytes of sound by time."""

    time_base: Fraction  #: seconds a tick
    pts: NDArray[np.int64]  #: presentation time in ticks, NO_TIME where absent
    dts: NDArray[np.int64]  #: decode time in ticks, NO_TIME where absent
    sizes: NDArray[np.uint32]  #: bytes
    types: NDArray[np.uint8]  #: ASCII of I, P, B or ?
    random_access: NDArray[np.bool_]  #: can a player start here?
    last_duration: int  #: ticks that the last presented picture lasts, 0 when not declared
    sound: tuple[NDArray[np.uint32], ...] = ()  #: bytes of each sound track in each 1/25 s from time 0 on

    def __len__(self) -> int:
        return len(self.sizes)

    @property
    def is_bidirectional(self) -> NDArray[np.bool_]:
        """Is each packet a picture of type B?"""
        return np.asarray(self.types == ord("B"))

    @property
    def times_follow_decoding(self) -> bool:
        """Do times only ever grow, though pictures are coded that are shown before one that is coded earlier?"""
        return bool(len(self) > 1 and self.is_bidirectional.any() and (np.diff(self.pts) > 0).all())

    @property
    def presentation_order(self) -> NDArray[np.intp]:
        """Indexes of the packets in the order they are shown."""
        return np.argsort(self.pts, kind="stable")

    def presented_pts(self) -> NDArray[np.int64]:
        """Presentation times in ticks, in the order they are shown; frame n of the file is entry n."""
        return np.sort(self.pts, kind="stable")

    def entry_frames(self) -> tuple[int, ...]:
        """Return the frames where a player can start, counted as they are shown, in ascending order."""
        return tuple(np.flatnonzero(self.random_access[self.presentation_order]).tolist())


def save_series(series: PacketSeries, path: Path) -> None:
    """Write the series to a file, whole or not at all."""
    with written_whole(path) as unfinished:
        np.savez_compressed(
            unfinished,
            format=SERIES_FORMAT,
            time_base=np.array([series.time_base.numerator, series.time_base.denominator], dtype=np.int64),
            pts=series.pts,
            dts=series.dts,
            sizes=series.sizes,
            types=series.types,
            random_access=series.random_access,
            last_duration=series.last_duration,
            allow_pickle=False,
            **{f"sound_{number}": track for number, track in enumerate(series.sound)},
        )


def load_series(path: Path) -> PacketSeries:
    """Read a series; raises ``ValueError`` for another format."""
    with np.load(path, allow_pickle=False) as data:
        if int(data["format"]) != SERIES_FORMAT:
            raise ValueError(f"met series format {int(data['format'])} in {path}; expected {SERIES_FORMAT}")
        base = data["time_base"]
        return PacketSeries(
            time_base=Fraction(int(base[0]), int(base[1])),
            pts=data["pts"],
            dts=data["dts"],
            sizes=data["sizes"],
            types=data["types"],
            random_access=data["random_access"],
            last_duration=int(data["last_duration"]),
            sound=tuple(data[name] for name in sorted(data.files, key=_track_number) if name.startswith("sound_")),
        )


def _track_number(name: str) -> int:
    number = name.rpartition("_")[2]
    return int(number) if number.isdigit() else -1
