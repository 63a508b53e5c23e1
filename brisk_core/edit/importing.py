"""Import of edits: OTIO documents and bundles, AAF, and EDL files in the 3600 style, all through OpenTimelineIO."""

from __future__ import annotations

import codecs
import struct
import zipfile
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import opentimelineio as otio

from brisk_core.edit.aaf_reading import read_aaf
from brisk_core.edit.edl_lines import EdlLines, read_lines
from brisk_core.edit.edl_reading import lay_out, marks_of
from brisk_core.edit.hints import EditHints
from brisk_core.edit.otio_reading import from_document
from brisk_core.edit.timeline import Timeline
from brisk_core.errors import EditRefused
from brisk_core.exact import Timecode, nominal_frames, rate_family

LARGEST_EDIT = 64 << 20  # bytes; 30,000 events take about 30 MB as OTIO
MOST_CLIPS = 100_000  # a day of clips of a second each; each takes about 2 kB of memory while it is read
LARGEST_BUNDLE = 1 << 40  # bytes; media may lie in a bundle, only its edit is read
_CLIP = '"Clip.'  # begins the schema of every clip
_CONTENT = "content.otio"  # name of the edit in a bundle
_ZIP, _COMPOUND_FILE = b"PK\x03\x04", b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"  # first bytes of bundles and of AAF
#: What adapters raise where a file is not as they take for granted; the words are those of programmers.
_OF_PARSING = (ArithmeticError, AssertionError, AttributeError, LookupError, TypeError, struct.error)
_EXPECTED = "an OTIO document (JSON), an OTIO bundle, an AAF file or an EDL that begins with TITLE:"


def import_edit(path: Path, *, name: str | None = None, hints: EditHints | None = None) -> Timeline:
    """Import an edit file, or the folder of an OTIO bundle; the kind is told by content, not by name.

    Raises ``EditRefused`` with what was met and, for an EDL, the line.
    """
    hints = hints or EditHints()
    stem = (name or path.name).rsplit(".", 1)[0]
    if path.is_dir():
        path = path / _CONTENT
        if not path.is_file():
            raise EditRefused(f"the folder has no {_CONTENT}; expected an OTIO bundle")
    size = path.stat().st_size
    if size == 0:
        raise EditRefused(f"the edit is empty; expected {_EXPECTED}")
    with path.open("rb") as file:
        first = file.read(8)
    if first.startswith(_ZIP):
        return from_document(_parse(_unpack(path), "otio_json", "OTIO bundle"), stem, hints)
    if size > LARGEST_EDIT:
        raise EditRefused(f"the edit has {size} bytes; expected at most {LARGEST_EDIT}")
    if first == _COMPOUND_FILE:
        return _from_aaf(path, stem, hints)
    text = _decoded(path.read_bytes())
    if text.lstrip().startswith("{"):
        return from_document(_parse(text, "otio_json", "OTIO document"), stem, hints)
    if "TITLE:" in text.upper()[:4096] or "FCM:" in text.upper()[:4096] or text.lstrip()[:1].isdigit():
        return _from_edl(text, stem, hints)
    raise EditRefused(f"met {text.lstrip()[:30]!r}; expected {_EXPECTED}")


def _decoded(data: bytes) -> str:
    """Text by its mark, as UTF-8, or else as Windows-1252, which older systems write."""
    for mark, code in (
        (codecs.BOM_UTF8, "utf-8"),
        (codecs.BOM_UTF16_LE, "utf-16-le"),
        (codecs.BOM_UTF16_BE, "utf-16-be"),
    ):
        if data.startswith(mark):
            return data[len(mark) :].decode(code, "replace")
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError:
        return data.decode("cp1252", "replace")


