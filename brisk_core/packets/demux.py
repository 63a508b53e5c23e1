"""The one pass over all packets of a file."""

from __future__ import annotations

from array import array
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

import av
import numpy as np
from av.container import InputContainer
from numpy.typing import NDArray

from brisk_core.facts import FieldOrder, Witness, keys
from brisk_core.packets.caption_data import (
    CODECS,
    CaptionData,
    PictureCaptions,
    ancillary_triplets,
    taker_of,
    track_triplets,
)
from brisk_core.packets.picture_types import count_slices, head_reader
from brisk_core.packets.series import LAST_TIME, MOST_SOUND_STEPS, NO_TIME, SOUND_STEPS, PacketSeries
from brisk_core.packets.teletext import ancillary_lines, unit_lines
from brisk_core.reading import HeaderReading, Source, open_container
from brisk_core.reading.library import is_caption_data, sound_codec, text_tracks
from brisk_core.reading.wrappers.transport import TELETEXT, find_losses

SLICE_PICTURES = 50  # first pictures whose slices are counted (characteristics, picture.slices)
_REPORT_EVERY = 2000  # packets between two reports of progress
#: Wrappers whose damage in mid file the demuxer's marks alone tell; reading a mark takes time.
_WITH_MARKS = ("mpeg-ps", "other")
_FRAMED_SOUND = {"aac", "ac3", "eac3", "mp2", "mp3"}
_MOST_GAPS = 100  # gaps of sound kept for each track
_SOUND_PATIENCE = Fraction(1, 200)  # seconds by which a sound packet may come late before it counts as a gap

_OTHER_FIELD = {FieldOrder.TOP: FieldOrder.BOTTOM, FieldOrder.BOTTOM: FieldOrder.TOP}

Progress = Callable[[int, int], None]  #: bytes done, bytes in all
Taker = Callable[[Any, int], None]  #: takes one packet and its size


@dataclass(slots=True, kw_only=True)
class SoundTotals:
    """Sums over the packets of one sound track; packets are gathered and summed many at a time."""

    time_base: Fraction
    framed: bool = False  #: is the sound coded in frames of one length, unlike PCM?
    size: int = 0  #: bytes
    first: int | None = None  #: first presentation time in ticks
    end: int = 0  #: end of the last packet in ticks
    steps: NDArray[np.uint32] = field(default_factory=lambda: np.zeros(0, np.uint32))  #: see ``PacketSeries.sound``
    gaps: list[tuple[Fraction, Fraction]] = field(default_factory=list)  #: (from, to) in seconds
    _waiting: array[int] = field(default_factory=lambda: array("q"))  # time, size, length of packets not summed yet
    _usual: int = 0  # ticks of a frame of sound

    def taker(self) -> Taker:
        """Return the function that adds one packet; ``sum_up`` must be called now and then, and after the last one."""
        add = self._waiting.append

        def take(packet: Any, size: int) -> None:
            pts = packet.pts
            if pts is None or not -LAST_TIME < pts < LAST_TIME:
                self.size += size
                return
            add(pts)
            add(size)
            add(packet.duration or 0)

        return take

    def sum_up(self) -> None:
        """Sum the packets that wait."""
        if not self._waiting:
            return
        pts, sizes, lengths = np.array(self._waiting, dtype=np.int64).reshape(-1, 3).T
        del self._waiting[:]
        self.size += int(sizes.sum())
        if self.framed and (lengths > 0).any():
            # Frames of sound are all of one length, but for the last one, which ends where the sound does. The library
            # gives the first of a track that begins late none.
            self._usual = self._usual or int(np.median(lengths[lengths > 0]))
            lengths = np.where(lengths > 0, lengths, self._usual)
        ends = np.maximum.accumulate(np.concatenate([[self.end if self.first is not None else pts[0]], pts + lengths]))
        self._find_gaps(pts, lengths, ends[:-1])
        self.first = int(pts.min()) if self.first is None else min(self.first, int(pts.min()))
        self.end = int(ends[-1])
        per_tick = self.time_base * SOUND_STEPS
        steps = pts * per_tick.numerator // per_tick.denominator
        kept = (steps >= 0) & (steps < MOST_SOUND_STEPS)
        if kept.any():
            counted = np.bincount(steps[kept], weights=sizes[kept], minlength=len(self.steps)).astype(np.uint32)
            counted[: len(self.steps)] += self.steps
            self.steps = counted

    def _find_gaps(self, pts: NDArray[np.int64], lengths: NDArray[np.int64], ends: NDArray[np.int64]) -> None:
        """Note where packets leave time between them, ``ends`` being the end of all before each."""
        patience = round(_SOUND_PATIENCE / self.time_base)
        found = [(ends[at], pts[at]) for at in np.flatnonzero(pts > ends + patience)]
        if self._usual:
            # Some wrappers stretch the packet before a gap up to the next one.
            stretched = np.flatnonzero(lengths > 2 * self._usual + patience)
            found += [(pts[at] + self._usual, pts[at] + lengths[at]) for at in stretched]
        for start, end in sorted(found)[: _MOST_GAPS - len(self.gaps)]:
            self.gaps.append((int(start) * self.time_base, int(end) * self.time_base))


