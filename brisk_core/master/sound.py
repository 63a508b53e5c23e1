"""The sound of a file against its master's: how late, how loud, drifting, with sides exchanged or of inverted polarity.

Windows of sound are taken where the map says both files show the same moment, and laid on each other by correlation.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any

import cv2
import numpy as np

from brisk_core.facts import Sentence
from brisk_core.frames import RATE, Samples, open_sound
from brisk_core.reading import Source

_WINDOW, _MARGIN = 6.0, 2.0  # seconds of the file, and how much later or earlier it is looked for in the master
_MOST_WINDOWS = 10
_QUIET = 1e-3  # root mean square below which a window says nothing (-60 dBFS)
_SURE = 0.5  # correlation from which a window counts as found
_SAME = 0.35  # below it the sound is another one
_LATE = 0.0105  # seconds; half a frame of 48 a second, and what coders leave at the start
_LOUDER = 0.3  # dB
_DRIFT = 2e-5  # seconds a second: 0.1 s in 80 minutes
_SIDES = 0.12  # by how much crossed channels must fit better than straight ones
_CLEARLY_LOUDER = 1.0  # dB
_WELL, _CLEARLY = 0.9, 0.05  # correlation below which other speeds are tried, and by which one must fit better
_SPEEDS = tuple(Fraction(*speed) for speed in ((1001, 1000), (1000, 1001), (25, 24), (24, 25)))
_ENVELOPE_RATE, _SURE_ENVELOPE = 1000, 0.6  # Hz, and correlation from which a window counts as found by it
_SOFT_STEPS, _SLOW_STEPS = 10, 250  # of the envelope
_MOST_PAIRED = 2  # channels of each file that are laid on one another to find the place


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


@dataclass(frozen=True, slots=True, kw_only=True)
class SoundVerdict:
    """What all windows say."""

    late: float  #: seconds, the median
    drift: float  #: seconds a second
    gain_db: float
    swapped: bool
    turned: tuple[int, ...]  #: channels from 1 whose polarity is inverted
    same: bool  #: is it the master's sound at all?
    windows: tuple[Laid, ...]
    channels: tuple[int, int]  #: of the file and of the master
    speed: Fraction = Fraction(1)  #: of the sound over that of the picture

    @property
    def look(self) -> bool:
        """Is the loudness so far from the master's that a person should say whether it was meant?"""
        return self.same and abs(self.gain_db) > _CLEARLY_LOUDER

    def to_json(self) -> dict[str, Any]:
        """The value of ``master.sound``."""
        return {
            "offset": round(self.late, 4),
            "drift": self.drift,
            "gain": round(self.gain_db, 2),
            "swapped": self.swapped,
            "turned": list(self.turned),
            "same": self.same,
            "speed": f"{self.speed.numerator}/{self.speed.denominator}",
            "channels": list(self.channels),
            "windows": [[round(one.at, 2), round(one.late, 4), round(one.correlation, 3)] for one in self.windows],
        }


