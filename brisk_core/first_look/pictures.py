"""The pictures of a first look: key pictures far apart, and some in a row for what only motion tells."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Any

import cv2

from brisk_core.first_look.places import BURST, BURSTS, even_places, key_picture, picture_count, pictures_in_a_row
from brisk_core.meters import MeterRows, Picture
from brisk_core.meters.area import AreaMeter
from brisk_core.meters.change import ChangeMeter
from brisk_core.meters.fields import FieldMeter
from brisk_core.meters.levels import LevelMeter, LumaHistogram
from brisk_core.meters.light import LightMeter
from brisk_core.meters.planes import PlaneReader
from brisk_core.reading import Source, open_container
from brisk_core.scan.listening import prepare
from brisk_core.scan.small_pictures import write_small

NEAR_S = 15.0  #: before a place, within which a random access point is near
STRIP = 12  #: small pictures that are kept
_SPACED = 4  # numbers from one picture to the next, so that meters which look at some of them look at each

Progress = Callable[[int, int], None]


@dataclass(slots=True)
class SeenPictures:
    """What the meters have of the pictures."""

    duration: float  #: seconds of the file
    seconds: list[float] = field(default_factory=list)  #: of each picture, from the first of the file
    area: AreaMeter = field(default_factory=AreaMeter)
    rows: MeterRows = field(init=False)
    histogram: LumaHistogram = field(default_factory=LumaHistogram)
    steps: list[float | None] = field(default_factory=list)  #: mean change of the cells from the picture before
    in_a_row: MeterRows = field(default_factory=lambda: MeterRows((FieldMeter(), ChangeMeter())))
    sizes: set[tuple[int, int]] = field(default_factory=set)  #: width and height as decoded
    full: bool = False  #: full range by the file's own word
    places: list[float] = field(default_factory=list)  #: seconds at which pictures were asked for
    unread: list[int] = field(default_factory=list)  #: numbers of the places at which none could be decoded
    distant: list[int] = field(default_factory=list)  #: numbers of those without a random access point near before them
    damaged: list[float] = field(default_factory=list)  #: seconds of pictures that a decoder calls corrupt
    strip: list[tuple[int, float]] = field(default_factory=list)  #: numbers of small pictures, and their seconds
    _last: Picture | None = None

    def __post_init__(self) -> None:
        self.rows = MeterRows((self.area, LevelMeter(), LightMeter()))

    def take(self, picture: Picture, second: float) -> None:
        """Measure a picture that stands alone."""
        last = self._last
        self.sizes.add(picture.size)
        self.histogram.take(picture)
        self.rows.take(picture)
        alike = last is not None and last.small.shape == picture.small.shape
        self.steps.append(float(cv2.absdiff(picture.small, last.small).mean()) if alike and last else None)
        self.seconds.append(second)
        self._last = picture


def see_pictures(
    source: Source,
    duration: float,
    size: tuple[int, int],
    *,
    full: bool,
    folder: Path | None = None,
    progress: Progress | None = None,
) -> SeenPictures | None:
    """Look at key pictures over the whole length, then at some in a row; ``None`` for a file without pictures.

    ``folder`` is where small pictures are kept, numbered from 0. Raises ``UnreadableFile`` when the file cannot be
    opened.
    """
    with open_container(source) as container:
        stream: Any = next(iter(container.streams.video), None)
        if stream is None or stream.codec_context is None:
            return None
        prepare(stream.codec_context)
        start = float((stream.start_time or 0) * stream.time_base)
        seen = SeenPictures(duration=duration, full=full)
        places = seen.places = even_places(duration, picture_count(size))
        kept = {round((at + 0.5) * len(places) / STRIP) for at in range(STRIP)}
        reader = PlaneReader(full=full)
        key: int | None = None
        for at, place in enumerate(places):
            frame, found = _one_at(container, stream, place, start, key)
            if progress:
                progress(at + 1, len(places))
            if frame is None and found is not None:  # the same picture as at the last place
                if seen.seconds[-1] > place + _LATE_S:
                    seen.unread.append(at)
                elif place > seen.seconds[-1] + NEAR_S:
                    seen.distant.append(at)
                elif at in kept:
                    kept.add(at + 1)
                continue
            key = found if found is not None else key
            second = _second(frame, stream.time_base, start, place)
            is_new = not seen.seconds or second > seen.seconds[-1]
            if frame is None or second > place + _LATE_S:
                seen.unread.append(at)
            if frame is not None and is_new:
                if frame.is_corrupt:
                    seen.damaged.append(second)
                seen.take(reader.picture(frame, len(seen.seconds) * _SPACED), second)
            if folder is not None and frame is not None and at in kept:
                number = len(seen.strip)
                write_small(frame, folder, number)
                seen.strip.append((number, second))
        _see_in_a_row(seen, container, stream, start, reader)
    return seen


_LATE_S = 3.0  # behind a place, from which what lies between could not be read
_EARLIER = (0.0, 2.0, 10.0)  # seconds before a place from which is looked: a seek may land behind the last key picture


def _one_at(container: Any, stream: Any, place: float, start: float, known: int | None) -> tuple[Any, int | None]:
    """Return the key picture at a place or before it, as ``key_picture`` does."""
    for seconds in _EARLIER:
        frame, found = key_picture(container, stream, max(place - seconds, 0.0), start, known)
        if found is not None:
            return frame, found
    return None, None


def _see_in_a_row(seen: SeenPictures, container: Any, stream: Any, start: float, reader: PlaneReader) -> None:
    for place in even_places(seen.duration, BURSTS):
        for number, frame in enumerate(pictures_in_a_row(container, stream, place, start, BURST)):
            seen.in_a_row.take(reader.picture(frame, number))
        seen.in_a_row.skip()  # what follows is of another place


def _second(frame: Any, base: Fraction, start: float, place: float) -> float:
    """Seconds of a frame from the first of the file; where it has no time, those of the place that was asked for."""
    if frame is None or frame.pts is None:
        return place
    return max(float(frame.pts * (frame.time_base or base)) - start, 0.0)
