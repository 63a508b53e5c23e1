"""Picture sizes in luma samples, areas and aspect ratios."""

from __future__ import annotations

import re
from fractions import Fraction

from brisk_core.errors import ValueRefused

Size = tuple[int, int]  # width, height
Area = tuple[int, int, int, int]  # x, y, width, height

_SIZE = re.compile(r"(\d{1,6})\s*[x×]\s*(\d{1,6})", re.IGNORECASE)
_RATIO = re.compile(r"(\d{1,6})\s*[:/]\s*(\d{1,6})")
_LARGEST = 65535  # the largest width and height any of the read formats can code


def _is_count(value: object) -> bool:
    return isinstance(value, int) and not isinstance(value, bool)


def parse_size(value: object) -> Size:
    """Read ``"1920×1080"``, ``"1920x1080"`` or ``[1920, 1080]``; raises ``ValueRefused`` otherwise."""
    pair: Size | None = None
    if isinstance(value, str) and (match := _SIZE.fullmatch(value.strip())):
        pair = (int(match[1]), int(match[2]))
    elif isinstance(value, list | tuple) and len(value) == 2 and all(_is_count(part) for part in value):
        pair = (value[0], value[1])
    if pair is None or not all(1 <= part <= _LARGEST for part in pair):
        raise ValueRefused(f'met {value!r} as a size; expected width and height such as "1920×1080" or [1920, 1080]')
    return pair


def parse_area(value: object) -> Area:
    """Read ``[x, y, width, height]`` in luma samples; raises ``ValueRefused`` otherwise."""
    if isinstance(value, list | tuple) and len(value) == 4 and all(_is_count(part) and part >= 0 for part in value):
        return (value[0], value[1], value[2], value[3])
    raise ValueRefused(f"met {value!r} as an area; expected [x, y, width, height]")


def parse_ratio(value: object) -> Fraction:
    """Read ``"16:9"`` or ``"16/9"`` or a whole number; raises ``ValueRefused`` otherwise."""
    if isinstance(value, Fraction) and value > 0:
        return value
    if _is_count(value) and isinstance(value, int) and value > 0:
        return Fraction(value)
    if isinstance(value, str) and (match := _RATIO.fullmatch(value.strip())) and int(match[1]) and int(match[2]):
        return Fraction(int(match[1]), int(match[2]))
    raise ValueRefused(f'met {value!r} as a ratio; expected two whole numbers such as "16:9"')


def spell_size(size: Size) -> str:
    """Return ``1920 × 1080``."""
    return f"{size[0]} × {size[1]}"


def spell_ratio(ratio: Fraction) -> str:
    """Return ``16:9``."""
    return f"{ratio.numerator}:{ratio.denominator}"


def display_aspect(size: Size, pixel_aspect: Fraction, rotation: int = 0) -> Fraction:
    """Return the shape a viewer sees: width over height after pixel shape and rotation (0, 90, 180 or 270 degrees)."""
    shape = Fraction(size[0], size[1]) * pixel_aspect
    return 1 / shape if rotation in (90, 270) else shape
