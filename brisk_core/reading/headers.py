"""All header facts of one file: wrapper, picture, sound, text."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction
from typing import Any, BinaryIO

import av
from av.container import InputContainer

from brisk_core.errors import UnreadableFile
from brisk_core.facts import CaptionTrack, Chapter, Depth, FactsBuilder, Inspection, Stage, Track, Witness, keys
from brisk_core.facts.keys import Key
from brisk_core.reading import library
from brisk_core.reading.bit_reader import BitsEnded
from brisk_core.reading.source import Source
from brisk_core.reading.streams.picture_headers import CodedPicture, demuxed_codec
from brisk_core.reading.streams.sound_headers import (
    AacConfiguration,
    SoundHeader,
    channels_of_dac3,
    channels_of_dec3,
    first_sound_header,
    parse_aac,
    parse_descriptor,
)
from brisk_core.reading.wrappers import matroska, mxf, program_stream, riff, signatures, transport
from brisk_core.reading.wrappers.movie import Movie, MovieTrack, looks_like_movie, read_movie, read_timecode
from brisk_core.reading.wrappers.mxf_metadata import declare_from_metadata, read_metadata, sound_rows
from brisk_core.reading.wrappers.sample_entries import declare_from_entry
from brisk_core.reading.wrappers.structure import Structure, say_completeness

FIRST_PICTURES = 12  # packets whose headers are read: one group of pictures of the long-group broadcast formats
_MOST_PACKETS = 400  # packets of any track passed over to find them
_COVER = 0x400  # disposition of a cover picture, which is no programme
_HANDLERS = {"vide": "picture", "soun": "sound", "text": "text", "sbtl": "text", "subt": "text", "tmcd": "timecode"}
_LIBRARY_KINDS = {"video": "picture", "audio": "sound", "subtitle": "text"}
_MP4_SOUND = {0x40: "aac", 0x66: "aac", 0x67: "aac", 0x68: "aac", 0x69: "mp3", 0x6B: "mp3", 0xA5: "ac3", 0xA6: "eac3"}
_SOUND_ENTRIES = {"ac-3": "ac3", "ec-3": "eac3", "fLaC": "flac", "Opus": "opus", "alac": "alac", ".mp3": "mp3"} | (
    dict.fromkeys(("sowt", "twos", "in24", "in32", "fl32", "fl64", "lpcm", "ipcm", "fpcm", "raw ", "NONE"), "pcm")
)
#: What wrapper and stream say of every sound track, by the name that readers give it.
_SOUND_FACTS: dict[str, Key[Any]] = {
    "codec": keys.SOUND_CODEC,
    "sample_rate": keys.SOUND_SAMPLE_RATE,
    "bit_depth": keys.SOUND_BIT_DEPTH,
    "channels": keys.SOUND_CHANNELS,
    "layout": keys.SOUND_LAYOUT,
    "bitrate": keys.SOUND_BITRATE,
}
_ENTRY_BITS = {"in24": 24, "in32": 32, "fl32": 32, "fl64": 64}


@dataclass(slots=True, kw_only=True)
class HeaderReading:
    """What the header pass leaves for the passes that follow."""

    builder: FactsBuilder
    picture_index: int | None  #: stream index of the first picture track
    picture_codec: str | None
    coded: CodedPicture | None
    wrapper_format: str
    packet_size: int | None  #: of a transport stream
    movie: Movie | None  #: ISO base media only
    chapters: tuple[Chapter, ...]
    text_formats: dict[int, str]  #: of the text tracks, by the stream's index


def inspect_headers(source: Source) -> Inspection:
    """Inspect a file by its headers alone; raises ``UnreadableFile`` when the file is no media file."""
    builder = read_headers(source).builder
    return builder.finish(file_name=source.name, file_size=source.size, depth=Depth.HEADERS)


def read_headers(source: Source) -> HeaderReading:
    """Read wrapper and stream headers; raises ``UnreadableFile`` when the file is no media file."""
    builder = FactsBuilder()
    name = source.name
    extension = name.rsplit(".", 1)[1].lower() if "." in name else ""
    builder.declared(keys.FILE_NAME, name)
    builder.declared(keys.FILE_EXTENSION, extension)
    builder.declared(keys.FILE_SIZE, source.size)
    builder.declared(keys.WRAPPER_FORMAT, signatures.format_by_extension(extension))
    if source.size == 0:
        raise UnreadableFile("the file is empty; expected a media file")
    with source.open() as file:
        structure = _read_wrapper(builder, file, source.size)
        with library.open_container(source) as container:
            return _read_streams(builder, file, container, structure)


def _read_wrapper(builder: FactsBuilder, file: BinaryIO, size: int) -> Structure:
    """Find the wrapper by signature and read it by its standard; raises ``UnreadableFile`` for no wrapper at all."""
    head = file.read(signatures.HEAD_BYTES)
    partition = mxf.read_header_partition(file)
    movie = read_movie(file, size) if looks_like_movie(head) else None
    wrapper_format = signatures.format_by_signature(head, movie.brands if movie else (), partition) or "other"
    builder.observed(keys.WRAPPER_FORMAT, wrapper_format)
    if movie:
        structure = _read_movie(builder, movie, wrapper_format)
    elif partition:
        structure = _read_mxf(builder, file, partition, size)
    elif wrapper_format in ("matroska", "webm"):
        structure = matroska.read_matroska(builder, file, size, wrapper_format)
    elif wrapper_format == "mpeg-ts":
        structure = transport.read_transport(builder, file, head)
    elif wrapper_format == "mpeg-ps":
        structure = program_stream.read_program_stream(builder, file, size)
    elif wrapper_format == "avi":
        structure = riff.read_avi(builder, file, size)
    elif wrapper_format == "wav":
        structure = riff.read_wave(builder, file, size)
    elif signatures.is_bare_sound(head) or signatures.is_read_by_the_library(head):
        structure = Structure(format=wrapper_format)
        builder.silent(keys.WRAPPER_INDEX_FIRST)
    else:
        raise UnreadableFile(f"this is no media file that is known: {signatures.looks_like(head)}")
    if wrapper_format == "mpeg-ts":  # lost packets are looked for in the packet pass
        builder.silent(keys.WRAPPER_INDEX_FIRST)
    elif wrapper_format in ("mpeg-ps", "wav") or partition:
        builder.silent(keys.WRAPPER_INDEX_FIRST)  # there is no index that could stand first, or its place means nothing
    builder.unread_missing(Stage.HEADERS, "the structure of the wrapper does not tell")
    return structure


def _read_movie(builder: FactsBuilder, movie: Movie, wrapper_format: str) -> Structure:
    with builder.at("ftyp (ISO/IEC 14496-12, 4.3)"):
        builder.declared(keys.WRAPPER_BRANDS, movie.brands or None)
    builder.declared(keys.WRAPPER_FRAGMENTED, movie.fragmented)
    say_completeness(builder, movie.damage)
    if movie.index_at is None:
        raise UnreadableFile(f"the file is cut: {movie.damage[0]}, so nothing says where its media is")
    if movie.media_at is not None:
        with builder.at(f"moov at byte {movie.index_at:,}, mdat at byte {movie.media_at:,}"):
            builder.observed(keys.WRAPPER_INDEX_FIRST, movie.index_at < movie.media_at)
    with builder.at("moov/mvhd (ISO/IEC 14496-12, 8.2.2)"):
        if movie.timescale and movie.duration:
            builder.declared(keys.WRAPPER_DURATION, Fraction(movie.duration, movie.timescale))
    with builder.at("edts/elst of each track (ISO/IEC 14496-12, 8.6.6)"):
        builder.declared(keys.WRAPPER_EDIT_OFFSET, tuple(track.edit_offset(movie.timescale) for track in movie.tracks))
    pictures = movie.of("vide")
    if pictures:
        declare_from_entry(builder, pictures[0])
    return Structure(
        format=wrapper_format,
        movie=movie,
        declares_picture=bool(pictures),
        sounds=[_entry_sound(track) for track in movie.of("soun")],
        tracks=tuple(
            Track(
                kind=_HANDLERS.get(track.handler, "data"),
                codec=track.entry.code if track.entry else "",
                language=track.language,
                default=track.enabled,
            )
            for track in movie.tracks
        ),
    )


def _read_mxf(builder: FactsBuilder, file: BinaryIO, partition: mxf.HeaderPartition, size: int) -> Structure:
    complete, reason = mxf.completeness(file, partition, size)
    with builder.at(f"header partition pack at byte {partition.start:,} (ST 377-1, 7.1)"):
        say_completeness(builder, [] if complete else [reason])
    metadata = read_metadata(file, partition)
    declare_from_metadata(builder, metadata)
    return Structure(
        format=partition.wrapper_format, declares_picture=metadata.picture is not None, sounds=sound_rows(metadata)
    )


def _read_streams(
    builder: FactsBuilder, file: BinaryIO, container: InputContainer, structure: Structure
) -> HeaderReading:
    movie = structure.movie
    pictures = [stream for stream in container.streams.video if not int(stream.disposition) & _COVER]
    picture = next((stream for stream in pictures if stream.codec_context is not None), None)
    if not pictures and not container.streams.audio:
        damage = f": {movie.damage[0]}" if movie and movie.damage else ""
        raise UnreadableFile(f"the wrapper opens but holds neither picture nor sound{damage}")
    coded = CodedPicture(demuxed_codec(picture.codec_context)) if picture is not None else None
    sounds = _take_first_packets(container, picture, coded)
    if picture is not None and coded is not None:
        if not structure.declares_picture or builder.said(Witness.DECLARED, keys.PICTURE_CODEC) is None:
            _declare_by_library(builder, picture.codec_context, coded.codec)
        coded.say(builder, picture.codec_context)
    _read_sound(builder, container, structure, sounds)
    text_formats = _read_text(builder, container, structure)
    chapters = tuple(
        Chapter(
            time=Fraction(row["start"]) * (row["time_base"] or 1),
            title=row["metadata"].get("title", ""),
            on_random_access=None,
        )
        for row in container.chapters()
    )
    builder.declared(keys.TEXT_CHAPTERS, chapters)
    _read_time(builder, file, container, structure)
    return HeaderReading(
        builder=builder,
        picture_index=picture.index if picture is not None else None,
        picture_codec=coded.codec if coded else None,
        coded=coded,
        wrapper_format=structure.format,
        packet_size=structure.packet_size,
        movie=movie,
        chapters=chapters,
        text_formats=text_formats,
    )


def _declare_by_library(builder: FactsBuilder, context: Any, codec: str) -> None:
    """Record the wrapper's word on the codec as the library demuxes it, where no own reader knows the label."""
    builder.declared(keys.PICTURE_CODEC, codec)
    label = context.codec_tag.strip("\0") if context.codec_tag and "[" not in context.codec_tag else ""
    if builder.said(Witness.DECLARED, keys.PICTURE_CODEC_LABEL) is None:
        builder.declared(keys.PICTURE_CODEC_LABEL, label or None)


