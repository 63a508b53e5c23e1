"""Text tracks inside a media file, decoded to captions on the clock of the picture."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

import av

from brisk_core.captions.document import MOST_CAPTIONS, Caption, CaptionDocument, Oddity, Remark
from brisk_core.captions.plain import flawed, plain
from brisk_core.reading import Source, open_container, picture_start

_UNDETERMINED = "und"  # ISO 639-2
_PICTURED = ("dvb_subtitle", "dvbsub", "hdmv_pgs_subtitle", "pgssub", "dvd_subtitle", "dvdsub", "xsub")


def read_embedded(source: Source) -> tuple[CaptionDocument, ...]:
    """Return the text tracks of a media file, none for a file without; raises ``UnreadableFile`` for no media file."""
    found = []
    with open_container(source) as container:
        origin = picture_start(container)
        for number, stream in enumerate(container.streams):
            if stream.type == "subtitle":
                found.append(_read_track(container, stream, number + 1, origin))
    return tuple(found)


def _read_track(container: Any, stream: Any, number: int, origin: Fraction) -> CaptionDocument:
    name = stream.codec_context.name if stream.codec_context else "unknown"
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
