"""Import of edits through OpenTimelineIO: OTIO documents and EDL files in the 3600 style."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import opentimelineio as otio

from brisk_core.edit.edl_lines import EdlClock, read_clock
from brisk_core.edit.timeline import Event, Lane, Mark, Timeline
from brisk_core.errors import EditRefused, ValueRefused
from brisk_core.exact import Timecode, nearest_standard_rate, nominal_frames, parse_rate, parse_ratio, parse_size

LARGEST_EDIT = 64 << 20  # bytes; 30,000 events take about 30 MB as OTIO
_MOST_EVENTS = 200_000
_LONGEST = 10 * 24 * 3600  # seconds of a timeline; beyond it a number is a mistake
_WHOLE = Fraction(1, 100)  # how far a frame count may stray from a whole number, for times kept as floats
_METADATA_KEY = "brisk_sentry"
_SCANS = ("progressive", "interlaced")


@dataclass(frozen=True, slots=True, kw_only=True)
class EditHints:
    """What a person adds because the format cannot say it; wins over the file."""

    rate: Fraction | None = None
    assumed_rate: Fraction | None = None  #: used when the edit states no rate; does not count as stated
    size: tuple[int, int] | None = None
    scan: str | None = None
    field_order: str | None = None
    pixel_aspect: Fraction | None = None
    sample_rate: int | None = None
    start: str | None = None  #: timecode label

    @classmethod
    def from_json(cls, document: Mapping[str, Any]) -> EditHints:
        """Read hints from plain JSON values; raises ``ValueRefused`` naming the wrong one, for unknown names too."""
        readers: dict[str, Callable[[Any], Any]] = {
            "rate": parse_rate,
            "assumed_rate": parse_rate,
            "size": parse_size,
            "pixel_aspect": parse_ratio,
            "scan": _read_scan,
            "field_order": _read_order,
            "sample_rate": _read_sample_rate,
            "start": str,
        }
        if unknown := sorted(set(document) - set(readers)):
            raise ValueRefused(f"met {unknown[0]!r} beside an edit; expected one of {', '.join(readers)}")
        read: dict[str, Any] = {
            name: readers[name](value) for name, value in document.items() if value not in (None, "")
        }
        return cls(**read)


def _read_scan(value: object) -> str:
    if value not in _SCANS:
        raise ValueRefused(f"met {value!r} as the scan of a timeline; expected progressive or interlaced")
    return str(value)


def _read_order(value: object) -> str:
    if value not in ("top", "bottom"):
        raise ValueRefused(f"met {value!r} as a field order; expected top or bottom")
    return str(value)


def _read_sample_rate(value: object) -> int:
    if isinstance(value, str) and value.isdigit():
        value = int(value)
    if not isinstance(value, int) or not 1 <= value <= 1_000_000:
        raise ValueRefused(f"met {value!r} as a sample rate; expected whole Hz such as 48000")
    return value


def import_edit(path: Path, *, name: str | None = None, hints: EditHints | None = None) -> Timeline:
    """Import an edit file; the kind is told by content, not by name.

    Raises ``EditRefused`` with what was met and, for an EDL, the line.
    """
    hints = hints or EditHints()
    size = path.stat().st_size
    if size > LARGEST_EDIT:
        raise EditRefused(f"the edit has {size} bytes; expected at most {LARGEST_EDIT}")
    if size == 0:
        raise EditRefused("the edit is empty; expected an OTIO document or an EDL")
    text = path.read_text(encoding="utf-8", errors="replace").lstrip("\ufeff")
    stem = (name or path.name).rsplit(".", 1)[0]
    if text.lstrip().startswith("{"):
        return _from_otio(_parse(text, "otio_json", "OTIO document"), stem, hints)
    if "TITLE:" in text.upper()[:4096] or "FCM:" in text.upper()[:4096] or text.lstrip()[:1].isdigit():
        return _from_edl(text, stem, hints)
    raise EditRefused(f"met {text.lstrip()[:30]!r}; expected an OTIO document (JSON) or an EDL that begins with TITLE:")


def _parse(text: str, adapter: str, what: str, **options: Any) -> otio.schema.Timeline:
    try:
        found = otio.adapters.read_from_string(text, adapter, **options)
    except RecursionError as error:
        raise EditRefused(f"the {what} is nested too deeply") from error
    except Exception as error:  # the adapters raise whatever their parsing meets
        raise EditRefused(
            f"the {what} cannot be read: {str(error).splitlines()[0][:300] or type(error).__name__}"
        ) from error
    if isinstance(found, otio.schema.SerializableCollection) and len(found) == 1:
        found = found[0]
    if not isinstance(found, otio.schema.Timeline):
        raise EditRefused(f"the {what} holds a {type(found).__name__}; expected one Timeline")
    return found


def _from_edl(text: str, stem: str, hints: EditHints) -> Timeline:
    clock = read_clock(text, hints.rate)
    rate = clock.rate or _assumed(clock, hints.assumed_rate)
    document = _parse(text, "cmx_3600", "EDL", rate=float(rate), ignore_timecode_mismatch=True)
    start = Timecode.parse(hints.start or clock.start, rate, drop=clock.drop)
    return replace(_build(document, stem, rate, hints, start=start), rate_stated=clock.rate is not None)


def _assumed(clock: EdlClock, assumed: Fraction | None) -> Fraction:
    """The rate to lay labels out at when the EDL states none: the assumed one, if its seconds hold every label met."""
    if assumed is None:
        raise EditRefused(
            "an EDL does not state its frame rate; give the rate when importing, such as 25 or 30000/1001"
        )
    if clock.highest_frame < nominal_frames(assumed):
        return assumed
    return next(Fraction(base) for base in (25, 30, 50, 60, 120) if clock.highest_frame < base)


def _from_otio(document: otio.schema.Timeline, stem: str, hints: EditHints) -> Timeline:
    own = document.metadata.get(_METADATA_KEY, {})
    try:
        stated = EditHints.from_json({key: _plain(value) for key, value in dict(own).items()})
    except ValueRefused as error:
        raise EditRefused(f"the metadata {_METADATA_KEY!r} of the OTIO document: {error}") from error
    merged = replace(
        stated, **{key: getattr(hints, key) for key in EditHints.__slots__ if getattr(hints, key) is not None}
    )
    rate = merged.rate or _rate_of(document)
    start = document.global_start_time
    label: Timecode | None = None
    if merged.start:
        label = Timecode.parse(merged.start, rate)
    elif start is not None:
        label = Timecode(frames=_frames(start, rate, "the start"), rate=rate)
    return _build(document, stem, rate, merged, start=label)


def _plain(value: Any) -> Any:
    return list(value) if not isinstance(value, str | int | float | bool) and hasattr(value, "__len__") else value


def _rate_of(document: otio.schema.Timeline) -> Fraction:
    """The rate of the global start, else of the first picture clip, else of the first clip."""
    times = []
    if document.global_start_time is not None:
        times.append(document.global_start_time)
    for track in (*document.video_tracks(), *document.audio_tracks()):
        times += [child.duration() for child in track if isinstance(child, otio.core.Item) and child.source_range]
    for time in times:
        return exact_rate(time.rate)
    raise EditRefused("the OTIO document states no rate anywhere; give the rate when importing")


def exact_rate(rate: float) -> Fraction:
    """Return the exact rate behind a float: the standard rate it abbreviates, else the float's own short fraction."""
    if not 0 < rate <= 1000:
        raise EditRefused(f"met {rate} frames a second in the edit; expected more than 0 and at most 1000")
    try:
        labelled = parse_rate(f"{rate:.6g}")
    except ValueRefused:
        labelled = Fraction(rate).limit_denominator(1001)
    return nearest_standard_rate(labelled) or labelled