def _take_first_packets(container: InputContainer, picture: Any, coded: CodedPicture | None) -> dict[int, SoundHeader]:
    """Hand the first picture packets to ``coded``; return what the first packet of each sound track codes, by index."""
    if coded is not None:
        coded.take_extradata(bytes(picture.codec_context.extradata or b""))
    names = {
        stream.index: library.sound_codec(stream.codec_context.name)
        for stream in container.streams.audio
        if stream.codec_context is not None
    }
    waiting = {index for index, name in names.items() if name != "pcm"}
    found: dict[int, SoundHeader] = {}
    wanted = [stream for stream in container.streams if stream.index in waiting or stream is picture]
    taken = seen = 0
    try:
        for packet in container.demux(wanted) if wanted else ():
            seen += 1
            if picture is not None and packet.stream_index == picture.index:
                if packet.size and coded is not None and taken < FIRST_PICTURES:
                    coded.take_packet(bytes(packet))
                    taken += 1
            elif packet.size and packet.stream_index in waiting:
                waiting.discard(packet.stream_index)
                if header := first_sound_header(names[packet.stream_index], bytes(packet)):
                    found[packet.stream_index] = header
            enough = picture is None or taken >= FIRST_PICTURES
            if (enough and not waiting) or seen >= _MOST_PACKETS:
                break
    except (av.FFmpegError, IndexError, UnicodeDecodeError):
        pass  # a damaged start: what was taken stands, the packet pass names the damage
    return found


