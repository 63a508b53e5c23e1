"""Clicks: an impulse, a short piece of other sound, or a burst of noise, with the same sound before and after it.

Everything is judged by how far each sample lies from the line between its neighbours (its *bend*). Reaches are in
samples, 12.5 ms for 600 at 48 kHz, since what is changed is a number of samples whatever their rate. Sound that begins
or ends at once is no click; neither are pulses that come again, as those of a voice or a string do.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

CLICK = 12.0  #: times all bends around that the strongest one of a click is
_NEAR = 4  # samples around an impulse that are its own
_LONGEST = 600  # samples of a piece of other sound, or of noise, before and after its strongest bend
_FAR = 600  # samples before and after all of it that it is held against: at 48 kHz a period of 80 Hz
REACH = _LONGEST + _FAR + _NEAR  #: samples around a sample that are looked at
_QUIETEST = 1e-4
_SIDES, _QUIET_SIDE = 6.0, 0.001  # ratio of the sound before and after a click; below this both are silent
_SIDE = 240  # samples that are the sound before and after it
_LEAST_CLICK = 0.02  # of full scale
_HEARD = 0.003  # of full scale: sound in which a piece of other sound is none that belongs there
_NOISE, _NOISE_PEAK = 0.3, 0.8  # mean size and peak of a burst of noise, as changed bits of PCM are
_DENSE = 0.6  # of the samples of a burst whose bends are large
_FLAT = 0.5  # least ratio of its ends: what is struck dies away
_LEAST_NOISE = 24  # samples

Mono = NDArray[np.float32]


def strongest_click(part: Mono, begin: int, end: int) -> tuple[float, int]:
    """Return the strength of the strongest click from ``begin`` to ``end``, and its sample from ``begin``; 0 for none.

    ``part`` has ``REACH`` + 1 samples before ``begin`` and after ``end``; full scale is 1. A strength from
    ``CLICK`` on is a click.
    """
    bend = np.abs(part[1:-1] - (part[:-2] + part[2:]) / 2)
    at = int(bend[begin - 1 : end - 1].argmax())
    middle = begin - 1 + at  # in ``bend``, whose first is the second of ``part``
    peak = float(bend[middle])
    if peak <= _LEAST_CLICK:
        return 0.0, at
    around = bend[middle - _LONGEST - _FAR : middle + _LONGEST + _FAR + 1]
    large = np.flatnonzero(around * CLICK > peak) - _LONGEST - _FAR
    first, last = int(large[0]), int(large[-1])
    if -first <= _NEAR and last <= _NEAR:
        return (_impulse(part, bend, middle), at)
    if -first > _LONGEST or last > _LONGEST:
        return 0.0, at
    start, stop = middle + 1 + first, middle + 1 + last  # in ``part``
    before, after = _size(part[start - _SIDE - 1 : start - 1]), _size(part[stop + 2 : stop + 2 + _SIDE])
    if max(before, after) > _SIDES * max(min(before, after), _QUIET_SIDE):
        return 0.0, at
    inside = bend[middle + first : middle + last + 1]
    spoiled = _is_noise(part[start : stop + 1], inside, peak, max(before, after)) or (
        min(before, after) > _HEARD and _is_piece(inside, peak)
    )
    outside = np.concatenate([around[: first + _LONGEST + _FAR], around[last + _LONGEST + _FAR + 1 :]])
    return (peak / max(float(outside.max(initial=0)), _QUIETEST) if spoiled else 0.0), at


def _size(samples: Mono) -> float:
    return float(np.abs(samples).max(initial=0))


def _impulse(part: Mono, bend: Mono, middle: int) -> float:
    far = _LONGEST + _FAR
    before, after = bend[middle - far : middle - _NEAR], bend[middle + _NEAR + 1 : middle + far + 1]
    around = max(float(before.max(initial=0)), float(after.max(initial=0)), _QUIETEST)
    sides = [_size(part[middle + 1 - _SIDE - _NEAR : middle + 1]), _size(part[middle + 4 : middle + 1 + _SIDE + _NEAR])]
    return float(bend[middle]) / around if max(sides) <= _SIDES * max(min(sides), _QUIET_SIDE) else 0.0


def _is_noise(samples: Mono, bends: Mono, peak: float, beside: float) -> bool:
    """Is it as loud as what changed bits make of samples, over what is around, and does not die away?"""
    if len(samples) < _LEAST_NOISE:
        return False
    third = len(bends) // 3
    ends = sorted(float(np.sqrt((one * one).mean())) for one in (bends[:third], bends[-third:]))
    return bool(
        float(np.sqrt((samples * samples).mean())) >= _NOISE
        and _size(samples) >= max(_NOISE_PEAK, 2 * beside)
        and float(np.mean(bends * CLICK > peak)) >= _DENSE
        and ends[0] >= _FLAT * ends[1]
    )


def _is_piece(bends: Mono, peak: float) -> bool:
    """Is it smooth between its two ends?"""
    between = bends[_NEAR + 1 : -_NEAR - 1]
    return len(between) > 0 and float(between.max()) * CLICK <= peak
