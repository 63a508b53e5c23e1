"""All facts that packets show, put to the registry."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

from brisk_core.exact import spell_seconds
from brisk_core.facts import FactsBuilder, Scan, Stage, Witness, keys
from brisk_core.packets.bit_rates import is_constant, one_second_windows
from brisk_core.packets.buffer import fit_buffer
from brisk_core.packets.demux import PacketPass
from brisk_core.packets.groups import find_groups, mean_bits_by_type
from brisk_core.packets.level_limits import observe_level
from brisk_core.packets.series import PacketSeries
from brisk_core.packets.timing import RateFit, find_disorder, find_duplicates, find_gaps, fit_pulldown, fit_rate
from brisk_core.reading import HeaderReading

#: Beginnings of the characteristics that have nothing to say in a file without pictures.
_OF_PICTURES = ("picture.", "content.", "gop.", "bitrate.", "timing.")
_UNTYPED = "the types of its pictures are not read in this codec"


def observe_packets(reading: HeaderReading, taken: PacketPass) -> None:
    """Record what the packet pass shows in the reading's facts."""
    builder = reading.builder
    size = builder.said(Witness.DECLARED, keys.FILE_SIZE)
    _observe_sound_rates(builder, taken)
    _observe_captions(builder, taken)
    _observe_damage(builder, taken)
    if taken.series is None and reading.picture_index is None:
        builder.silent(*(key for id_, key in keys.BY_ID.items() if id_.startswith(_OF_PICTURES)))
    if taken.series is None:
        builder.unread_missing(Stage.PACKETS, taken.stopped or "there are no picture packets of a codec that is known")
        return
    series = taken.series
    builder.observed(keys.PICTURE_FRAME_COUNT, len(series))
    if taken.slices:
        builder.observed(keys.PICTURE_SLICES, taken.slices)
    else:
        builder.unread(keys.PICTURE_SLICES, "slices are not counted in this codec")
    if taken.without_pts:
        builder.unread_missing(
            Stage.PACKETS, f"{taken.without_pts} of {len(series)} picture packets carry no presentation time"
        )
        return
    pts = series.presented_pts()
    builder.observed(keys.TIMING_DUPLICATES, find_duplicates(pts))
    builder.observed(keys.TIMING_DISORDER, find_disorder(series.pts, series.dts))
    pulldown = builder.said(Witness.CODED, keys.PICTURE_SCAN) == Scan.PULLDOWN_3_2
    fit = (fit_pulldown(pts, series.time_base) if pulldown else None) or fit_rate(pts, series.time_base)
    if fit is None:
        builder.unread_missing(Stage.PACKETS, f"{len(series)} picture packets show no time passing")
        return
    builder.observed(keys.PICTURE_FRAME_RATE, fit.rate)
    builder.observed(keys.PICTURE_RATE_MODE, "constant" if fit.constant else "variable")
    builder.observed(keys.TIMING_GAPS, find_gaps(pts, fit.rate, series.time_base))
    builder.observed(keys.TIMING_STEPS, _steps(series, fit))
    duration = _duration(series, fit)
    builder.observed(keys.WRAPPER_DURATION, duration)
    builder.observed(keys.WRAPPER_BITRATE, round(size * 8 / duration) if size else None)
    _observe_bit_rates(builder, series, fit, duration)
    _observe_groups(reading, taken, series)
    _observe_sound_times(builder, taken, series, duration)
    _observe_chapters(reading, series)
    _observe_buffer(builder, series, fit)
    peak = builder.said(Witness.OBSERVED, keys.BITRATE_PEAK_1S)
    observe_level(builder, reading.picture_codec, series, fit.rate, peak)
    builder.unread_missing(Stage.PACKETS, "this engine does not measure it")


def _observe_damage(builder: FactsBuilder, taken: PacketPass) -> None:
    """Record what the pass shows of completeness, added to what the structure showed."""
    known = builder.said(Witness.OBSERVED, keys.WRAPPER_DAMAGE)
    found = list(known or ())
    if taken.losses is not None:
        found += taken.losses
    if taken.stopped:
        found.append(taken.stopped)
    elif taken.damaged and not found:
        found.append(f"{taken.damaged} packets are marked as damaged")
    if known is not None or taken.losses is not None or found:
        builder.observed(keys.WRAPPER_DAMAGE, tuple(found))
        builder.observed(keys.WRAPPER_COMPLETE, not found)


def _steps(series: PacketSeries, fit: RateFit) -> dict[str, float]:
    """Mean, smallest and largest step between presented pictures, in seconds to the microsecond."""
    ticks = {"mean": fit.mean_step, "smallest": Fraction(fit.smallest_step), "largest": Fraction(fit.largest_step)}
    return {name: round(float(value * series.time_base), 6) for name, value in ticks.items()}


def _duration(series: PacketSeries, fit: RateFit) -> Fraction:
    """Last end minus first start. At a constant rate the exact period counts, else the last packet's own length."""
    if fit.standard and fit.constant:
        return len(series) / fit.rate
    pts = series.presented_pts()
    last = series.last_duration or round(1 / (fit.rate * series.time_base))
    return (int(pts[-1]) - int(pts[0]) + last) * series.time_base


