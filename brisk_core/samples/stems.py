"""The mix of the programme and its stems as files of their own, and one stem that comes late."""

from __future__ import annotations

import wave
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from brisk_core.samples.programme import LENGTH
from brisk_core.samples.sound import make_stems

MIX = "OLP_LAMPLIGHTERS_MIX.wav"
STEM_FILES = tuple(f"OLP_LAMPLIGHTERS_STEM_{name}.wav" for name in ("WATER", "HUM", "BELL"))
LATE_BELL = "OLP_LAMPLIGHTERS_STEM_BELL_V01.wav"  #: 40 ms late and 2 dB quieter
_RATE = 48_000
_LATE, _GAIN = 1920, 10 ** (-2 / 20)  # samples, and the gain of 2 dB less


def write_stems(folder: Path) -> None:
    """Write the mix, its stems, and the bell as it was sent first."""
    stems = make_stems(LENGTH, _RATE)
    for path, samples in zip(STEM_FILES, stems.values(), strict=True):
        _write(folder / path, samples)
    _write(folder / MIX, np.asarray(sum(stems.values()), np.float32))
    late = np.roll(stems["bell"], _LATE, axis=1)
    late[:, :_LATE] = 0
    _write(folder / LATE_BELL, np.asarray(late * _GAIN, np.float32))


def _write(path: Path, samples: NDArray[np.float32]) -> None:
    with wave.open(str(path), "wb") as file:
        file.setnchannels(samples.shape[0])
        file.setsampwidth(2)
        file.setframerate(_RATE)
        file.writeframes((np.clip(samples, -1, 1) * 32767).round().astype("<i2").T.tobytes())