def lay(file: Samples, master: Samples, at: float, pace: Fraction = Fraction(1)) -> Laid | None:
    """Lay a window of the file on a wider one of the master, both around the same moment.

    ``master`` has the margin before and after; ``pace`` is how fast the picture of the file runs. ``None`` where either
    is too quiet. Sound that does not fit is tried at the speeds that are met in practice, then by its envelope.
    """
    if min(_strength(file), _strength(master)) < _QUIET:
        return None
    best = _lay_at(file, master, at, pace, Fraction(1))
    if best.correlation < _WELL:
        others = [_lay_at(file, master, at, pace, speed) for speed in _SPEEDS]
        best = max([best, *others], key=lambda one: one.correlation - (_CLEARLY if one.speed != 1 else 0))
    if best.correlation < _SURE:
        by_envelope = _lay_at(_envelope(file), _envelope(master), at, pace, Fraction(1), rate=_ENVELOPE_RATE)
        if by_envelope.correlation >= _SURE_ENVELOPE:
            return replace(by_envelope, crossed=0.0, gain=_strength(file) / _strength(master), signs=(1.0,))
    return best


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
        if crossed > _SIDES:
            signs, order = across, [1, 0]
    powers = [_strength(pieces[at_]) for at_ in order]
    gains = [_strength(file[at_]) * abs(signs[at_]) / power for at_, power in enumerate(powers) if power > _QUIET]
    return Laid(
        at=at,
        late=((master.shape[1] - count) // 2 - lag) / rate,
        correlation=float(np.max(np.abs(signs))),
        gain=float(np.median(gains)) if gains else 0.0,
        crossed=crossed,
        signs=tuple(signs),
        speed=speed,
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
    around = np.sqrt(np.maximum(summed[:, count:][:, :lags] - summed[:, :lags], _QUIET**2 * count))
    turned = [np.conj(np.fft.rfft(channel, size)) for channel in file]
    sizes = [max(_strength(channel), _QUIET) * np.sqrt(count) for channel in file]
    scores = np.zeros(lags)
    pairs = [(one, other) for one in range(len(turned)) for other in range(len(spectra))]
    for one, other in sorted(pairs, key=lambda pair: pair[0] != pair[1]):
        if one != other and scores.max() >= _WELL:
            break
        product = np.fft.irfft(spectra[other] * turned[one], size)[:lags]
        scores = np.maximum(scores, np.abs(product) / (around[other] * sizes[one]))
    return int(scores.argmax())


def compare_sound(
    file: Source, master: Source, moments: Sequence[tuple[float, float]], duration: float, pace: Fraction = Fraction(1)
) -> SoundVerdict | None:
    """Compare sound at some moments, pairs of seconds of file and master that show the same picture.

    ``duration`` is that of the file in seconds, ``pace`` how many seconds of the master its picture shows in one.
    ``None`` where either file has no sound or all of it is too quiet.
    """
    windows = []
    length = min(_WINDOW, max(duration / 2, 0.5))
    with open_sound(file) as own_track, open_sound(master) as their_track:
        if own_track is None or their_track is None:
            return None
        channels = (own_track.channels, their_track.channels)
        for at, other in moments[:_MOST_WINDOWS]:
            start = min(max(at - length / 2, 0.0), max(duration - length, 0.0))
            own = own_track.read(start, length)
            middle = other + (start + length / 2 - at) * float(pace)
            theirs = their_track.read(middle - length / 2 - _MARGIN, length + 2 * _MARGIN)
            laid = lay(own, theirs, start + length / 2, pace)
            if laid is not None:
                windows.append(laid)
    return conclude(windows, channels) if windows else None


def conclude(windows: Sequence[Laid], channels: tuple[int, int]) -> SoundVerdict:
    """Return what all windows say together."""
    sure = [one for one in windows if one.correlation >= _SURE]
    if not sure:
        return SoundVerdict(
            late=0, drift=0, gain_db=0, swapped=False, turned=(), same=False, windows=tuple(windows), channels=channels
        )
    lates = np.array([one.late for one in sure])
    times = np.array([one.at for one in sure])
    drift = 0.0
    speed = Counter(one.speed for one in sure).most_common(1)[0][0]
    if speed == 1 and len(sure) >= 3 and times.max() - times.min() > 20:
        drift = float(np.polyfit(times, lates, 1)[0])
    gain = float(np.median([one.gain for one in sure]))
    turned = tuple(
        channel + 1
        for channel in range(min(len(one.signs) for one in sure))
        if float(np.median([one.signs[channel] for one in sure])) < -_SAME
    )
    return SoundVerdict(
        late=float(np.median(lates)),
        drift=drift if abs(drift) > _DRIFT else 0.0,
        gain_db=20 * float(np.log10(max(gain, 1e-6))),
        swapped=float(np.median([one.crossed for one in sure])) > _SIDES,
        turned=turned,
        same=len(sure) >= len(windows) / 2,
        windows=tuple(windows),
        channels=channels,
        speed=speed,
    )


def tell_sound(found: SoundVerdict, rate: Fraction) -> tuple[tuple[Sentence, ...], str]:
    """Return the sentences and a short word; ``rate`` is frames a second of the file."""
    if not found.same:
        says = "The sound is not the master's: no window of it is found there."
        return (Sentence(says=says, frame=0, fault=True),), "another sound"
    told: list[Sentence] = []
    if found.speed != 1:
        much, pace = abs(float(found.speed) - 1) * 100, "faster" if found.speed > 1 else "slower"
        says = f"The sound runs {much:.1f} % {pace} than the picture: it was taken for sound of another rate."
        told.append(Sentence(says=says, frame=0, fault=True))
    elif found.drift:
        first, last = found.windows[0], found.windows[-1]
        says = (
            f"The sound drifts against the picture: {first.late * 1000:+.0f} ms at {first.at:.0f} s and "
            f"{last.late * 1000:+.0f} ms at {last.at:.0f} s, {found.drift * 3.6e6:.0f} ms an hour."
        )
        told.append(Sentence(says=says, frame=0, fault=True))
    elif abs(found.late) > _LATE:
        word = "late" if found.late > 0 else "early"
        frames = abs(found.late) * float(rate)
        says = f"The sound is {abs(found.late) * 1000:.0f} ms {word} against the master, {frames:.1f} frames."
        told.append(Sentence(says=says, frame=0, fault=True))
    if found.swapped:
        told.append(Sentence(says="Left and right are exchanged.", frame=0, fault=True))
    if found.turned:
        names = " and ".join(str(channel) for channel in found.turned)
        word = "Channel" if len(found.turned) == 1 else "Channels"
        verb = "is" if len(found.turned) == 1 else "are"
        told.append(Sentence(says=f"{word} {names} {verb} inverted in polarity.", frame=0, fault=True))
    if abs(found.gain_db) > _LOUDER:
        word = "louder" if found.gain_db > 0 else "quieter"
        says = f"The sound is {abs(found.gain_db):.1f} dB {word} than the master's."
        told.append(Sentence(says=says, frame=0, fault=False))
    if found.channels[0] != found.channels[1]:
        says = f"The file has {found.channels[0]} channels, the master {found.channels[1]}."
        told.append(Sentence(says=says, frame=0, fault=False))
    return tuple(told), "; ".join(one.says.rstrip(".").lower() for one in told if one.fault) or "in step"
