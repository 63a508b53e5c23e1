"""What a child of the sandbox can do: one function a verb, from a JSON request to a JSON answer.

Modules are imported inside the verbs, so that a child of a server that is not warm yet loads no more than it needs.
"""

from __future__ import annotations

import json
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from brisk_core.errors import CoreError, UnreadableFile
from brisk_core.reading.source import Range, lend
from brisk_core.sandbox import requests
from brisk_core.sandbox.fetching import SIZE_BYTES
from brisk_core.sandbox.requests import Request

_talking = threading.RLock()  # threads that decode ask for bytes beside each other


def _say(message: dict[str, Any]) -> None:
    with _talking:
        sys.stdout.write(json.dumps(message) + "\n")
        sys.stdout.flush()


def _lender(number: int) -> Range:
    """Return what asks who started this child for bytes of a file in another store."""

    def fetch(first: int, count: int) -> bytes:
        with _talking:
            _say({"fetch": [number, first, count]})
            size = int.from_bytes(sys.stdin.buffer.read(SIZE_BYTES), "little", signed=True)
            found = sys.stdin.buffer.read(max(size, 0))
        if size < 0 or len(found) != size:
            raise OSError("the store that the file lies in does not answer")
        return found

    return fetch


class _Reporter:
    """Passes progress on, ten times a second at most."""

    def __init__(self) -> None:
        self._last = 0.0

    def __call__(self, done: int, total: int) -> None:
        now = time.monotonic()
        if now - self._last > 0.1:
            self._last = now
            _say({"progress": [done, total]})


def _do_walls(request: requests.Walls) -> Any:
    from brisk_core.sandbox.walls import standing

    return standing(request.reach, request.probe)


def _do_digest(request: requests.Digest) -> Any:
    from brisk_core.inspect import digest
    from brisk_core.reading import Source

    return digest(Source.at(request.url), _Reporter())


def _do_inspect(request: requests.Inspect) -> Any:
    from brisk_core.facts import Depth, inspection_to_json
    from brisk_core.reading import Source

    source = Source.at(request.url, request.name)
    if request.depth == Depth.HEADERS.value and not request.take_digest and not request.checksum:
        from brisk_core.reading import inspect_headers

        return inspection_to_json(inspect_headers(source))
    from brisk_core.inspect import digest, inspect

    found = inspect(
        source,
        Depth(request.depth),
        checksum=digest(source) if request.take_digest else request.checksum,
        progress=_Reporter(),
        series_path=_path(request.series_path),
        scan_path=_path(request.scan_path),
    )
    return inspection_to_json(found.inspection)


def _path(text: str | None) -> Path | None:
    return Path(text) if text else None


def _do_first_look(request: requests.FirstLook) -> Any:
    from brisk_core.facts import inspection_from_json
    from brisk_core.first_look import first_look
    from brisk_core.reading import Source

    headers, folder = inspection_from_json(request.document), _path(request.small_folder)
    return first_look(Source.at(request.url), headers, folder=folder, progress=_Reporter()).to_json()


def _do_scan_part(request: requests.ScanPart) -> Any:
    from brisk_core.inspect import ScanPart, scan_part
    from brisk_core.reading import Source
    from brisk_core.scan import Segment

    scan_part(
        Source.at(request.url),
        _path(request.series_path),
        ScanPart(
            segment=Segment(*request.segment) if request.segment else None,
            sound=request.sound,
            pictures_path=Path(request.pictures_path),
            sound_path=Path(request.sound_path),
            small_folder=_path(request.small_folder),
        ),
        full=request.full,
        duration=request.duration,
        progress=_Reporter(),
    )


def _do_conclude(request: requests.Conclude) -> Any:
    from brisk_core.facts import inspection_from_json, inspection_to_json
    from brisk_core.frames import settle_small_pictures
    from brisk_core.inspect import conclude_parts
    from brisk_core.packets import load_series
    from brisk_core.reading import Source
    from brisk_core.scan import Segment

    found = conclude_parts(
        inspection_from_json(request.document),
        _path(request.series_path),
        [Segment(first, end) for first, end in request.segments],
        [_path(path) for path in request.pictures],
        _path(request.sound_path),
        Path(request.scan_path),
    )
    series_path, small_folder = _path(request.series_path), _path(request.small_folder)
    if series_path and small_folder:
        settle_small_pictures(Source.at(request.url), load_series(series_path), series_path, small_folder, found)
    return inspection_to_json(found)


def _do_frames(request: requests.Frames) -> Any:
    from brisk_core.frames import write_frames
    from brisk_core.reading import Source

    return write_frames(
        Source.at(request.url),
        Path(request.series_path),
        Path(request.folder),
        request.first,
        request.count,
        request.widest,
        view=request.view,
        full=request.full,
        area=request.area,
    )


def _do_samples(request: requests.Samples) -> Any:
    from brisk_core.frames import read_samples
    from brisk_core.reading import Source

    place = (request.frame, request.x, request.y, request.across, request.down)
    return read_samples(Source.at(request.url), Path(request.series_path), *place)


