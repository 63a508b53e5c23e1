"""Bit rates and sizes in bytes, with decimal units: 50 Mb/s is 50,000,000 bit/s, 20 MB is 20,000,000 bytes."""

from __future__ import annotations

import re
from decimal import Decimal
from fractions import Fraction

from brisk_core.errors import ValueRefused

_NUMBER = r"(\d{1,15}(?:\.\d{1,9})?)"
_RATE = re.compile(_NUMBER + r"\s*(bit/s|b/s|bps|kbit/s|kb/s|kbps|Mbit/s|Mb/s|Mbps|Gbit/s|Gb/s|Gbps)")
_BYTES = re.compile(_NUMBER + r"\s*(B|bytes|kB|KB|MB|GB|TB|KiB|MiB|GiB|TiB)")
_BITS = re.compile(_NUMBER + r"\s*(bit|b|kbit|kb|Mbit|Mb|Gbit|Gb)")
_PREFIX = {"b": 1, "k": 1_000, "M": 1_000_000, "G": 1_000_000_000}
_BYTE_UNITS = {
    "B": 1,
    "bytes": 1,
    "kB": 1_000,
    "KB": 1_000,
    "MB": 1_000_000,
    "GB": 1_000_000_000,
    "TB": 1_000_000_000_000,
    "KiB": 1 << 10,
    "MiB": 1 << 20,
    "GiB": 1 << 30,
    "TiB": 1 << 40,
}


def _whole(number: str, factor: int, value: object, unit: str) -> int:
    exact = Fraction(number) * factor
    if exact.denominator != 1:
        raise ValueRefused(f"met {value!r}; expected a whole number of {unit}")
    return exact.numerator


def parse_bit_rate(value: object) -> int:
    """Read bits a second from ``"50 Mb/s"``, ``"192 kb/s"`` or a whole number; raises ``ValueRefused`` otherwise."""
    if isinstance(value, int) and not isinstance(value, bool) and value >= 0:
        return value
    if isinstance(value, str) and (match := _RATE.fullmatch(value.strip())):
        return _whole(match[1], _PREFIX[match[2][0]], value, "bits a second")
    raise ValueRefused(f'met {value!r} as a bit rate; expected such as "50 Mb/s", "192 kb/s" or whole bits a second')


def parse_bits(value: object) -> int:
    """Read bits from ``"30 Mb"``, ``"9781 kb"`` or a whole number; raises ``ValueRefused`` otherwise."""
    if isinstance(value, int) and not isinstance(value, bool) and value >= 0:
        return value
    if isinstance(value, str) and (match := _BITS.fullmatch(value.strip())):
        return _whole(match[1], _PREFIX[match[2][0]], value, "bits")
    raise ValueRefused(f'met {value!r} as a size in bits; expected such as "30 Mb" or whole bits')


def parse_bytes(value: object) -> int:
    """Read bytes from ``"20 MB"``, ``"4.7 GB"``, ``"1 GiB"`` or a whole number; raises ``ValueRefused`` otherwise."""
    if isinstance(value, int) and not isinstance(value, bool) and value >= 0:
        return value
    if isinstance(value, str) and (match := _BYTES.fullmatch(value.strip())):
        return _whole(match[1], _BYTE_UNITS[match[2]], value, "bytes")
    raise ValueRefused(f'met {value!r} as a size in bytes; expected such as "20 MB", "1 GiB" or whole bytes')


def _scaled(value: int, steps: tuple[tuple[int, str], ...]) -> str:
    for factor, unit in steps:
        if value >= factor:
            number = value / factor
            digits = 0 if number >= 100 and value % factor == 0 else 1 if number >= 10 else 2
            text = f"{number:.{digits}f}"
            return f"{text.rstrip('0').rstrip('.') if '.' in text else text} {unit}"
    return f"{value} {steps[-1][1]}"


def spell_bit_rate(bits_per_second: int) -> str:
    """Return such as ``49.8 Mb/s``; rounded for reading, never for comparing."""
    return _scaled(bits_per_second, ((1_000_000, "Mb/s"), (1_000, "kb/s"), (1, "bit/s")))


def spell_bit_rate_exactly(bits_per_second: int) -> str:
    """Return such as ``10.08 Mb/s``, with every digit that counts: for what is required, which must not be rounded."""
    for factor, unit in ((1_000_000, "Mb/s"), (1_000, "kb/s")):
        if bits_per_second >= factor and bits_per_second * 1000 % factor == 0:
            return f"{Decimal(bits_per_second) / factor:f} {unit}"
    return f"{bits_per_second:,} bit/s"


def spell_bytes(size: int) -> str:
    """Return such as ``3.1 GB``; rounded for reading, never for comparing."""
    return _scaled(size, ((1_000_000_000, "GB"), (1_000_000, "MB"), (1_000, "kB"), (1, "B")))
