"""Why stems do not make their mix: a stretch of time, channels in other places, another speed, a slip on the way."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import groupby

import numpy as np

from brisk_core.frames import RATE, Samples
from brisk_core.stems.ways import BLOCK, FURTHEST, QUIET, WINDOW, Array, Sound, Way, blocks_of, decibels, lag, powers_of

PLACE = RATE // 10  #: samples of one place of the difference
_TOUCHING = 3  # places between two stretches that are one
_MOST_STRETCHES = 8  # more of them are no matter of places either
_MOST_SHARE = 0.3  # of all places: beyond it, it is no matter of places
_ABOVE = 100.0  # times the usual difference that a place must reach
_LEAST_PEAKS, _LOUDEST = 3, 0.85  # stretches, all in the loudest part of the mix, that a limiter made
_FINE, _SHARE_OF_IT = RATE // 100, 0.05  # samples of a step of a closer look, and what belongs to a stretch
_LIKE = 0.9  # correlation of what is left with a stem that is said to be what is left
_MOST_BLOCKS = 6  # in which channels are looked at
_SILENT = 1e-4  # of the power of the loudest channel of a stem
_ALIKE = 0.95  # correlation of two channels of one stem that cannot be told apart
_THERE, _NOT_THERE = 0.7, 0.3  # gains of a channel that is in a place, and of one that is not
_UNEXPLAINED, _MORE = 0.003, 30.0  # share of a channel of the mix, and times that of the other channels
_SPEEDS = tuple(Fraction(one) for one in ("25/24", "24/25", "1001/1000", "1000/1001", "1001/960", "960/1001",
                                          "160/147", "147/160"))  # fmt: skip
_MOST_LAGS = 24  # blocks at which a stem is placed anew
_LEAST_SLIP = RATE // 2000  # samples
_NAMES = {2: ("left", "right"), 6: ("left", "right", "centre", "low-frequency", "left surround", "right surround")}


@dataclass(frozen=True, slots=True, kw_only=True)
class Stretch:
    """A stretch of time in which stems and mix differ though they agree elsewhere."""

    start: float  #: seconds
    end: float
    level: float  #: dBFS of what is left
    says: str  #: what it is, as the end of a sentence that began with the time


@dataclass(frozen=True, slots=True)
class Together:
    """A mix and its stems, each in its place and at its level."""

    mix: Sound
    stems: Sequence[Sound]
    ways: Sequence[Way]
    gains: Sequence[float]

    def read(self, start: float, length: float) -> tuple[list[Array], Array]:
        """Return the stems of a stretch, and what they leave of the mix; samples (channels, count)."""
        whole = self.mix.read(start, length).astype(np.float64)
        parts = []
        for stem, way, gain in zip(self.stems, self.ways, self.gains, strict=True):
            part = stem.read(start + way.shift / RATE, length).astype(np.float64) * gain
            parts.append(np.repeat(part, whole.shape[0], axis=0) if len(part) < len(whole) else part)
        return parts, whole - sum(parts)


def stretches_of(together: Together, of_mix: Array, left: Array, *, lossy: bool) -> tuple[Stretch, ...]:
    """Return where something is left; ``of_mix`` and ``left`` are mean squares of each ``PLACE``.

    Where a coder loses something, only what is nearly as loud as the mix there is told.
    """
    share, least = (10**-0.6, 10**-5.0) if lossy else (10**-2.0, 10**-7.5)
    usual = float(np.median(left))
    shifted = -(-max(abs(way.shift) for way in together.ways) // PLACE)
    odd = (left > usual * _ABOVE) & (left > least) & (left > share * of_mix)
    edge = shifted + 2 * lossy  # where a moved stem has no sound; coders need time to begin and to end
    odd[:edge] = odd[len(odd) - edge :] = False
    if not odd.any() or odd.mean() > _MOST_SHARE:
        return ()
    edges = np.flatnonzero(np.diff(np.concatenate([[0], odd.view(np.int8), [0]])))
    spans = [(int(first), int(end)) for first, end in zip(edges[::2], edges[1::2], strict=True)]
    joined = [spans[0]]
    for first, end in spans[1:]:
        if first - joined[-1][1] <= _TOUCHING:
            joined[-1] = (joined[-1][0], end)
        else:
            joined.append((first, end))
    if len(joined) >= _LEAST_PEAKS and of_mix[odd].min() >= np.quantile(of_mix, _LOUDEST):
        first, end = joined[0]
        says = (
            f"and at {len(joined) - 1} more of its loudest places the mix is not the sum of its stems: it was limited"
        )
        level = decibels(float(left[odd].max()))
        return (Stretch(start=first * PLACE / RATE, end=end * PLACE / RATE, level=level, says=says),)
    if len(joined) > _MOST_STRETCHES:
        return ()
    return tuple(_stretch(together, first * PLACE / RATE, (end - first) * PLACE / RATE) for first, end in joined)


def _stretch(together: Together, start: float, length: float) -> Stretch:
    """Look closer at a stretch: where it begins and ends, and what is left there."""
    begin, looked = max(start - PLACE / RATE, 0.0), min(length + 2 * PLACE / RATE, BLOCK)
    parts, rest = together.read(begin, looked)
    steps = np.square(rest)[:, : rest.shape[1] // _FINE * _FINE].reshape(len(rest), -1, _FINE).mean(axis=(0, 2))
    there = np.flatnonzero(steps > _SHARE_OF_IT * steps.max())
    inside = slice(int(there[0]) * _FINE, (int(there[-1]) + 1) * _FINE)
    level = decibels(float(steps.max()))
    says = _what_is_left(together.stems, [part[:, inside] for part in parts], rest[:, inside], level)
    first = begin + inside.start / RATE
    return Stretch(
        start=first,
        end=begin + inside.stop / RATE if length <= BLOCK else start + length,
        level=level,
        says=says,
    )


def _what_is_left(stems: Sequence[Sound], parts: Sequence[Array], rest: Array, level: float) -> str:
    for stem, part in zip(stems, parts, strict=True):
        power = float(np.square(part).sum())
        if power <= QUIET**2 * part.size:
            continue
        product = float((rest * part).sum())
        if abs(product) < _LIKE * float(np.sqrt(power * np.square(rest).sum())):
            continue
        gain = 1 + product / power  # of the stem in the mix
        if abs(gain) < _NOT_THERE:
            return f"{stem.name} is not in the mix"
        if gain < 0:
            return f"{stem.name} is inverted in polarity"
        word = "quieter" if gain > 1 else "louder"
        return f"{stem.name} is {abs(20 * float(np.log10(gain))):.1f} dB {word} than in the mix"
    silent = [stem.name for stem, part in zip(stems, parts, strict=True) if np.square(part).mean() < QUIET**2]
    hint = f"; {silent[0]} is silent there" if len(silent) == 1 else ""
    return f"the mix has something that no stem has ({level:.0f} dBFS){hint}"


def channels_of(mix: Sound, stems: Sequence[Sound], ways: Sequence[Way], of_mix: Array) -> list[str]:
    """Return what is odd about the channels of each stem, "" for those in their places."""
    places = BLOCK * RATE // PLACE
    loud = [float(of_mix[at : at + places].mean()) for at in range(0, len(of_mix), places)]
    blocks = sorted(np.argsort(loud)[::-1][:_MOST_BLOCKS].tolist())
    rows = [row for number, stem in enumerate(stems) for row in [number] * stem.track.channels]
    owner = np.array(rows)
    products, with_mix, of_whole = np.zeros((len(owner),) * 2), np.zeros((len(owner), mix.track.channels)), 0.0
    for at in blocks:
        whole, moved, _ = blocks_of(mix, stems, ways, at)
        flat = np.concatenate([one[: stem.track.channels] for one, stem in zip(moved, stems, strict=True)])
        products += flat @ flat.T
        with_mix += flat @ whole.T
        of_whole = of_whole + np.square(whole).sum(axis=1)
    gains = np.linalg.lstsq(products, with_mix, rcond=1e-9)[0]
    unexplained = 1 - (gains * with_mix).sum(axis=0) / np.maximum(of_whole, 1e-12)
    straight = _straight(products, with_mix, owner)
    return [
        _odd_channels(
            products[np.ix_(owner == number, owner == number)],
            gains[owner == number],
            [float(straight.get((number, channel), 1.0)) for channel in range(mix.track.channels)],
            unexplained,
        )
        if stem.track.channels > 1
        else ""
        for number, stem in enumerate(stems)
    ]


def _straight(products: Array, with_mix: Array, owner: Array) -> dict[tuple[int, int], float]:
    """Gains by stem and channel where each channel of the mix is made of the same channel of each stem."""
    found: dict[tuple[int, int], float] = {}
    first = {number: int(np.flatnonzero(owner == number)[0]) for number in set(owner.tolist())}
    width = {number: int((owner == number).sum()) for number in first}
    for channel in range(with_mix.shape[1]):
        rows = [first[number] + min(channel, width[number] - 1) for number in first]
        gains = np.linalg.lstsq(products[np.ix_(rows, rows)], with_mix[rows, channel], rcond=1e-9)[0]
        found |= {(number, channel): float(gain) for number, gain in zip(first, gains, strict=True)}
    return found


def _odd_channels(products: Array, gains: Array, straight: Sequence[float], unexplained: Array) -> str:
    powers = np.diagonal(products)
    count = len(powers)
    loud = powers > _SILENT * powers.max() if powers.max() > 0 else np.zeros(count, bool)
    names = _NAMES.get(count) or tuple(map(str, range(1, count + 1)))
    turned = [names[one] for one in range(count) if loud[one] and straight[one] < -_THERE]
    upright = [one for one in range(count) if loud[one] and straight[one] > _THERE]
    if turned and upright:
        return f"is inverted in polarity in its {_named(turned)}"
    apart = np.sqrt(np.outer(powers, powers)) * _ALIKE > np.abs(products)
    np.fill_diagonal(apart, val=True)
    if loud.all() and apart.all():
        order = np.abs(gains).argmax(axis=1).tolist()
        sure = all(abs(gains[one, other]) > _THERE for one, other in enumerate(order))
        home = [abs(gains[one, one]) < _NOT_THERE for one in range(count) if order[one] != one]
        if sure and home and all(home) and sorted(order) == list(range(count)):
            return _exchanged(order, names)
    crossed = [one for one in range(count) if not loud[one] and np.abs(gains[loud, one]).max(initial=0.0) > _NOT_THERE]
    dead = crossed or [
        one for one in range(count)
        if not loud[one] and unexplained[one] > max(_UNEXPLAINED, _MORE * unexplained[loud].max(initial=0.0))
    ]  # fmt: skip
    return f"has nothing in its {_named([names[one] for one in dead])}" if dead else ""


def _exchanged(order: Sequence[int], names: Sequence[str]) -> str:
    moved = [one for one, other in enumerate(order) if one != other]
    if len(moved) == 2:
        return f"has its {_named([names[one] for one in moved])} exchanged"
    places = ", ".join(f"its {names[one]} is the {names[order[one]]} of the mix" for one in moved)
    return f"has its channels in another order: {places}"


def _named(names: Sequence[str]) -> str:
    word, which = "channels" if len(names) > 1 else "channel", " and ".join(names)
    return f"{word} {which}" if names[0].isdigit() else f"{which} {word}"


def pace_of(mix: Sound, stem: Sound) -> Fraction | None:
    """Return by which factor a stem runs faster than in the mix, of the factors that mistakes of rates make."""
    powers = powers_of(stem, _nothing)
    loud = sorted(np.argsort(powers)[::-1][:2].tolist())
    margin = int(FURTHEST * RATE)

    def pairs(speed: Fraction) -> Iterator[tuple[Samples, Samples]]:
        ratio = float(speed)
        for at in loud:
            begin, length = (at * BLOCK - FURTHEST) * ratio, (WINDOW + 2 * FURTHEST) * ratio
            around = mix.read(begin, length)
            places = np.arange(int((WINDOW + 2 * FURTHEST) * RATE)) * ratio
            whole = np.arange(around.shape[1])
            yield stem.read(at * BLOCK, WINDOW), np.stack([np.interp(places, whole, one) for one in around])

    return next((speed for speed in _SPEEDS if lag(pairs(speed), margin)[1]), None)


def slip_of(mix: Sound, stem: Sound) -> tuple[float, int, int] | None:
    """Return at which second a stem slips against the mix, and by how many samples it is late before and after."""
    powers = powers_of(stem, _nothing)
    loud = [at for at in np.argsort(powers)[::-1][:_MOST_LAGS].tolist() if powers[at] >= QUIET**2]
    margin = int(FURTHEST * RATE)
    found = []
    for at in sorted(loud):
        pair = stem.read(at * BLOCK, WINDOW), mix.read(at * BLOCK - FURTHEST, WINDOW + 2 * FURTHEST)
        shift, sure = lag([pair], margin)
        if sure:
            found.append((at, shift))
    runs = [list(run) for _, run in groupby(found, key=lambda one: round(one[1] / _LEAST_SLIP))]
    if len(runs) != 2 or min(len(run) for run in runs) < 2:
        return None
    before, after = runs
    return float(after[0][0] * BLOCK), before[0][1], after[0][1]


def _nothing() -> None:
    """Nobody is told of what is read once more."""
