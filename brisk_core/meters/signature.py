"""Frame signatures: 64 bits that survive scaling, level shifts and coding, and the picture's lowest waves exactly.

The bits find a frame among two hours of others; the waves tell it from the frame beside it, and a blend of two frames
from both, because the wave of a blend is the blend of the waves.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import cv2
import numpy as np

from brisk_core.meters.picture import Picture

_EDGE = 32  # the small picture is brought to this square
_KEPT = 8  # lowest frequencies kept, down and across
_WAVES = 11  # lowest frequencies kept as numbers, the mean first
_STEPS = 128  # a code value, in steps of a wave
_LEAST, _MOST = -32768, 32767
#: Places of the waves in the cosine transform, by rising frequency, down before across.
_PLACES = sorted(((d, a) for d in range(5) for a in range(5)), key=lambda one: (sum(one), one))[:_WAVES]
_DOWN, _ACROSS = ([place[axis] for place in _PLACES] for axis in (0, 1))


class SignatureMeter:
    """Signs of the lowest frequencies of the picture, against their median; the mean level does not count."""

    name = "signature"
    row = np.dtype([("bits", "u8"), ("waves", "i2", _WAVES)])
    looks_back = False

    def measure(self, now: Picture, before: Sequence[Picture]) -> tuple[Any, ...]:
        """Return the signature as one number and the lowest waves, in 1/128 of a code value (8-bit)."""
        square = cv2.resize(now.small, (_EDGE, _EDGE), interpolation=cv2.INTER_AREA)
        spectrum = cv2.dct(square)
        low = spectrum[: _KEPT + 1, : _KEPT + 1].ravel()[1 : _KEPT * _KEPT + 1]
        signs = low > np.partition(low, low.size // 2)[low.size // 2]
        waves = np.rint(spectrum[_DOWN, _ACROSS] * (_STEPS / _EDGE)).clip(_LEAST, _MOST)
        return int(np.packbits(signs).view(">u8")[0]), waves.astype(np.int16)
