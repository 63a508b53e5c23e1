"""The sound of a file against its master's: how late, how loud, drifting, with sides exchanged or of inverted polarity.

Windows of sound are taken where the map says both files show the same moment, and laid on each other by correlation.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

import numpy as np

from brisk_core.facts import Sentence
from brisk_core.frames import RATE, Samples, read_sound
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

    def to_json(self) -> dict[str, Any]:
        """The value of ``master.sound``."""
        return {
            "offset": round(self.late, 4),
            "drift": self.drift,
            "gain": round(self.gain_db, 2),
            "swapped": self.swapped,
            "turned": list(self.turned),
            "same": self.same,
            "channels": list(self.channels),
            "windows": [[round(one.at, 2), round(one.late, 4), round(one.correlation, 3)] for one in self.windows],
        }


def lay(file: Samples, master: Samples, at: float) -> Laid | None:
    """Lay a window of the file on a wider one of the master, both around the same moment.

    ``master`` has the margin before and after. ``None`` where either is too quiet.
    """
    if min(_strength(file), _strength(master)) < _QUIET:
        return None
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
        late=((master.shape[1] - count) // 2 - lag) / RATE,
        correlation=float(np.max(np.abs(signs))),
        gain=float(np.median(gains)) if gains else 0.0,
        crossed=crossed,
        signs=tuple(signs),
    )


def _strength(samples: Samples) -> float:
    return float(np.sqrt(np.mean(np.square(samples, dtype=np.float64))))


def _correlation(one: Samples, other: Samples) -> float:
    size = _strength(one) * _strength(other) * one.shape[0]
    return float(np.sum(one.astype(np.float64) * other)) / size if size > 1e-9 else 0.0


def _best_lag(file: Samples, master: Samples) -> int:
    """Where in the master the window fits best, whichever channels fit and whatever their sign."""
    count, wide = file.shape[1], master.shape[1]
    size = 1 << (wide + count - 1).bit_length()
    lags = wide - count + 1
    spectra = [np.fft.rfft(channel, size) for channel in master[:_MOST_PAIRED]]
    summed = np.concatenate(
        [np.zeros((len(spectra), 1)), np.cumsum(np.square(master[:_MOST_PAIRED], dtype=np.float64), axis=1)], axis=1
    )
    around = np.sqrt(np.maximum(summed[:, count:][:, :lags] - summed[:, :lags], _QUIET**2 * count))
    scores = np.zeros(lags)
    for channel in file[:_MOST_PAIRED]:
        own = np.conj(np.fft.rfft(channel, size))
        size_of = max(_strength(channel), _QUIET) * np.sqrt(count)
        for other, spectrum in enumerate(spectra):
            product = np.abs(np.fft.irfft(spectrum * own, size)[:lags]) / (around[other] * size_of)
            scores = np.maximum(scores, product)
    return int(scores.argmax())


def compare_sound(
    file: Source, master: Source, moments: Sequence[tuple[float, float]], duration: float
) -> SoundVerdict | None:
    """Compare sound at some moments, pairs of seconds of file and master that show the same picture.

    ``duration`` is that of the file in seconds. ``None`` where either file has no sound or all of it is too quiet.
    """
    windows = []
    channels = (0, 0)
    length = min(_WINDOW, max(duration / 2, 0.5))
    for at, other in moments[:_MOST_WINDOWS]:
        start = min(max(at - length / 2, 0.0), max(duration - length, 0.0))
        own = read_sound(file, start, length)
        theirs = read_sound(master, other + (start - at) - _MARGIN, length + 2 * _MARGIN)
        if own is None or theirs is None:
            return None
        channels = (own.shape[0], theirs.shape[0])
        laid = lay(own, theirs, start + length / 2)
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
    if len(sure) >= 3 and times.max() - times.min() > 20:
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
    )


def tell_sound(found: SoundVerdict, rate: Fraction) -> tuple[tuple[Sentence, ...], str]:
    """Return the sentences and a short word; ``rate`` is frames a second of the file."""
    if not found.same:
        says = "The sound is not the master's: no window of it is found there."
        return (Sentence(says=says, frame=0, fault=True),), "another sound"
    told: list[Sentence] = []
    if found.drift:
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
