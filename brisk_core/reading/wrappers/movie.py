"""The movie box of ISO base media: tracks, sample entries, time tables, edits (ISO/IEC 14496-12 and -15, QTFF)."""

from __future__ import annotations

import struct
from collections.abc import Iterator
from dataclasses import dataclass, field
from fractions import Fraction
from itertools import groupby
from typing import BinaryIO

import numpy as np

from brisk_core.errors import UnreadableFile, ValueRefused
from brisk_core.exact import Timecode
from brisk_core.reading.wrappers.boxes import LARGEST_MOVIE_BOX, Box, walk, walk_file

_CONTAINERS = {"moov", "trak", "mdia", "minf", "stbl", "edts", "udta", "dinf", "mvex", "tref", "gmhd"}
_VISUAL_HEAD, _SOUND_HEAD = 78, 28  # bytes of a sample entry before its own boxes (12.1.3, 12.2.3)
#: Paths of boxes below a track; boxes of a sample entry are not named here.
_PLACES = {
    "tkhd": "tkhd",
    "mdhd": "mdia/mdhd",
    "elst": "edts/elst",
    "stsd": "mdia/minf/stbl/stsd",
    "stts": "mdia/minf/stbl/stts",
    "stsz": "mdia/minf/stbl/stsz",
}
_LARGEST_FRAGMENT = 1 << 20  # bytes of the boxes of a fragment that are read
MOST_FRAGMENTS = 100_000  #: of a file; two days of fragments of two seconds each
_FIRST_SHIFTS = 32  # rows of ctts: the earliest picture lies within the first reordering distance
_SIGNATURES = {"ftyp", "moov", "mdat", "moof", "styp", "sidx", "free", "skip", "wide", "pnot"}


@dataclass(slots=True, kw_only=True)
class SampleEntry:
    """The first sample description of a track."""

    code: str  #: four-character code
    boxes: dict[str, bytes]  #: contents of the boxes inside
    size: tuple[int, int] | None = None  #: of visual entries
    depth: int | None = None  #: of visual entries: bits a picture element, 32 with alpha (12.1.3)
    channels: int | None = None  #: of sound entries
    sample_bits: int | None = None
    sample_rate: int | None = None  #: Hz


