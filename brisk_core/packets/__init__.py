"""Facts of packets, without decoding: times, sizes, types.

From the ground up: ``series`` (what is kept of each packet), ``retiming``, ``picture_types``, ``caption_data``,
``demux`` (the one pass), ``timing``, ``bit_rates``, ``buffer``, ``level_limits``, ``groups``, ``line``, ``observe``
(all facts of it).
"""

from brisk_core.packets.bit_rates import one_second_windows
from brisk_core.packets.buffer import BufferFit, fit_buffer, fullness
from brisk_core.packets.caption_data import PICTURES, CaptionData
from brisk_core.packets.demux import PacketPass, SoundTotals, read_packets
from brisk_core.packets.line import LINE_SPEEDS, LinePlay, play_over_line
from brisk_core.packets.observe import observe_packets
from brisk_core.packets.retiming import Retiming
from brisk_core.packets.series import PacketSeries, load_series, save_series

__all__ = [
    "LINE_SPEEDS",
    "PICTURES",
    "BufferFit",
    "CaptionData",
    "LinePlay",
    "PacketPass",
    "PacketSeries",
    "Retiming",
    "SoundTotals",
    "fit_buffer",
    "fullness",
    "load_series",
    "observe_packets",
    "one_second_windows",
    "play_over_line",
    "read_packets",
    "save_series",
]
