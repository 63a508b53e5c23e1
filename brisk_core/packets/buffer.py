"""The buffer of a decoder: a bucket that fills at a rate and is emptied picture by picture.

ISO/IEC 14496-10, Annex C, and ISO/IEC 13818-2, Annex C. Bits arrive at the rate until the buffer is full and then wait
(which is what both annexes call variable rate; a constant rate stream that fits fits here too). Each picture is taken
out whole at its decode time; one that has not arrived by then is an underflow.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import numpy as np

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


def fit_buffer(series: PacketSeries, frame_rate: Fraction, rate: int, size: int) -> BufferFit:
    """Return how the stream fits a buffer of ``size`` bits that fills at ``rate`` bits a second.

    A picture needs of the buffer what it is itself plus what earlier ones still owed when its time began: the need
    falls at the rate between two decode times and rises by each picture. Its largest value is the smallest buffer
    that fits.
    """
    dts = decode_times(series, frame_rate)
    bits = series.sizes.astype(np.int64) * 8
    per_tick = Fraction(rate) * series.time_base
    # Exact in whole numbers: all amounts are multiplied by the denominator of the bits in a tick.
    scale, step = per_tick.denominator, per_tick.numerator
    passed = (np.diff(dts, prepend=dts[:1]) * step).tolist()
    need, needs = 0, []
    for arrived, picture in zip(passed, (bits * scale).tolist(), strict=True):
        need = max(need - arrived, 0) + picture
        needs.append(need)
    largest = -(-max(needs) // scale)
    return BufferFit(rate=rate, size=size, smallest=largest, underflows=_runs(needs, size * scale))


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