@dataclass(slots=True, kw_only=True)
class MovieTrack:
    """One track of a movie."""

    handler: str = ""  #: vide, soun, text, sbtl, tmcd, ...
    enabled: bool = True
    matrix: tuple[int, ...] | None = None
    shown_size: tuple[int, int] = (0, 0)  #: width and height of tkhd, 16.16 fixed point
    timescale: int = 0
    duration: int = 0  #: in the track's timescale
    language: str | None = None
    entry: SampleEntry | None = None
    edits: list[tuple[int, int]] = field(default_factory=list)  #: (duration in movie ticks, media time)
    steps: list[tuple[int, int]] = field(default_factory=list)  #: stts: (count, ticks)
    shifts: list[tuple[int, int]] = field(default_factory=list)  #: ctts: (count, ticks), as far as it is needed
    sample_count: int = 0
    sizes: np.ndarray | int | None = None  #: stsz: array of sizes, or one size for all
    chunk_offsets: np.ndarray | None = None
    chunk_runs: np.ndarray | None = None  #: stsc: rows of first chunk, samples a chunk, entry
    number: int = 1  #: from 1, in the order of the movie box
    id: int = 0  #: track_ID of its header
    offsets: dict[str, int] = field(default_factory=dict)  #: where each box stands in the file

    def place(self, kind: str) -> str:
        """Return where a box of this track stands, for evidence."""
        path = _PLACES.get(kind, "mdia/minf/stbl/stsd/entry/" + kind)
        at = f" at byte {self.offsets[kind]:,}" if kind in self.offsets else ""
        return f"moov/trak {self.number}/{path}{at}"

    @property
    def step_total(self) -> int:
        """Ticks of all samples by stts."""
        return sum(count * ticks for count, ticks in self.steps)

    @property
    def frame_rate(self) -> Fraction | None:
        """Samples a second by stts, exact: of the one step, else the mean."""
        counted = sum(count for count, _ in self.steps)
        if not self.timescale or not counted or not self.step_total:
            return None
        # The last sample's length is often a makeshift of the writer, so it does not count when it alone differs.
        lengths = {ticks for _, ticks in self.steps}
        if len(self.steps) == 2 and self.steps[1][0] == 1 and len(lengths) == 2 and self.steps[0][1]:
            return Fraction(self.timescale, self.steps[0][1])
        return Fraction(counted * self.timescale, self.step_total)

    @property
    def earliest(self) -> int:
        """The smallest composition time of the first samples, in ticks (8.6.1)."""
        if not self.shifts or not self.steps:
            return 0
        step, times, at = self.steps[0][1], [], 0
        for count, ticks in self.shifts:
            for _ in range(min(count, _FIRST_SHIFTS)):
                times.append(at + ticks)
                at += step
            if len(times) >= _FIRST_SHIFTS:
                break
        return min(times)

    def edit_offset(self, movie_timescale: int) -> Fraction:
        """Seconds by which the edit list moves the first sample's presentation; negative where it cuts into it."""
        delay, timescale = 0, movie_timescale or 1
        for duration, media_time in self.edits:
            if media_time >= 0:
                return Fraction(delay, timescale) + Fraction(self.earliest - media_time, self.timescale or 1)
            delay += duration
        return Fraction(delay, timescale)

    def last_byte(self) -> int:
        """Return the offset after the last byte that the sample tables point at, 0 for no samples."""
        if self.chunk_offsets is None or not len(self.chunk_offsets) or self.sizes is None or not self.sample_count:
            return 0
        chunks = len(self.chunk_offsets)
        per_chunk = np.zeros(chunks, dtype=np.int64)
        if self.chunk_runs is not None and len(self.chunk_runs):
            firsts = np.clip(self.chunk_runs[:, 0].astype(np.int64) - 1, 0, chunks)
            per_chunk = np.repeat(
                np.concatenate([[0], self.chunk_runs[:, 1].astype(np.int64)]),
                np.clip(np.diff(np.concatenate([[0], np.maximum.accumulate(firsts), [chunks]])), 0, None),
            )
        ends = np.minimum(np.cumsum(per_chunk), self.sample_count)
        if isinstance(self.sizes, int):
            lengths = np.diff(ends, prepend=0) * self.sizes
        else:
            total = np.concatenate([[0], np.cumsum(self.sizes.astype(np.int64))])
            ends = np.minimum(ends, len(self.sizes))
            lengths = np.diff(total[ends], prepend=0)
        used = lengths > 0
        return int((self.chunk_offsets.astype(np.int64)[used] + lengths[used]).max()) if used.any() else 0


@dataclass(slots=True, kw_only=True)
class Movie:
    """What the boxes of a file say."""

    brands: tuple[str, ...] = ()
    index_at: int | None = None  #: offset of moov
    media_at: int | None = None  #: offset of the first mdat
    fragmented: bool = False
    timescale: int = 0
    duration: int = 0  #: in the movie's timescale
    tracks: list[MovieTrack] = field(default_factory=list)
    damage: list[str] = field(default_factory=list)  #: what is cut or makes no sense
    usual_steps: dict[int, int] = field(default_factory=dict)  #: trex: ticks of a sample of fragments, by track_ID

    def of(self, handler: str) -> list[MovieTrack]:
        """Return the tracks with a handler."""
        return [track for track in self.tracks if track.handler == handler]


def looks_like_movie(head: bytes) -> bool:
    """Does a file that begins with these bytes hold ISO base media boxes?"""
    return len(head) >= 8 and head[4:8].decode("latin-1") in _SIGNATURES


