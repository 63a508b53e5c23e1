"""One inspection of one file: headers, packets, then pictures and sound, at once or in parts. The sandbox calls it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import xxhash

from brisk_core.captions import (
    LIMITS,
    CaptionDocument,
    Captioned,
    Programme,
    hold_captions,
    read_caption_data,
    read_text_tracks,
)
from brisk_core.facts import (
    CaptionTrack,
    Depth,
    FactsBuilder,
    Inspection,
    Span,
    Stage,
    Witness,
    find_contradictions,
    keys,
)
from brisk_core.facts.keys import Key
from brisk_core.packets import CaptionData, PacketSeries, load_series, observe_packets, read_packets, save_series
from brisk_core.reading import Source, read_headers
from brisk_core.scan import (
    Segment,
    conclude_scan,
    join_parts,
    load_sounds,
    save_scan,
    save_sounds,
    scan_pictures,
    scan_sounds,
    scan_whole,
)
from brisk_core.scan.small_pictures import SmallPictures

_CHUNK = 4 << 20
Progress = Callable[[int, int], None]


@dataclass(frozen=True, slots=True, kw_only=True)
class Inspected:
    """An inspection and the series it leaves."""

    inspection: Inspection
    series: PacketSeries | None


def digest(source: Source, progress: Progress | None = None) -> str:
    """Return the XXH3-128 digest of the whole file in hexadecimal, streamed once."""
    state = xxhash.xxh3_128()
    done = 0
    with source.open() as file:
        while chunk := file.read(_CHUNK):
            state.update(chunk)
            done += len(chunk)
            if progress:
                progress(done, source.size)
    return state.hexdigest()


def inspect(
    source: Source,
    depth: Depth = Depth.FULL,
    *,
    checksum: str | None = None,
    progress: Progress | None = None,
    series_path: Path | None = None,
    scan_path: Path | None = None,
) -> Inspected:
    """Inspect a file to a depth, in this process.

    ``series_path`` and ``scan_path`` are where the series of packets and of pictures and sound are written.
    ``checksum`` is the XXH3-128 digest where it is known; without it ``file.checksum`` stays unread. Raises
    ``UnreadableFile`` when the file is no media file.
    """
    reading = read_headers(source)
    series = None
    if checksum:
        reading.builder.observed(keys.FILE_CHECKSUM, {"xxh3_128": checksum})
    if depth is not Depth.HEADERS:
        taken = read_packets(source, reading, progress)
        observe_packets(reading, taken)
        series = taken.series
        reading.builder.observed(keys.FILE_CONTRADICTIONS, tuple(find_contradictions(reading.builder).values()))
        _observe_captions_inside(source, reading.builder, taken.caption_data)
        if series is not None and series_path is not None:
            save_series(series, series_path)
    if depth is Depth.FULL:
        scanned = scan_whole(source, series, reading.builder, progress)
        if scan_path is not None:
            save_scan(scanned, scan_path)
    inspection = reading.builder.finish(file_name=source.name, file_size=source.size, depth=depth)
    return Inspected(inspection=inspection, series=series)


def _observe_captions_inside(source: Source, builder: FactsBuilder, data: Sequence[CaptionData]) -> None:
    """Count captions in the file and hold them against the house's limits; sound and cuts are left to the check."""
    told: list[Key[tuple[Span, ...]]] = [keys.TEXT_RATE_MISMATCH, keys.TEXT_OUT_OF_RANGE, keys.TEXT_OVERLAP]
    told += [keys.BY_ID[id_] for id_ in LIMITS]
    rate, frames = (
        builder.said(Witness.OBSERVED, keys.PICTURE_FRAME_RATE),
        builder.said(Witness.OBSERVED, keys.PICTURE_FRAME_COUNT),
    )
    documents = read_text_tracks(source) if builder.said(Witness.DECLARED, keys.TEXT_CAPTIONS) else ()
    channels = read_caption_data(source, [one for one in data if one.row is None])
    tracks = list(builder.said(Witness.OBSERVED, keys.TEXT_CAPTIONS) or ())
    for one in data:
        if one.row is not None:  # teletext: the wrapper lists its track, what it shows is known only now
            pages = read_caption_data(source, [one])
            tracks[one.row] = replace(tracks[one.row], count=sum(len(page.captions) for page in pages))
            documents += tuple(page for page in pages if page.captions)
    builder.observed(keys.TEXT_CAPTIONS, (*tracks, *(_track_of(document) for document in channels)))
    none = "the text of its captions is not read here" if tracks else "the file has no captions inside"
    documents += tuple(document for document in channels if document.captions)
    if not documents or not rate or not frames:
        for key in told:
            builder.unread(key, "rate or length are not known" if documents else none)
        return
    programme = Programme(rate=rate, frames=frames, start=builder.said(Witness.DECLARED, keys.WRAPPER_START_TIMECODE))
    held = hold_captions(Captioned(documents=documents), programme)
    for key in told:
        found = held[key.id]
        if found.right is None:
            by_scan = key is keys.TEXT_RATE_MISMATCH
            builder.unread(key, "a check tells it, by sounds and cuts" if by_scan else found.found)
        else:
            builder.observed(key, tuple(Span(**span) for span in found.document))


def _track_of(channel: CaptionDocument) -> CaptionTrack:
    name = f"{channel.format} {channel.name}".removesuffix(f" {channel.format}")
    return CaptionTrack(kind="embedded", format=name, language=None, count=len(channel.captions))


@dataclass(frozen=True, slots=True, kw_only=True)
class ScanPart:
    """A part of a scan that is done apart: a segment of the pictures, the sound, or both."""

    segment: Segment | None  #: None for a part without pictures
    sound: bool
    pictures_path: Path
    sound_path: Path
    small_folder: Path | None = None  #: where small pictures are kept


def scan_part(
    source: Source, series_path: Path | None, part: ScanPart, *, full: bool, duration: float, progress: Progress | None
) -> None:
    """Scan one part and write what was measured; ``full`` is the range by the file's own word, ``duration`` seconds.

    Progress is told in pictures of the segment, or in seconds of the sound for a part without pictures.
    """
    if part.segment is not None and series_path is not None:
        series = load_series(series_path)
        small = SmallPictures(part.small_folder, len(series)) if part.small_folder else None
        found = scan_pictures(source, series, part.segment, full=full, progress=progress, small=small)
        found.save(part.pictures_path)
    if part.sound:
        told = None if part.segment is not None or progress is None else _in_whole_seconds(progress)
        save_sounds(scan_sounds(source, duration, told), part.sound_path)


def _in_whole_seconds(progress: Progress) -> Callable[[float, float], None]:
    def report(done: float, total: float) -> None:
        progress(int(done), max(int(total), 1))

    return report


def conclude_parts(
    inspection: Inspection,
    series_path: Path | None,
    segments: Sequence[Segment],
    pictures: Sequence[Path | None],
    sound_path: Path | None,
    scan_path: Path,
) -> Inspection:
    """Join the parts of a scan and return the inspection to its full depth; a part without a file counts as missing."""
    builder = FactsBuilder.resume(inspection, Stage.PICTURES, Stage.SAMPLES)
    series = load_series(series_path) if series_path is not None else None
    scan = join_parts(pictures, segments) if segments else None
    sounds = load_sounds(sound_path) if sound_path is not None else None
    if sounds is None and not builder.said(Witness.DECLARED, keys.SOUND_TRACKS):
        sounds = []
    save_scan(conclude_scan(builder, series, scan, sounds), scan_path)
    return builder.finish(file_name=inspection.file_name, file_size=inspection.file_size, depth=Depth.FULL)
