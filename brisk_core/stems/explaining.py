"""Why stems do not make their mix: a stretch of time, or channels in other places."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brisk_core.frames import RATE
from brisk_core.stems.ways import BLOCK, QUIET, Array, Sound, Way, blocks_of, decibels, on_channels

PLACE = RATE // 10  #: samples of one place of the difference
_TOUCHING = 3  # places between two stretches that are one
_MOST_STRETCHES = 8  # more of them are no matter of places either
_MOST_CLICKS = 2  # that are told one by one
_MOST_SHARE = 0.3  # of all places: beyond it, it is no matter of places
_ABOVE = 100.0  # times the usual difference that a place must reach
_LEAST_PEAKS, _LOUDEST = 3, 0.85  # stretches, all in the loudest part of the mix, that a limiter made
_FINE, _SHARE_OF_IT = RATE // 100, 0.05  # samples of a step of a closer look, and what belongs to a stretch
_CLICK, _CLICKS, _ALL_OF_IT = 0.02, RATE // 1000, 0.95  # its least height, samples around it, and what lies in them
_STEPS, _WAVERS = 6, 0.05  # parts of a stretch that are looked at for a fade, and by how much one may go back
_LIKE = 0.9  # correlation of what is left with a stem that is said to be what is left
_MOST_BLOCKS = 6  # in which channels are looked at
_SILENT = 1e-4  # of the power of the loudest channel of a stem
_ALIKE = 0.95  # correlation of two channels of one stem that cannot be told apart
_THERE, _HALF_THERE, _NOT_THERE = 0.7, 0.5, 0.3  # gains of what is in a place, half in it, and not
_OFF_LEVEL, _NEAR_LEVEL = 0.06, 0.03  # of a gain: another level, and the level that an exchange gives
_UNEXPLAINED, _MORE = 0.003, 30.0  # share of a channel of the mix, and times that of the other channels
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
            parts.append(on_channels(part, len(whole)))
        return parts, whole - sum(parts)


@dataclass(frozen=True, slots=True)
class Left:
    """What is left of a mix at each ``PLACE``."""

    of_mix: Array  #: mean squares of the mix
    powers: Array  #: mean squares of what is left
    peaks: Array  #: its highest samples


def stretches_of(together: Together, left: Left, *, lossy: bool, resampled: bool) -> tuple[Stretch, ...]:
    """Return where something is left, as long as it is a matter of places.

    Where a coder loses something, only what is nearly as loud as the mix there is told.
    """
    share, least = (10**-0.6, 10**-5.0) if lossy else (10**-2.0, 10**-7.5)
    usual = float(np.median(left.powers))
    odd = (left.powers > usual * _ABOVE) & (left.powers > least) & (left.powers > share * left.of_mix)
    clicks = (np.square(left.peaks) > usual * _ABOVE**2) & (left.peaks > _CLICK) & (not lossy) & ~odd
    # A moved stem has no sound at one end; coders and filters need time to begin and to end.
    edge = -(-max(abs(way.shift) for way in together.ways) // PLACE) + 2 * (lossy or resampled)
    for places in (odd, clicks):
        places[:edge] = places[len(places) - edge :] = False
    if odd.mean() > _MOST_SHARE:
        return ()
    spans = _spans(odd)
    if len(spans) >= _LEAST_PEAKS and left.of_mix[odd].min() >= np.quantile(left.of_mix, _LOUDEST):
        says = f"and at {len(spans) - 1} more of its loudest places the mix is not the sum of its stems: it was limited"
        return (_told(spans[0], float(left.powers[odd].max()), says),)
    if len(spans) > _MOST_STRETCHES:
        return ()
    found = [_stretch(together, first * PLACE / RATE, (end - first) * PLACE / RATE) for first, end in spans]
    short = _spans(clicks)
    if len(short) > _MOST_CLICKS and not found:
        says = (
            f"and at {len(short) - 1} more places mix and stems differ for a moment: "
            "peaks of the mix were limited, or a sound crackles"
        )
        return (_told(short[0], float(np.square(left.peaks[clicks]).max()), says),)
    if len(short) <= _MOST_CLICKS:
        found += filter(None, (_click(together, first * PLACE / RATE) for first, _ in short))
    return tuple(sorted(found, key=lambda one: one.start))


def _told(span: tuple[int, int], power: float, says: str) -> Stretch:
    return Stretch(start=span[0] * PLACE / RATE, end=span[1] * PLACE / RATE, level=decibels(power), says=says)


def _spans(odd: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """Stretches of places, those that nearly touch taken as one."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], odd.view(np.int8), [0]])))
    joined: list[tuple[int, int]] = []
    for first, end in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
        if joined and first - joined[-1][1] <= _TOUCHING:
            joined[-1] = (joined[-1][0], end)
        else:
            joined.append((first, end))
    return joined


