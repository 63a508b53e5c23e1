"""What an own reader leaves of a wrapper for the passes that follow, the same for every format."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from brisk_core.facts import FactsBuilder, Track, keys
from brisk_core.reading.wrappers.movie import Movie


@dataclass(slots=True, kw_only=True)
class Structure:
    """A wrapper as its own reader found it. What it declares of the picture stands in the builder already."""

    format: str  #: as the registry names it
    movie: Movie | None = None  #: ISO base media only
    #: What each sound track declares, in track order: codec, sample_rate, channels, bit_depth, layout, bitrate, place.
    sounds: list[dict[str, Any]] = field(default_factory=list)
    tracks: tuple[Track, ...] | None = None  #: None where no own reader lists them
    declares_picture: bool = False  #: has the wrapper's own word on the picture been recorded?
    packet_size: int | None = None  #: transport streams only


def say_completeness(builder: FactsBuilder, damage: list[str]) -> None:
    """Record that a wrapper is complete, or what is damaged about it."""
    builder.observed(keys.WRAPPER_COMPLETE, not damage)
    builder.observed(keys.WRAPPER_DAMAGE, tuple(damage))
