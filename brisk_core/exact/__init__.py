"""Exact value types of the trade: ``whole`` numbers, ``rates``, ``timecode``, ``sizes``, ``bits``, ``durations``."""

from brisk_core.exact.bits import (
    parse_bit_rate,
    parse_bits,
    parse_bytes,
    spell_bit_rate,
    spell_bit_rate_exactly,
    spell_bytes,
)
from brisk_core.exact.durations import parse_seconds, spell_seconds
from brisk_core.exact.rates import (
    STANDARD_RATES,
    RateFamily,
    nearest_standard_rate,
    parse_rate,
    rate_family,
    rate_of_steps,
    spell_rate,
    spell_rate_exactly,
)
from brisk_core.exact.sizes import (
    display_aspect,
    parse_area,
    parse_ratio,
    parse_size,
    spell_ratio,
    spell_size,
)
from brisk_core.exact.timecode import Timecode, nominal_frames
from brisk_core.exact.whole import positive, read_whole

__all__ = [
    "STANDARD_RATES",
    "RateFamily",
    "Timecode",
    "display_aspect",
    "nearest_standard_rate",
    "nominal_frames",
    "parse_area",
    "parse_bit_rate",
    "parse_bits",
    "parse_bytes",
    "parse_rate",
    "parse_ratio",
    "parse_seconds",
    "parse_size",
    "positive",
    "rate_family",
    "rate_of_steps",
    "read_whole",
    "spell_bit_rate",
    "spell_bit_rate_exactly",
    "spell_bytes",
    "spell_rate",
    "spell_rate_exactly",
    "spell_ratio",
    "spell_seconds",
    "spell_size",
]
