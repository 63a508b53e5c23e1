"""Stems against their mix: how late and how loud each is in it, and what is left when all are taken away.

Each stem's way into the mix is estimated as a filter: the cross-spectrum of both over the power of both, summed over
its loudest windows, so that frequencies where other stems drown it count little. Its highest point tells the delay.
With the delays known the gains follow together by least squares over the whole length, block by block, and the
residual with them: once for the stems as they are, once for the stems as they fit best.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from contextlib import ExitStack
from dataclasses import dataclass, fields, replace
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from brisk_core.errors import UnreadableFile
from brisk_core.frames import RATE
from brisk_core.stems.alone import Alone, Motion, motion_of, pace_of, pace_of_all, settled
from brisk_core.stems.explaining import PLACE, Left, Stretch, Together, channel_names, channels_of, stretches_of
from brisk_core.stems.ways import (
    ADDS_UP,
    BLOCK,
    FLOOR,
    QUIET,
    Array,
    Part,
    Sound,
    Way,
    adds_up,
    blocks_of,
    decibels,
    find_way,
    open_part,
)

MOST_STEMS = 32
LIMIT_LOSSY = -20.0  #: dB under the mix that may be left where a coder loses something
_SAME = 0.999  # correlation of two stems that hold the same
_MOST_TRIES, _BETTER = 3, 3.0  # to place stems anew, and dB by which each must leave less
_AT_LEAST, _FAR = 0.25, 0.005  # share of what the others leave that a stem so many seconds off must explain
_FAINT = 0.03  # a gain below which a stem is not in the mix
_SILENT, _HEARD = 1e-8, 1e-3  # of the greatest power of a channel
_WHOLE = ("pcm", "flac", "alac", "mlp", "truehd", "wavpack", "s302m")  # coders that lose nothing


@dataclass(frozen=True, slots=True, kw_only=True)
class StemFound:
    """How one stem is in the mix."""

    name: str
    level: float  #: dBFS of all of it; ``FLOOR`` for silence
    heard: bool  #: is it in the mix at all?
    late: float  #: seconds by which it comes later in its file than in the mix
    gain: float  #: dB by which it is louder in its file than in the mix
    turned: bool  #: inverted polarity
    channels: str = ""  #: what is odd about its channels, as the end of a sentence about it
    speed: Fraction | None = None  #: by which it runs faster than in the mix
    same_as: str = ""  #: another stem that holds the same sound
    motion: Motion | None = None  #: a slip or a drift


@dataclass(frozen=True, slots=True, kw_only=True)
class StemsFound:
    """All stems against the mix."""

    stems: tuple[StemFound, ...]
    mix_level: float  #: dBFS
    residual: float  #: dB under the mix, of the mix less the stems as they are
    residual_fitted: float  #: the same with every stem moved and brought to the level that fits best
    worst: float  #: seconds of the tenth of a second with the greatest difference, stems as they are
    worst_level: float  #: dBFS of the difference there
    series: NDArray[np.float32]  #: (places, 3) dBFS of mix, difference, fitted difference; ten a second
    length: float  #: seconds that were compared
    lossy: bool  #: was any of the sounds coded with loss?
    stretches: tuple[Stretch, ...] = ()  #: where they differ though they agree elsewhere
    lacking: tuple[str, ...] = ()  #: names of channels that are silent in the mix alone
    is_mono: bool = False  #: do both channels of the mix hold the same, and those of its stems do not?


_MOST_KEPT = 256 << 20  # bytes of samples that are kept of all sounds
Progress = Callable[[int, int], None]


def find_stems(mix: Part, stems: Sequence[Part], progress: Progress | None = None) -> StemsFound:
    """Return how stems add up to a mix.

    Raises ``UnreadableFile`` for a file without sound, no stems or too many, and stems of other channels than the mix.
    """
    if not 1 <= len(stems) <= MOST_STEMS:
        raise UnreadableFile(f"met {len(stems)} stems; expected 1 to {MOST_STEMS}")
    with ExitStack() as stack:
        opened = [open_part(stack, part, _MOST_KEPT // (1 + len(stems))) for part in (mix, *stems)]
        return _measure(opened[0], opened[1:], progress)


def _measure(mix: Sound, stems: Sequence[Sound], progress: Progress | None) -> StemsFound:
    channels = mix.track.channels
    for stem in stems:
        if stem.track.channels not in (1, channels):
            expected = f"expected 1 or {channels}, as the mix has"
            raise UnreadableFile(f"{stem.name} has {stem.track.channels} channels; {expected}")
    length = max(one.track.duration for one in (mix, *stems))
    lossy = not all(one.track.codec.startswith(_WHOLE) for one in (mix, *stems))
    blocks = max(1, int(np.ceil(length / BLOCK)))
    tell = _Teller(progress, blocks * (len(stems) + 2))
    ways: Sequence[Way] = [find_way(mix, stem, tell.step) for stem in stems]
    if adds_up(mix, stems, blocks):
        ways = [replace(way, shift=0) for way in ways]  # sounds that add up are in place, whatever else would fit
    limit = LIMIT_LOSSY if lossy else ADDS_UP
    fit = _Fitted.of(mix, stems, ways, length, tell)
    for _ in range(_MOST_TRIES):
        if fit.rest <= limit:
            break
        again = settled(mix, stems, fit.ways, fit.gains.tolist())
        better = _Fitted.of(mix, stems, again, length, tell) if again != list(fit.ways) else fit
        if better.rest > fit.rest - _BETTER:
            break
        fit = better
    ways, gains, places, fitted = fit.ways, fit.gains, fit.places, fit.rest
    worst = int(places.difference.argmax())
    found = [_stem_found(part.name, way, float(gain)) for part, way, gain in zip(stems, ways, gains, strict=True)]
    stretches: tuple[Stretch, ...] = ()
    residual = _ratio(places.difference, places.mix)
    if residual > limit:  # the same sound twice may be meant, where both make the mix
        same = fit.sums.same([one.name for one in stems])
        found = [replace(one, same_as=other) for one, other in zip(found, same, strict=True)]
    lacking = fit.sums.lacking()
    if fitted > limit and not lacking:
        found = _explained(mix, stems, fit, found)
    is_whole = not any(_is_odd(one) or not one.heard for one in found)
    is_mono = is_whole and fit.sums.is_mono()  # a stem that lacks a side of a mono mix is wrong itself
    if is_whole and not is_mono:
        as_they_are = places.as_they_are(residual, fitted, limit)
        together = Together(mix, stems, ways, [1.0] * len(stems) if as_they_are else gains.tolist())
        rest = (places.moved, places.moved_peaks) if as_they_are else (places.fitted, places.fitted_peaks)
        resampled = any(one.track.rate != RATE for one in (mix, *stems))
        stretches = stretches_of(together, Left(places.mix, *rest), lossy=lossy, resampled=resampled)
    return StemsFound(
        stems=tuple(found),
        mix_level=decibels(float(places.mix.mean())),
        residual=residual,
        residual_fitted=fitted,
        worst=worst * PLACE / RATE,
        worst_level=decibels(float(places.difference[worst])),
        series=np.stack([_each(places.mix), _each(places.difference), _each(places.fitted)], axis=1),
        length=length,
        lossy=lossy,
        stretches=stretches,
        lacking=lacking,
        is_mono=is_mono,
    )


def _explained(mix: Sound, stems: Sequence[Sound], fit: _Fitted, found: Sequence[StemFound]) -> list[StemFound]:
    """Look for what moving and levelling whole stems does not mend."""
    odd = channels_of(mix, stems, fit.ways, fit.places.mix)
    if not any(odd) and any(way.shift for way in fit.ways):  # exchanged channels that are alike seem to be late
        odd = channels_of(mix, stems, [replace(way, shift=0) for way in fit.ways], fit.places.mix)
    told = [replace(one, channels=says) for one, says in zip(found, odd, strict=True)]
    if any(odd):
        return told
    speed = pace_of_all(mix, stems, fit.ways)
    if speed is not None:
        return [replace(one, speed=speed if one.level > FLOOR + 20 else None) for one in told]
    for number, one in enumerate(told):
        if one.level <= FLOOR + 20:
            continue
        alone = Alone(mix, stems, fit.ways, fit.gains.tolist(), [number])
        motion = motion_of(alone)
        speed, explained = (None, 1.0) if motion else pace_of(alone)
        is_elsewhere = abs(one.late) > _FAR and speed is None and explained < _AT_LEAST
        told[number] = replace(one, motion=motion, speed=speed, heard=one.heard and not is_elsewhere)
    return told


def _is_odd(one: StemFound) -> bool:
    return bool(one.channels or one.speed or one.motion or one.same_as)


@dataclass(frozen=True, slots=True)
class _Fitted:
    """Stems in their places, at the levels that fit best together, and what is left."""

    ways: Sequence[Way]
    sums: _Sums
    gains: Array
    places: _Places
    rest: float  #: dB under the mix

    @classmethod
    def of(cls, mix: Sound, stems: Sequence[Sound], ways: Sequence[Way], length: float, tell: _Teller) -> _Fitted:
        blocks = max(1, int(np.ceil(length / BLOCK)))
        sums = _Sums.of(mix, stems, ways, blocks, tell)
        gains = sums.gains()
        places = _Places.of(mix, stems, ways, gains, blocks, tell).until(length)
        # A stem that was moved has no sound at one end; what is missing there is not held against the fit.
        edge = -(-max(abs(way.shift) for way in ways) // PLACE)
        inside = slice(edge, len(places.mix) - edge) if len(places.mix) > 4 * edge else slice(None)
        return cls(ways, sums, gains, places, _ratio(places.fitted[inside], places.mix[inside]))


@dataclass(slots=True)
class _Teller:
    progress: Progress | None
    total: int
    done: int = 0

    def step(self) -> None:
        self.done += 1
        if self.progress:
            self.progress(min(self.done, self.total), self.total)


@dataclass(frozen=True, slots=True)
class _Sums:
    """The normal equations of all gains together."""

    products: Array  #: (stems, stems)
    with_mix: Array  #: (stems,)
    of_mix: Array  #: (channels,) power of the mix
    of_stems: Array  #: (channels,) power of all stems together
    sides: Array  #: (2,) power of what the first two channels differ by, in the mix and in all stems together

    @classmethod
    def of(cls, mix: Sound, stems: Sequence[Sound], ways: Sequence[Way], blocks: int, tell: _Teller) -> _Sums:
        products, with_mix = np.zeros((len(stems), len(stems))), np.zeros(len(stems))
        of_mix, of_stems, sides = np.zeros(mix.track.channels), np.zeros(mix.track.channels), np.zeros(2)
        for at in range(blocks):
            whole, moved, _ = blocks_of(mix, stems, ways, at)
            flat = np.stack([one.ravel() for one in moved])
            products += flat @ flat.T
            with_mix += flat @ whole.ravel()
            together = np.asarray(sum(moved))
            of_mix += np.square(whole).sum(axis=1)
            of_stems += np.square(together).sum(axis=1)
            sides += [float(np.square(one[0] - one[-1]).sum()) for one in (whole, together)]
            tell.step()
        return cls(products, with_mix, of_mix, of_stems, sides)

    def is_mono(self) -> bool:
        """Do both channels of the mix hold the same, and those of its stems do not?"""
        powers = self.of_mix.sum(), self.of_stems.sum()
        return bool(
            len(self.of_mix) == 2 and self.sides[0] <= _SILENT * powers[0] and self.sides[1] > _HEARD * powers[1]
        )

    def lacking(self) -> tuple[str, ...]:
        """Names of the channels that are silent in the mix, and not in its stems."""
        silent = self.of_mix <= _SILENT * max(self.of_mix.max(), self.of_stems.max())
        there = self.of_stems > _HEARD * self.of_stems.max()
        return tuple(
            name for name, lacks in zip(channel_names(len(silent)), (silent & there).tolist(), strict=True) if lacks
        )

    def gains(self) -> Array:
        """Gains of the stems in the mix; 0 for a silent one."""
        return np.asarray(np.linalg.lstsq(self.products, self.with_mix, rcond=1e-9)[0])

    def same(self, names: Sequence[str]) -> list[str]:
        """Return for each stem the name of an earlier one that holds the same sound, "" for most."""
        powers = np.diagonal(self.products)
        alike = self.products > _SAME * np.sqrt(np.outer(powers, powers)) + QUIET**2
        return [next((names[one] for one in range(two) if alike[one, two]), "") for two in range(len(names))]


@dataclass(frozen=True, slots=True)
class _Places:
    """Mean squares of mix and differences, ten a second."""

    mix: Array
    difference: Array  #: stems as they are
    moved: Array  #: stems in their places, as loud as they are
    fitted: Array  #: stems as they fit best
    moved_peaks: Array  #: highest samples of the difference, stems in their places
    fitted_peaks: Array

    @classmethod
    def of(
        cls,
        mix: Sound,
        stems: Sequence[Sound],
        ways: Sequence[Way],
        gains: Array,
        blocks: int,
        tell: _Teller,
    ) -> _Places:
        found: list[list[Array]] = [[] for _ in range(6)]
        for at in range(blocks):
            whole, moved, straight = blocks_of(mix, stems, ways, at)
            best = whole - sum(gain * one for gain, one in zip(gains, moved, strict=True))
            rests = (whole, whole - sum(straight), whole - sum(moved), best)
            for kept, samples in zip(found, rests, strict=False):
                kept.append(np.square(samples).reshape(samples.shape[0], -1, PLACE).mean(axis=(0, 2)))
            for kept, samples in zip(found[4:], rests[2:], strict=True):
                kept.append(np.abs(samples).reshape(samples.shape[0], -1, PLACE).max(axis=(0, 2)))
            tell.step()
        return cls(*(np.concatenate(one) for one in found))

    def as_they_are(self, residual: float, fitted: float, limit: float) -> bool:
        """Are the levels of the stems right, so that what is left lies at places? Those bend levels that fit best."""
        if residual <= limit or fitted <= limit:
            return residual <= limit
        return bool(np.median(self.moved) <= np.median(self.fitted))

    def until(self, length: float) -> _Places:
        """The places up to the end of the longest sound; blocks reach past it."""
        count = max(1, int(np.ceil(length * RATE / PLACE)))
        return _Places(*(getattr(self, field.name)[:count] for field in fields(self)))


def _stem_found(name: str, way: Way, gain: float) -> StemFound:
    heard = abs(gain) >= _FAINT and way.power >= QUIET**2
    return StemFound(
        name=name,
        level=decibels(way.power),
        heard=heard,
        late=way.shift / RATE,
        gain=-20 * float(np.log10(abs(gain))) if heard else 0.0,
        turned=heard and gain < 0,
    )


def _each(powers: Array) -> NDArray[np.float32]:
    return np.asarray(np.maximum(10 * np.log10(np.maximum(powers, 1e-13)), FLOOR), np.float32)


def _ratio(difference: Array, mix: Array) -> float:
    """Return the power of a difference over that of the mix in dB."""
    return decibels(float(difference.sum() / max(mix.sum(), 1e-12)))
