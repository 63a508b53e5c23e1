"""The buffer of a decoder: a bucket that fills at a rate and is emptied picture by picture.

ISO/IEC 14496-10, Annex C, and ISO/IEC 13818-2, Annex C. Bits arrive at the rate until the buffer is full and then wait
(which is what both annexes call variable rate; a constant rate stream that fits fits here too). Each picture is taken
out whole at its decode time; one that has not arrived by then is an underflow.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Any

import numpy as np
from numpy.typing import NDArray

from brisk_core.packets.bit_rates import decode_times
from brisk_core.packets.series import PacketSeries

_MOST_NAMED = 200  # underflows kept


@dataclass(frozen=True, slots=True, kw_only=True)
class BufferFit:
    """How a stream fits a buffer."""

    rate: int  #: bits a second
    size: int  #: bits
    smallest: int  #: the smallest buffer at this rate that would fit, in bits
    underflows: tuple[tuple[int, int], ...]  #: half-open runs of pictures, in decode order, that come too late

    @property
    def fits(self) -> bool:
        """Does every picture arrive in time?"""
        return self.smallest <= self.size

    def as_object(self) -> dict[str, Any]:
        """Return it as the characteristic ``bitrate.buffer`` has it."""
        return {
            "rate": self.rate,
            "size": self.size,
            "fits": self.fits,
            "smallest_buffer": self.smallest,
            "underflows": [{"start": start, "end": end} for start, end in self.underflows],
        }


def _needs(series: PacketSeries, frame_rate: Fraction, rate: int) -> tuple[list[int], int]:
    """Return what each picture needs of the buffer when its time has come, in bits times a scale, and the scale.

    A picture needs what it is itself plus what earlier ones still owed when its time began: the need falls at the rate
    between two decode times and rises by each picture. Exact in whole numbers: all amounts are multiplied by the
    denominator of the bits in a tick.
    """
    dts = decode_times(series, frame_rate)
    bits = series.sizes.astype(np.int64) * 8
    per_tick = Fraction(rate) * series.time_base
    scale, step = per_tick.denominator, per_tick.numerator
    passed = np.diff(dts, prepend=dts[:1]).tolist()
    need, needs = 0, []
    for ticks, picture in zip(passed, bits.tolist(), strict=True):
        need = max(need - ticks * step, 0) + picture * scale
        needs.append(need)
    return needs, scale


def fit_buffer(series: PacketSeries, frame_rate: Fraction, rate: int, size: int) -> BufferFit:
    """Return how the stream fits a buffer of ``size`` bits that fills at ``rate`` bits a second.

    The largest need of any picture is the smallest buffer that fits.
    """
    needs, scale = _needs(series, frame_rate, rate)
    largest = -(-max(needs) // scale)
    return BufferFit(rate=rate, size=size, smallest=largest, underflows=_runs(needs, size * scale))


def fullness(series: PacketSeries, frame_rate: Fraction, rate: int, size: int) -> NDArray[np.int64]:
    """Return the bits left in the buffer after each picture was taken out, in decode order; below 0 is an underflow."""
    needs, scale = _needs(series, frame_rate, rate)
    return size - np.array([-(-need // scale) for need in needs], dtype=np.int64)


def _runs(needs: list[int], limit: int) -> tuple[tuple[int, int], ...]:
    """Half-open runs of places where the need is above the limit."""
    runs: list[tuple[int, int]] = []
    for place, need in enumerate(needs):
        if need <= limit:
            continue
        if runs and runs[-1][1] == place:
            runs[-1] = (runs[-1][0], place + 1)
        elif len(runs) < _MOST_NAMED:
            runs.append((place, place + 1))
    return tuple(runs)
