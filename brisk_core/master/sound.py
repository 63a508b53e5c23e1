"""Windows of a file's sound laid on its master's: how late, how loud, and which channel carries which.

Windows are taken where the map says both files show the same moment, and laid on each other by correlation.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction

import cv2
import numpy as np

from brisk_core.frames import RATE, Samples, open_sound
from brisk_core.reading import Source

QUIET = 1e-3  #: root mean square below which a window says nothing (-60 dBFS)
SURE = 0.5  #: correlation from which a window counts as found
SIDES = 0.12  #: by how much a channel must be more like another one than like its own

_WINDOW, _MARGIN = 6.0, 2.0  # seconds of the file, and how much later or earlier it is looked for in the master
_LOUD = 10.0  # times a quiet window, from which a channel of the master should be heard
_WELL, _CLEARLY = 0.9, 0.05  # correlation below which other speeds are tried, and by which one must fit better
_SPEEDS = tuple(Fraction(*speed) for speed in ((1001, 1000), (1000, 1001), (25, 24), (24, 25)))
_ENVELOPE_RATE, _SURE_ENVELOPE = 1000, 0.6  # Hz, and correlation from which a window counts as found by it
_SOFT_STEPS, _SLOW_STEPS = 10, 250  # of the envelope
_MOST_PAIRED = 2  # channels of each file that are laid on one another to find the place
_MOST_ROUTED = 8  # channels of each file that are held against each other
_THE_SAME, _OTHERS = 0.995, 0.97  # correlation of two channels that are one, and up to which two are two
_APART, _NARROW = 0.0105, 0.3  # seconds from the rest at which a window is looked at again, and how far around
_AS_GOOD, _BESIDE = 0.98, 240  # of the best correlation, and samples beside such a place in which the best is taken
_AS_WELL = 0.95  # of its correlation, with which it lies at the place of the rest


@dataclass(frozen=True, slots=True, kw_only=True)
class Routing:
    """Which channel of the master each channel of the file carries; channels count from 0."""

    silent: tuple[int, ...] = ()  #: channels of the file that are silent where the master's are not
    carried: tuple[tuple[int, int], ...] = ()  #: channels of the file and the other channel of the master they carry
    one_for_both: bool = False  #: both channels of the file are the same, the master's are not


@dataclass(frozen=True, slots=True, kw_only=True)
class Laid:
    """One window of the file laid on the master."""

    at: float  #: seconds of the file
    late: float  #: seconds by which the sound comes later than the picture says
    correlation: float  #: of the channel that fits best, 0 to 1
    gain: float  #: file over master
    crossed: float  #: correlation of exchanged channels less that of straight ones; 0 for a single channel
    signs: tuple[float, ...]  #: correlation of every channel with the one it fits, signed
    speed: Fraction = Fraction(1)  #: of the sound over that of the picture
    routing: Routing = field(default_factory=Routing)


def lay(file: Samples, master: Samples, at: float, pace: Fraction = Fraction(1)) -> Laid | None:
    """Lay a window of the file on a wider one of the master, both around the same moment.

    ``master`` has the margin before and after; ``pace`` is how fast the picture of the file runs. ``None`` where either
    is too quiet. Sound that does not fit is tried at the speeds that are met in practice, then by its envelope.
    """
    if min(_strength(file), _strength(master)) < QUIET:
        return None
    best = _lay_at(file, master, at, pace, Fraction(1))
    if best.correlation < _WELL:
        others = [_lay_at(file, master, at, pace, speed) for speed in _SPEEDS]
        best = max([best, *others], key=lambda one: one.correlation - (_CLEARLY if one.speed != 1 else 0))
    if best.correlation < SURE:
        by_envelope = _lay_at(_envelope(file), _envelope(master), at, pace, Fraction(1), rate=_ENVELOPE_RATE)
        if by_envelope.correlation >= _SURE_ENVELOPE:
            return replace(by_envelope, crossed=0.0, gain=_strength(file) / _strength(master), signs=(1.0,))
    return best


def _routing(file: Samples, master: Samples) -> Routing:
    """Hold every channel of a window against every channel of the master's, both of one moment and length."""
    channels = min(file.shape[0], master.shape[0], _MOST_ROUTED)
    own, others = ([_strength(one) for one in samples[:channels]] for samples in (file, master))
    silent = tuple(at for at in range(channels) if own[at] < QUIET and others[at] > _LOUD * QUIET)
    carried = []
    for at in range(channels):
        if own[at] < QUIET or others[at] < QUIET:
            continue
        like = [abs(_correlation(file[at], master[other])) for other in range(channels)]
        best = int(np.argmax(like))
        if like[best] >= SURE and like[best] > like[at] + SIDES:
            carried.append((at, best))
    one_for_both = (
        channels == 2
        and min(*own, *others) >= QUIET
        and abs(_correlation(file[0], file[1])) > _THE_SAME
        and abs(_correlation(master[0], master[1])) < _OTHERS
    )
    return Routing(silent=silent, carried=tuple(carried), one_for_both=one_for_both)


