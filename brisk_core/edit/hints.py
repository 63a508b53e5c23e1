"""What a person adds to an edit because its format cannot say it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from brisk_core.errors import ValueRefused
from brisk_core.exact import parse_rate, parse_ratio, parse_size, read_whole
from brisk_core.facts import FieldOrder, Scan

_SCANS = (Scan.PROGRESSIVE, Scan.INTERLACED)


@dataclass(frozen=True, slots=True, kw_only=True)
class EditHints:
    """What a person adds because the format cannot say it; wins over the file."""

    rate: Fraction | None = None
    assumed_rate: Fraction | None = None  #: used when the edit states no rate; does not count as stated
    size: tuple[int, int] | None = None
    scan: Scan | None = None
    field_order: FieldOrder | None = None
    pixel_aspect: Fraction | None = None
    sample_rate: int | None = None
    start: str | None = None  #: timecode label

    @classmethod
    def from_json(cls, document: Mapping[str, Any]) -> EditHints:
        """Read hints from plain JSON values; raises ``ValueRefused`` naming the wrong one, for unknown names too."""
        readers: dict[str, Callable[[Any], Any]] = {
            "rate": parse_rate,
            "assumed_rate": parse_rate,
            "size": parse_size,
            "pixel_aspect": parse_ratio,
            "scan": _read_scan,
            "field_order": _read_order,
            "sample_rate": _read_sample_rate,
            "start": str,
        }
        if unknown := sorted(set(document) - set(readers)):
            raise ValueRefused(f"met {unknown[0]!r} beside an edit; expected one of {', '.join(readers)}")
        read: dict[str, Any] = {
            name: readers[name](value) for name, value in document.items() if value not in (None, "")
        }
        return cls(**read)


def _read_scan(value: object) -> str:
    if value not in _SCANS:
        raise ValueRefused(f"met {value!r} as the scan of a timeline; expected progressive or interlaced")
    return str(value)


def _read_order(value: object) -> str:
    if value not in (FieldOrder.TOP, FieldOrder.BOTTOM):
        raise ValueRefused(f"met {value!r} as a field order; expected top or bottom")
    return str(value)


def _read_sample_rate(value: object) -> int:
    number = read_whole(value) if isinstance(value, str) else value
    if not isinstance(number, int) or not 1 <= number <= 1_000_000:
        raise ValueRefused(f"met {str(value)[:40]!r} as a sample rate; expected whole Hz such as 48000")
    return number
