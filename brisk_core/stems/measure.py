"""Stems against their mix: how late and how loud each is in it, and what is left when all are taken away.

Each stem's way into the mix is estimated as a filter: the cross-spectrum of both over the power of both, summed over
its loudest windows, so that frequencies where other stems drown it count little. Its highest point tells the delay.
With the delays known the gains follow together by least squares over the whole length, block by block, and the
residual with them: once for the stems as they are, once for the stems as they fit best.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from contextlib import ExitStack
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from brisk_core.errors import UnreadableFile
from brisk_core.frames import RATE, Samples, SoundTrack, open_sound
from brisk_core.reading import Source

MOST_STEMS = 32
BLOCK = 10  #: seconds read at once
FURTHEST = 2.0  #: seconds of delay that are looked for
ADDS_UP = -40.0  #: dB under the mix from which nothing more is left than rounding and coding leave
FLOOR = -120.0  #: dB below which nothing is told apart
_WINDOW = 8.0  # seconds of a stem whose way into the mix is estimated at once
_MOST_WINDOWS = 4
_QUIET = 10 ** (-70 / 20)  # root mean square of a stem that has nothing to find
_REGULAR = 1e-6  # of the mean power, so that nothing is divided by nothing
_SURE = 8.0  # by how much the highest point stands above the spread of the others; chance reaches 5
_MOST_PEAKS, _APART = 12, 48  # peaks that are weighed, and samples around one that belong to it
_AGREES = 0.97  # of the best plain correlation, that a peak must reach
_FAINT = 0.03  # a gain below which a stem is not in the mix
_PLACE = RATE // 10  # samples of one place of the difference
_WHOLE = ("pcm", "flac", "alac", "mlp", "truehd", "wavpack", "s302m")  # coders that lose nothing


@dataclass(frozen=True, slots=True, kw_only=True)
class Part:
    """One sound: a track of a file."""

    name: str
    source: Source
    track: int | None = None  #: from 0; None for the first, or all tracks of one channel together


@dataclass(frozen=True, slots=True, kw_only=True)
class StemFound:
    """How one stem is in the mix."""

    name: str
    level: float  #: dBFS of all of it; ``FLOOR`` for silence
    heard: bool  #: is it in the mix at all?
    late: float  #: seconds by which it comes later in its file than in the mix
    gain: float  #: dB by which it is louder in its file than in the mix
    turned: bool  #: inverted polarity


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


Progress = Callable[[int, int], None]


def find_stems(mix: Part, stems: Sequence[Part], progress: Progress | None = None) -> StemsFound:
    """Return how stems add up to a mix.

    Raises ``UnreadableFile`` for a file without sound, no stems or too many, and stems of other channels than the mix.
    """
    if not 1 <= len(stems) <= MOST_STEMS:
        raise UnreadableFile(f"met {len(stems)} stems; expected 1 to {MOST_STEMS}")
    with ExitStack() as stack:
        opened = [_open(stack, part) for part in (mix, *stems)]
        return _measure(opened[0], opened[1:], progress)


@dataclass(frozen=True, slots=True)
class _Sound:
    """An open sound and its name."""

    name: str
    track: SoundTrack

    def read(self, start: float, length: float) -> Samples:
        return self.track.read(start, length)


def _open(stack: ExitStack, part: Part) -> _Sound:
    track = stack.enter_context(open_sound(part.source, part.track))
    if track is None:
        which = "sound" if part.track is None else f"sound track {part.track + 1}"
        raise UnreadableFile(f"{part.name} has no {which}")
    return _Sound(part.name, track)


def _measure(mix: _Sound, stems: Sequence[_Sound], progress: Progress | None) -> StemsFound:
    channels = mix.track.channels
    for stem in stems:
        if stem.track.channels not in (1, channels):
            expected = f"expected 1 or {channels}, as the mix has"
            raise UnreadableFile(f"{stem.name} has {stem.track.channels} channels; {expected}")
    length = max(one.track.duration for one in (mix, *stems))
    blocks = max(1, int(np.ceil(length / BLOCK)))
    tell = _Teller(progress, blocks * (len(stems) + 2))
    ways = [_find_way(mix, stem, tell) for stem in stems]
    if _adds_up(mix, stems, blocks):
        ways = [replace(way, shift=0) for way in ways]  # sounds that add up are in place, whatever else would fit
    sums = _Sums.of(mix, stems, ways, blocks, tell)
    gains = sums.gains()
    places = _Places.of(mix, stems, ways, gains, blocks, tell).until(length)
    worst = int(places.difference.argmax())
    # A stem that was moved has no sound at one end; what is missing there is not held against the fit.
    edge = -(-max(abs(way.shift) for way in ways) // _PLACE)
    inside = slice(edge, len(places.mix) - edge) if len(places.mix) > 4 * edge else slice(None)
    return StemsFound(
        stems=tuple(
            _stem_found(part.name, way, float(gain)) for part, way, gain in zip(stems, ways, gains, strict=True)
        ),
        mix_level=_decibels(float(places.mix.mean())),
        residual=_ratio(places.difference, places.mix),
        residual_fitted=_ratio(places.fitted[inside], places.mix[inside]),
        worst=worst * _PLACE / RATE,
        worst_level=_decibels(float(places.difference[worst])),
        series=np.stack([_each(places.mix), _each(places.difference), _each(places.fitted)], axis=1),
        length=length,
        lossy=not all(one.track.codec.startswith(_WHOLE) for one in (mix, *stems)),
    )


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
class _Way:
    """How a stem gets into the mix."""

    shift: int  #: samples to add to a place of the mix to come to the same place of the stem
    sure: bool
    power: float  #: mean square of the stem


def _find_way(mix: _Sound, stem: _Sound, tell: _Teller) -> _Way:
    powers, sums = [], 0.0
    for at in range(max(1, int(np.ceil(stem.track.duration / BLOCK)))):
        block = stem.read(at * BLOCK, BLOCK)
        tell.step()
        powers.append(float(np.mean(np.square(block, dtype=np.float64))))
        sums += powers[-1]
    power = sums / len(powers)
    if max(powers) < _QUIET**2:
        return _Way(0, sure=False, power=power)
    loud = sorted(np.argsort(powers)[::-1][:_MOST_WINDOWS].tolist())
    margin = int(FURTHEST * RATE)
    size = int(_WINDOW * RATE) + 2 * margin  # the mix reaches past the stem on both sides, so no lag wraps round
    cross = np.zeros(size // 2 + 1, np.complex128)
    power_of_both = np.zeros(size // 2 + 1)
    fade = np.hanning(int(_WINDOW * RATE))  # keeps tones from spilling over all frequencies
    for at in loud:
        own = stem.read(at * BLOCK, _WINDOW)
        around = mix.read(at * BLOCK - FURTHEST, _WINDOW + 2 * FURTHEST)
        for channel in range(around.shape[0]):
            spectrum = np.fft.rfft(own[min(channel, own.shape[0] - 1)] * fade, size)
            of_mix = np.fft.rfft(around[channel], size)
            cross += np.conj(spectrum) * of_mix
            power_of_both += np.abs(spectrum) ** 2 + np.abs(of_mix) ** 2
    filter_ = np.fft.irfft(cross / (power_of_both + _REGULAR * power_of_both.mean()), size)[: 2 * margin + 1]
    peak = _best_peak(np.abs(filter_), np.abs(np.fft.irfft(cross, size)[: 2 * margin + 1]), margin)
    spread = float(np.std(filter_))
    sure = bool(abs(filter_[peak]) >= _SURE * spread) if spread else False
    return _Way(margin - peak if sure else 0, sure=sure, power=power)


def _adds_up(mix: _Sound, stems: Sequence[_Sound], blocks: int) -> bool:
    """Do the stems make the mix as they are?"""
    left = whole = 0.0
    unmoved = [_Way(0, sure=True, power=0.0)] * len(stems)
    for at in range(blocks):
        mixed, _, straight = _blocks_of(mix, stems, unmoved, at)
        whole += float(np.square(mixed).sum())
        left += float(np.square(mixed - sum(straight)).sum())
    return _decibels(left / max(whole, 1e-12)) <= ADDS_UP


def _best_peak(sharp: NDArray[np.float64], plain: NDArray[np.float64], home: int) -> int:
    """Return the sharp peak nearest to no delay at which both sounds also agree by plain correlation.

    What comes again and again, as a bell, has such a peak at every return; only nearness tells the right one.
    """
    left = sharp.copy()
    peaks = [home]
    for _ in range(_MOST_PEAKS):
        peaks.append(int(left.argmax()))
        left[max(peaks[-1] - _APART, 0) : peaks[-1] + _APART + 1] = 0
    best = max(plain[peak] for peak in peaks)
    agreeing = [peak for peak in peaks if plain[peak] >= _AGREES * best]
    sharpest = max(sharp[peak] for peak in agreeing)
    return min((peak for peak in agreeing if sharp[peak] >= sharpest / 2), key=lambda peak: abs(peak - home))


def _blocks_of(
    mix: _Sound, stems: Sequence[_Sound], ways: Sequence[_Way], at: int
) -> tuple[NDArray[np.float64], list[NDArray[np.float64]], list[NDArray[np.float64]]]:
    """Return one block of the mix, and the stems there: moved as they fit, and as they are."""
    margin, count = int(FURTHEST * RATE), BLOCK * RATE
    whole = mix.read(at * BLOCK, BLOCK).astype(np.float64)
    moved, straight = [], []
    for stem, way in zip(stems, ways, strict=True):
        wide = stem.read(at * BLOCK - FURTHEST, BLOCK + 2 * FURTHEST).astype(np.float64)
        if wide.shape[0] < whole.shape[0]:
            wide = np.repeat(wide, whole.shape[0], axis=0)
        moved.append(wide[:, margin + way.shift : margin + way.shift + count])
        straight.append(wide[:, margin : margin + count])
    return whole, moved, straight


@dataclass(frozen=True, slots=True)
class _Sums:
    """The normal equations of all gains together."""

    products: NDArray[np.float64]  #: (stems, stems)
    with_mix: NDArray[np.float64]  #: (stems,)

    @classmethod
    def of(cls, mix: _Sound, stems: Sequence[_Sound], ways: Sequence[_Way], blocks: int, tell: _Teller) -> _Sums:
        products, with_mix = np.zeros((len(stems), len(stems))), np.zeros(len(stems))
        for at in range(blocks):
            whole, moved, _ = _blocks_of(mix, stems, ways, at)
            flat = np.stack([one.ravel() for one in moved])
            products += flat @ flat.T
            with_mix += flat @ whole.ravel()
            tell.step()
        return cls(products, with_mix)

    def gains(self) -> NDArray[np.float64]:
        """Gains of the stems in the mix; 0 for a silent one."""
        return np.asarray(np.linalg.lstsq(self.products, self.with_mix, rcond=1e-9)[0])


@dataclass(frozen=True, slots=True)
class _Places:
    """Mean squares of mix and differences, ten a second."""

    mix: NDArray[np.float64]
    difference: NDArray[np.float64]  #: stems as they are
    fitted: NDArray[np.float64]  #: stems as they fit best

    @classmethod
    def of(
        cls,
        mix: _Sound,
        stems: Sequence[_Sound],
        ways: Sequence[_Way],
        gains: NDArray[np.float64],
        blocks: int,
        tell: _Teller,
    ) -> _Places:
        found: list[list[NDArray[np.float64]]] = [[], [], []]
        for at in range(blocks):
            whole, moved, straight = _blocks_of(mix, stems, ways, at)
            best = whole - sum(gain * one for gain, one in zip(gains, moved, strict=True))
            for kept, samples in zip(found, (whole, whole - sum(straight), best), strict=True):
                kept.append(np.square(samples).reshape(samples.shape[0], -1, _PLACE).mean(axis=(0, 2)))
            tell.step()
        return cls(*(np.concatenate(one) for one in found))

    def until(self, length: float) -> _Places:
        """The places up to the end of the longest sound; blocks reach past it."""
        count = max(1, int(np.ceil(length * RATE / _PLACE)))
        return _Places(self.mix[:count], self.difference[:count], self.fitted[:count])


def _stem_found(name: str, way: _Way, gain: float) -> StemFound:
    heard = abs(gain) >= _FAINT and way.power >= _QUIET**2
    return StemFound(
        name=name,
        level=_decibels(way.power),
        heard=heard,
        late=way.shift / RATE,
        gain=-20 * float(np.log10(abs(gain))) if heard else 0.0,
        turned=heard and gain < 0,
    )


def _decibels(power: float) -> float:
    return max(10 * float(np.log10(max(power, 1e-13))), FLOOR)


def _each(powers: NDArray[np.float64]) -> NDArray[np.float32]:
    return np.asarray(np.maximum(10 * np.log10(np.maximum(powers, 1e-13)), FLOOR), np.float32)


def _ratio(difference: NDArray[np.float64], mix: NDArray[np.float64]) -> float:
    """Return the power of a difference over that of the mix in dB."""
    return _decibels(float(difference.sum() / max(mix.sum(), 1e-12)))
