"""Reading of untrusted files in a child process with limits on memory, processor time, wall time and open files.

The parent calls ``run``; the child is this module as a program. It takes one JSON request on standard input and answers
in JSON lines: ``{"progress": [done, all]}`` any number of times, then ``{"result": ...}`` or ``{"error": ...}``.
"""

from __future__ import annotations

import ctypes
import json
import os
import resource
import selectors
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

from brisk_core.errors import CaptionsRefused, CoreError, EditRefused, ReadingStopped, UnreadableFile

_REFUSALS: dict[str, type[CoreError]] = {"EditRefused": EditRefused, "CaptionsRefused": CaptionsRefused}
Progress = Callable[[int, int], None]
_POLL = 0.2  # seconds between two looks at the clock and at the wish to stop
_PARENT_DIED = 1  # PR_SET_PDEATHSIG (prctl(2))
_NEW_NETWORK, _NEW_USER = 0x40000000, 0x10000000  # CLONE_NEWNET, CLONE_NEWUSER (unshare(2))
_MOST_STDERR = 4000


@dataclass(frozen=True, slots=True, kw_only=True)
class Limits:
    """What a child process may use."""

    memory: int = 3 << 30  #: bytes of address space; reading needs 0.4 GB, libraries map much that they do not use
    processor_s: int = 3600
    wall_s: int = 3600
    open_files: int = 64
    written: int = 1 << 30  #: bytes of the largest file it may write


class Cancelled(ReadingStopped):
    """The reading was stopped because somebody asked."""


def run(
    verb: str,
    request: dict[str, Any],
    *,
    limits: Limits | None = None,
    progress: Progress | None = None,
    should_stop: Callable[[], bool] | None = None,
) -> Any:
    """Do ``verb`` in a child process and return its result.

    Raises ``UnreadableFile``, ``EditRefused`` or ``CaptionsRefused`` with the child's sentence, ``ReadingStopped``
    when the child crashed or met a limit, ``Cancelled`` when ``should_stop`` said so.
    """
    limits = limits or Limits()
    child = subprocess.Popen(
        [sys.executable, "-m", "brisk_core.sandbox"],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        cwd=Path(__file__).resolve().parent.parent,
        env={
            "PATH": os.environ.get("PATH", ""),
            "LANG": "C.UTF-8",
            "OMP_NUM_THREADS": "1",
            "OPENBLAS_NUM_THREADS": "1",
        },
    )
    try:
        return _converse(child, verb, request, limits, progress, should_stop)
    finally:
        if child.poll() is None:
            child.kill()
        child.wait()
        for pipe in (child.stdin, child.stdout, child.stderr):
            if pipe:
                pipe.close()


def _converse(
    child: subprocess.Popen[bytes],
    verb: str,
    request: dict[str, Any],
    limits: Limits,
    progress: Progress | None,
    should_stop: Callable[[], bool] | None,
) -> Any:
    assert child.stdin  # noqa: S101 - all three are pipes
    assert child.stdout  # noqa: S101
    assert child.stderr  # noqa: S101
    message = {
        "verb": verb,
        "request": request,
        "limits": [limits.memory, limits.processor_s, limits.open_files, limits.written],
    }
    try:
        child.stdin.write(json.dumps(message).encode())
        child.stdin.close()
    except BrokenPipeError:
        pass
    buffers = {child.stdout: b"", child.stderr: b""}
    deadline = time.monotonic() + limits.wall_s
    answer: dict[str, Any] | None = None
    with selectors.DefaultSelector() as selector:
        pipe: Any
        for pipe in buffers:
            selector.register(pipe, selectors.EVENT_READ)
        while selector.get_map():
            for key, _ in selector.select(_POLL):
                pipe = key.fileobj
                chunk = os.read(key.fd, 1 << 16)
                if not chunk:
                    selector.unregister(pipe)
                    continue
                answer = _take_chunk(buffers, pipe, chunk, child.stdout, progress) or answer
            if time.monotonic() > deadline:
                raise ReadingStopped(f"reading took longer than {limits.wall_s} s and was stopped")
            if should_stop and should_stop():
                raise Cancelled("reading was cancelled")
    code = child.wait()
    if answer is None:
        raise ReadingStopped(_why_it_ended(code, buffers[child.stderr], limits))
    if "error" in answer:
        raise _REFUSALS.get(answer["error"]["kind"], UnreadableFile)(answer["error"]["says"])
    return answer["result"]


def _take_chunk(
    buffers: dict[Any, bytes], pipe: Any, chunk: bytes, stdout: IO[bytes], progress: Progress | None
) -> dict[str, Any] | None:
    buffers[pipe] += chunk
    if pipe is not stdout:
        buffers[pipe] = buffers[pipe][-_MOST_STDERR:]
        return None
    answer = None
    *lines, buffers[pipe] = buffers[pipe].split(b"\n")
    for line in lines:
        message = json.loads(line)
        if "progress" in message:
            if progress:
                progress(*message["progress"])
        else:
            answer = message
    return answer


