"""Bit rates from packet sizes and decode times."""

from __future__ import annotations

import math
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from brisk_core.packets.series import NO_TIME, PacketSeries

_TELLS = 5  # seconds from which bit rates tell whether they are constant
_ALIKE = 0.1  # of the mean by which seconds of a constant rate differ at most
_PEAK = 1.5  # times the mean: more in one second is no constant rate, whatever its buffer


@dataclass(frozen=True, slots=True, kw_only=True)
class Windows:
    """Bits in one-second windows stepped by one frame, in decode order."""

    bits: NDArray[np.int64]  #: of the window that begins with packet n

    @property
    def peak(self) -> int:
        """The most bits in a window."""
        return int(self.bits.max())

    @property
    def low(self) -> int:
        """The fewest bits in a window."""
        return int(self.bits.min())


def decode_times(series: PacketSeries, rate: Fraction) -> NDArray[np.int64]:
    """Return decode times in ticks, ascending; where the file carries none, an even grid of the frame rate."""
    if len(series) and not (series.dts == NO_TIME).any() and (np.diff(series.dts) >= 0).all():
        return series.dts
    period = 1 / (rate * series.time_base)
    return np.arange(len(series), dtype=np.int64) * period.numerator // period.denominator


def one_second_windows(series: PacketSeries, rate: Fraction) -> Windows | None:
    """Return the windows that lie whole inside the stream, ``None`` when it is shorter than a second.

    A window holds the packets with decode times in [t, t + 1 s).
    """
    dts = decode_times(series, rate)
    second = 1 / series.time_base
    period = 1 / (rate * series.time_base)
    after = np.searchsorted(dts, dts + math.ceil(second), side="left")
    whole = dts + float(second) <= dts[-1] + float(period) + 0.5
    if not whole.any():
        return None
    total = np.concatenate([[0], np.cumsum(series.sizes.astype(np.int64))])
    bits = (total[after] - total[:-1]) * 8
    return Windows(bits=bits[whole])


def is_constant(series: PacketSeries, rate: Fraction, average: Fraction, coded: str | None = None) -> bool | None:
    """Does a buffer filled at the average rate stay within one second of data, and does nothing say otherwise?

    ``average`` is in bits a second. The buffer's level is what has arrived minus what has been taken out. A quiet film
    at a variable rate stays within it too: a stream that is ``coded`` as variable is taken for constant only where all
    seconds are alike, any other only without a peak. ``None`` for less than five seconds, which say nothing.
    """
    if len(series) < _TELLS * rate:
        return None
    dts = decode_times(series, rate)
    arrived = (dts - dts[0]) * float(average * series.time_base)
    taken = np.cumsum(series.sizes.astype(np.int64)) * 8
    after = arrived - taken
    before = after + series.sizes.astype(np.int64) * 8
    windows = one_second_windows(series, rate)
    if windows is None or before.max() - after.min() > float(average):
        return False
    if coded == "variable":
        return bool(windows.peak - windows.low <= _ALIKE * float(average))
    return bool(windows.peak <= _PEAK * float(average))
