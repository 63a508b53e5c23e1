"""The one pass over all packets of a file."""

from __future__ import annotations

from array import array
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

import av
import numpy as np

from brisk_core.packets.picture_types import count_slices, head_reader
from brisk_core.packets.series import MOST_SOUND_STEPS, NO_TIME, SOUND_STEPS, PacketSeries
from brisk_core.reading import HeaderReading, Source, open_container
from brisk_core.reading.wrappers.transport import find_losses

SLICE_PICTURES = 50  # first pictures whose slices are counted (characteristics, picture.slices)
_REPORT_EVERY = 2000  # packets between two reports of progress
_MOST_GAPS = 100  # gaps of sound kept for each track
_SOUND_PATIENCE = Fraction(1, 200)  # seconds by which a sound packet may come late before it counts as a gap

Progress = Callable[[int, int], None]  #: bytes done, bytes in all


@dataclass(slots=True, kw_only=True)
class SoundTotals:
    """Sums over the packets of one sound track."""

    time_base: Fraction
    size: int = 0  #: bytes
    packets: int = 0
    first: int | None = None  #: first presentation time in ticks
    end: int = 0  #: end of the last packet in ticks
    steps: array[int] = field(default_factory=lambda: array("I"))  #: bytes by time, see ``PacketSeries.sound``
    gaps: list[tuple[Fraction, Fraction]] = field(
        default_factory=list
    )  #: (end of a packet, start of the next), seconds

    def take(self, packet: Any) -> None:
        """Add one packet."""
        size, pts = packet.size, packet.pts
        self.size += size
        self.packets += 1
        if pts is None:
            return
        if self.first is None or pts < self.first:
            self.first = pts
        elif pts > self.end + self._patience and len(self.gaps) < _MOST_GAPS:
            self.gaps.append((self.end * self.time_base, pts * self.time_base))
        self.end = max(self.end, pts + (packet.duration or 0))
        step = pts * self._up // self._down
        if 0 <= step < MOST_SOUND_STEPS:
            if step >= len(self.steps):
                self.steps.frombytes(bytes(4 * (step + 1 - len(self.steps))))
            self.steps[step] += size

    _up: int = field(init=False)
    _down: int = field(init=False)
    _patience: int = field(init=False)

    def __post_init__(self) -> None:
        per_tick = self.time_base * SOUND_STEPS
        self._up, self._down = per_tick.numerator, per_tick.denominator
        self._patience = round(_SOUND_PATIENCE / self.time_base)


@dataclass(slots=True, kw_only=True)
class PacketPass:
    """What one pass leaves."""

    series: PacketSeries | None  #: None for a file without pictures
    sound: list[SoundTotals]
    caption_counts: list[int]  #: packets of each text track
    slices: int | None  #: the most met in the first pictures
    closed_groups: dict[int, bool]  #: closed_gop by index of the random access packet, where coded
    without_pts: int  #: presented picture packets that carry no presentation time
    damaged: int  #: packets marked as corrupt
    stopped: str  #: why the pass ended early, empty when it did not
    last_byte: int  #: offset of a packet met near the end of the pass
    losses: list[str] | None  #: where a transport stream lost packets; None for other wrappers


@dataclass(slots=True)
class _PictureColumns:
    pts: array[int] = field(default_factory=lambda: array("q"))
    dts: array[int] = field(default_factory=lambda: array("q"))
    sizes: array[int] = field(default_factory=lambda: array("I"))
    types: bytearray = field(default_factory=bytearray)
    keys: bytearray = field(default_factory=bytearray)
    last_pts: int = NO_TIME  # of the picture presented last, so far
    last_duration: int = 0  # its length in ticks

    def append(self, packet: Any, picture_type: str) -> None:
        """Keep one picture packet."""
        pts, dts = packet.pts, packet.dts
        self.pts.append(NO_TIME if pts is None else pts)
        self.dts.append(NO_TIME if dts is None else dts)
        self.sizes.append(packet.size)
        self.types.append(ord(picture_type))
        self.keys.append(packet.is_keyframe)
        if pts is not None and pts > self.last_pts:
            self.last_pts, self.last_duration = pts, packet.duration or 0


def read_packets(source: Source, reading: HeaderReading, progress: Progress | None = None) -> PacketPass:
    """Demux the whole file once; damage ends or marks the pass and is named, never raised.

    Raises ``UnreadableFile`` only when the file cannot be opened. Reports progress in bytes.
    """
    with open_container(source) as container:
        picture = container.streams[reading.picture_index] if reading.picture_index is not None else None
        sounds = {
            stream.index: SoundTotals(time_base=stream.time_base or Fraction(1)) for stream in container.streams.audio
        }
        captions: Counter[int] = Counter({stream.index: 0 for stream in container.streams.subtitles})
        columns = _PictureColumns()
        codec = reading.picture_codec or ""
        length_size = reading.coded.length_size if reading.coded else None
        head_of = head_reader(codec, length_size, reading.coded.extra_slice_bits if reading.coded else {})
        closed: dict[int, bool] = {}
        slice_counts: list[int] = []
        damaged = seen = last_byte = 0
        stopped = ""
        picture_at = picture.index if picture is not None else -1
        try:
            for packet in container.demux():
                if not packet.size:
                    continue
                seen += 1
                if seen % _REPORT_EVERY == 0:
                    last_byte = max(last_byte, packet.pos or 0)
                    if progress:
                        progress(min(last_byte, source.size), source.size)
                if packet.is_corrupt:
                    damaged += 1
                index = packet.stream_index
                if index == picture_at:
                    if packet.is_discard:
                        continue
                    data = memoryview(packet)
                    head = head_of(data)
                    if head.closed_group is not None:
                        closed[len(columns.sizes)] = head.closed_group
                    if len(slice_counts) < SLICE_PICTURES:
                        slice_counts.append(count_slices(bytes(data), codec, length_size))
                    columns.append(packet, head.type)
                elif index in sounds:
                    sounds[index].take(packet)
                elif index in captions:
                    captions[index] += 1
        except (av.FFmpegError, IndexError, UnicodeDecodeError, MemoryError) as error:
            stopped = f"reading stopped at byte {last_byte}: {getattr(error, 'strerror', None) or error}"
        without_pts = columns.pts.count(NO_TIME)
        return PacketPass(
            series=_series(columns, picture, list(sounds.values()))
            if picture is not None and len(columns.sizes)
            else None,
            sound=list(sounds.values()),
            caption_counts=list(captions.values()),
            slices=max(slice_counts, default=0) or (reading.coded.headers.slices if reading.coded else None),
            closed_groups=closed,
            without_pts=without_pts,
            damaged=damaged,
            stopped=stopped,
            last_byte=last_byte,
            losses=_losses(source, reading),
        )


def _losses(source: Source, reading: HeaderReading) -> list[str] | None:
    if reading.packet_size is None:
        return None
    with source.open() as file:
        return find_losses(file, reading.packet_size)


def _series(columns: _PictureColumns, stream: Any, sounds: list[SoundTotals]) -> PacketSeries:
    pts = np.frombuffer(columns.pts, dtype=np.int64)
    return PacketSeries(
        time_base=stream.time_base,
        pts=pts,
        dts=np.frombuffer(columns.dts, dtype=np.int64),
        sizes=np.frombuffer(columns.sizes, dtype=np.uint32),
        types=np.frombuffer(bytes(columns.types), dtype=np.uint8),
        random_access=np.frombuffer(bytes(columns.keys), dtype=np.bool_),
        last_duration=columns.last_duration,
        sound=tuple(np.frombuffer(totals.steps, dtype=np.uint32) for totals in sounds),
    )
