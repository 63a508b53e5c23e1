"""Source material against what it is edited for: what happens to each clip on the way."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from fractions import Fraction

from brisk_core.edit.rate_change import RateChange, change_rate
from brisk_core.edit.timeline import Event, Source, Timeline
from brisk_core.exact import spell_rate
from brisk_core.facts import Inspection, Scan, keys

FINE, NOTE, TROUBLE = 0, 1, 2  #: how much a change shows
_SAME_SHAPE = Fraction(1, 100)  # of a ratio; nearer shapes are the same
_PLAIN_ENLARGEMENT = Fraction(11, 10)  # below it an enlargement cannot be seen


@dataclass(frozen=True, slots=True, kw_only=True)
class Target:
    """What material is brought to. ``None`` stands where nobody says."""

    name: str
    rate: Fraction | None = None  #: frames a second
    size: tuple[int, int] | None = None
    pixel_aspect: Fraction | None = None
    scan: Scan | None = None
    sample_rate: int | None = None  #: Hz
    bit_depth: int | None = None

    @classmethod
    def of_timeline(cls, timeline: Timeline) -> Target:
        """The timeline itself as the target of its sources."""
        return cls(
            name=timeline.name,
            rate=timeline.rate if timeline.rate_stated else None,
            size=timeline.size,
            pixel_aspect=timeline.pixel_aspect,
            scan=timeline.scan,
            sample_rate=timeline.sample_rate,
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class Change:
    """One thing that happens to a source on its way to a target."""

    what: str  #: rate, size, shape, scan, sound, depth, media
    weight: int  #: ``FINE``, ``NOTE`` or ``TROUBLE``
    says: str
    rate_change: RateChange | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class SourceUse:
    """A source, where it is used, and what happens to it."""

    number: int  #: place among the sources of the timeline
    source: Source
    events: tuple[Event, ...]
    changes: tuple[Change, ...]  #: the worst first
    unknown: tuple[str, ...]  #: what nobody says about the source

    @property
    def weight(self) -> int:
        """The worst of its changes."""
        return max((change.weight for change in self.changes), default=FINE)

    @property
    def frames(self) -> int:
        """Frames of the timeline that show it, or sound it where nothing is shown; once where several lanes do."""
        total, at = 0, 0
        for event in sorted(self.events, key=lambda one: one.start):
            total += max(0, event.end - max(event.start, at))
            at = max(at, event.end)
        return total


def of_inspection(source: Source, inspection: Inspection) -> Source:
    """Return a source with what its inspected media say; what an inspection does not know is kept as the edit has
    it.
    """
    rates, depths = inspection[keys.SOUND_SAMPLE_RATE], inspection[keys.PICTURE_BIT_DEPTH]
    scan = inspection[keys.PICTURE_SCAN]
    size = inspection[keys.PICTURE_SIZE]
    return Source(
        name=source.name,
        rate=inspection[keys.PICTURE_FRAME_RATE] or source.rate,
        rate_mode=inspection[keys.PICTURE_RATE_MODE] or source.rate_mode,
        size=size or source.size,
        scan=(Scan.PROGRESSIVE if scan == Scan.PROGRESSIVE_AS_FIELDS else scan) or source.scan,
        pixel_aspect=inspection[keys.PICTURE_PIXEL_ASPECT] or source.pixel_aspect,
        sample_rate=rates[0] if rates else source.sample_rate,
        bit_depth=depths or source.bit_depth,
        start=source.start,
        length=inspection[keys.WRAPPER_DURATION] or source.length,
        online=True,
    )


def sources_against(timeline: Timeline, target: Target, sources: Iterable[Source] | None = None) -> list[SourceUse]:
    """Return what happens to every source on its way to a target, worst first.

    ``sources`` takes the place of the timeline's own, in the same order, where more is known of them.
    """
    known = list(sources) if sources is not None else list(timeline.sources)
    used: dict[int, list[Event]] = {number: [] for number in range(len(known))}
    pictured: set[int] = set()
    for lane in timeline.lanes:
        for event in lane.events:
            if event.kind == "clip" and event.source is not None:
                used[event.source].append(event)
                if lane.kind == "picture":
                    pictured.add(event.source)
    rows = []
    for number, source in enumerate(known):
        changes = _changes(source, used[number], timeline, target, pictured=number in pictured)
        rows.append(
            SourceUse(
                number=number,
                source=source,
                events=tuple(used[number]),
                changes=tuple(sorted(changes, key=lambda one: -one.weight)),
                unknown=_unknown(source, pictured=number in pictured),
            )
        )
    return sorted(rows, key=lambda row: (-row.weight, row.number))


def _unknown(source: Source, *, pictured: bool) -> tuple[str, ...]:
    asked = (("rate", source.rate), ("size", source.size), ("scan", source.scan)) if pictured else ()
    return tuple(name for name, value in asked if value is None)


def _changes(
    source: Source, events: list[Event], timeline: Timeline, target: Target, *, pictured: bool
) -> list[Change]:
    found: list[Change] = []
    if not source.online:
        found.append(Change(what="media", weight=NOTE, says="the edit has no media for it"))
    found += _outside(source, events, timeline)
    if pictured:
        found += [*_rate(source, events, target), *_size(source, target), *_scan(source, target)]
        if source.bit_depth and target.bit_depth and source.bit_depth < target.bit_depth:
            says = f"{source.bit_depth} bit in a deliverable of {target.bit_depth} bit: the added bits stay empty"
            found.append(Change(what="depth", weight=NOTE, says=says))
    if source.sample_rate and target.sample_rate and source.sample_rate != target.sample_rate:
        says = f"{source.sample_rate / 1000:g} kHz to {target.sample_rate / 1000:g} kHz: the sound is resampled"
        found.append(Change(what="sound", weight=NOTE, says=says))
    return found


def _outside(source: Source, events: list[Event], timeline: Timeline) -> list[Change]:
    """Clips that ask for more than the media hold."""
    if source.start is None or source.length is None:
        return []
    slack = 1 / timeline.rate
    first, last = source.start, source.start + source.length
    for event in events:
        if event.source_start is None:
            continue
        asked = Fraction(event.end - event.start) / timeline.rate * event.speed
        begin, end = sorted((event.source_start, event.source_start + asked))
        if begin < first - slack or end > last + slack:
            much = max(first - begin, end - last)
            says = f"“{event.name}” asks for {float(much):.2f} s more than the media hold"
            return [Change(what="media", weight=TROUBLE, says=says)]
    return []


def _rate(source: Source, events: list[Event], target: Target) -> list[Change]:
    if source.rate is None or target.rate is None:
        return []
    speeds = sorted({event.speed for event in events if event.speed not in (0, 1)})
    found = []
    for speed in speeds[:3]:
        if source.rate * abs(speed) != target.rate:
            change = change_rate(source.rate * abs(speed), target.rate)
            says = f"at {float(speed) * 100:g} % speed, {change.says}"
            found.append(
                Change(what="rate", weight=TROUBLE if not change.even else NOTE, says=says, rate_change=change)
            )
    is_variable = source.rate_mode == "variable"
    if source.rate == target.rate and not is_variable:
        return found
    change = change_rate(source.rate, target.rate)
    near = abs(target.rate / source.rate - 1) < Fraction(1, 500)
    weight = TROUBLE if is_variable or not (change.even or near) else NOTE
    if is_variable:
        way = f"variable frame rate around {float(source.rate):.3f} to {spell_rate(target.rate)}"
        uneven = abs(float(target.rate - source.rate))
        what = "repeated" if target.rate > source.rate else "left out"
        says = f"{way}: about {uneven:.1f} frames each second {what} or blended, at uneven places; conform it first"
    else:
        says = change.says
    return [Change(what="rate", weight=weight, says=says, rate_change=change), *found]


def _size(source: Source, target: Target) -> list[Change]:
    if source.size is None or target.size is None:
        return []
    found = []
    pixel, shown = source.pixel_aspect or Fraction(1), target.pixel_aspect or Fraction(1)
    width, height = source.size[0] * pixel, Fraction(source.size[1])
    wide, high = target.size[0] * shown, Fraction(target.size[1])
    shape, asked = width / height, wide / high
    fit, fill = min(wide / width, high / height), max(wide / width, high / height)
    if abs(shape / asked - 1) > _SAME_SHAPE:
        narrow = shape < asked
        bars, cut = ("at the sides", "above and below") if narrow else ("above and below", "at the sides")
        lost = 1 - fit / fill
        says = (
            f"{_shape(shape)} in {_shape(asked)}: bars {bars}, or cut {cut} by {float(lost) * 100:.0f} %, or stretched"
        )
        found.append(Change(what="shape", weight=TROUBLE, says=says))
    if fit > _PLAIN_ENLARGEMENT:
        says = f"{source.size[0]} × {source.size[1]} enlarged {float(fit):.2g} times: nothing finer comes into it"
        found.append(Change(what="size", weight=TROUBLE if fit >= Fraction(5, 4) else NOTE, says=says))
    elif fit < 1 and source.size != target.size:
        says = f"{source.size[0]} × {source.size[1]} made smaller, to {float(fit) * 100:.0f} %"
        found.append(Change(what="size", weight=FINE, says=says))
    return found


def _shape(ratio: Fraction) -> str:
    near = min(
        (Fraction(*one) for one in ((16, 9), (4, 3), (1, 1), (9, 16), (4, 5), (256, 135), (21, 9))),
        key=lambda one: abs(one / ratio - 1),
    )
    if abs(near / ratio - 1) < _SAME_SHAPE:
        return f"{near.numerator}:{near.denominator}"
    return f"{float(ratio):.2f}:1"


def _scan(source: Source, target: Target) -> list[Change]:
    if source.scan is None or target.scan is None or source.scan == target.scan:
        return []
    if source.scan == Scan.INTERLACED:
        says = "interlaced into progressive: half the lines of each moment are made up, or every second moment is lost"
        return [Change(what="scan", weight=TROUBLE, says=says)]
    says = f"{source.scan} into {target.scan}: both fields show one moment, motion is half as smooth"
    return [Change(what="scan", weight=NOTE, says=says)]