@dataclass(slots=True, kw_only=True)
class PacketPass:
    """What one pass leaves."""

    series: PacketSeries | None  #: None for a file without pictures
    sound: list[SoundTotals]
    caption_counts: list[int]  #: packets of each text track
    caption_data: list[CaptionData]  #: line 21 and digital captions, by the place they were found in
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
    last_packet: Any = None
    closed: dict[int, bool] = field(default_factory=dict)  # closed_gop by index, where coded
    slice_counts: list[int] = field(default_factory=list)

    def taker(self, reading: HeaderReading, captions: PictureCaptions | None) -> Taker:
        """Return the function that keeps one picture packet; it runs often, so its names are looked up once.

        ``captions`` takes every packet that may hold some.
        """
        codec = reading.picture_codec or ""
        length_size = reading.coded.length_size if reading.coded else None
        head_of = head_reader(codec, length_size, reading.coded.extra_slice_bits if reading.coded else {})
        add_pts, add_dts, add_size = self.pts.append, self.dts.append, self.sizes.append
        may_discard = reading.movie is not None  # by an edit list
        add_type, add_key, slice_counts = self.types.append, self.keys.append, self.slice_counts
        field_of = reading.coded.field_reader if reading.coded else None
        mark = captions.mark if captions else b""
        waits: FieldOrder | None = None  # the field that would make a frame of the packet before

        def take(packet: Any, size: int) -> None:
            nonlocal waits
            if may_discard and packet.is_discard:
                return
            data = memoryview(packet)
            if captions and mark in bytes(data):
                captions.take(packet, size)
            if field_of:
                parity = field_of(bytes(data))
                if parity is not None and parity == waits:  # the second field of a frame is no picture of its own
                    self.sizes[-1] += size
                    waits = None
                    return
                waits = _OTHER_FIELD[parity] if parity else None
            head = head_of(data)
            if head.closed_group is not None:
                self.closed[len(self.sizes)] = head.closed_group
            if len(slice_counts) < SLICE_PICTURES:
                slice_counts.append(count_slices(bytes(data), codec, length_size))
            pts, dts = packet.pts, packet.dts
            timed = pts is not None and -LAST_TIME < pts < LAST_TIME
            add_pts(pts if timed else NO_TIME)
            add_dts(dts if dts is not None and -LAST_TIME < dts < LAST_TIME else NO_TIME)
            add_size(size)
            add_type(head.letter)
            add_key(packet.is_keyframe)
            if timed and pts > self.last_pts:
                self.last_pts, self.last_packet = pts, packet

        return take


class _Captions:
    """Counts the packets of one text track."""

    count = 0

    def take(self, _: Any, __: int) -> None:
        """Count one packet."""
        self.count += 1


def read_packets(source: Source, reading: HeaderReading, progress: Progress | None = None) -> PacketPass:
    """Demux the whole file once; damage ends or marks the pass and is named, never raised.

    Raises ``UnreadableFile`` only when the file cannot be opened. Reports progress in bytes.
    """
    with open_container(source) as container:
        picture = container.streams[reading.picture_index] if reading.picture_index is not None else None
        sounds = {
            stream.index: SoundTotals(time_base=stream.time_base or Fraction(1), framed=_is_framed(stream))
            for stream in container.streams.audio
        }
        captions = {stream.index: _Captions() for stream in text_tracks(container)}
        inside, beside = _in_pictures(picture, reading), _beside_pictures(container, reading)
        columns = _PictureColumns()
        takers: list[Taker | None] = [None] * len(container.streams)
        for index, totals in sounds.items():
            takers[index] = totals.taker()
        for index, counter in captions.items():
            takers[index] = counter.take
        for index, kept in beside.items():
            takers[index] = _each([taker_of(data, found_in) for data, found_in in kept])
        if picture is not None:
            takers[picture.index] = columns.taker(reading, inside)

        def report(at: int) -> None:
            for totals in sounds.values():
                totals.sum_up()
            if progress:
                progress(min(at, source.size), source.size)

        marks = reading.wrapper_format in _WITH_MARKS
        damaged, last_byte, stopped = _run(container, takers, report, marks)
        report(last_byte)
        return PacketPass(
            series=_series(columns, picture, list(sounds.values()))
            if picture is not None and len(columns.sizes)
            else None,
            sound=list(sounds.values()),
            caption_counts=[one.count for one in captions.values()],
            caption_data=[data for data in _all_of(inside, beside) if data.found or data.row is not None],
            slices=max(columns.slice_counts, default=0) or (reading.coded.headers.slices if reading.coded else None),
            closed_groups=columns.closed,
            without_pts=columns.pts.count(NO_TIME),
            damaged=damaged,
            stopped=stopped,
            last_byte=last_byte,
            losses=_losses(source, reading),
        )


