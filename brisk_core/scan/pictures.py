"""The picture pass over one segment of a file: one decode feeds all meters."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from brisk_core.errors import UnreadableFile
from brisk_core.meters import MeterRows, Picture
from brisk_core.meters.area import AreaMeter
from brisk_core.meters.bursts import BurstMeter
from brisk_core.meters.change import ChangeMeter
from brisk_core.meters.coding import AlphaMeter, BlockMeter
from brisk_core.meters.enlargement import EnlargementMeter
from brisk_core.meters.fields import FieldMeter
from brisk_core.meters.levels import LevelMeter, LumaHistogram
from brisk_core.meters.light import LightMeter
from brisk_core.meters.motion import MotionMeter
from brisk_core.meters.planes import PlaneReader
from brisk_core.meters.signature import SignatureMeter
from brisk_core.meters.spectrum import DetailMeter
from brisk_core.packets import PacketSeries, Retiming
from brisk_core.reading import Source, open_container
from brisk_core.scan.listening import Listener, listening, prepare
from brisk_core.scan.second_ear import SecondEar
from brisk_core.scan.segments import Segment, settled_from
from brisk_core.scan.small_pictures import SmallPictures
from brisk_core.whole_file import written_whole

Progress = Callable[[int, int], None]  #: pictures done, pictures in all
#: Seconds before a segment at which decoding begins, tried in turn: a seek can land too late in wrappers without an
#: index.
_EARLIER = (0, 2, 10, None)


@dataclass(slots=True)
class PictureScan:
    """What the meters have of one segment, or of segments joined."""

    rows: MeterRows
    area: AreaMeter
    enlargement: EnlargementMeter
    histogram: LumaHistogram
    first: int  #: number of the segment's first picture
    missing: list[int] = field(default_factory=list)  #: pictures that could not be decoded
    damaged: list[int] = field(default_factory=list)  #: pictures of which the decoder made up what it could not read
    sizes: dict[tuple[int, int], int] = field(default_factory=dict)  #: pictures of each size

    @classmethod
    def begin(cls, first: int) -> PictureScan:
        """Return a scan with nothing in it."""
        area, enlargement = AreaMeter(), EnlargementMeter()
        meters = (
            FieldMeter(), ChangeMeter(), MotionMeter(), LightMeter(), LevelMeter(), area, BlockMeter(), AlphaMeter(),
            DetailMeter(), enlargement, SignatureMeter(), BurstMeter(),
        )  # fmt: skip
        return cls(rows=MeterRows(meters), area=area, enlargement=enlargement, histogram=LumaHistogram(), first=first)

    @property
    def end(self) -> int:
        """Number of the picture after the last."""
        return self.first + len(self.rows)

    def take(self, picture: Picture) -> None:
        """Measure the next picture; numbers that were left out count as missing."""
        while self.end < picture.number:
            self.skip()
        self.sizes[picture.size] = self.sizes.get(picture.size, 0) + 1
        self.histogram.take(picture)
        self.rows.take(picture)

    def skip(self) -> None:
        """Note that the next picture could not be decoded."""
        self.missing.append(self.end)
        self.rows.skip()

    def join(self, later: PictureScan) -> None:
        """Append the segment that follows; raises ``ValueError`` when it is another one."""
        if later.first != self.end:
            raise ValueError(f"met a segment from picture {later.first}; expected one from {self.end}")
        self.rows.join(later.rows)
        self.area.total.join(later.area.total)
        self.enlargement.total.join(later.enlargement.total)
        self.histogram.join(later.histogram)
        self.missing += later.missing
        self.damaged += later.damaged
        for size, count in later.sizes.items():
            self.sizes[size] = self.sizes.get(size, 0) + count

    def save(self, path: Path) -> None:
        """Write the scan to a file, whole or not at all."""
        arrays: dict[str, NDArray[Any]] = self.rows.to_arrays() | {
            "first": np.array(self.first),
            "missing": np.array(self.missing, np.int64),
            "damaged": np.array(self.damaged, np.int64),
            "sizes": np.array([(*size, count) for size, count in self.sizes.items()], np.int64).reshape(-1, 3),
            "histogram": self.histogram.counts,
            "histogram_pictures": np.array(self.histogram.pictures),
        }
        for (width, height), lines in self.area.total.lines.items():
            arrays[f"lines_{width}_{height}"] = lines
            arrays[f"columns_{width}_{height}"] = self.area.total.columns[width, height]
        arrays |= self.enlargement.total.to_arrays()
        with written_whole(path) as unfinished:
            np.savez(unfinished, allow_pickle=False, **arrays)

    @classmethod
    def load(cls, path: Path) -> PictureScan:
        """Read a scan that ``save`` wrote."""
        with np.load(path, allow_pickle=False) as data:
            scan = cls.begin(int(data["first"]))
            scan.rows.from_arrays(data)
            scan.missing = data["missing"].tolist()
            scan.damaged = data["damaged"].tolist()
            scan.sizes = {(width, height): count for width, height, count in data["sizes"].tolist()}
            scan.histogram.counts = data["histogram"]
            scan.histogram.pictures = int(data["histogram_pictures"])
            scan.enlargement.total.from_arrays(data)
            for name in data.files:
                if name.startswith("lines_"):
                    width, height = (int(number) for number in name.split("_")[1:])
                    scan.area.total.lines[width, height] = data[name]
                    scan.area.total.columns[width, height] = data[f"columns_{width}_{height}"]
        return scan


def scan_pictures(
    source: Source,
    series: PacketSeries,
    segment: Segment,
    *,
    full: bool,
    progress: Progress | None = None,
    small: SmallPictures | None = None,
) -> PictureScan:
    """Decode the pictures of a segment once and measure them.

    Pictures that cannot be decoded are noted as missing, those of which the decoder complains as damaged. ``full`` is
    the range by the file's own word; ``small`` keeps small pictures. Raises ``UnreadableFile`` only when the file
    cannot be opened.
    """
    numbers = {
        int(pts): at for at, pts in enumerate(series.presented_pts()[segment.first : segment.end], segment.first)
    }
    scan = PictureScan.begin(segment.first)
    reader = PlaneReader(full=full)
    damaged: set[int] = set()
    with listening() as listener:
        decoding = _Decoding(listener, numbers, damaged, settled_from(series, segment))
        for frame in _frames(source, series, segment, numbers, decoding):
            number = numbers.get(frame.pts)
            if number is None or number < scan.end:
                continue
            if frame.is_corrupt:
                damaged.add(number)
            picture = reader.picture(frame, number)
            if picture.alpha is None and (beside := decoding.with_alpha(frame.pts)) is not None:
                alpha = reader.picture(beside, number).alpha
                picture.alpha = None if alpha is None else alpha.copy()
            scan.take(picture)
            if small:
                small.take(frame, number, scan.rows)
            del frame, picture
            if progress:
                progress(scan.end - segment.first, segment.end - segment.first)
    while scan.end < segment.end:
        scan.skip()
    scan.damaged = sorted(damaged - set(scan.missing))
    return scan


def _frames(
    source: Source,
    series: PacketSeries,
    segment: Segment,
    numbers: dict[int, int],
    decoding: _Decoding,
) -> Iterator[Any]:
    """Frames of the segment in presentation order; where a seek lands after its start, decoding begins earlier."""
    presented = series.presented_pts()
    start, last = int(presented[segment.first]), int(presented[segment.end - 1])
    with open_container(source) as container:
        stream = container.streams.video[0]
        if stream.codec_context is None:
            raise UnreadableFile("the library knows no decoder for the pictures")
        prepare(stream.codec_context)
        for seconds in _EARLIER if segment.first else (None,):
            if seconds is None:
                if segment.first:
                    container.seek(0, backward=True)
            else:
                container.seek(
                    max(start - int(seconds / series.time_base), int(presented[0])), stream=stream, backward=True
                )
            landed = None
            decoding.damaged.clear()  # of a try that landed too late, where references were missing
            for frame in decoding.run(container, stream, Retiming(series)):
                if frame.pts is None or (landed is None and frame.pts not in numbers and frame.pts > start):
                    continue
                if landed is None and frame.pts > start and seconds is not None:
                    break  # too late: try again from further back
                if frame.pts > last:
                    return
                if frame.pts >= start:
                    landed = frame.pts
                    yield frame
                    if frame.pts == last:
                        return
            if landed is not None:
                return


@dataclass(slots=True)
class _Decoding:
    """Decoding of packets one by one, with an ear for what the decoder says of each."""

    listener: Listener
    numbers: dict[int, int]  #: of pictures, by presentation time
    damaged: set[int]  #: numbers of pictures that the decoder complains of
    entry: int  #: presentation time from which on no reference lies before the segment
    _times: list[int] = field(init=False)
    _second: SecondEar | None = field(init=False, default=None)

    def __post_init__(self) -> None:
        self._times = sorted(self.numbers)

    def run(self, container: Any, stream: Any, retiming: Retiming) -> Iterator[Any]:
        """Yield decoded frames with their times; packets that cannot be decoded are left out."""
        second = self._second = SecondEar.of(stream.codec_context)
        patience = _MOST_FAILURES
        packets = container.demux(stream)
        while True:
            try:
                packet = next(packets)
            except StopIteration:
                return
            except (av.FFmpegError, IndexError, UnicodeDecodeError):
                return
            self.listener.forget()  # what the reader of the wrapper says is judged by the packets
            frames: list[Any] = []
            try:
                retiming.take(packet)
                frames = [retiming.stamp(frame) for frame in packet.decode()]
            except (av.FFmpegError, ValueError):
                patience -= 1
                if not patience:
                    return
            self._hear(packet, frames, refused=second is not None and second.refuses(packet))
            yield from frames

    def with_alpha(self, time: int) -> Any:
        """Return the picture of a time with the alpha that lies beside it in the wrapper: see ``SecondEar``."""
        return self._second.with_alpha(time) if self._second is not None else None

    def _hear(self, packet: Any, frames: list[Any], *, refused: bool) -> None:
        times = [frame.pts for frame in frames] if packet.pts is None and frames else [packet.pts]
        known = [number for time in times if time is not None and (number := self._number_at(time)) is not None]
        earlier = any(time < self.entry for time in times if time is not None)
        if known and (self.listener.complaints(earlier=earlier) or refused):
            self.damaged.update(known)

    def _number_at(self, time: int) -> int | None:
        """Return the picture that is presented at a time, or whose second field is."""
        at = bisect_right(self._times, time) - 1
        if at < 0:
            return None
        ends = self._times[at + 1] if at + 1 < len(self._times) else 2 * self._times[at] - self._times[at - 1]
        return self.numbers[self._times[at]] if time == self._times[at] or time < ends else None


_MOST_FAILURES = 10_000  # packets in a file that may fail before decoding is given up