def read_movie(file: BinaryIO, size: int) -> Movie:
    """Read the boxes of an ISO base media file; damage is noted, never raised.

    Raises ``UnreadableFile`` for a file of more fragments than can be read in a few minutes.
    """
    movie = Movie()
    fragments = 0
    bare: Box | None = None  # the newest fragment, while no media have followed it
    for box in walk_file(file, size):
        if box.cut:
            movie.damage.append(
                f"box {box.kind!r} at byte {box.start} claims to reach past the end of the file at byte {size}"
            )
        if box.kind == "ftyp":
            file.seek(box.body)
            body = file.read(min(box.end - box.body, 4096))
            raw = [body[:4], *(body[at : at + 4] for at in range(8, len(body) - 3, 4))]
            movie.brands = tuple(dict.fromkeys(brand.decode("latin-1").strip() for brand in raw if brand.strip(b"\0 ")))
        elif box.kind == "moov" and movie.index_at is None:
            movie.index_at = box.start
            length = box.end - box.body
            if length > LARGEST_MOVIE_BOX:
                movie.damage.append(f"the index is {length} bytes; expected at most {LARGEST_MOVIE_BOX}")
                continue
            file.seek(box.body)
            _read_moov(movie, file.read(length), box.body)
        elif box.kind == "mdat":
            bare = None
            if movie.media_at is None:
                movie.media_at = box.start
        elif box.kind == "moof":
            if not fragments:
                file.seek(box.body)
                _read_fragment(movie, file.read(min(box.end - box.body, _LARGEST_FRAGMENT)))
            movie.fragmented = True
            bare = box
            fragments += 1
            if fragments > MOST_FRAGMENTS:
                raise UnreadableFile(
                    f"the file has more than {MOST_FRAGMENTS:,} fragments; expected fragments of a few seconds each"
                )
    if bare is not None:
        file.seek(bare.body)
        if _has_samples(file.read(min(bare.end - bare.body, _LARGEST_FRAGMENT))):
            movie.damage.append(f"no media follow the fragment at byte {bare.start:,}")
    _hold_index(movie, fragments, size)
    return movie


def _hold_index(movie: Movie, fragments: int, size: int) -> None:
    """Note what the index promises and the file does not have."""
    if movie.index_at is None:
        movie.damage.append("there is no index (moov box)")
        return
    last = max((track.last_byte() for track in movie.tracks), default=0)
    if last > size:
        movie.damage.append(f"the index points at byte {last - 1}, the file ends at byte {size}")
    if movie.fragmented and not fragments and not any(track.steps for track in movie.tracks):
        movie.damage.append("the index says that fragments follow, and none does")


def _read_moov(movie: Movie, data: bytes, base: int) -> None:
    """Read the contents of a movie box that begin at byte ``base`` of the file."""
    for box in walk(data, 0, len(data)):
        body = data[box.body : box.end]
        if box.kind == "mvhd":
            try:
                movie.timescale, movie.duration = _time_header(body)
            except (struct.error, IndexError):
                movie.damage.append("box 'mvhd' makes no sense")
        elif box.kind == "mvex":
            movie.fragmented = True
            for inner in walk(data, box.body, box.end):
                if inner.kind == "trex" and inner.end - inner.body >= 24:
                    track, _, step = struct.unpack_from(">III", data, inner.body + 4)
                    movie.usual_steps[track] = step
        elif box.kind == "trak":
            track = MovieTrack(number=len(movie.tracks) + 1)
            for inner in _leaves(data, box.body, box.end):
                track.offsets.setdefault(inner.kind, base + inner.start)
                try:
                    _read_track_box(track, inner.kind, data[inner.body : inner.end])
                except (struct.error, ValueError, IndexError):
                    movie.damage.append(f"box {inner.kind!r} of track {len(movie.tracks) + 1} makes no sense")
            movie.tracks.append(track)


def _read_fragment(movie: Movie, data: bytes) -> None:
    """Take the lengths of samples from the first movie fragment, where the movie box has none (8.8.7, 8.8.8)."""
    for fragment in walk(data, 0, len(data)):
        if fragment.kind != "traf":
            continue
        boxes = {box.kind: data[box.body : box.end] for box in walk(data, fragment.body, fragment.end)}
        try:
            header, run = boxes["tfhd"], boxes["trun"]
            id_, step = _usual_step(header)
            track = next((one for one in movie.tracks if one.id == id_ and not one.steps), None)
            if track:
                track.steps = _run_steps(run, step if step is not None else movie.usual_steps.get(id_, 0))
                track.offsets.pop("stts", None)
        except (KeyError, struct.error):
            continue


def _has_samples(data: bytes) -> bool:
    """Has a movie fragment samples, whose media lie outside of it (8.8.8)?"""
    for fragment in walk(data, 0, len(data)):
        for run in walk(data, fragment.body, fragment.end) if fragment.kind == "traf" else ():
            if run.kind == "trun" and data[run.body + 4 : run.body + 8].strip(b"\0"):
                return True
    return False