def _entry_sound(track: MovieTrack) -> dict[str, Any]:
    """What one sound track's sample entry declares and codes."""
    entry = track.entry
    facts: dict[str, Any] = {"place": track.place("stsd")}
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
    own = _channels_in_box(entry.boxes, facts.get("aac"))
    if own and facts["channels"] == _TEMPLATE_CHANNELS:
        facts["channels"] = own
    if facts["codec"] == "pcm":
        facts["bit_depth"] = _ENTRY_BITS.get(entry.code, entry.sample_bits)
    return facts


#: What a sound entry says whatever its sound has, where the codec's own box is to be read (ISO/IEC 14496-12, 12.2.3).
_TEMPLATE_CHANNELS = 2


def _channels_in_box(boxes: Mapping[str, bytes], aac: AacConfiguration | None) -> int | None:
    """Return the channels by the codec's own box in a sound entry, ``None`` where it has none that tells."""
    if aac is not None:
        return aac.channels
    try:
        if "dac3" in boxes:
            return channels_of_dac3(boxes["dac3"])
        return channels_of_dec3(boxes["dec3"]) if "dec3" in boxes else None
    except BitsEnded:
        return None


def _read_sound(
    builder: FactsBuilder, container: InputContainer, structure: Structure, headers: dict[int, SoundHeader]
) -> None:
    streams = list(container.streams.audio)
    entries = structure.sounds if len(structure.sounds) == len(streams) else [{}] * len(streams)
    columns: dict[tuple[Witness, str], list[Any]] = {}
    for stream, entry in zip(streams, entries, strict=True):
        for witness, said in zip(
            (Witness.DECLARED, Witness.CODED), _sound_words(stream, entry, headers.get(stream.index)), strict=True
        ):
            for name in _SOUND_FACTS:
                columns.setdefault((witness, name), []).append(said.get(name))
    builder.declared(keys.SOUND_TRACKS, len(streams))
    coded_place = next((header.place for header in headers.values()), "")
    for witness, place in (
        (Witness.DECLARED, entries[0].get("place", "") if entries else ""),
        (Witness.CODED, coded_place),
    ):
        for name, key in _SOUND_FACTS.items():
            values = tuple(columns.get((witness, name), ()))
            if not streams or any(value is not None for value in values):
                with builder.at(place):
                    builder.say(witness, key, values)


