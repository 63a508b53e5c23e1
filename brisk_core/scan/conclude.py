"""From joined rows to facts: what the pictures and the sound of a file are."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

import numpy as np
from numpy.typing import NDArray

from brisk_core.exact import spell_rate
from brisk_core.facts import FactsBuilder, Scan, Span, Stage, keys
from brisk_core.meters import fields
from brisk_core.meters.area import AreaVerdict, judge_area
from brisk_core.meters.bursts import Burst, BurstKind, Entry, find_bursts, shaken_pictures
from brisk_core.meters.change import FREEZE_S, Steadiness, find_cuts, judge_steadiness, mean_change
from brisk_core.meters.coding import judge_alpha, judge_blockiness
from brisk_core.meters.enlargement import Enlarged, find_enlarged, of_most
from brisk_core.meters.levels import RangeVerdict, bits_used, judge_range, summarise_levels
from brisk_core.meters.light import find_black, find_flashes
from brisk_core.meters.motion import Coded, MotionVerdict, judge_motion, sure_steps
from brisk_core.meters.rows import Rows
from brisk_core.meters.spans import runs
from brisk_core.meters.spectrum import is_own, judge_detail
from brisk_core.packets import PacketSeries
from brisk_core.scan import series
from brisk_core.scan.mistakes import picture_mistakes
from brisk_core.scan.pictures import PictureScan
from brisk_core.scan.segments import until_random_access

_MOST_SPANS = 2000  # kept of one kind; the last one's detail tells how many more there are
_INTERLACED = (Scan.INTERLACED, Scan.MIXED, Scan.PULLDOWN_3_2)
_AS_FIELDS = (Scan.INTERLACED, Scan.PROGRESSIVE_AS_FIELDS)  # scans whose frames are coded as two fields


@dataclass(frozen=True, slots=True, kw_only=True)
class PictureVerdicts:
    """Everything that the rows of the pictures decide."""

    fields: fields.FieldVerdict
    cuts: NDArray[np.intp]
    steadiness: Steadiness
    motion: MotionVerdict
    area: AreaVerdict
    range: RangeVerdict
    black: tuple[tuple[int, int], ...]
    flashes: tuple[tuple[int, int, str], ...]
    size: tuple[int, int]  #: of most pictures
    detail: tuple[int, int] | None
    enlarged: tuple[Enlarged, ...]
    bursts: tuple[Burst, ...]
    count: int  #: pictures
    change: float | None  #: mean from one picture to the next within shots, 8-bit steps
    full: bool  #: full range by the file's own word
    rate: Fraction  #: frames a second

    @property
    def progressive(self) -> bool:
        """Does every frame show one moment?"""
        return self.fields.scan in (None, Scan.PROGRESSIVE)


#: Codecs whose coders smooth the edges of blocks; the others leave some where bits are few.
_SMOOTH = ("vp9", "av1")


def judge_pictures(
    scan: PictureScan, rate: Fraction, *, full: bool, packets: PacketSeries | None = None, codec: str | None = None
) -> PictureVerdicts:
    """Decide from the joined rows; ``rate`` in frames a second, ``full`` the range by the file's own word; ``packets``
    tell what each picture cost its coder, and ``codec`` which it was.
    """
    rows = scan.rows.rows
    change = rows("change")
    cuts = find_cuts(change)
    found_fields = fields.judge_fields(rows("fields"), cuts)
    light = rows("light")["mean"].astype(np.float64)
    steadiness = judge_steadiness(change, cuts, max(2, round(FREEZE_S * rate)), light, sure_steps(rows("motion")))
    lit = rows("light").copy()
    lit["high"][scan.missing] = 255  # what was not decoded is not black
    size = max(scan.sizes, key=lambda one: scan.sizes[one]) if scan.sizes else (0, 0)
    progressive = found_fields.scan in (None, Scan.PROGRESSIVE)
    enlarged = find_enlarged(rows("enlargement"), cuts, size, scan.enlargement.total, fields=not progressive)
    return PictureVerdicts(
        fields=found_fields,
        cuts=cuts,
        steadiness=steadiness,
        motion=judge_motion(rows("motion"), cuts, steadiness, rate, _coded(packets, size) if packets else None),
        area=judge_area(rows("area"), scan.area.total),
        range=judge_range(scan.histogram, full=full),
        black=find_black(lit, 0.0 if full else 16.0),
        flashes=find_flashes(rows("light"), float(rate)),
        size=size,
        detail=_detail(rows("detail"), size, enlarged, len(scan.rows), progressive=progressive),
        enlarged=enlarged,
        bursts=find_bursts(
            rows("bursts"),
            _entries(packets) if packets else (),
            [*cuts, *_stops_and_goes(steadiness, len(change))],
            shaken=shaken_pictures(rows("motion"), change),
            waves=rows("signature")["waves"],
            smooth=codec in _SMOOTH,
        ),
        count=len(scan.rows),
        change=mean_change(change, cuts),
        full=full,
        rate=rate,
    )


_FEW_REPEATS = 0.05  # of the pictures; more are a cadence


def _stops_and_goes(steadiness: Steadiness, count: int) -> list[int]:
    """Pictures at which motion stops or goes on, which leap by themselves."""
    repeats = steadiness.repeats
    if sum(end - start for start, end in repeats) > _FEW_REPEATS * count:
        repeats = ()
    return [at for span in (*repeats, *steadiness.freezes) for at in span]


def _detail(
    rows: Rows, size: tuple[int, int], enlarged: Sequence[Enlarged], count: int, *, progressive: bool
) -> tuple[int, int] | None:
    """The effective size of most pictures; ``None`` where one direction was enlarged and nobody knows of the other."""
    most = of_most(enlarged, count)
    if most is not None and not progressive:
        return round(size[0] / most.across), size[1]
    if most is not None:
        for factor, shares in ((most.across, rows["across"]), (most.factor, rows["down"])):
            if factor == 1 and not is_own(shares):
                return None
        return round(size[0] / most.across), round(size[1] / most.factor)
    found = judge_detail(rows, size, progressive=progressive)
    return None if enlarged and found == size else found


def _coded(packets: PacketSeries, size: tuple[int, int]) -> Coded:
    order = packets.presentation_order
    return Coded(types=packets.types[order], bits=packets.sizes[order] * 8.0 / max(size[0] * size[1], 1))


def observe_pictures(
    builder: FactsBuilder, scan: PictureScan, verdicts: PictureVerdicts, packets: PacketSeries
) -> None:
    """Record what the pictures show."""
    if not scan.sizes:
        builder.unread_missing(Stage.PICTURES, "no picture could be decoded")
        return
    _observe_scan(builder, verdicts)
    _observe_time(builder, verdicts)
    _observe_levels(builder, scan, verdicts)
    _observe_shape(builder, scan, verdicts)
    unreadable = _unreadable(scan, packets)
    builder.observed(keys.CONTENT_UNREADABLE, unreadable)
    builder.observed(keys.CONTENT_BURST, _bursts(verdicts.bursts, unreadable, packets))
    mistakes = picture_mistakes(builder, verdicts)
    if mistakes or verdicts.detail is not None or not verdicts.progressive:
        builder.observed(keys.CONTENT_MISTAKES, mistakes)
    else:
        builder.unread(
            keys.CONTENT_MISTAKES, "none is seen, but too little fine detail to tell whether it was enlarged"
        )
    builder.unread_missing(Stage.PICTURES, "this engine does not measure it")


def _observe_scan(builder: FactsBuilder, verdicts: PictureVerdicts) -> None:
    found = verdicts.fields
    said = builder.told(keys.PICTURE_SCAN)
    if found.scan is None:
        for id_ in (keys.PICTURE_SCAN, keys.PICTURE_FIELD_ORDER, keys.CONTENT_COMB):
            builder.unread(id_, found.says)
        return
    as_fields = found.scan == Scan.PROGRESSIVE and said in _AS_FIELDS
    builder.observed(keys.PICTURE_SCAN, Scan.PROGRESSIVE_AS_FIELDS if as_fields else found.scan)
    if found.order:
        builder.observed(keys.PICTURE_FIELD_ORDER, found.order)
    elif found.scan == Scan.PROGRESSIVE:
        builder.silent(keys.PICTURE_FIELD_ORDER)
    else:
        builder.unread(keys.PICTURE_FIELD_ORDER, "the field order changes within the file")
    combed = np.isin(found.moments, (fields.TOP, fields.BOTTOM))
    if said in _AS_FIELDS and not as_fields:
        builder.observed(keys.CONTENT_COMB, ())
        return
    if found.scan in _INTERLACED:
        spans = runs(combed, bridge=found.moments == fields.UNSURE, most_bridged=2)
    else:
        spans = [(start, end) for start, end, what in found.spans if "two moments" in what]
    builder.observed(keys.CONTENT_COMB, _spans(spans, "fields of two moments in one frame"))


def _observe_time(builder: FactsBuilder, verdicts: PictureVerdicts) -> None:
    steady, motion = verdicts.steadiness, verdicts.motion
    builder.observed(keys.CONTENT_CUTS, _spans((int(at), int(at) + 1) for at in verdicts.cuts))
    if verdicts.change is None:
        builder.unread(keys.CONTENT_MOTION, "no picture follows another")
    else:
        builder.observed(keys.CONTENT_MOTION, round(100 * verdicts.change / (255 if verdicts.full else 219), 2))
    if not steady.stands:
        builder.observed(keys.CONTENT_FREEZE, _spans(steady.freezes))
    else:
        builder.unread(keys.CONTENT_FREEZE, "nothing moves in the whole file: a still, a locked shot or a freeze")
    builder.observed(keys.CONTENT_REPEAT, _spans(steady.repeats))
    builder.observed(
        keys.CONTENT_DROP, _spans(motion.drops, "motion jumps: pictures are missing; sure only against a master")
    )
    detail = (
        f"blended by a change of rate from {spell_rate(motion.source_rate)}"
        if motion.source_rate
        else "blended from the pictures beside it"
    )
    builder.observed(keys.CONTENT_BLEND, _spans(motion.blends, detail))
    if verdicts.fields.scan == Scan.PULLDOWN_3_2:
        builder.observed(keys.CONTENT_CADENCE, "3:2")
    elif steady.cadence is None:
        builder.unread(keys.CONTENT_CADENCE, steady.says)
    else:
        builder.observed(keys.CONTENT_CADENCE, steady.cadence)


def _observe_levels(builder: FactsBuilder, scan: PictureScan, verdicts: PictureVerdicts) -> None:
    rows = scan.rows.rows("levels")
    levels = summarise_levels(rows)
    builder.observed(keys.CONTENT_LEVELS, levels)
    if levels is not None:
        builder.observed(
            keys.CONTENT_OUTSIDE_NARROW, round(100 * (levels["filtered_below"] + levels["filtered_above"]), 4)
        )
    if (depth := bits_used(rows, scan.histogram)) is not None:
        builder.observed(keys.PICTURE_BIT_DEPTH, depth)
    found = verdicts.range
    for id_, value in ((keys.PICTURE_RANGE, found.range), (keys.CONTENT_LEVEL_SHIFT, found.shift)):
        builder.observed(id_, value)
        if value is None:
            builder.unread(id_, found.says)
    builder.observed(keys.CONTENT_BLACK, _spans(verdicts.black))
    builder.observed(keys.CONTENT_FLASH, tuple(Span(start=a, end=b, detail=what) for a, b, what in verdicts.flashes))


def _observe_shape(builder: FactsBuilder, scan: PictureScan, verdicts: PictureVerdicts) -> None:
    area = verdicts.area
    if area.area is None:
        for id_ in (keys.CONTENT_ACTIVE_AREA, keys.CONTENT_BARS, keys.CONTENT_BARS_CHANGE):
            builder.unread(id_, "too little of the pictures is ever lit to tell their edges")
    else:
        builder.observed(keys.CONTENT_ACTIVE_AREA, area.area)
        builder.observed(keys.CONTENT_BARS, area.bars)
        builder.observed(
            keys.CONTENT_BARS_CHANGE, tuple(Span(start=a, end=b, detail=what) for a, b, what in area.changes)
        )
    builder.observed(keys.CONTENT_DETAIL, verdicts.detail)
    if verdicts.detail is None:
        builder.unread(keys.CONTENT_DETAIL, "too little fine detail to tell")
    blockiness = judge_blockiness(scan.rows.rows("blocks"))
    builder.observed(keys.CONTENT_BLOCKINESS, blockiness)
    if blockiness is None:
        builder.unread(keys.CONTENT_BLOCKINESS, "the pictures are too flat to tell")
    builder.observed(keys.PICTURE_ALPHA, judge_alpha(scan.rows.rows("alpha")))


def _unreadable(scan: PictureScan, packets: PacketSeries) -> tuple[Span, ...]:
    """Pictures that could not be decoded, and those whose damage the decoder hid, in the order of the file."""
    missing = _spans(_grouped(scan.missing))
    damaged = [
        Span(start=start, end=end, detail=_made_up(end, until_random_access(packets, end - 1)))
        for start, end in _grouped(scan.damaged)[:_MOST_SPANS]
    ]
    return tuple(sorted((*missing, *damaged), key=lambda span: span.start)[:_MOST_SPANS])


def _entries(packets: PacketSeries) -> list[Entry]:
    """The random access points, each with the pictures that lead to it."""
    order = packets.presentation_order
    found = []
    for at in packets.entry_frames():
        first = at
        while first and order[first - 1] > order[at]:
            first -= 1
        found.append(Entry(first, at))
    return found


def _bursts(found: Sequence[Burst], unreadable: Sequence[Span], packets: PacketSeries) -> tuple[Span, ...]:
    """Bursts that nothing told of already explains."""
    told = [(span.start, until_random_access(packets, span.end - 1)) for span in unreadable]
    kept = [one for one in found if not any(start <= one.end and one.start <= end for start, end in told)]
    return tuple(
        Span(
            start=one.start,
            end=one.end,
            detail=_BURST_SAYS[one.kind].format(end=one.end),
        )
        for one in kept[:_MOST_SPANS]
    )


_BURST_SAYS = {
    BurstKind.ALONE: "a part of the picture is another one here alone",
    BurstKind.UNTIL_ENTRY: "a part of the picture leaps here, and leaps back at frame {end}, with the random access "
    "point",
    BurstKind.TORN: "a part of the picture is torn into blocks here, until frame {end} at the latest",
}


def _made_up(end: int, mended: int) -> str:
    says = "the decoder made up what it could not read"
    return f"{says}; the pictures up to frame {mended - 1} may be made from it" if mended > end else says


def _grouped(numbers: Sequence[int]) -> list[tuple[int, int]]:
    found: list[tuple[int, int]] = []
    for number in numbers:
        if found and found[-1][1] == number:
            found[-1] = (found[-1][0], number + 1)
        else:
            found.append((number, number + 1))
    return found


def _spans(places: Iterable[tuple[int, int]], detail: str = "") -> tuple[Span, ...]:
    listed = list(places)
    kept = [Span(start=start, end=end, detail=detail) for start, end in listed[:_MOST_SPANS]]
    if len(listed) > _MOST_SPANS:
        last = kept[-1]
        kept[-1] = Span(start=last.start, end=last.end, detail=f"and {len(listed) - _MOST_SPANS} more places")
    return tuple(kept)


def picture_rows(scan: PictureScan, verdicts: PictureVerdicts) -> NDArray[Any]:
    """Return what is kept of each picture, rows of ``series.PICTURE_ROW``."""
    rows = scan.rows.rows
    kept = np.zeros(len(scan.rows), series.PICTURE_ROW)
    _mark(kept, verdicts, scan.missing)
    levels, light, area = rows("levels"), rows("light"), rows("area")
    shift = np.maximum(levels["bits"].astype(np.int64) - 8, 0)
    kept["moment"] = verdicts.fields.moments
    kept["low"], kept["high"] = levels["min"] >> shift, levels["max"] >> shift
    kept["mean"] = np.clip(np.nan_to_num(light["mean"].astype(np.float32)), 0, 255)
    kept["change"] = rows("change")["mean"]
    count = np.maximum(levels["count"], 1)
    kept["below"], kept["above"] = levels["below"] / count, levels["above"] / count
    kept["blocks"] = rows("blocks")["ratio"]
    kept["residual"][:-1] = rows("motion")["residual"][1:]
    for edge in ("top", "bottom", "left", "right"):
        kept[edge] = area[edge]
    kept["signature"], kept["waves"] = rows("signature")["bits"], rows("signature")["waves"]
    return kept


def _mark(kept: NDArray[Any], verdicts: PictureVerdicts, missing: Sequence[int]) -> None:
    marked: tuple[tuple[int, Iterable[tuple[int, ...]]], ...] = (
        (series.REPEAT, verdicts.steadiness.repeats),
        (series.FREEZE, verdicts.steadiness.freezes),
        (series.BLEND, verdicts.motion.blends),
        (series.DROP, verdicts.motion.drops),
        (series.BLACK, verdicts.black),
        (series.FLASH, [(start, end) for start, end, _ in verdicts.flashes]),
        (series.CUT, [(int(at), int(at) + 1) for at in verdicts.cuts]),
        (series.MISSING, [(number, number + 1) for number in missing]),
    )
    for mark, spans in marked:
        for start, end in spans:
            kept["marks"][start:end] |= mark
    combed = np.isin(verdicts.fields.moments, (fields.TOP, fields.BOTTOM))
    kept["marks"][combed] |= series.COMB