def _observe_bit_rates(builder: FactsBuilder, series: PacketSeries, fit: RateFit, duration: Fraction) -> None:
    average = Fraction(int(series.sizes.sum(dtype="int64")) * 8) / duration
    builder.observed(keys.BITRATE_AVERAGE, round(average))
    constant = is_constant(series, fit.rate, average, builder.said(Witness.CODED, keys.BITRATE_MODE))
    if constant is None:
        builder.unread(keys.BITRATE_MODE, "less than five seconds do not tell")
    else:
        builder.observed(keys.BITRATE_MODE, "constant" if constant else "variable")
    size = builder.told(keys.PICTURE_SIZE)
    if size:
        builder.observed(keys.BITRATE_BITS_PER_PIXEL, round(float(average / fit.rate / (size[0] * size[1])), 4))
    else:
        builder.unread(keys.BITRATE_BITS_PER_PIXEL, "the size of the picture is not known")
    by_type = mean_bits_by_type(series)
    builder.observed(keys.BITRATE_BY_TYPE, by_type or None)
    if not by_type:
        builder.unread(keys.BITRATE_BY_TYPE, _UNTYPED)
    windows = one_second_windows(series, fit.rate)
    if windows:
        builder.observed(keys.BITRATE_PEAK_1S, windows.peak)
        builder.observed(keys.BITRATE_LOW_1S, windows.low)
    else:
        for name in (keys.BITRATE_PEAK_1S, keys.BITRATE_LOW_1S):
            builder.unread(name, "the pictures last less than one second")


def _observe_buffer(builder: FactsBuilder, series: PacketSeries, fit: RateFit) -> None:
    """Hold the stream against the buffer that its own headers code; underflows are named in frames of decode order."""
    coded = builder.said(Witness.CODED, keys.BITRATE_BUFFER)
    if not coded:
        builder.unread(keys.BITRATE_BUFFER, "the stream codes no buffer to hold it against")
        return
    found = fit_buffer(series, fit.rate, coded["rate"], coded["size"])
    builder.observed(keys.BITRATE_BUFFER, found.as_object())


def _observe_groups(reading: HeaderReading, taken: PacketPass, series: PacketSeries) -> None:
    builder = reading.builder
    groups = find_groups(series, taken.closed_groups)
    if groups is None:
        for name in (keys.GOP_LONGEST, keys.GOP_SHORTEST, keys.GOP_OPEN, keys.GOP_PATTERN, keys.PICTURE_B_FRAMES):
            builder.unread(name, "no packet is marked as a random access point")
        return
    if taken.closed_groups:  # the first group is often closed where all others are open
        later = [closed for index, closed in taken.closed_groups.items() if index] or [*taken.closed_groups.values()]
        builder.coded(keys.GOP_OPEN, not all(later))
    builder.observed(keys.GOP_LONGEST, groups.longest)
    builder.observed(keys.GOP_SHORTEST, groups.shortest)
    for name, value in (
        (keys.GOP_OPEN, groups.open),
        (keys.GOP_PATTERN, groups.pattern),
        (keys.PICTURE_B_FRAMES, groups.b_run),
    ):
        builder.observed(name, value)
        if value is None:
            builder.unread(name, _UNTYPED)


def _observe_sound_rates(builder: FactsBuilder, taken: PacketPass) -> None:
    rates = []
    for totals in taken.sound:
        length = (totals.end - totals.first) * totals.time_base if totals.first is not None else 0
        rates.append(round(totals.size * 8 / length) if length > 0 else None)
    if rates and all(rate is None for rate in rates):
        builder.unread(keys.SOUND_BITRATE, "the sound packets carry no times")
    else:
        builder.observed(keys.SOUND_BITRATE, tuple(rates))


def _sound_gaps(taken: PacketPass, picture_start: Fraction) -> tuple[str, ...]:
    """What is missing between sounds. Before the first picture nothing plays: what lies there is a coder's priming."""
    return tuple(
        f"track {number}: nothing for {spell_seconds(end - start)} from {spell_seconds(start)} on"
        for number, totals in enumerate(taken.sound, 1)
        for start, end in totals.gaps
        if end > picture_start
    )


def _observe_sound_times(builder: FactsBuilder, taken: PacketPass, series: PacketSeries, duration: Fraction) -> None:
    totals = next((one for one in taken.sound if one.first is not None), None)
    if totals is None or totals.first is None:
        names = (keys.TIMING_SOUND_OFFSET, keys.TIMING_SOUND_LENGTH_DIFFERENCE, keys.TIMING_SOUND_GAPS)
        if not taken.sound:
            builder.silent(*names)
        for name in names:
            builder.unread(name, "the sound packets carry no times")
        return
    # What lies before zero is cut by the edit list (the priming of a sound coder), so it is not heard.
    picture_start = max(int(series.pts.min()), 0) * series.time_base
    builder.observed(keys.TIMING_SOUND_GAPS, _sound_gaps(taken, picture_start))
    sound_start = max(totals.first, 0) * totals.time_base
    builder.observed(keys.TIMING_SOUND_OFFSET, sound_start - picture_start)
    sound_end = totals.end * totals.time_base
    builder.observed(keys.TIMING_SOUND_LENGTH_DIFFERENCE, sound_end - (picture_start + duration))


def _observe_captions(builder: FactsBuilder, taken: PacketPass) -> None:
    declared = builder.said(Witness.DECLARED, keys.TEXT_CAPTIONS) or ()
    counted = zip(declared, taken.caption_counts, strict=False)
    builder.observed(keys.TEXT_CAPTIONS, tuple(replace(track, count=count) for track, count in counted))


def _observe_chapters(reading: HeaderReading, series: PacketSeries) -> None:
    """Chapters that stand on a picture where a player can start, within half a frame."""
    order = series.presentation_order
    pts = series.pts[order]
    entries = series.random_access[order]
    chapters = []
    for chapter in reading.chapters:
        ticks = round(chapter.time / series.time_base)
        index = min(max(int(pts.searchsorted(ticks, side="right")) - 1, 0), len(pts) - 1)
        near = index + 1 < len(pts) and pts[index + 1] - ticks < ticks - pts[index]
        chapters.append(replace(chapter, on_random_access=bool(entries[index + near])))
    reading.builder.observed(keys.TEXT_CHAPTERS, tuple(chapters))