def _do_strip(request: requests.Strip) -> Any:
    from brisk_core.frames import write_strip
    from brisk_core.reading import Source

    source, series_path = Source.at(request.url), Path(request.series_path)
    return write_strip(source, series_path, request.frames, Path(request.path), request.width)


def _do_clip(request: requests.Clip) -> Any:
    from fractions import Fraction

    from brisk_core.exact import Timecode
    from brisk_core.frames import write_clip
    from brisk_core.reading import Source

    rate = Fraction(request.rate)
    start = Timecode.parse(request.start, rate) if request.start else Timecode(frames=0, rate=rate)
    return write_clip(
        Source.at(request.url),
        Path(request.series_path),
        request.first,
        request.count,
        rate,
        lambda number: f"{start.plus(number)}  {number}",
        Path(request.path),
    )


def _do_edit(request: requests.Edit) -> Any:
    from brisk_core.edit import EditHints, import_edit, timeline_to_json

    hints = EditHints.from_json(request.hints)
    return timeline_to_json(import_edit(Path(request.path), name=request.name, hints=hints))


def _do_captions(request: requests.Captions) -> Any:
    from brisk_core.captions import LARGEST, document_to_json, read_captions
    from brisk_core.reading import Source

    source = Source.at(request.url, request.name)
    with source.open() as file:
        return document_to_json(read_captions(file.read(LARGEST + 1), source.name))


def _do_companion(request: requests.Companion) -> Any:
    from brisk_core.handoff.companion_files import look_at_companion
    from brisk_core.reading import Source
    from brisk_core.spec.companions import CompanionKind

    return look_at_companion(Source.at(request.url, request.name), CompanionKind(request.kind))


def _do_embedded(request: requests.Embedded) -> Any:
    from brisk_core.captions import document_to_json, read_embedded
    from brisk_core.reading import Source

    return [document_to_json(one) for one in read_embedded(Source.at(request.url))]


def _do_burned(request: requests.Burned) -> Any:
    from brisk_core.captions import burned_to_json, document_from_json, look_for_burned, place, programme_of
    from brisk_core.facts import inspection_from_json, keys
    from brisk_core.frames import Film
    from brisk_core.reading import Source

    inspection = inspection_from_json(request.inspection)
    programme, size = programme_of(inspection), inspection[keys.PICTURE_SIZE]
    if programme is None or size is None:
        raise UnreadableFile("size, rate or length of the file are not known")
    film = Film(
        source=Source.at(request.url),
        series_path=Path(request.series_path),
        full=inspection.is_full_range,
        size=size,
    )
    cuts = [span.start for span in inspection[keys.CONTENT_CUTS] or ()]
    placed = place(document_from_json(request.document), programme)
    return burned_to_json(look_for_burned(film, placed, programme.frames, cuts))


def _do_against(request: requests.Against) -> Any:
    from brisk_core.facts import inspection_from_json
    from brisk_core.master import Side, hold_against
    from brisk_core.reading import Source

    sides = [
        Side(
            source=Source.at(side.url),
            inspection=inspection_from_json(side.document),
            series_path=Path(side.series_path),
            scan_path=Path(side.scan_path),
        )
        for side in (request.file, request.master)
    ]
    names = [(start, name) for start, name in request.names]
    found = hold_against(sides[0], sides[1], ordered=request.ordered, names=names, progress=_Reporter())
    return found.document


def _do_stems(request: requests.Stems) -> Any:
    from brisk_core.reading import Source
    from brisk_core.stems import Part, find_stems, stems_document

    mix, *stems = [
        Part(name=one.name, source=Source.at(one.url), track=one.track) for one in (request.mix, *request.stems)
    ]
    return stems_document(find_stems(mix, stems, _Reporter()), request.limit)


VERBS: dict[type[Request[Any]], Callable[[Any], Any]] = {
    requests.Walls: _do_walls,
    requests.Digest: _do_digest,
    requests.Inspect: _do_inspect,
    requests.FirstLook: _do_first_look,
    requests.ScanPart: _do_scan_part,
    requests.Conclude: _do_conclude,
    requests.Frames: _do_frames,
    requests.Samples: _do_samples,
    requests.Strip: _do_strip,
    requests.Clip: _do_clip,
    requests.Edit: _do_edit,
    requests.Captions: _do_captions,
    requests.Companion: _do_companion,
    requests.Embedded: _do_embedded,
    requests.Burned: _do_burned,
    requests.Against: _do_against,
    requests.Stems: _do_stems,
}


def main() -> int:
    """Read one request from standard input and answer on standard output; return the exit code."""
    from brisk_core.sandbox.walls import enter

    message = json.loads(sys.stdin.buffer.readline())
    for number, (url, size) in enumerate(message["fetched"]):
        lend(url, size, _lender(number))
    kind = Request.kinds[message["verb"]]
    request = kind.from_json(message["request"])
    enter(*message["limits"], reads=request.reads(), knows=request.knows(), folders=message["folders"])
    try:
        _say({"result": VERBS[kind](request)})
    except MemoryError:
        sys.stderr.write("MemoryError\n")
        return 1
    except CoreError as error:
        _say({"error": {"kind": type(error).__name__, "says": str(error)}})
    return 0