def _sound_words(
    stream: Any, entry: dict[str, Any], header: SoundHeader | None
) -> tuple[dict[str, Any], dict[str, Any]]:
    """Return what the wrapper and what the stream's headers say of one sound track."""
    context = stream.codec_context
    declared = {name: entry.get(name) for name in _SOUND_FACTS}
    if context is None:  # a codec that nobody here knows
        return declared, {}
    codec = library.sound_codec(context.name)
    declared["codec"] = declared["codec"] or codec
    if codec == "pcm":  # samples without headers: the wrapper's word, as the library reads it, is all there is
        bits = library.pcm_bits(context.name)
        whole = context.sample_rate * context.channels * bits if bits else None
        fallback = {
            "sample_rate": context.sample_rate or None,
            "channels": context.channels or None,
            "bit_depth": bits,
            "layout": library.layout_name(context),
            "bitrate": whole,
        }
        return declared | {name: declared[name] or value for name, value in fallback.items()}, {}
    aac = entry.get("aac")
    coded = {
        # Of a track that begins late the library has met no frame: its name is a guess by the wrapper's word.
        "codec": (header.codec if header else None) or (codec if context.channels else None),
        "sample_rate": aac.sample_rate if aac else header.sample_rate if header else context.sample_rate or None,
        "channels": (aac.channels if aac else None)
        or (header.channels if header else None)
        or context.channels
        or None,
        "layout": (header.layout if header else None) or library.layout_name(context),
        "bitrate": header.bits_per_second if header else None,
    }
    return declared, coded


def _read_text(builder: FactsBuilder, container: InputContainer, structure: Structure) -> dict[int, str]:
    """Record tracks and captions as the wrapper declares them; return the formats of text by the stream's index."""
    tracks = structure.tracks
    if tracks is None:
        tracks = tuple(
            Track(
                kind=_LIBRARY_KINDS.get(stream.type, "data"),
                codec=library.plain_codec(stream.type, stream.codec_context.name) if stream.codec_context else "",
                language=stream.metadata.get("language"),
                default=bool(int(stream.disposition) & 1),
            )
            for stream in container.streams
        )
    builder.declared(keys.WRAPPER_TRACKS, tracks)
    formats = {}
    for stream in library.text_tracks(container):
        if stream.codec_context:
            formats[stream.index] = stream.codec_context.name
        else:  # no decoder: the wrapper's own word, where its tracks are those of the library
            formats[stream.index] = tracks[stream.index].codec if len(tracks) == len(container.streams) else ""
    builder.declared(
        keys.TEXT_CAPTIONS,
        tuple(
            CaptionTrack(
                kind="embedded",
                format=format_ or "unknown",
                language=container.streams[index].metadata.get("language"),
                count=None,
            )
            for index, format_ in formats.items()
        ),
    )
    return formats


def _read_time(builder: FactsBuilder, file: BinaryIO, container: InputContainer, structure: Structure) -> None:
    """Start timecode, and the bit rate that size and declared duration make."""
    if structure.movie:
        for track in structure.movie.of("tmcd"):
            with builder.at(f"first sample of track {track.number}, tmcd"):
                builder.declared(keys.WRAPPER_START_TIMECODE, read_timecode(file, track))
            break
    elif not structure.format.startswith("mxf"):
        rate = builder.told(keys.PICTURE_FRAME_RATE)
        builder.declared(keys.WRAPPER_START_TIMECODE, library.start_timecode(container, rate))
    duration = builder.said(Witness.DECLARED, keys.WRAPPER_DURATION)
    size = builder.said(Witness.DECLARED, keys.FILE_SIZE)
    if duration and size and builder.said(Witness.DECLARED, keys.WRAPPER_BITRATE) is None:
        builder.declared(keys.WRAPPER_BITRATE, round(size * 8 / duration))
