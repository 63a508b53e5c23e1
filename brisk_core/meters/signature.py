"""Frame signatures: 64 bits that survive scaling, level shifts and coding."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import cv2
import numpy as np

from brisk_core.meters.picture import Picture

_EDGE = 32  # the small picture is brought to this square
_KEPT = 8  # lowest frequencies kept, down and across


class SignatureMeter:
    """Signs of the lowest frequencies of the picture, against their median; the mean level does not count."""

    name = "signature"
    row = np.dtype([("bits", "u8")])
    looks_back = False

    def measure(self, now: Picture, before: Sequence[Picture]) -> tuple[Any, ...]:
        """Return the signature as one number."""
        square = cv2.resize(now.small, (_EDGE, _EDGE), interpolation=cv2.INTER_AREA)
        low = cv2.dct(square)[: _KEPT + 1, : _KEPT + 1].ravel()[1 : _KEPT * _KEPT + 1]
        signs = low > np.partition(low, low.size // 2)[low.size // 2]
        return (int(np.packbits(signs).view(">u8")[0]),)