def _usual_step(header: bytes) -> tuple[int, int | None]:
    """Return track_ID and default_sample_duration of a tfhd box, ``None`` where it has none."""
    flags, id_ = struct.unpack_from(">II", header)
    at = 8 + (8 if flags & 0x01 else 0) + (4 if flags & 0x02 else 0)
    return id_, struct.unpack_from(">I", header, at)[0] if flags & 0x08 else None


def _run_steps(run: bytes, usual: int) -> list[tuple[int, int]]:
    """Return (count, ticks) of the samples of a trun box."""
    flags, count = struct.unpack_from(">II", run)
    flags &= 0xFFFFFF
    if not flags & 0x100:
        return [(count, usual)] if usual else []
    row = 4 * sum(bool(flags & bit) for bit in (0x100, 0x200, 0x400, 0x800))
    at = 8 + (4 if flags & 0x01 else 0) + (4 if flags & 0x04 else 0)
    count = min(count, (len(run) - at) // row)
    steps = [struct.unpack_from(">I", run, at + number * row)[0] for number in range(count)]
    return [(len(list(same)), ticks) for ticks, same in groupby(steps)]


def _leaves(data: bytes, start: int, end: int, depth: int = 0) -> Iterator[Box]:
    for box in walk(data, start, end):
        if box.kind in _CONTAINERS and depth < 8:
            yield from _leaves(data, box.body, box.end, depth + 1)
        else:
            yield box


def _time_header(body: bytes) -> tuple[int, int]:
    """Timescale and duration of mvhd or mdhd (8.2.2, 8.4.2); an all-ones duration is unknown and given as 0."""
    if body[0] == 1:
        timescale, duration = struct.unpack_from(">IQ", body, 20)
        return timescale, 0 if duration == 0xFFFFFFFFFFFFFFFF else duration
    timescale, duration = struct.unpack_from(">II", body, 12)
    return timescale, 0 if duration == 0xFFFFFFFF else duration


def _read_track_box(track: MovieTrack, kind: str, body: bytes) -> None:
    if kind == "tkhd":
        at = 52 if body[0] == 1 else 40
        track.enabled = bool(body[3] & 1)
        track.id = struct.unpack_from(">I", body, 20 if body[0] == 1 else 12)[0]
        track.matrix = struct.unpack_from(">9i", body, at)
        track.shown_size = struct.unpack_from(">II", body, at + 36)
    elif kind == "mdhd":
        track.timescale, track.duration = _time_header(body)
        code = struct.unpack_from(">H", body, 32 if body[0] == 1 else 20)[0]
        letters = "".join(chr(0x60 + (code >> shift & 31)) for shift in (10, 5, 0))
        track.language = letters if letters.isalpha() and letters != "und" and code >= 0x400 else None
    elif kind == "hdlr" and not track.handler:
        track.handler = body[8:12].decode("latin-1")
    elif kind == "elst":
        wide = body[0] == 1
        count = struct.unpack_from(">I", body, 4)[0]
        row, step = (">Qq", 20) if wide else (">Ii", 12)
        for index in range(min(count, (len(body) - 8) // step)):
            duration, media_time = struct.unpack_from(row, body, 8 + index * step)
            track.edits.append((duration, media_time))
    elif kind == "stsd":
        track.entry = _sample_entry(track, body)
    elif kind == "stts":
        rows = _rows(body, 2)
        track.steps = [(int(count), int(ticks)) for count, ticks in rows]
    elif kind == "ctts":
        signed = _rows(body, 2)[:_FIRST_SHIFTS].astype(np.int64)
        signed[:, 1] = signed[:, 1].astype(np.uint32).astype(np.int32)
        track.shifts = [(int(count), int(ticks)) for count, ticks in signed]
    elif kind == "stsz":
        one, track.sample_count = struct.unpack_from(">II", body, 4)
        track.sizes = one or np.frombuffer(body, ">u4", min(track.sample_count, (len(body) - 12) // 4), 12)
    elif kind == "stco":
        track.chunk_offsets = _column(body, ">u4", 4)
    elif kind == "co64":
        track.chunk_offsets = _column(body, ">u8", 8)
    elif kind == "stsc":
        track.chunk_runs = _rows(body, 3)


def _rows(body: bytes, columns: int) -> np.ndarray:
    count = struct.unpack_from(">I", body, 4)[0]
    count = min(count, (len(body) - 8) // (4 * columns))
    return np.frombuffer(body, ">u4", count * columns, 8).reshape(count, columns)


def _column(body: bytes, kind: str, width: int) -> np.ndarray:
    count = struct.unpack_from(">I", body, 4)[0]
    return np.frombuffer(body, kind, min(count, (len(body) - 8) // width), 8)


def _sample_entry(track: MovieTrack, body: bytes) -> SampleEntry | None:
    handler, base = track.handler, track.offsets.get("stsd", 0) + 8  # the entries' offsets count from stsd's contents
    for box in walk(body, 8, len(body)):
        data = body[box.body : box.end]
        entry = SampleEntry(code=box.kind, boxes={})
        inner = 8
        if handler == "vide" and len(data) >= _VISUAL_HEAD:
            entry.size = struct.unpack_from(">HH", data, 24)
            entry.depth = struct.unpack_from(">H", data, 74)[0]
            inner = _VISUAL_HEAD
        elif handler == "soun" and len(data) >= _SOUND_HEAD:
            inner = _read_sound_entry(entry, data)
        for child in walk(data, inner, len(data)):
            entry.boxes.setdefault(child.kind, data[child.body : child.end])
            track.offsets.setdefault(child.kind, base + box.body + child.start)
        if handler == "soun" and "wave" in entry.boxes:  # QuickTime puts the decoder's boxes one level deeper
            wave = entry.boxes["wave"]
            for child in walk(wave, 0, len(wave)):
                entry.boxes.setdefault(child.kind, wave[child.body : child.end])
        if handler == "tmcd":
            entry.boxes["tmcd"] = data[8:]
        return entry
    return None


def _read_sound_entry(entry: SampleEntry, data: bytes) -> int:
    """Fill a sound entry (12.2.3 and QTFF sound descriptions 0 to 2); return where its own boxes begin."""
    version = struct.unpack_from(">H", data, 8)[0]
    entry.channels, entry.sample_bits = struct.unpack_from(">HH", data, 16)
    entry.sample_rate = struct.unpack_from(">I", data, 24)[0] >> 16
    if version == 1:
        return _SOUND_HEAD + 16
    if version == 2 and len(data) >= 64:
        rate, channels = struct.unpack_from(">dI", data, 32)
        entry.sample_rate, entry.channels = (round(rate) if 0 < rate < 1e7 else None), channels
        entry.sample_bits = struct.unpack_from(">I", data, 48)[0]
        return 64
    return _SOUND_HEAD


def _sign(value: int) -> int:
    return (value > 0) - (value < 0)


def rotation(matrix: tuple[int, ...] | None) -> int | None:
    """Return the clockwise turn in degrees of a display matrix (8.3.2), ``None`` where it is no quarter turn."""
    if matrix is None:
        return None
    a, b, _, c, d = matrix[0], matrix[1], matrix[2], matrix[3], matrix[4]
    signs = (_sign(a), _sign(b), _sign(c), _sign(d))
    turns = {(1, 0, 0, 1): 0, (0, 1, -1, 0): 90, (-1, 0, 0, -1): 180, (0, -1, 1, 0): 270}
    return turns.get(signs)


def read_timecode(file: BinaryIO, track: MovieTrack) -> Timecode | None:
    """Return the first timecode of a timecode track (QTFF, timecode sample description), ``None`` when unreadable."""
    body = track.entry.boxes.get("tmcd", b"") if track.entry else b""
    if len(body) < 17 or track.chunk_offsets is None or not len(track.chunk_offsets):
        return None
    flags, timescale, frame_ticks = struct.unpack_from(">III", body, 4)
    if not timescale or not frame_ticks:
        return None
    file.seek(int(track.chunk_offsets[0]))
    sample = file.read(4)
    if len(sample) < 4:
        return None
    rate = Fraction(timescale, frame_ticks)
    try:
        return Timecode(frames=struct.unpack(">I", sample)[0], rate=rate, drop=bool(flags & 1))
    except ValueRefused:
        return None