def _why_it_ended(code: int, stderr: bytes, limits: Limits) -> str:
    if code == -signal.SIGXCPU or (code == -signal.SIGKILL and b"CPU" in stderr):
        return f"reading used more than {limits.processor_s} s of processor time and was stopped"
    if b"MemoryError" in stderr or b"bad_alloc" in stderr or b"Cannot allocate" in stderr:
        return f"reading needed more than {limits.memory >> 20} MB of memory and was stopped"
    if code < 0:
        return f"the reading process crashed ({signal.Signals(-code).name}); the file is damaged or hostile"
    last = stderr.decode("utf-8", "replace").strip().splitlines()
    return f"the reading process ended without an answer ({last[-1] if last else f'exit {code}'})"


# The child.


def _enter_limits(memory: int, processor_s: int, open_files: int, written: int) -> None:
    for what, limit in (
        (resource.RLIMIT_AS, memory),
        (resource.RLIMIT_CPU, processor_s),
        (resource.RLIMIT_NOFILE, open_files),
        (resource.RLIMIT_FSIZE, written),
        (resource.RLIMIT_CORE, 0),
    ):
        hard = resource.getrlimit(what)[1]
        resource.setrlimit(what, (min(limit, hard) if hard != resource.RLIM_INFINITY else limit, hard))
    libc = ctypes.CDLL(None)
    libc.prctl(_PARENT_DIED, signal.SIGKILL)
    # A second wall behind the demuxers' own: without a network there is nothing to reach. Not every machine allows it.
    if libc.unshare(_NEW_NETWORK) != 0:
        libc.unshare(_NEW_USER | _NEW_NETWORK)


def _say(message: dict[str, Any]) -> None:
    sys.stdout.write(json.dumps(message) + "\n")
    sys.stdout.flush()


class _Reporter:
    """Passes progress on, ten times a second at most."""

    def __init__(self) -> None:
        self._last = 0.0

    def __call__(self, done: int, total: int) -> None:
        now = time.monotonic()
        if now - self._last > 0.1:
            self._last = now
            _say({"progress": [done, total]})


def _do_digest(request: dict[str, Any]) -> Any:
    from brisk_core.inspect import digest
    from brisk_core.reading import Source

    return digest(Source.at(request["url"]), _Reporter())


def _do_inspect(request: dict[str, Any]) -> Any:
    from brisk_core.facts import Depth, inspection_to_json
    from brisk_core.inspect import digest, inspect
    from brisk_core.reading import Source

    source = Source.at(request["url"], request["name"])
    found = inspect(
        source,
        Depth(request["depth"]),
        checksum=digest(source) if request.get("take_digest") else request.get("checksum"),
        progress=_Reporter(),
        series_path=_path(request.get("series_path")),
        scan_path=_path(request.get("scan_path")),
    )
    return inspection_to_json(found.inspection)


def _path(text: str | None) -> Path | None:
    return Path(text) if text else None


def _do_scan_part(request: dict[str, Any]) -> Any:
    from brisk_core.inspect import ScanPart, scan_part
    from brisk_core.reading import Source
    from brisk_core.scan import Segment

    scan_part(
        Source.at(request["url"]),
        _path(request["series_path"]),
        ScanPart(
            segment=Segment(*request["segment"]) if request["segment"] else None,
            sound=request["sound"],
            pictures_path=Path(request["pictures_path"]),
            sound_path=Path(request["sound_path"]),
        ),
        full=request["full"],
        duration=request["duration"],
        progress=_Reporter(),
    )


def _do_conclude(request: dict[str, Any]) -> Any:
    from brisk_core.facts import inspection_from_json, inspection_to_json
    from brisk_core.inspect import conclude_parts
    from brisk_core.scan import Segment

    found = conclude_parts(
        inspection_from_json(request["document"]),
        _path(request["series_path"]),
        [Segment(first, end) for first, end in request["segments"]],
        [_path(path) for path in request["pictures"]],
        _path(request["sound_path"]),
        Path(request["scan_path"]),
    )
    return inspection_to_json(found)


def _do_frames(request: dict[str, Any]) -> Any:
    from brisk_core.frames import write_frames
    from brisk_core.reading import Source

    return write_frames(
        Source.at(request["url"]),
        Path(request["series_path"]),
        Path(request["folder"]),
        request["first"],
        request["count"],
        request["widest"],
        view=request.get("view", "picture"),
        full=request.get("full", False),
        area=tuple(request["area"]) if request.get("area") else None,
    )


