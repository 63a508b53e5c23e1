"""The stream held against the limits of the level that it codes itself."""

from __future__ import annotations

from fractions import Fraction

from brisk_core.facts import FactsBuilder, Witness, keys
from brisk_core.packets.buffer import fit_buffer
from brisk_core.packets.series import PacketSeries
from brisk_core.reading.streams.levels import Demand, excesses, limits_of, lowest_level

_CODECS = ("avc", "hevc", "mpeg2", "av1")


def observe_level(
    builder: FactsBuilder, codec: str | None, series: PacketSeries, rate: Fraction, peak: int | None
) -> None:
    """Record which limits of its coded level the stream exceeds; ``peak`` is the most bits in one second."""
    if codec not in _CODECS:
        builder.silent(keys.PICTURE_LEVEL_EXCEEDED)
        return
    profile, level = builder.said(Witness.CODED, keys.PICTURE_PROFILE), builder.said(Witness.CODED, keys.PICTURE_LEVEL)
    size, tier = builder.said(Witness.CODED, keys.PICTURE_CODED_SIZE), builder.said(Witness.CODED, keys.PICTURE_TIER)
    limits = limits_of(codec, profile, level, tier) if profile and level else None
    if profile is None or limits is None or size is None:
        said = f"profile {profile or 'unknown'}, level {level or 'unknown'}"
        builder.unread(keys.PICTURE_LEVEL_EXCEEDED, f"the standard sets no limits for {said}")
        return
    schedule = builder.said(Witness.CODED, keys.BITRATE_BUFFER)
    demand = Demand(
        coded_size=size,
        frame_rate=rate,
        references=builder.said(Witness.CODED, keys.PICTURE_REF_FRAMES),
        bits_per_second=peak,
        buffer_bits=schedule["size"] if schedule else None,
    )
    found = excesses(limits, demand)
    if limits.buffer_bits and not any("in one second" in one for one in found):
        fit = fit_buffer(series, rate, limits.bits_per_second, limits.buffer_bits)
        if not fit.fits:
            found.append(
                f"pictures come too late in {len(fit.underflows)} places for the level's rate and buffer,"
                f" which would have to hold {fit.smallest:,} bit; level {limits.name} allows {fit.size:,}"
            )
    if found:
        lowest = lowest_level(codec, profile, tier, demand)
        found.append(f"the lowest level that allows it is {lowest}" if lowest else "no level of this profile allows it")
    with builder.at(f"limits of {profile}, level {level}"):
        builder.observed(keys.PICTURE_LEVEL_EXCEEDED, tuple(found))