def _lay_at(file: Samples, master: Samples, at: float, pace: Fraction, speed: Fraction, *, rate: int = RATE) -> Laid:
    """Lay a window that is taken to run at a speed beside the picture's."""
    file = _resampled(file, float(pace * speed))
    lag = _best_lag(file, master)
    count = file.shape[1]
    pieces = master[:, lag : lag + count]
    channels = min(file.shape[0], master.shape[0])
    straight = [_correlation(file[at_], pieces[at_]) for at_ in range(channels)]
    crossed, signs, order = 0.0, straight, list(range(channels))
    if channels == 2:
        across = [_correlation(file[0], pieces[1]), _correlation(file[1], pieces[0])]
        crossed = float(np.abs(across).mean() - np.abs(straight).mean())
        if crossed > SIDES:
            signs, order = across, [1, 0]
    powers = [_strength(pieces[at_]) for at_ in order]
    gains = [
        _strength(file[at_]) * abs(signs[at_]) / power
        for at_, power in enumerate(powers)
        if power > QUIET and _strength(file[at_]) > QUIET
    ]
    return Laid(
        at=at,
        late=((master.shape[1] - count) // 2 - lag) / rate,
        correlation=float(np.max(np.abs(signs))),
        gain=float(np.median(gains)) if gains else 0.0,
        crossed=crossed,
        signs=tuple(signs),
        speed=speed,
        routing=_routing(file, pieces) if rate == RATE else Routing(),
    )


def _resampled(samples: Samples, speed: float) -> Samples:
    """Samples that run at a speed, brought back to the speed of what they were made from."""
    if speed == 1:
        return samples
    count = samples.shape[1]
    places = np.arange(round(count * speed)) / speed
    return np.stack([np.interp(places, np.arange(count), channel) for channel in samples]).astype(np.float32)


def _envelope(samples: Samples) -> Samples:
    """How loud all channels are together, ``_ENVELOPE_RATE`` times a second, less what changes slowly."""
    step = RATE // _ENVELOPE_RATE
    count = samples.shape[1] // step
    power = np.square(samples[:, : count * step], dtype=np.float64).sum(axis=0).reshape(count, step).mean(axis=1)
    level = np.sqrt(np.convolve(power, np.ones(_SOFT_STEPS) / _SOFT_STEPS, "same"))
    slow = np.convolve(level, np.ones(_SLOW_STEPS) / _SLOW_STEPS, "same")
    return np.asarray((level - slow)[None] / max(float(level.mean()), 1e-9), np.float32)


def _strength(samples: Samples) -> float:
    return float(np.sqrt(np.mean(np.square(samples, dtype=np.float64))))


def _correlation(one: Samples, other: Samples) -> float:
    size = _strength(one) * _strength(other) * one.shape[0]
    return float(np.sum(one.astype(np.float64) * other)) / size if size > 1e-9 else 0.0


def _best_lag(file: Samples, master: Samples) -> int:
    """Where in the master the window fits best, whichever channels fit and whatever their sign.

    Channels are tried on those of the other side only where they do not fit their own.
    """
    count, wide = file.shape[1], master.shape[1]
    size = cv2.getOptimalDFTSize(wide)  # what wraps around lies beyond the last lag
    lags = wide - count + 1
    file, master = file[:_MOST_PAIRED], master[:_MOST_PAIRED]
    spectra = [np.fft.rfft(channel, size) for channel in master]
    summed = np.concatenate(
        [np.zeros((len(spectra), 1)), np.cumsum(np.square(master, dtype=np.float64), axis=1)], axis=1
    )
    around = np.sqrt(np.maximum(summed[:, count:][:, :lags] - summed[:, :lags], QUIET**2 * count))
    turned = [np.conj(np.fft.rfft(channel, size)) for channel in file]
    sizes = [max(_strength(channel), QUIET) * np.sqrt(count) for channel in file]
    scores = np.zeros(lags)
    pairs = [(one, other) for one in range(len(turned)) for other in range(len(spectra))]
    for one, other in sorted(pairs, key=lambda pair: pair[0] != pair[1]):
        if one != other and scores.max() >= _WELL:
            break
        product = np.fft.irfft(spectra[other] * turned[one], size)[:lags]
        scores = np.maximum(scores, np.abs(product) / (around[other] * sizes[one]))
    # A sound that comes again and again fits at many places; the nearest of them is meant.
    good = np.flatnonzero(scores >= _AS_GOOD * scores.max())
    near = int(good[np.abs(good - lags // 2).argmin()])
    around = slice(max(near - _BESIDE, 0), near + _BESIDE + 1)
    return int(around.start) + int(scores[around].argmax())


def lay_windows(
    file: Source, master: Source, moments: Sequence[tuple[float, float]], duration: float, pace: Fraction = Fraction(1)
) -> tuple[list[Laid], tuple[int, int]] | None:
    """Lay the sound at some moments, pairs of seconds of file and master that show the same picture.

    ``duration`` is that of the file in seconds, ``pace`` how many seconds of the master its picture shows in one.
    Returns the windows in which both are loud enough, and the channels of file and master; ``None`` where either has
    no sound.
    """
    length = min(_WINDOW, max(duration / 2, 0.5))
    with open_sound(file) as own_track, open_sound(master) as their_track:
        if own_track is None or their_track is None:
            return None

        def laid(at: float, other: float, late: float, margin: float) -> Laid | None:
            start = min(max(at - length / 2, 0.0), max(duration - length, 0.0))
            own = own_track.read(start, length)
            middle = other + (start + length / 2 - at) * float(pace) - late
            theirs = their_track.read(middle - length / 2 - margin, length + 2 * margin)
            found = lay(own, theirs, start + length / 2, pace)
            return found and replace(found, late=found.late + late)

        windows = {moment: one for moment in moments if (one := laid(*moment, 0.0, _MARGIN)) is not None}
        usual = float(np.median([one.late for one in windows.values()])) if windows else 0.0
        for moment, one in windows.items():
            if abs(one.late - usual) > _APART:  # a phrase that comes again may lie there by chance
                again = laid(*moment, usual, _NARROW)
                if again is not None and again.correlation >= _AS_WELL * one.correlation:
                    windows[moment] = again
        return list(windows.values()), (own_track.channels, their_track.channels)
