"""All header facts of one file: wrapper, picture, sound, text."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Any, BinaryIO

import av
from av.container import InputContainer

from brisk_core.errors import UnreadableFile
from brisk_core.facts import CaptionTrack, Chapter, FactsBuilder, Stage, Track, Witness
from brisk_core.reading import library, mxf, signatures
from brisk_core.reading.bit_reader import BitsEnded
from brisk_core.reading.movie import Movie, MovieTrack, looks_like_movie, read_movie, read_timecode
from brisk_core.reading.mxf_metadata import MxfMetadata, declare_from_metadata, read_metadata, sound_rows
from brisk_core.reading.picture_headers import CodedPicture, declare_from_entry, demuxed_codec
from brisk_core.reading.sound_headers import parse_aac, parse_descriptor
from brisk_core.reading.source import Source

FIRST_PICTURES = 12  # packets whose headers are read: one group of pictures of the long-group broadcast formats
_MOST_PACKETS = 400  # packets of any track passed over to find them
_COVER = 0x400  # disposition of a cover picture, which is no programme
_HANDLERS = {"vide": "picture", "soun": "sound", "text": "text", "sbtl": "text", "subt": "text", "tmcd": "timecode"}
_LIBRARY_KINDS = {"video": "picture", "audio": "sound", "subtitle": "text"}
_MP4_SOUND = {0x40: "aac", 0x66: "aac", 0x67: "aac", 0x68: "aac", 0x69: "mp3", 0x6B: "mp3", 0xA5: "ac3", 0xA6: "eac3"}
_SOUND_ENTRIES = {"ac-3": "ac3", "ec-3": "eac3", "fLaC": "flac", "Opus": "opus", "alac": "alac", ".mp3": "mp3"} | (
    dict.fromkeys(("sowt", "twos", "in24", "in32", "fl32", "fl64", "lpcm", "ipcm", "fpcm", "raw ", "NONE"), "pcm")
)
_ENTRY_BITS = {"in24": 24, "in32": 32, "fl32": 32, "fl64": 64}


@dataclass(slots=True, kw_only=True)
class HeaderReading:
    """What the header pass leaves for the passes that follow."""

    builder: FactsBuilder
    picture_index: int | None  #: stream index of the first picture track
    picture_codec: str | None
    coded: CodedPicture | None
    wrapper_format: str
    movie: Movie | None  #: ISO base media only
    chapters: tuple[Chapter, ...]


def read_headers(source: Source) -> HeaderReading:
    """Read wrapper and stream headers; raises ``UnreadableFile`` when the file is no media file."""
    builder = FactsBuilder()
    name = source.name
    extension = name.rsplit(".", 1)[1].lower() if "." in name else ""
    builder.declared("file.name", name)
    builder.declared("file.extension", extension)
    builder.declared("file.size", source.size)
    builder.declared("wrapper.format", signatures.format_by_extension(extension))
    if source.size == 0:
        raise UnreadableFile("the file is empty; expected a media file")
    with source.open() as file:
        wrapper = _read_wrapper(builder, file, source.size)
        with library.open_container(source) as container:
            return _read_streams(builder, file, container, wrapper)


@dataclass(frozen=True, slots=True, kw_only=True)
class _Wrapper:
    """What own readers found of the wrapper."""

    format: str
    movie: Movie | None = None  # ISO base media
    mxf: MxfMetadata | None = None


def _read_wrapper(builder: FactsBuilder, file: BinaryIO, size: int) -> _Wrapper:
    """Find the wrapper by signature and read what own readers can; raises ``UnreadableFile`` for no wrapper at all."""
    head = file.read(signatures.HEAD_BYTES)
    partition = mxf.read_header_partition(file)
    movie = read_movie(file, size) if looks_like_movie(head) else None
    wrapper_format = signatures.format_by_signature(head, movie.brands if movie else (), partition) or "other"
    builder.observed("wrapper.format", wrapper_format)
    if movie:
        builder.declared("wrapper.brands", movie.brands or None)
        builder.declared("wrapper.fragmented", movie.fragmented)
        builder.observed("wrapper.complete", not movie.damage)
        if movie.index_at is None:
            raise UnreadableFile(f"the file is cut: {movie.damage[0]}, so nothing says where its media is")
        if movie.media_at is not None:
            builder.observed("wrapper.index_first", movie.index_at < movie.media_at)
        if movie.timescale and movie.duration:
            builder.declared("wrapper.duration", Fraction(movie.duration, movie.timescale))
        offsets = tuple(track.edit_offset(movie.timescale) for track in movie.tracks)
        builder.declared("wrapper.edit_offset", offsets)
    elif partition:
        complete, reason = mxf.completeness(file, partition, size)
        builder.observed("wrapper.complete", complete)
        if reason:
            builder.unread("timing.gaps", reason)
    elif wrapper_format == "other":
        start = signatures.printable_start(head)
        raise UnreadableFile(f"this is no media file that is known: it starts with {start}")
    builder.unread_missing(Stage.HEADERS, f"this engine does not read the structure of {wrapper_format} that far")
    metadata = read_metadata(file, partition) if partition else None
    if metadata:
        declare_from_metadata(builder, metadata)
    return _Wrapper(format=wrapper_format, movie=movie, mxf=metadata)


def _read_streams(builder: FactsBuilder, file: BinaryIO, container: InputContainer, wrapper: _Wrapper) -> HeaderReading:
    movie, wrapper_format = wrapper.movie, wrapper.format
    pictures = [stream for stream in container.streams.video if not int(stream.disposition) & _COVER]
    picture = next((stream for stream in pictures if stream.codec_context is not None), None)
    if pictures and picture is None and movie and (tracks := movie.of("vide")):
        declare_from_entry(builder, tracks[0])  # a codec that nobody here knows: the wrapper's word is all there is
    if not pictures and not container.streams.audio:
        damage = f": {movie.damage[0]}" if movie and movie.damage else ""
        raise UnreadableFile(f"the wrapper opens but holds neither picture nor sound{damage}")
    coded = None
    if picture is not None:
        coded = _read_picture(builder, container, picture, movie)
    _read_sound(builder, container, wrapper)
    _read_text(builder, container, movie)
    chapters = tuple(
        Chapter(
            time=Fraction(row["start"]) * (row["time_base"] or 1),
            title=row["metadata"].get("title", ""),
            on_random_access=None,
        )
        for row in container.chapters()
    )
    builder.declared("text.chapters", chapters)
    _read_time(builder, file, container, movie, wrapper_format)
    return HeaderReading(
        builder=builder,
        picture_index=picture.index if picture is not None else None,
        picture_codec=coded.codec if coded else None,
        coded=coded,
        wrapper_format=wrapper_format,
        movie=movie,
        chapters=chapters,
    )


def _read_picture(builder: FactsBuilder, container: InputContainer, stream: Any, movie: Movie | None) -> CodedPicture:
    context = stream.codec_context
    coded = CodedPicture(codec=demuxed_codec(context))
    if movie and (tracks := movie.of("vide")):
        declare_from_entry(builder, tracks[0])
    else:
        builder.declared("picture.codec", coded.codec)
        label = context.codec_tag.strip("\0") if context.codec_tag and "[" not in context.codec_tag else ""
        builder.declared("picture.codec_label", label or None)
    coded.take_extradata(bytes(context.extradata or b""))
    taken = seen = 0
    try:
        for packet in container.demux(stream):
            seen += 1
            if packet.size:
                coded.take_packet(bytes(packet))
                taken += 1
            if taken >= FIRST_PICTURES or seen >= _MOST_PACKETS:
                break
    except (av.FFmpegError, IndexError, UnicodeDecodeError):
        pass  # a damaged start: what was taken stands, the packet pass names the damage
    coded.say(builder, context)
    return coded


def _entry_sound(track: MovieTrack) -> dict[str, Any]:
    """What one sound track's sample entry declares and codes."""
    entry = track.entry
    facts: dict[str, Any] = {}
    if entry is None:
        return facts
    facts["codec"] = _SOUND_ENTRIES.get(entry.code)
    facts["sample_rate"], facts["channels"] = entry.sample_rate or track.timescale or None, entry.channels
    descriptor = parse_descriptor(entry.boxes["esds"]) if "esds" in entry.boxes else None
    if entry.code == "mp4a":
        facts["codec"] = _MP4_SOUND.get(descriptor.object_type) if descriptor else None
    if descriptor:
        facts["bitrate"] = descriptor.average_bits_per_second or None
        if facts["codec"] == "aac":
            try:
                facts["aac"] = parse_aac(descriptor.specific)
            except BitsEnded:
                facts["aac"] = None
    if facts["codec"] == "pcm":
        facts["bit_depth"] = _ENTRY_BITS.get(entry.code, entry.sample_bits)
    return facts