def _in_pictures(picture: Any, reading: HeaderReading) -> PictureCaptions | None:
    """Return what takes caption data out of pictures, where they can carry some."""
    if picture is None or reading.picture_codec not in CODECS:
        return None
    rate = reading.builder.said(Witness.CODED, keys.PICTURE_FRAME_RATE)
    return PictureCaptions(reading.picture_codec, Fraction(picture.time_base), rate)


_Kept = dict[int, list[tuple[CaptionData, Callable[[bytes], bytes]]]]


def _beside_pictures(container: InputContainer, reading: HeaderReading) -> _Kept:
    """Return the tracks that may hold caption data, by the stream's index, and how they are read."""
    found: _Kept = {}
    in_frames = reading.wrapper_format.startswith("mxf")
    rows = {stream.index: row for row, stream in enumerate(text_tracks(container))}
    for stream in container.streams:
        if not stream.time_base:
            continue
        place, base = f"track {stream.index + 1}", Fraction(stream.time_base)
        if reading.text_formats.get(stream.index) == TELETEXT:
            language = stream.metadata.get("language", "").split(",")[0]
            row = rows.get(stream.index)
            data = CaptionData(place=place, time_base=base, teletext=True, language=language, row=row)
            found[stream.index] = [(data, unit_lines)]
        elif stream.type == "data" or is_caption_data(stream):
            data = CaptionData(place=place, time_base=base)
            found[stream.index] = [(data, ancillary_triplets if in_frames else track_triplets)]
            if in_frames:
                lines = CaptionData(place=place, time_base=base, teletext=True)
                found[stream.index].append((lines, ancillary_lines))
    return found


def _each(takers: Sequence[Taker]) -> Taker:
    """Hand a packet to each of some takers."""
    if len(takers) == 1:
        return takers[0]

    def take(packet: Any, size: int) -> None:
        for taker in takers:
            taker(packet, size)

    return take


def _all_of(inside: PictureCaptions | None, beside: _Kept) -> list[CaptionData]:
    """Return the caption data of all places."""
    return [*(inside.data if inside else ()), *(data for kept in beside.values() for data, _ in kept)]


def _run(
    container: InputContainer, takers: list[Taker | None], report: Callable[[int], None], marks: bool
) -> tuple[int, int, str]:
    """Hand every packet to the taker of its stream; return how many are damaged, a late offset, and why it stopped."""
    damaged = last_byte = 0
    waiting = _REPORT_EVERY
    known = len(takers)  # a stream may appear in mid file
    try:
        for packet in container.demux():
            size = packet.size
            if not size:
                continue
            if marks and packet.is_corrupt:
                damaged += 1
            index = packet.stream_index
            if index < known and (taker := takers[index]):
                taker(packet, size)
            waiting -= 1
            if not waiting:
                waiting = _REPORT_EVERY
                last_byte = max(last_byte, packet.pos or 0)
                report(last_byte)
    except (av.FFmpegError, IndexError, UnicodeDecodeError, MemoryError) as error:
        says = f"reading stopped at byte {last_byte}: {getattr(error, 'strerror', None) or error}"
        return damaged, last_byte, says
    return damaged, last_byte, ""


def _is_framed(stream: Any) -> bool:
    return stream.codec_context is not None and sound_codec(stream.codec_context.name) in _FRAMED_SOUND


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
        last_duration=(columns.last_packet.duration or 0) if columns.last_packet else 0,
        sound=tuple(totals.steps for totals in sounds),
    )