def _stretch(together: Together, start: float, length: float) -> Stretch:
    """Look closer at a stretch: where it begins and ends, and what is left there."""
    begin, looked = max(start - PLACE / RATE, 0.0), min(length + 2 * PLACE / RATE, BLOCK)
    parts, rest = together.read(begin, looked)
    steps = np.square(rest)[:, : rest.shape[1] // _FINE * _FINE].reshape(len(rest), -1, _FINE).mean(axis=(0, 2))
    there = np.flatnonzero(steps > _SHARE_OF_IT * steps.max())
    inside = slice(int(there[0]) * _FINE, (int(there[-1]) + 1) * _FINE)
    level = decibels(float(steps.max()))
    says = _what_is_left(together, [part[:, inside] for part in parts], rest[:, inside], level)
    first = begin + inside.start / RATE
    return Stretch(
        start=first,
        end=begin + inside.stop / RATE if length <= BLOCK else start + length,
        level=level,
        says=says,
    )


def _click(together: Together, start: float) -> Stretch | None:
    """Look closer at a place with a high peak: a click where that is all that is left, nothing to tell otherwise."""
    begin = max(start - PLACE / RATE, 0.0)
    _, rest = together.read(begin, 3 * PLACE / RATE)
    powers = np.square(rest).sum(axis=0)
    at = int(powers.argmax())
    if powers[max(at - _CLICKS, 0) : at + _CLICKS + 1].sum() < _ALL_OF_IT * powers.sum():
        return None
    level, at = decibels(float(np.square(rest).max())), at // _FINE * _FINE
    says = f"mix and stems differ by a click of {level:.0f} dBFS"
    return Stretch(start=begin + at / RATE, end=begin + (at + _FINE) / RATE, level=level, says=says)


def _what_is_left(together: Together, parts: Sequence[Array], rest: Array, level: float) -> str:
    stems = together.stems
    if np.square(sum(parts) + rest).mean() < QUIET**2:
        return "the mix is silent, and its stems are not"
    for stem, part in zip(stems, parts, strict=True):
        power = float(np.square(part).sum())
        if power <= QUIET**2 * part.size:
            continue
        product = float((rest * part).sum())
        if abs(product) < _LIKE * float(np.sqrt(power * np.square(rest).sum())):
            continue
        if faded := _faded(part, rest):
            return f"{stem.name} fades {faded} in the mix, and not in its file"
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


def _faded(part: Array, rest: Array) -> str:
    """Name the way in which a part of a mix comes or goes: "in", "out", or "" for neither."""
    count = part.shape[1] // _STEPS * _STEPS
    if count < _STEPS * _FINE:
        return ""
    own, left = (one[:, :count].reshape(len(one), _STEPS, -1) for one in (part, rest))
    powers = np.square(own).sum(axis=(0, 2))
    gains = 1 + (own * left).sum(axis=(0, 2)) / np.maximum(powers, QUIET**2)
    steady = np.diff(gains)
    if min(gains[0], gains[-1]) > _NOT_THERE or max(gains[0], gains[-1]) < _HALF_THERE:
        return ""
    return "out" if (steady < _WAVERS).all() else "in" if (steady > -_WAVERS).all() else ""


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
        flat = np.concatenate([_own(one, stem.track.channels) for one, stem in zip(moved, stems, strict=True)])
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


def _own(moved: Array, channels: int) -> Array:
    """The channels that a stem has itself, of those of the mix that it was laid on."""
    return moved if channels > 1 else moved[[int(np.square(moved).sum(axis=1).argmax())]]


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
    names = channel_names(count)
    turned = [names[one] for one in range(count) if loud[one] and straight[one] < -_THERE]
    upright = [one for one in range(count) if loud[one] and straight[one] > _THERE]
    if turned and upright:
        return f"is inverted in polarity in its {named(turned)}"
    if pair := _crossed_pair(powers, straight):
        return f"has its {named([names[one] for one in pair])} exchanged"
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
    return f"has nothing in its {named([names[one] for one in dead])}" if dead else ""


def channel_names(count: int) -> tuple[str, ...]:
    """What the channels of a sound are called."""
    return _NAMES.get(count) or tuple(map(str, range(1, count + 1)))


def _crossed_pair(powers: Array, straight: Sequence[float]) -> list[int]:
    """Two channels that are alike but for their levels, each as loud in the mix as the other is in the stem."""
    off = [one for one, gain in enumerate(straight) if powers[one] and abs(gain - 1) > _OFF_LEVEL]
    if len(off) != 2:
        return []
    first, second = off
    ratio = float(np.sqrt(powers[second] / powers[first]))
    near = abs(straight[first] / ratio - 1) < _NEAR_LEVEL and abs(straight[second] * ratio - 1) < _NEAR_LEVEL
    return off if near else []


def _exchanged(order: Sequence[int], names: Sequence[str]) -> str:
    moved = [one for one, other in enumerate(order) if one != other]
    if len(moved) == 2:
        return f"has its {named([names[one] for one in moved])} exchanged"
    places = ", ".join(f"its {names[one]} is the {names[order[one]]} of the mix" for one in moved)
    return f"has its channels in another order: {places}"


def named(names: Sequence[str]) -> str:
    """Name channels in a sentence."""
    word, which = "channels" if len(names) > 1 else "channel", " and ".join(names)
    return f"{word} {which}" if names[0].isdigit() else f"{which} {word}"