def _read_sound(builder: FactsBuilder, container: InputContainer, wrapper: _Wrapper) -> None:
    streams = list(container.streams.audio)
    entries: list[dict[str, Any]] = []
    if wrapper.movie:
        entries = [_entry_sound(track) for track in wrapper.movie.of("soun")]
    elif wrapper.mxf:
        entries = sound_rows(wrapper.mxf)
    if len(entries) != len(streams):
        entries = [{}] * len(streams)
    columns: dict[tuple[Witness, str], list[Any]] = {}

    def note(witness: Witness, name: str, value: Any) -> None:
        columns.setdefault((witness, name), []).append(value)

    for stream, entry in zip(streams, entries, strict=True):
        context = stream.codec_context
        if context is None:  # a codec that nobody here knows
            for name in ("codec", "sample_rate", "bit_depth", "channels", "layout", "bitrate"):
                note(Witness.DECLARED, name, entry.get(name))
                note(Witness.CODED, name, None)
            continue
        codec = library.sound_codec(context.name)
        linear = codec == "pcm"
        layout = library.layout_name(context)
        bits = library.pcm_bits(context.name)
        aac = entry.get("aac")
        note(Witness.DECLARED, "codec", entry.get("codec") or codec)
        note(Witness.DECLARED, "sample_rate", entry.get("sample_rate") or (context.sample_rate if linear else None))
        note(Witness.DECLARED, "channels", entry.get("channels") or (context.channels if linear else None))
        note(Witness.DECLARED, "bit_depth", entry.get("bit_depth") or bits)
        note(Witness.DECLARED, "layout", layout if linear else None)
        whole = context.sample_rate * context.channels * bits if linear and bits else None
        note(Witness.DECLARED, "bitrate", entry.get("bitrate") or whole)
        note(Witness.CODED, "codec", None if linear else codec)
        note(Witness.CODED, "sample_rate", aac.sample_rate if aac else None if linear else context.sample_rate)
        note(Witness.CODED, "channels", (aac.channels if aac else None) or (None if linear else context.channels))
        note(Witness.CODED, "bit_depth", None)
        note(Witness.CODED, "layout", None if linear else layout)
        note(Witness.CODED, "bitrate", None if linear or codec == "aac" else context.bit_rate or None)
    builder.declared("sound.tracks", len(streams))
    for witness in (Witness.DECLARED, Witness.CODED):
        for name in ("codec", "sample_rate", "bit_depth", "channels", "layout", "bitrate"):
            values = tuple(columns.get((witness, name), ()))
            if not streams or any(value is not None for value in values):
                builder.say(witness, f"sound.{name}", values)


