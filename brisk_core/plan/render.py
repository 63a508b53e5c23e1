"""A render that is planned, as people type it: read into the facts that it would have."""

from __future__ import annotations

from collections.abc import Mapping
from fractions import Fraction
from typing import Any

from brisk_core.exact import parse_bit_rate, parse_bytes, parse_rate, parse_ratio, parse_size, positive
from brisk_core.facts import REGISTRY, Inspection, Scan, keys
from brisk_core.plan.bits import INTRA, Sound
from brisk_core.plan.settings import planned_inspection
from brisk_core.plan.sounds import read_sound
from brisk_core.plan.words import Reader, read_count, read_length, read_yes

MOST_RENDERS = 50  #: planned ones in a plan
_WRAPPERS = REGISTRY[keys.WRAPPER_FORMAT.id].choices
_CODECS = REGISTRY[keys.PICTURE_CODEC.id].choices
_CHROMAS = REGISTRY[keys.PICTURE_CHROMA.id].choices
_ALPHAS = REGISTRY[keys.PICTURE_ALPHA.id].choices
_TEXTS = ("profile", "level")
_NO_SOUND = ("none", "no", "silent", "without")
#: The fields of a planned render; all but ``size`` may be left out, and what is left out is not known.
RENDER_FIELDS = (
    "name", "wrapper", "codec", "profile", "level", "size", "rate", "scan", "shape", "pixel_aspect", "chroma",
    "bit_depth", "alpha", "picture_rate", "bytes", "length", "group", "fast_start", "sounds", "sample_rate",
)  # fmt: skip


def read_renders(reader: Reader, asked: Mapping[str, Any], *, beside: bool) -> list[tuple[str, Inspection]]:
    """Return the planned renders of ``asked["renders"]`` by their names; ``beside``: are there files as well?

    Mistakes are noted, one of them where there is neither a file nor a planned render.
    """
    renders = asked.get("renders", [])
    if not isinstance(renders, list) or len(renders) > MOST_RENDERS:
        reader.note("renders", f"expected a list of at most {MOST_RENDERS} planned renders")
        renders = []
    if not renders and not beside:
        reader.note("plan", "met neither a file nor a planned render; expected at least one of either")
    return [read_render(reader, f"render {number}", row) for number, row in enumerate(renders, 1)]


def read_render(reader: Reader, place: str, row: Any) -> tuple[str, Inspection]:
    """Return the name of a planned render and its facts; mistakes are noted with their places.

    What is not given is not known, so no line of a spec that asks for it passes.
    """
    if not isinstance(row, Mapping):
        reader.note(place, f"met {row!r}; expected a mapping")
        row = {}
    reader.only(place, row, RENDER_FIELDS)
    given = {name: value for name, value in row.items() if value not in (None, "")}
    facts = _picture(reader, place, given) | _sound(reader, place, given)
    name = str(given.get("name") or "planned")
    return name, planned_inspection(wrapper_complete=True, picture_rate_mode="constant", picture_rotation=0, **facts)


def _picture(reader: Reader, place: str, given: Mapping[str, Any]) -> dict[str, Any]:
    facts: dict[str, Any] = {}
    at = f"{place}, "
    size = reader.take(f"{at}size", parse_size, given.get("size"), (2, 2))
    facts["picture_size"] = size
    for name, fact, choices in (
        ("wrapper", "wrapper_format", _WRAPPERS),
        ("codec", "picture_codec", _CODECS),
        ("chroma", "picture_chroma", _CHROMAS),
        ("alpha", "picture_alpha", _ALPHAS),
    ):
        if name in given:
            facts[fact] = reader.known(f"{at}{name}", given[name], choices)
    if "scan" in given:
        facts["picture_scan"] = Scan(reader.known(f"{at}scan", given["scan"], tuple(Scan)))
    facts |= {f"picture_{name}": str(given[name]) for name in _TEXTS if name in given}
    aspect = reader.take(f"{at}pixel_aspect", positive(parse_ratio), given.get("pixel_aspect", "1:1"), Fraction(1))
    shape = Fraction(*size) * aspect
    if "shape" in given:
        shape = reader.take(f"{at}shape", positive(parse_ratio), given["shape"], shape)
    facts |= {"picture_pixel_aspect": shape / Fraction(*size), "picture_display_aspect": shape}
    rate = None
    if "rate" in given:
        rate = facts["picture_frame_rate"] = reader.take(f"{at}rate", parse_rate, given["rate"], Fraction(25))
    for name, fact, read in (
        ("bit_depth", "picture_bit_depth", read_count),
        ("picture_rate", "bitrate_average", parse_bit_rate),
        ("bytes", "file_size", parse_bytes),
        ("group", "gop_longest", read_count),
        ("fast_start", "wrapper_index_first", read_yes),
    ):
        if name in given:
            facts[fact] = reader.take(f"{at}{name}", read, given[name], 1)
    if "length" in given and rate:
        frames = reader.take(f"{at}length", positive(lambda text: read_length(text, rate)), given["length"], 1)
        facts |= {"picture_frame_count": frames, "wrapper_duration": frames / rate}
    if given.get("codec") in INTRA and "group" not in given:
        facts["gop_longest"] = 1
    return facts


def _sound(reader: Reader, place: str, given: Mapping[str, Any]) -> dict[str, Any]:
    """What is said of the sound; nothing where nothing is given, and none where "none" is."""
    if "sounds" not in given:
        return {}
    said = given["sounds"]
    texts = [one.strip() for one in said.split(",") if one.strip()] if isinstance(said, str) else said
    if not isinstance(texts, list):
        reader.note(f"{place}, sounds", f"met {said!r}; expected a list of tracks, or none")
        return {}
    if not texts or [str(one).casefold() for one in texts] in [[word] for word in _NO_SOUND]:
        return {"sound_tracks": 0}
    nothing = Sound(codec="aac", bit_rate=1)
    read = [reader.take(f"{place}, sound {at}", read_sound, one, nothing) for at, one in enumerate(texts, 1)]
    tracks = [one for one in read for _ in range(one.tracks)]
    hertz = reader.take(f"{place}, sample_rate", positive(read_count), given.get("sample_rate", 48_000), 48_000)
    bits = tuple(one.bit_rate // (one.channels * one.sample_rate) if one.codec == "pcm" else None for one in tracks)
    return {
        "sound_tracks": len(tracks),
        "sound_codec": tuple(one.codec for one in tracks),
        "sound_channels": tuple(one.channels for one in tracks),
        "sound_sample_rate": (hertz,) * len(tracks),
        "sound_bitrate": tuple(one.bit_rate for one in tracks),
        "sound_bit_depth": bits,
    }