def _do_samples(request: dict[str, Any]) -> Any:
    from brisk_core.frames import read_samples
    from brisk_core.reading import Source

    place = (request["frame"], request["x"], request["y"], request["across"], request["down"])
    return read_samples(Source.at(request["url"]), Path(request["series_path"]), *place)


def _do_strip(request: dict[str, Any]) -> Any:
    from brisk_core.frames import write_strip
    from brisk_core.reading import Source

    source, series_path = Source.at(request["url"]), Path(request["series_path"])
    return write_strip(source, series_path, request["frames"], Path(request["path"]), request["width"])


def _do_clip(request: dict[str, Any]) -> Any:
    from fractions import Fraction

    from brisk_core.exact import Timecode
    from brisk_core.frames import write_clip
    from brisk_core.reading import Source

    rate = Fraction(request["rate"])
    start = Timecode.parse(request["start"], rate) if request["start"] else Timecode(frames=0, rate=rate)
    return write_clip(
        Source.at(request["url"]),
        Path(request["series_path"]),
        request["first"],
        request["count"],
        rate,
        lambda number: f"{start.plus(number)}  {number}",
        Path(request["path"]),
    )


def _do_edit(request: dict[str, Any]) -> Any:
    from brisk_core.edit import EditHints, import_edit, timeline_to_json

    hints = EditHints.from_json(request["hints"])
    return timeline_to_json(import_edit(Path(request["path"]), name=request["name"], hints=hints))


def _do_captions(request: dict[str, Any]) -> Any:
    from brisk_core.captions import LARGEST, document_to_json, read_captions
    from brisk_core.reading import Source

    source = Source.at(request["url"], request.get("name"))
    with source.open() as file:
        return document_to_json(read_captions(file.read(LARGEST + 1), source.name))


def _do_embedded(request: dict[str, Any]) -> Any:
    from brisk_core.captions import document_to_json, read_embedded
    from brisk_core.reading import Source

    return [document_to_json(one) for one in read_embedded(Source.at(request["url"]))]


def _do_burned(request: dict[str, Any]) -> Any:
    from brisk_core.captions import burned_to_json, document_from_json, look_for_burned, place, programme_of
    from brisk_core.facts import inspection_from_json
    from brisk_core.frames import Film
    from brisk_core.reading import Source

    inspection = inspection_from_json(request["inspection"])
    programme = programme_of(inspection)
    if programme is None:
        raise UnreadableFile("rate or length of the file are not known")
    film = Film(
        source=Source.at(request["url"]),
        series_path=Path(request["series_path"]),
        full=inspection.is_full_range,
        size=inspection.best("picture.size"),
    )
    cuts = [span.start for span in inspection.best("content.cuts") or ()]
    placed = place(document_from_json(request["document"]), programme)
    return burned_to_json(look_for_burned(film, placed, programme.frames, cuts))


def _do_against(request: dict[str, Any]) -> Any:
    from brisk_core.facts import inspection_from_json
    from brisk_core.master import Side, hold_against
    from brisk_core.reading import Source

    sides = [
        Side(
            source=Source.at(side["url"]),
            inspection=inspection_from_json(side["document"]),
            series_path=Path(side["series_path"]),
            scan_path=Path(side["scan_path"]),
        )
        for side in (request["file"], request["master"])
    ]
    ordered = request.get("ordered")
    names = [(start, name) for start, name in request.get("names", ())]
    found = hold_against(
        sides[0], sides[1], ordered=tuple(ordered) if ordered else None, names=names, progress=_Reporter()
    )
    return found.document


def _do_stems(request: dict[str, Any]) -> Any:
    from brisk_core.reading import Source
    from brisk_core.stems import Part, find_stems, stems_document

    mix, *stems = [
        Part(name=one["name"], source=Source.at(one["url"]), track=one.get("track"))
        for one in (request["mix"], *request["stems"])
    ]
    return stems_document(find_stems(mix, stems, _Reporter()), request.get("limit"))


_VERBS: dict[str, Callable[[dict[str, Any]], Any]] = {
    "digest": _do_digest,
    "inspect": _do_inspect,
    "scan_part": _do_scan_part,
    "conclude": _do_conclude,
    "frames": _do_frames,
    "samples": _do_samples,
    "strip": _do_strip,
    "clip": _do_clip,
    "edit": _do_edit,
    "captions": _do_captions,
    "embedded": _do_embedded,
    "burned": _do_burned,
    "against": _do_against,
    "stems": _do_stems,
}


def _main() -> int:
    message = json.loads(sys.stdin.buffer.read())
    _enter_limits(*message["limits"])
    try:
        _say({"result": _VERBS[message["verb"]](message["request"])})
    except MemoryError:
        sys.stderr.write("MemoryError\n")
        return 1
    except CoreError as error:
        _say({"error": {"kind": type(error).__name__, "says": str(error)}})
    return 0


if __name__ == "__main__":
    sys.exit(_main())