def _read_text(builder: FactsBuilder, container: InputContainer, movie: Movie | None) -> None:
    if movie:
        tracks = tuple(
            Track(
                kind=_HANDLERS.get(track.handler, "data"),
                codec=track.entry.code if track.entry else "",
                language=track.language,
                default=track.enabled,
            )
            for track in movie.tracks
        )
    else:
        tracks = tuple(
            Track(
                kind=_LIBRARY_KINDS.get(stream.type, "data"),
                codec=stream.codec_context.name if stream.codec_context else "",
                language=stream.metadata.get("language"),
                default=bool(int(stream.disposition) & 1),
            )
            for stream in container.streams
        )
    builder.declared("wrapper.tracks", tracks)
    builder.declared(
        "text.captions",
        tuple(
            CaptionTrack(
                kind="embedded",
                format=stream.codec_context.name if stream.codec_context else "unknown",
                language=stream.metadata.get("language"),
                count=None,
            )
            for stream in container.streams.subtitles
        ),
    )


def _read_time(
    builder: FactsBuilder, file: BinaryIO, container: InputContainer, movie: Movie | None, wrapper_format: str
) -> None:
    """Start timecode and, for wrappers without an own reader that do declare one, the duration."""
    if movie:
        for track in movie.of("tmcd"):
            builder.declared("wrapper.start_timecode", read_timecode(file, track))
            break
    else:
        if not wrapper_format.startswith("mxf"):
            rate = builder.said(Witness.CODED, "picture.frame_rate")
            builder.declared("wrapper.start_timecode", library.start_timecode(container, rate))
        if wrapper_format in ("matroska", "webm", "avi", "wav") and container.duration:
            builder.declared("wrapper.duration", Fraction(container.duration, av.time_base))
    duration = builder.said(Witness.DECLARED, "wrapper.duration")
    size = builder.said(Witness.DECLARED, "file.size")
    if duration:
        builder.declared("wrapper.bitrate", round(size * 8 / duration))