def _unpack(path: Path) -> str:
    """Return the edit inside a bundle; its media are left alone."""
    try:
        with zipfile.ZipFile(path) as bundle:
            entry = bundle.getinfo(_CONTENT)
            if entry.file_size > LARGEST_EDIT:
                raise EditRefused(
                    f"the edit in the bundle has {entry.file_size} bytes; expected at most {LARGEST_EDIT}"
                )
            with bundle.open(entry) as file:
                data = file.read(LARGEST_EDIT + 1)
    except KeyError as error:
        raise EditRefused(f"the archive has no {_CONTENT}; expected an OTIO bundle") from error
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError, OSError) as error:
        raise EditRefused(f"the bundle cannot be opened: {error}") from error
    if len(data) > LARGEST_EDIT:
        raise EditRefused(f"the edit in the bundle is larger than it says; expected at most {LARGEST_EDIT} bytes")
    return data.decode("utf-8", "replace")


def _parse(text: str, adapter: str, what: str, **options: Any) -> otio.schema.Timeline:
    clips = text.count(_CLIP)
    if clips > MOST_CLIPS:
        raise EditRefused(f"the {what} holds {clips:,} clips; expected at most {MOST_CLIPS:,}")
    return _the_timeline(lambda: otio.adapters.read_from_string(text, adapter, **options), what)


def _from_aaf(path: Path, stem: str, hints: EditHints) -> Timeline:
    what = "AAF file"
    found, start = _guarded(lambda: read_aaf(path), what)
    timeline = from_document(_only(found, what), stem, hints)
    label = start.at(timeline.rate) if start and not hints.start else None
    return replace(timeline, start=label) if label else timeline


def _the_timeline(read: Callable[[], Any], what: str) -> otio.schema.Timeline:
    return _only(_guarded(read, what), what)


def _guarded(read: Callable[[], Any], what: str) -> Any:
    try:
        return read()
    except RecursionError as error:
        raise EditRefused(f"the {what} is nested too deeply") from error
    except Exception as error:  # the adapters raise whatever their parsing meets
        lines = str(error).splitlines()
        if isinstance(error, _OF_PARSING) or not lines:
            lines = ["its parts do not fit together, as those of a file that is cut or damaged; export it again"]
        raise EditRefused(f"the {what} cannot be read: {lines[0][:300]}") from error


def _only(found: Any, what: str) -> otio.schema.Timeline:
    """The one timeline of what was read."""
    if isinstance(found, otio.schema.SerializableCollection):
        timelines = [child for child in found if isinstance(child, otio.schema.Timeline)]
        if len(timelines) != 1:
            names = ", ".join(repr(child.name) for child in timelines[:5])
            raise EditRefused(f"the {what} holds {len(timelines)} timelines ({names}); expected one")
        found = timelines[0]
    if not isinstance(found, otio.schema.Timeline):
        raise EditRefused(f"the {what} holds a {type(found).__name__}; expected one Timeline")
    return found


def _from_edl(text: str, stem: str, hints: EditHints) -> Timeline:
    lines = read_lines(text, hints.rate)
    rate = lines.rate or _assumed(lines, hints.assumed_rate)
    if rate_family(rate) is None:
        raise EditRefused(
            f"met {float(rate):g} frames a second; expected one that timecode counts, such as 25 or 29.97"
        )
    lanes, sources, remarks, label = lay_out(lines, rate)
    start = Timecode.parse(hints.start or label, rate, drop=lines.drop)
    length = max(event.end for lane in lanes for event in lane.events)
    return Timeline(
        name=lines.title or stem,
        rate=rate,
        rate_stated=lines.rate is not None,
        start=start,
        length=length,
        lanes=tuple(lanes),
        marks=tuple(marks_of(lines, start, length)),
        sources=tuple(sources),
        size=hints.size,
        scan=hints.scan,
        field_order=hints.field_order,
        pixel_aspect=hints.pixel_aspect,
        sample_rate=hints.sample_rate,
        remarks=tuple(remarks),
    )


def _assumed(lines: EdlLines, assumed: Fraction | None) -> Fraction:
    """The rate to lay labels out at when the EDL states none: the assumed one, if its seconds hold every label met."""
    if assumed is None:
        raise EditRefused(
            "an EDL does not state its frame rate; give the rate when importing, such as 25 or 30000/1001"
        )
    if rate_family(assumed) is not None and lines.highest_frame < nominal_frames(assumed):
        return assumed
    return next(Fraction(base) for base in (25, 30, 50, 60, 120) if lines.highest_frame < base)
