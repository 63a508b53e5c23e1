"""Captions inside a media file, decoded on the clock of the picture: text tracks, line 21 and digital captions."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from fractions import Fraction
from typing import Any

import av

from brisk_core.captions.digital import Digital
from brisk_core.captions.document import MOST_CAPTIONS, Caption, CaptionDocument, Oddity, Remark
from brisk_core.captions.line21 import Field, remarks_of
from brisk_core.captions.plain import flawed, plain
from brisk_core.captions.shown import captions_of
from brisk_core.captions.teletext import pages_of
from brisk_core.packets import PICTURES, CaptionData, read_packets
from brisk_core.reading import Source, open_container, picture_start, read_headers
from brisk_core.reading.library import text_tracks
from brisk_core.reading.wrappers.transport import TELETEXT

_UNDETERMINED = "und"  # ISO 639-2
_PICTURED = ("dvb_subtitle", "dvbsub", "hdmv_pgs_subtitle", "pgssub", "dvd_subtitle", "dvdsub", "xsub")
LINE_21, DIGITAL = "CEA-608", "CEA-708"  #: formats of caption data
_VALID, _KIND = 0x04, 0x03  # bits of a triplet's first byte (CTA-708-E, 4.4.1)
_STARTS = 3  # kind of a triplet that begins a packet of digital captions


def read_embedded(source: Source) -> tuple[CaptionDocument, ...]:
    """Return the captions inside a media file, none for a file without; raises ``UnreadableFile`` for no media file."""
    found = read_caption_data(source, read_packets(source, read_headers(source)).caption_data)
    return read_text_tracks(source) + tuple(document for document in found if document.captions)


def read_text_tracks(source: Source) -> tuple[CaptionDocument, ...]:
    """Return the text tracks of a media file, those left out that the library does not decode.

    Raises ``UnreadableFile`` for no media file.
    """
    with open_container(source) as container:
        origin = picture_start(container)
        readable = [stream for stream in text_tracks(container) if stream.codec_context]
        return tuple(_read_track(container, stream, stream.index + 1, origin) for stream in readable)


def read_caption_data(source: Source, found: Sequence[CaptionData]) -> tuple[CaptionDocument, ...]:
    """Return what the caption data of a file show, a document for each channel and service.

    Data that never show anything give one document without captions.
    """
    if not found:
        return ()
    with open_container(source) as container:
        origin = picture_start(container)
    return tuple(document for data in found for document in (_pages if data.teletext else _follow)(data, origin))


def _follow(data: CaptionData, origin: Fraction) -> list[CaptionDocument]:
    """Decode the triplets of one place."""
    fields, digital = {0: Field(1), 1: Field(2)}, Digital(data.time_base)
    kinds: set[str] = set()
    for number, (time, triplets) in enumerate(data.in_order(), 1):
        for at in range(0, len(triplets), 3):
            flags, pair = triplets[at], triplets[at + 1 : at + 3]
            kind = flags & _KIND
            if not flags & _VALID:
                continue
            if kind in fields:
                kinds.add(LINE_21)
                fields[kind].feed(time, number, (pair[0], pair[1]))
            else:
                kinds.add(DIGITAL)
                digital.feed(time, number, starts=kind == _STARTS, pair=pair)
    where = "" if data.place == PICTURES else f", {data.place}"
    documents = [
        _document(
            f"{channel}{where}",
            LINE_21,
            captions_of(screen.finish(), data.time_base, origin=origin),
            remarks_of(screen),
        )
        for field in fields.values()
        for channel, screen in sorted(field.channels.items())
        if screen.finish()
    ]
    documents += [
        _document(f"service {number}{where}", DIGITAL, captions_of(service.shown, data.time_base, origin=origin), [])
        for number, service in sorted(digital.finish().items())
        if service.shown
    ]
    shown = {document.format for document in documents}
    documents += [_document(f"{kind}{where}", kind, [], []) for kind in sorted(kinds - shown)]
    return documents


def _pages(data: CaptionData, origin: Fraction) -> list[CaptionDocument]:
    """Decode the teletext of one place, a document for each page with subtitles."""
    return [
        replace(
            _document(f"page {page}, {data.place}", TELETEXT, captions_of(shown, data.time_base, origin=origin), []),
            language=data.language,
        )
        for page, shown in sorted(pages_of(data).items())
    ]


def _document(name: str, coding: str, captions: list[Caption], remarks: list[Remark]) -> CaptionDocument:
    return CaptionDocument(
        name=name,
        format=coding,
        captions=tuple(captions[:MOST_CAPTIONS]),
        embedded=True,
        counts="packet",
        remarks=tuple(remarks + [remark for caption in captions for remark in flawed(caption)]),
    )


def _read_track(container: Any, stream: Any, number: int, origin: Fraction) -> CaptionDocument:
    name = stream.codec_context.name
    pictured = name in _PICTURED
    captions: list[Caption] = []
    remarks: list[Remark] = []
    container.seek(0)
    place = 0
    for packet in container.demux(stream):
        if packet.pts is None or packet.size == 0:
            continue
        place += 1
        if place > MOST_CAPTIONS:
            says = f"more than {MOST_CAPTIONS:,} packets of text; the rest was not read"
            remarks.append(Remark(line=place, kind=Oddity.UNREADABLE, says=says))
            break
        lines: tuple[str, ...] = ()
        if not pictured:
            try:
                lines = _lines(packet)
            except (av.FFmpegError, ValueError, UnicodeDecodeError) as error:
                remarks.append(Remark(line=place, kind=Oddity.UNREADABLE, says=f"its text cannot be read ({error})"))
                continue
        start = packet.pts * Fraction(packet.time_base) - origin
        length = (packet.duration or 0) * Fraction(packet.time_base)
        if not lines and not pictured:
            continue  # a packet without text fills the time between captions
        caption = Caption(start=start, end=start + length, lines=lines, place=place)
        captions.append(caption)
        if not pictured:
            remarks += flawed(caption)
    language = stream.metadata.get("language", "")
    return CaptionDocument(
        name=f"track {number}",
        format=name,
        captions=tuple(captions),
        embedded=True,
        language="" if language == _UNDETERMINED else language,
        counts="packet",
        pictured=pictured,
        remarks=tuple(remarks),
    )


def _lines(packet: Any) -> tuple[str, ...]:
    rows: list[str] = []
    for shown in packet.decode() or ():
        text = getattr(shown, "dialogue", b"") or getattr(shown, "text", b"")
        rows += text.decode("utf-8").replace("\\N", "\n").replace("\\n", "\n").split("\n")
    return plain(rows)