def _frames(time: Any, rate: Fraction, what: str) -> int:
    """Return a time in whole frames of ``rate``; raises ``EditRefused`` when it falls between two frames."""
    value = Fraction(time.value)
    own = exact_rate(time.rate)
    exact = value * rate / own
    if abs(exact) > _LONGEST * rate:
        raise EditRefused(f"{what} lies {float(exact / rate):.0f} s from the beginning; expected less than 10 days")
    whole = round(exact)
    if own == rate and abs(exact - whole) > _WHOLE:
        raise EditRefused(f"{what} is {float(value)} frames; expected a whole number of frames")
    return whole


def _build(
    document: otio.schema.Timeline, stem: str, rate: Fraction, hints: EditHints, start: Timecode | None
) -> Timeline:
    tracks = [track for track in document.tracks if isinstance(track, otio.schema.Track)]
    if not tracks:
        raise EditRefused("the timeline has no tracks; expected at least one picture track")
    lanes, marks, length, events = [], [], 0, 0
    for number, track in enumerate(tracks, 1):
        lane = _lane(track, rate, number)
        events += len(lane.events)
        if events > _MOST_EVENTS:
            raise EditRefused(f"the timeline has more than {_MOST_EVENTS} events")
        lanes.append(lane)
        length = max(length, lane.events[-1].end if lane.events else 0)
        marks += _marks(track.markers, rate)
    marks += _marks(document.tracks.markers, rate)
    if not length:
        raise EditRefused("the timeline has tracks but no clips; expected at least one clip")
    return Timeline(
        name=document.name or stem,
        rate=rate,
        start=start,
        length=length,
        lanes=tuple(lanes),
        marks=tuple(sorted(marks, key=lambda mark: mark.start)),
        size=hints.size,
        scan=hints.scan,
        field_order=hints.field_order,
        pixel_aspect=hints.pixel_aspect,
        sample_rate=hints.sample_rate,
    )


def _lane(track: otio.schema.Track, rate: Fraction, number: int) -> Lane:
    events: list[Event] = []
    kind = "sound" if track.kind == otio.schema.TrackKind.Audio else "picture"
    at = 0
    for child in track:
        what = f"event {len(events) + 1} of track {number}"
        if isinstance(child, otio.schema.Transition):
            before = _frames(child.in_offset, rate, what) if child.in_offset else 0
            after = _frames(child.out_offset, rate, what) if child.out_offset else 0
            if before + after > 0:
                events.append(
                    Event(kind="transition", name=child.name or "", start=max(at - before, 0), end=at + after)
                )
            continue
        try:
            length = _frames(child.duration(), rate, what)
        except otio.exceptions.OTIOError as error:
            raise EditRefused(f"{what} ({child.name!r}) has no length: {error}") from error
        if length < 0:
            raise EditRefused(f"{what} ({child.name!r}) has a length of {length} frames; expected at least 0")
        if length:
            gap = isinstance(child, otio.schema.Gap) or _is_black(child)
            events.append(Event(kind="gap" if gap else "clip", name=child.name or "", start=at, end=at + length))
        at += length
    return Lane(kind=kind, name=track.name or f"{kind} {number}", events=tuple(events))


def _is_black(child: Any) -> bool:
    reference = getattr(child, "media_reference", None)
    return isinstance(reference, otio.schema.GeneratorReference) and reference.generator_kind == "black"


def _marks(markers: Any, rate: Fraction) -> list[Mark]:
    return [
        Mark(name=marker.name, start=_frames(marker.marked_range.start_time, rate, f"the mark {marker.name!r}"))
        for marker in markers
    ]
