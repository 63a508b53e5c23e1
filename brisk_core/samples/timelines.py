"""The source edits of the programme: one as OTIO, one as EDL."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import opentimelineio as otio

from brisk_core.exact import Timecode
from brisk_core.samples.programme import LENGTH, SHOTS, START_TIMECODE, TITLE

WIDE_EDIT = "canal_lock_v9.otio"
TALL_EDIT = "canal_tall_v2.edl"
TALL_RATE = Fraction(30)
_HANDLE = 25  # frames of media before each clip


def _bounds(rate: Fraction) -> list[tuple[str, int, int]]:
    ends = [shot.start for shot in SHOTS[1:]] + [LENGTH]
    return [(shot.name, int(shot.start * rate), int(end * rate)) for shot, end in zip(SHOTS, ends, strict=True)]


# : What the source of a shot is, where it is not as the timeline: phone footage, a small clip, film, sound from
# elsewhere.
_SOURCES: dict[str, dict[str, object]] = {
    "Keys": {"rate": "28.8", "rate_mode": "variable", "size": "1920×1080", "scan": "progressive"},
    "Rope": {"rate": "30", "size": "1280×720", "scan": "progressive", "sample_rate": 44100},
    "Match": {"rate": "23.976", "size": "2048×1080", "scan": "progressive"},
    "Dusk": {"size": "1440×1080", "pixel_aspect": "1:1"},
}
_AS_TIMELINE: dict[str, object] = {"rate": "25", "size": "1920×1080", "scan": "interlaced", "sample_rate": 48000}


def _media(name: str, rate: int) -> otio.schema.ExternalReference:
    """The media of a shot: a minute of it, with what is known of its pictures and sound."""
    known = _AS_TIMELINE | {"bit_depth": 8, "rate_mode": "constant"} | _SOURCES.get(name, {})
    around = otio.opentime.TimeRange(otio.opentime.RationalTime(0, rate), otio.opentime.RationalTime(60 * rate, rate))
    reference = otio.schema.ExternalReference(
        target_url=f"canal/{name.lower().replace(' ', '_')}.mov", available_range=around
    )
    reference.metadata["brisk_sentry"] = known
    return reference


def write_wide(path: Path) -> None:
    """Write the wide timeline: 1920 × 1080, 25 frames a second, from 10:00:00:00."""
    rate = 25
    timeline = otio.schema.Timeline(
        name="Canal lock v9", global_start_time=otio.opentime.RationalTime(10 * 3600 * rate, rate)
    )
    timeline.metadata["brisk_sentry"] = {
        "size": "1920×1080",
        "scan": "interlaced",
        "field_order": "top",
        "pixel_aspect": "1:1",
        "sample_rate": 48000,
    }
    picture = otio.schema.Track(name="V1", kind=otio.schema.TrackKind.Video)
    sound = otio.schema.Track(name="A1", kind=otio.schema.TrackKind.Audio)
    for name, start, end in _bounds(Fraction(rate)):
        for track in (picture, sound):
            source = otio.opentime.TimeRange(
                otio.opentime.RationalTime(_HANDLE, rate), otio.opentime.RationalTime(end - start, rate)
            )
            track.append(otio.schema.Clip(name=name, source_range=source, media_reference=_media(name, rate)))
    picture.markers.append(
        otio.schema.Marker(name="Lamps lit", marked_range=otio.opentime.TimeRange(otio.opentime.RationalTime(50, rate)))
    )
    timeline.tracks.extend([picture, sound])
    otio.adapters.write_to_file(timeline, str(path), "otio_json")


def write_tall(path: Path) -> None:
    """Write the tall timeline as an EDL at 30 frames a second, from 10:00:00:00."""
    start = Timecode.parse(START_TIMECODE, TALL_RATE)
    lines = [f"TITLE: {TITLE.upper().replace('’', '')} TALL", "FCM: NON-DROP FRAME", ""]
    for number, (name, first, end) in enumerate(_bounds(TALL_RATE), 1):
        source = Timecode.parse("01:00:00:00", TALL_RATE).plus(first)
        times = (source, source.plus(end - first), start.plus(first), start.plus(end))
        lines.append(f"{number:03}  AX       V     C        {' '.join(map(str, times))}")
        lines.append(f"* FROM CLIP NAME: {name.upper()}")
    path.write_text("\n".join(lines) + "\n", encoding="ascii")
