"""The plan of a disc as people write it: ``brisk-sentry/disc/1``, in YAML or JSON."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from importlib import resources
from typing import Any

from brisk_core.errors import PlanRefused, SpecRefused, ValueRefused
from brisk_core.exact import parse_bit_rate, parse_bytes, parse_seconds, positive
from brisk_core.facts import Inspection, keys
from brisk_core.plan.bits import RESERVE, Sound
from brisk_core.plan.disc.items import ARROWS, Button, Chapter, Clip, Disc, Item, Lead, Part, PlayList, Screen, Way
from brisk_core.plan.disc.kinds import FAMILIES, KINDS
from brisk_core.plan.render import RENDER_FIELDS, read_render
from brisk_core.plan.words import Reader, met, read_count, read_length, read_percent, read_yes
from brisk_core.spec.document import read_document

DISC_SCHEMA = "brisk-sentry/disc/1"
MOST_ITEMS, MOST_BUTTONS, MOST_PARTS, MOST_CHAPTERS = 5_000, 1_000, 5_000, 5_000
_MOST_ORDERS, _MOST_SHUFFLED = 300, 300  # of a list: orders, and clips that are shuffled
_MOST_PLAYED = 30_000  # clips of all shuffled orders of a disc together
_ID = re.compile(r"[a-z0-9][a-z0-9-]{0,63}")
_WAY = re.compile(r"(?P<to>[a-z0-9][a-z0-9-]{0,63})(?:\s+chapter\s+(?P<chapter>\d{1,4}))?")
_TOP = ("schema", "name", "kind", "family", "bytes", "reserve", "other_bytes", "starts_with", "home", "items")
_OF_EVERY = ("id", "kind", "name", "then", "title_key", "picture")
_OF_RENDER = tuple(name for name in RENDER_FIELDS if name not in ("name", "fast_start", "sample_rate", "bytes"))
_OF_KIND = {
    "clip": (*_OF_RENDER, "file", "peak_rate", "weight", "texts", "chapters", "open_groups"),
    "screen": ("buttons", "file", "bytes", "loop", "picture_rate", "wait"),
    "list": ("clips", "shuffle"),
}
_DISC_CODECS = ("mpeg2", "avc")  # that discs play
_OF_BUTTON = ("id", "label", "to", "at", *ARROWS)


@dataclass(frozen=True, slots=True, kw_only=True)
class DiscFile:
    """A file of the house that a clip may name."""

    inspection: Inspection
    entries: Sequence[int] | None = None  #: frames where a player can enter; None where the packets were not read


def read_disc(source: str | Mapping[str, Any], files: Mapping[str, DiscFile] | None = None) -> Disc:
    """Read a plan of a disc from YAML or JSON text, or from a document already loaded.

    ``files`` are those that clips name. Raises ``PlanRefused`` with every mistake and its place. A way that leads to
    nothing is no mistake of the text: ``navigation`` tells it.
    """
    reader = Reader()
    if isinstance(source, str):
        try:
            source = read_document(source, expected="a mapping with name, kind, family, starts_with and items")
        except SpecRefused as error:
            raise PlanRefused(str(error).replace("the spec has", "the plan has"), error.mistakes) from error
    reader.only("disc", source, _TOP)
    if source.get("schema", DISC_SCHEMA) != DISC_SCHEMA:
        reader.note("schema", f"met {source.get('schema')!r}; expected {DISC_SCHEMA!r}")
    kind = KINDS[reader.known("kind", source.get("kind"), tuple(KINDS))]
    items = _items(reader, source.get("items"), files or {})
    size = source.get("bytes")
    disc = Disc(
        name=reader.text("name", source.get("name")),
        kind=kind,
        bytes=kind.bytes if size is None else reader.take("bytes", positive(parse_bytes), size, kind.bytes),
        family=reader.known("family", None if source.get("family") is None else str(source["family"]), FAMILIES),
        reserve=reader.take("reserve", read_percent, source.get("reserve", RESERVE), RESERVE),
        starts_with=reader.text("starts_with", source.get("starts_with")),
        home=reader.text("home", source["home"]) if source.get("home") is not None else None,
        items=tuple(items),
        other_bytes=reader.take("other_bytes", parse_bytes, source.get("other_bytes", 0), 0),
    )
    played = sum(len(one.parts) * one.orders for one in items if isinstance(one, PlayList) and one.seed is not None)
    if played > _MOST_PLAYED:
        reader.note("items", f"met {played} clips in all shuffled orders together; expected at most {_MOST_PLAYED}")
    for name in ("starts_with", "home"):
        id_ = getattr(disc, name)
        if id_ and id_ not in disc.by_id:
            reader.note(name, f"met {id_!r}; expected the id of an item")
    reader.refuse()
    return disc


def disc_schema() -> dict[str, Any]:
    """Return the JSON Schema of plans of discs; the reader checks more than it, such as ways and values."""
    text = (resources.files("brisk_core.plan.disc") / "disc_1.schema.json").read_text(encoding="utf-8")
    schema: dict[str, Any] = json.loads(text)
    return schema


def named_files(source: Mapping[str, Any]) -> set[str]:
    """Return the names of the files that a plan names, for its clips and for the walk; nothing of it is judged."""
    items = source.get("items")
    rows = [row for row in items if isinstance(row, Mapping)] if isinstance(items, list) else []
    return {row[name] for row in rows for name in ("file", "picture") if isinstance(row.get(name), str)}


def _items(reader: Reader, rows: Any, files: Mapping[str, DiscFile]) -> list[Item]:
    if not isinstance(rows, list) or not rows:
        reader.note("items", f"{met(rows)}; expected a list of at least one item")
        return []
    if len(rows) > MOST_ITEMS:
        reader.note("items", f"met {len(rows)} items; expected at most {MOST_ITEMS}")
    found: dict[str, Item] = {}
    for number, row in enumerate(rows[:MOST_ITEMS], 1):
        if not isinstance(row, Mapping):
            reader.note(f"item {number}", f"met {row!r}; expected a mapping with id and kind")
            continue
        id_ = row.get("id")
        place = f"item {id_}" if isinstance(id_, str) and id_ else f"item {number}"
        if not isinstance(id_, str) or not _ID.fullmatch(id_):
            reader.note(f"{place}, id", f"met {id_!r}; expected small letters, digits and hyphens, such as film")
            id_ = f"item-{number}"
        if id_ in found or id_ in (Lead.STOP.value, Lead.BACK.value):
            reader.note(f"{place}, id", f"met {id_!r}, which is taken; expected every item to have its own id")
        found[id_] = _item(reader, place, id_, row, files)
    return list(found.values())


def _item(reader: Reader, place: str, id_: str, row: Mapping[str, Any], files: Mapping[str, DiscFile]) -> Item:
    kind = reader.known(f"{place}, kind", row.get("kind"), tuple(_OF_KIND))
    reader.only(place, row, (*_OF_EVERY, *_OF_KIND[kind]))
    of_every = {
        "id": id_,
        "name": str(row.get("name") or id_),
        "then": _way(reader, f"{place}, then", row.get("then")),
        "picture": str(row.get("picture") or row.get("file") or ""),
        "title_key": reader.take(f"{place}, title_key", read_yes, row.get("title_key", True), True),
    }
    if kind == "clip":
        return _clip(reader, place, row, files, of_every)
    if kind == "screen":
        return _screen(reader, place, row, files, of_every)
    return _list(reader, place, row, of_every)


def _clip(
    reader: Reader, place: str, row: Mapping[str, Any], files: Mapping[str, DiscFile], of_every: dict[str, Any]
) -> Clip:
    file = files.get(str(row.get("file")))
    facts = _facts(reader, place, row, file)
    rate, frames = facts[keys.PICTURE_FRAME_RATE] or Fraction(25), facts[keys.PICTURE_FRAME_COUNT] or 1
    chapters = _chapters(reader, f"{place}, chapters", row.get("chapters", []), rate, frames, facts)
    group = facts[keys.GOP_LONGEST]
    told: dict[str, Any] = {"peak_rate": facts[keys.BITRATE_PEAK_1S], "open_groups": facts[keys.GOP_OPEN]}
    reads: tuple[tuple[str, Any], ...] = (
        ("peak_rate", positive(parse_bit_rate)),
        ("open_groups", read_yes),
        ("weight", positive(lambda text: Fraction(str(text)))),
        ("texts", read_count),
    )
    for name, read in reads:
        if name in row:
            told[name] = reader.take(f"{place}, {name}", read, row[name], 1)
    return Clip(
        **of_every,
        **told,
        frames=frames,
        rate=rate,
        size=facts[keys.PICTURE_SIZE] or (2, 2),
        planned=facts,
        file=str(row.get("file") or ""),
        picture_rate=facts[keys.BITRATE_AVERAGE],
        bytes=facts.file_size if file else None,
        sounds=_sounds(facts),
        chapters=chapters,
        entries=file.entries if file else range(0, frames, group) if group else None,
    )


def _facts(reader: Reader, place: str, row: Mapping[str, Any], file: DiscFile | None) -> Inspection:
    """The facts of a clip: measured on its file, or those of the render that is planned."""
    if file:
        if not file.inspection[keys.PICTURE_FRAME_COUNT]:
            reader.note(f"{place}, file", f"{row['file']!r} has no pictures that were counted; expected a film")
        return file.inspection
    if row.get("file") and "length" not in row:
        says = f"met {row['file']!r}, which is not at hand; expected a file that is, or length, rate and size"
        reader.note(f"{place}, file", says)
        row = {**row, "length": "1 frame", "rate": 25, "size": [2, 2]}
    given = {name: row[name] for name in _OF_RENDER if name in row}
    for name in ("length", "rate", "size"):
        if name not in given:
            reader.note(f"{place}, {name}", "met nothing; expected it, or the file of the clip")
    return read_render(reader, place, {"size": [2, 2], **given})[1]


def _sounds(facts: Inspection) -> tuple[Sound, ...]:
    """The tracks of sound, one by one: those of the file, or those that are planned."""
    tracks = facts[keys.SOUND_TRACKS] or 0
    columns = [facts[key] or () for key in (keys.SOUND_CODEC, keys.SOUND_BITRATE, keys.SOUND_CHANNELS)]
    hertz = facts[keys.SOUND_SAMPLE_RATE] or ()
    found = []
    for at in range(tracks):
        codec, rate, channels = (column[at] if at < len(column) else None for column in columns)
        known = (hertz[at] if at < len(hertz) else None) or 48_000
        found.append(
            Sound(codec=str(codec or "other"), bit_rate=int(rate or 1), channels=int(channels or 2), sample_rate=known)
        )
    return tuple(found)


def _chapters(
    reader: Reader, place: str, rows: Any, rate: Fraction, frames: int, facts: Inspection
) -> tuple[Chapter, ...]:
    """The chapters of a plan, or those of its file, in the order of time and with the start as the first."""
    if rows == "file":
        told = facts[keys.TEXT_CHAPTERS] or ()
        return _with_start([Chapter(frame=round(one.time * rate), name=one.title or "") for one in told])
    if not isinstance(rows, list):
        reader.note(place, f'met {rows!r}; expected a list of times, or "file"')
        return ()
    if len(rows) > MOST_CHAPTERS:
        reader.note(place, f"met {len(rows)} chapters; expected at most {MOST_CHAPTERS}")
    found = []
    for number, row in enumerate(rows[:MOST_CHAPTERS], 1):
        at = f"{place} {number}"
        named = row if isinstance(row, Mapping) else {"at": row}
        reader.only(at, named, ("at", "name"))
        frame = reader.take(at, lambda text: read_length(text, rate), named.get("at"), 0)
        if frame >= frames:
            reader.note(at, f"met {named.get('at')!r}, after the end; the clip has {frames} frames")
        found.append(Chapter(frame=frame, name=str(named.get("name") or "")))
    return _with_start(found)


def _with_start(chapters: list[Chapter]) -> tuple[Chapter, ...]:
    chapters = sorted(chapters, key=lambda one: one.frame)
    return tuple(chapters if not chapters or chapters[0].frame == 0 else [Chapter(frame=0), *chapters])


def _screen(
    reader: Reader, place: str, row: Mapping[str, Any], files: Mapping[str, DiscFile], of_every: dict[str, Any]
) -> Screen:
    rows = row.get("buttons", [])
    if not isinstance(rows, list) or len(rows) > MOST_BUTTONS:
        reader.note(f"{place}, buttons", f"expected a list of at most {MOST_BUTTONS} buttons")
        rows = []
    buttons: dict[str, Button] = {}
    for number, one in enumerate(rows, 1):
        button = _button(reader, f"{place}, button {number}", number, one)
        if button.id in buttons:
            reader.note(f"{place}, button {number}", f"met id {button.id!r} twice; expected each to have its own")
        buttons[button.id] = button
    told: dict[str, Any] = _picture_of_screen(reader, place, row, files)
    reads: tuple[tuple[str, str, Any], ...] = (
        ("loop", "seconds", parse_seconds),
        ("picture_rate", "picture_rate", parse_bit_rate),
        ("wait", "wait", parse_seconds),
        ("bytes", "bytes", parse_bytes),
    )
    for name, field, read in reads:
        if row.get(name) not in (None, ""):
            told[field] = reader.take(f"{place}, {name}", positive(read), row[name], Fraction(1))
    if told.get("seconds") and "bytes" in row:
        reader.note(f"{place}, bytes", "met bytes of a picture that moves; expected picture_rate")
    return Screen(**of_every, buttons=tuple(buttons.values()), **told)


def _picture_of_screen(
    reader: Reader, place: str, row: Mapping[str, Any], files: Mapping[str, DiscFile]
) -> dict[str, Any]:
    """What the file of a screen says of its picture: bytes of a still one, length and bit rate of one that moves."""
    if not row.get("file"):
        return {}
    file = files.get(str(row["file"]))
    if file is None:
        reader.note(f"{place}, file", f"met {row['file']!r}, which is not at hand; expected a file that is")
        return {}
    facts = file.inspection
    frames, rate = facts[keys.PICTURE_FRAME_COUNT], facts[keys.PICTURE_FRAME_RATE]
    if facts[keys.PICTURE_CODEC] not in _DISC_CODECS:
        return {}  # a drawing, which is coded for the disc later
    if frames == 1:
        return {"bytes": facts.file_size}
    if frames and rate:
        return {"seconds": frames / rate, "picture_rate": facts[keys.BITRATE_AVERAGE]}
    return {}


def _button(reader: Reader, place: str, number: int, row: Any) -> Button:
    if not isinstance(row, Mapping):
        reader.note(place, f"met {row!r}; expected a mapping with label and to")
        row = {}
    reader.only(place, row, _OF_BUTTON)
    id_ = row.get("id", f"button-{number}")
    if not isinstance(id_, str) or not _ID.fullmatch(id_):
        reader.note(f"{place}, id", f"met {id_!r}; expected small letters, digits and hyphens")
        id_ = f"button-{number}"
    at = row.get("at")
    return Button(
        id=id_,
        label=str(row.get("label") or id_),
        to=_way(reader, f"{place}, to", row.get("to")),
        place=None if at is None else reader.take(f"{place}, at", _area, at, (0, 0, 1, 1)),
        arrows=tuple((key, str(row[key])) for key in ARROWS if row.get(key)),
    )


def _list(reader: Reader, place: str, row: Mapping[str, Any], of_every: dict[str, Any]) -> PlayList:
    rows = row.get("clips")
    if not isinstance(rows, list) or not 1 <= len(rows) <= MOST_PARTS:
        reader.note(f"{place}, clips", f"expected a list of 1 to {MOST_PARTS} clips")
        rows = []
    parts = [_part(reader, f"{place}, clip {number}", one) for number, one in enumerate(rows, 1)]
    shuffle = row.get("shuffle")
    seed, orders = None, 1
    if shuffle is not None:
        if not isinstance(shuffle, Mapping):
            reader.note(f"{place}, shuffle", f"met {shuffle!r}; expected a mapping with seed and orders")
            shuffle = {}
        reader.only(f"{place}, shuffle", shuffle, ("seed", "orders"))
        seed = reader.take(f"{place}, shuffle, seed", read_count, shuffle.get("seed", 1), 1)
        orders = reader.take(f"{place}, shuffle, orders", positive(read_count), shuffle.get("orders", 1), 1)
        if orders > _MOST_ORDERS or len(parts) > _MOST_SHUFFLED:
            says = f"met {orders} orders of {len(parts)} clips; expected at most {_MOST_ORDERS} of {_MOST_SHUFFLED}"
            reader.note(f"{place}, shuffle", says)
            orders, seed = 1, None
    return PlayList(**of_every, parts=tuple(parts), seed=seed, orders=orders)


def _part(reader: Reader, place: str, row: Any) -> Part:
    named = row if isinstance(row, Mapping) else {"clip": row}
    reader.only(place, named, ("clip", "from", "to"))
    clip = named.get("clip")
    if not isinstance(clip, str):
        reader.note(place, f"met {clip!r}; expected the id of a clip")
    first = reader.take(f"{place}, from", positive(read_count), named.get("from", 1), 1)
    last = reader.take(f"{place}, to", positive(read_count), named["to"], 1) if "to" in named else None
    if last is not None and last < first:
        reader.note(place, f"met chapters {first} to {last}; expected the first before the last")
    return Part(clip=str(clip), first=first, last=last)


def _way(reader: Reader, place: str, value: Any) -> Way | None:
    """Where something leads: ``film``, ``film chapter 3``, ``stop`` or ``back``; nothing where nobody said."""
    if value is None or value == "":
        return None
    said = str(value).strip()
    if said in (Lead.STOP.value, Lead.BACK.value):
        return Way(Lead(said))
    found = _WAY.fullmatch(said)
    if not found:
        reader.note(place, f"met {value!r}; expected the id of an item, such as film or film chapter 3, stop or back")
        return None
    return Way(found["to"], int(found["chapter"] or 1))


def _area(value: Any) -> tuple[int, int, int, int]:
    if not isinstance(value, Sequence) or isinstance(value, str) or len(value) != 4:
        raise ValueRefused(f"met {value!r}; expected left, top, width and height in samples")
    left, top, width, height = (read_count(one) for one in value)
    return left, top, width, height
