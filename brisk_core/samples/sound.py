"""The sound of the programme: water, a slow bell, a hum that rises with the lamps."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

_HOLE = (3.2, 3.34)  # seconds
_GAIN = 1.1  # brings the mix to -23 LUFS (EBU R 128)
_WATER_RATE = 8000  # points of noise a second: water has nothing above 4 kHz


STEMS = ("water", "hum", "bell")


def make_stems(length: Fraction, sample_rate: int) -> dict[str, NDArray[np.float32]]:
    """Return the parts of the sound, each ``(2, samples)`` in −1 to 1; their sum is the mix."""
    count = round(length * sample_rate)
    time = np.arange(count, dtype=np.float64) / sample_rate
    random = np.random.default_rng(3)
    coarse = random.normal(0, 1, int(_WATER_RATE * (float(length) + 1)))
    hiss = np.interp(time, np.arange(len(coarse)) / _WATER_RATE, coarse)
    water = hiss * (0.020 + 0.012 * np.sin(2 * np.pi * 0.31 * time))
    hum = 0.05 * np.sin(2 * np.pi * 110 * time) * np.minimum(1, time / 4)
    bell = np.zeros(count)
    for struck in np.arange(0.6, float(length), 1.9):
        after = np.maximum(time - struck, 0)
        bell += (time >= struck) * 0.16 * np.exp(-2.4 * after) * np.sin(2 * np.pi * 523.25 * after)
    parts = ((water, np.roll(water, sample_rate // 90)), (hum, hum), (bell * 0.8, bell))
    return {name: (_GAIN * np.stack(part)).astype(np.float32) for name, part in zip(STEMS, parts, strict=True)}


def make_sound(length: Fraction, sample_rate: int, *, dropout: bool = False) -> NDArray[np.float32]:
    """Return ``(2, samples)`` of float sound in −1 to 1, the same moments at any rate, with a dropout if asked."""
    mix = np.asarray(sum(make_stems(length, sample_rate).values()), np.float32)
    if dropout:
        mix[:, int(_HOLE[0] * sample_rate) : int(_HOLE[1] * sample_rate)] = 0
    return mix
