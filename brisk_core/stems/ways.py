"""Sounds that are open, read in blocks, and how each gets into a mix: how late, and with how much certainty."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Iterable, Sequence
from contextlib import ExitStack
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from brisk_core.errors import UnreadableFile
from brisk_core.frames import RATE, Samples, SoundTrack, open_sound
from brisk_core.reading import Source

BLOCK = 10  #: seconds read at once
FURTHEST = 2.0  #: seconds of delay that are looked for
ADDS_UP = -40.0  #: dB under the mix from which nothing more is left than rounding and coding leave
FLOOR = -120.0  #: dB below which nothing is told apart
QUIET = 10 ** (-70 / 20)  #: root mean square of a stem that has nothing to find
WINDOW = 8.0  #: seconds of a stem whose way into the mix is estimated at once
_MOST_WINDOWS = 4
_REGULAR, _NOTHING = 1e-6, 1e-30  # of the mean power, so that nothing is divided by nothing
_SURE = 8.0  # by how much the highest point stands above the spread of the others; chance reaches 5
_MOST_PEAKS, _APART = 12, 48  # peaks that are weighed, and samples around one that belong to it
_WITH_CENTRE, _CENTRE = (3, 5, 6, 7, 8), 2  # channels of layouts with a centre, and its place among them
_AGREES = 0.97  # of the best plain correlation, that a peak must reach

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True, kw_only=True)
class Part:
    """One sound: a track of a file."""

    name: str
    source: Source
    track: int | None = None  #: from 0; None for the first, or all tracks of one channel together


@dataclass(frozen=True, slots=True)
class Sound:
    """An open sound and its name. What was read last is kept, as the same stretches are read again and again."""

    name: str
    track: SoundTrack
    most_kept: int = 0  #: bytes
    _kept: OrderedDict[tuple[float, float], Samples] = field(default_factory=OrderedDict, repr=False)

    def read(self, start: float, length: float) -> Samples:
        """Samples (channels, count) from a second on, to be read only; silence before its start and after its end."""
        asked = start, length
        samples = self._kept.pop(asked, None)
        if samples is None:
            samples = self.track.read(start, length)
            samples.flags.writeable = False
        self._kept[asked] = samples  # the last one read stands last
        while sum(one.nbytes for one in self._kept.values()) > self.most_kept and self._kept:
            self._kept.popitem(last=False)
        return samples


def open_part(stack: ExitStack, part: Part, most_kept: int = 0) -> Sound:
    """Open a sound for as long as ``stack`` is, of which so many bytes of samples are kept.

    Raises ``UnreadableFile`` where there is none.
    """
    track = stack.enter_context(open_sound(part.source, part.track))
    if track is None:
        which = "sound" if part.track is None else f"sound track {part.track + 1}"
        raise UnreadableFile(f"{part.name} has no {which}")
    return Sound(part.name, track, most_kept)


@dataclass(frozen=True, slots=True)
class Way:
    """How a stem gets into the mix."""

    shift: int  #: samples to add to a place of the mix to come to the same place of the stem
    sure: bool
    power: float  #: mean square of the stem
    blocks: tuple[float, ...] = ()  #: mean square of each of its blocks


def find_way(mix: Sound, stem: Sound, step: Callable[[], None]) -> Way:
    """Return how a stem gets into the mix, by its loudest windows; ``step`` is called for each block that is read."""
    powers = powers_of(stem, step)
    power = float(np.mean(powers))
    if max(powers) < QUIET**2:
        return Way(0, sure=False, power=power, blocks=tuple(powers))
    loud = sorted(np.argsort(powers)[::-1][:_MOST_WINDOWS].tolist())
    margin = int(FURTHEST * RATE)
    pairs = ((stem.read(at * BLOCK, WINDOW), mix.read(at * BLOCK - FURTHEST, WINDOW + 2 * FURTHEST)) for at in loud)
    shift, sure = lag(pairs, margin)
    return Way(shift, sure=sure, power=power, blocks=tuple(powers))


def powers_of(stem: Sound, step: Callable[[], None]) -> list[float]:
    """Return the mean square of each block of a sound."""
    found = []
    for at in range(max(1, int(np.ceil(stem.track.duration / BLOCK)))):
        found.append(float(np.mean(np.square(stem.read(at * BLOCK, BLOCK), dtype=np.float64))))
        step()
    return found


def lag(pairs: Iterable[tuple[Samples, Samples]], margin: int) -> tuple[int, bool]:
    """Return by how many samples a stem comes later than in the mix, and whether that is sure.

    Each pair is ``WINDOW`` of the stem and the mix around it, which reaches ``margin`` samples past it on both sides.
    """
    size = int(WINDOW * RATE) + 2 * margin  # so no lag wraps round
    cross = np.zeros(size // 2 + 1, np.complex128)
    power_of_both = np.zeros(size // 2 + 1)
    fade = np.hanning(int(WINDOW * RATE))  # keeps tones from spilling over all frequencies
    for own, around in pairs:
        for channel in range(around.shape[0]):
            spectrum = np.fft.rfft(own[min(channel, own.shape[0] - 1)] * fade, size)
            of_mix = np.fft.rfft(around[channel], size)
            cross += np.conj(spectrum) * of_mix
            power_of_both += np.abs(spectrum) ** 2 + np.abs(of_mix) ** 2
    filter_ = np.fft.irfft(cross / (power_of_both + _REGULAR * power_of_both.mean() + _NOTHING), size)[: 2 * margin + 1]
    peak = _best_peak(np.abs(filter_), np.abs(np.fft.irfft(cross, size)[: 2 * margin + 1]), margin)
    spread = float(np.std(filter_))
    sure = bool(abs(filter_[peak]) >= _SURE * spread) if spread else False
    return (margin - peak, True) if sure else (0, False)


def adds_up(mix: Sound, stems: Sequence[Sound], blocks: int) -> bool:
    """Do the stems make the mix as they are?"""
    left = whole = 0.0
    unmoved = [Way(0, sure=True, power=0.0)] * len(stems)
    for at in range(blocks):
        mixed, _, straight = blocks_of(mix, stems, unmoved, at)
        whole += float(np.square(mixed).sum())
        left += float(np.square(mixed - sum(straight)).sum())
    return decibels(left / max(whole, 1e-12)) <= ADDS_UP


def _best_peak(sharp: Array, plain: Array, home: int) -> int:
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


def blocks_of(
    mix: Sound, stems: Sequence[Sound], ways: Sequence[Way], at: int
) -> tuple[Array, list[Array], list[Array]]:
    """Return one block of the mix, and the stems there: moved as they fit, and as they are."""
    margin, count = int(FURTHEST * RATE), BLOCK * RATE
    whole = mix.read(at * BLOCK, BLOCK).astype(np.float64)
    moved, straight = [], []
    for stem, way in zip(stems, ways, strict=True):
        wide = stem.read(at * BLOCK - FURTHEST, BLOCK + 2 * FURTHEST).astype(np.float64)
        wide = on_channels(wide, whole.shape[0])
        moved.append(wide[:, margin + way.shift : margin + way.shift + count])
        straight.append(wide[:, margin : margin + count])
    return whole, moved, straight


def on_channels(samples: Array, channels: int) -> Array:
    """Lay one channel on those of a mix: on the centre where there is one, or else on all of them."""
    if samples.shape[0] == channels:
        return samples
    if channels not in _WITH_CENTRE:
        return np.repeat(samples, channels, axis=0)
    laid = np.zeros((channels, samples.shape[1]))
    laid[_CENTRE] = samples[0]
    return laid


def decibels(power: float) -> float:
    """Return a mean square in dB, ``FLOOR`` at least."""
    return max(10 * float(np.log10(max(power, 1e-13))), FLOOR)
