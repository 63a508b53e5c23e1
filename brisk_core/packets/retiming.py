"""Times of decoded pictures where a wrapper gives times in the order of decoding alone.

AVI knows no other, and some writers of MXF leave the order of presentation out of their index. A picture that others
are predicted over then carries a time that is too early, while the decoder gives all pictures in the right order.
"""

from __future__ import annotations

from heapq import heappop, heappush
from typing import Any

import numpy as np

from brisk_core.packets.series import NO_TIME, PacketSeries


class Retiming:
    """Gives each picture that leaves a decoder the earliest time of those that went in; one for each run from a seek.

    Does nothing where the wrapper times pictures as they are shown.
    """

    def __init__(self, series: PacketSeries) -> None:
        self.needed = series.times_follow_decoding
        self._series = series
        self._times: list[int] = []
        self._entry: int | None = None  # time of the packet at which decoding began, until a picture came out
        self._begun = False

    def take(self, packet: Any) -> None:
        """Note the time of a packet that is about to be decoded."""
        if not self.needed or packet.pts is None or packet.pts == NO_TIME:
            return
        if not self._begun:
            self._begun, self._entry = True, packet.pts
        heappush(self._times, packet.pts)

    def stamp(self, frame: Any) -> Any:
        """Return the frame, with the time at which it is shown."""
        if not self.needed or not self._times:
            return frame
        if frame.pts == self._entry:
            # The pictures that lead to it need one before them, and were left out
            for _ in range(min(self._leading(frame.pts), len(self._times) - 1)):
                heappop(self._times)
        self._entry = None
        frame.pts = heappop(self._times)
        return frame

    def _leading(self, pts: int) -> int:
        """How many pictures are coded right after one and shown before it."""
        after = int(np.searchsorted(self._series.pts, pts)) + 1
        others = np.flatnonzero(~self._series.is_bidirectional[after:])
        return int(others[0]) if len(others) else 0
