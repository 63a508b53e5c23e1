"""What a viewer on a slow line sees: the wait for the first picture, and where the picture stands still.

The file arrives at the speed of the line in the order of its bytes. A player begins when the first second of media is
there, and stands still whenever the next second is not; media is counted in whole seconds of decode time.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from brisk_core.packets.bit_rates import decode_times
from brisk_core.packets.series import PacketSeries

LINE_SPEEDS = (2_000_000, 5_000_000, 10_000_000, 20_000_000, 50_000_000)  # bit/s


@dataclass(frozen=True, slots=True, kw_only=True)
class LinePlay:
    """How a file plays over a line."""

    bits_per_second: int  #: of the line
    first_picture: float  #: seconds from the request until the first picture shows
    stalls: tuple[tuple[int, float], ...]  #: (second of the programme, seconds that the picture stands still there)

    @property
    def still(self) -> float:
        """Seconds that the picture stands still, all together."""
        return sum(length for _, length in self.stalls)


def play_over_line(
    series: PacketSeries, rate: Fraction, bits_per_second: int, *, file_size: int, index_first: bool
) -> LinePlay:
    """Return how the file plays over a line.

    Sound, text and wrapper are spread over the pictures by their share of ``file_size`` (bytes). Where the index comes
    last, nothing can be shown before the whole file is there. Raises ``ValueError`` for a line without speed.
    """
    if bits_per_second <= 0:
        raise ValueError(f"met a line of {bits_per_second} bit/s; expected more than 0")
    dts = decode_times(series, rate)
    seconds = ((dts - dts[0]) * float(series.time_base)).astype(np.int64)
    pictures = np.bincount(seconds, weights=series.sizes.astype(np.float64))
    whole = pictures * (file_size / max(pictures.sum(), 1.0))
    arrived = np.cumsum(whole) * 8 / bits_per_second
    first = float(arrived[-1] if not index_first else arrived[0])
    now, stalls = first, []
    for second, there in enumerate(arrived[1:].tolist(), 1):
        now += 1
        if there > now:
            stalls.append((second, there - now))
            now = there
    return LinePlay(bits_per_second=bits_per_second, first_picture=first, stalls=tuple(stalls))
