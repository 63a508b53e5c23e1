"""RIFF: AVI with its OpenDML extension, WAVE and Broadcast Wave (EBU Tech 3285; RF64 and BW64: ITU-R BS.2088)."""

from __future__ import annotations

import struct
from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from typing import Any, BinaryIO

from brisk_core.exact import rate_of_steps
from brisk_core.facts import FactsBuilder, Scan, Track, keys
from brisk_core.reading.wrappers.structure import Structure, say_completeness

_UNKNOWN_SIZE = 0xFFFFFFFF  # the true size stands in the ds64 chunk
_MOST_CHUNKS = 100_000
_LARGEST_CHUNK = 1 << 20  # bytes of a chunk that are read into memory
_LISTS = {b"LIST", b"RIFF"}
_PICTURE_CODECS = {
    "dvsd": "dv", "dvhd": "dv", "dv25": "dv", "dv50": "dv",
    "H264": "avc", "h264": "avc", "avc1": "avc", "X264": "avc", "HEVC": "hevc", "mpg2": "mpeg2", "MPG2": "mpeg2",
    "MJPG": "mjpeg", "FFV1": "ffv1", "v210": "v210", "UYVY": "raw", "YUY2": "raw", "XVID": "mpeg4", "FMP4": "mpeg4",
    "DX50": "mpeg4", "\0\0\0\0": "raw", "MJ2C": "jpeg2000", "AVdn": "vc3", "VP80": "vp8", "mpg1": "mpeg1",
}  # fmt: skip
#: wFormatTag of the wave format.
_SOUND_CODECS = {1: "pcm", 3: "pcm", 0x50: "mp2", 0x55: "mp3", 0xFF: "aac", 0x1600: "aac", 0x2000: "ac3"}
_EXTENSIBLE = 0xFFFE
_LAYOUTS = {0x4: "mono", 0x3: "stereo", 0x3F: "5.1", 0x60F: "5.1", 0x63F: "7.1"}  # dwChannelMask


@dataclass(frozen=True, slots=True)
class Chunk:
    """A chunk and where it lies."""

    kind: str
    start: int
    body: int
    end: int
    within: str  #: form or list type of the list around it


def chunks(file: BinaryIO, size: int, data_size: int | None = None) -> Iterator[Chunk]:
    """Yield every chunk and list of a file, lists before what is in them; ``movi`` lists are not entered."""
    stack = [(0, size, "")]
    for _ in range(_MOST_CHUNKS):
        if not stack:
            return
        at, end, within = stack.pop()
        if at + 8 > end:
            continue
        file.seek(at)
        head = file.read(12)
        if len(head) < 8:
            continue
        kind, length = head[:4], int.from_bytes(head[4:8], "little")
        if length == _UNKNOWN_SIZE:
            length = data_size if kind == b"data" and data_size else end - at - 8
        stop = at + 8 + length
        stack.append((stop + length % 2, end, within))
        name = kind.decode("latin-1")
        if kind in _LISTS or kind in (b"RF64", b"BW64"):
            form = head[8:12].decode("latin-1")
            yield Chunk(form, at, at + 12, stop, within)
            if form != "movi":
                stack.append((at + 12, min(stop, end), form))
        else:
            yield Chunk(name, at, at + 8, stop, within)


def _read(file: BinaryIO, chunk: Chunk) -> bytes:
    file.seek(chunk.body)
    return file.read(min(chunk.end - chunk.body, _LARGEST_CHUNK))


def _wave_format(data: bytes, place: str) -> dict[str, Any]:
    """Read a wave format (Tech 3285, annex 1; the extensible form tells layout and codec apart)."""
    if len(data) < 16:
        return {}
    tag, channels, rate, bytes_a_second, _, bits = struct.unpack_from("<HHIIHH", data)
    layout = None
    if tag == _EXTENSIBLE and len(data) >= 26:
        bits = struct.unpack_from("<H", data, 18)[0] or bits
        layout = _LAYOUTS.get(struct.unpack_from("<I", data, 20)[0])
        tag = struct.unpack_from("<H", data, 24)[0]
    codec = _SOUND_CODECS.get(tag)
    return {
        "codec": codec,
        "sample_rate": rate or None,
        "channels": channels or None,
        "bit_depth": bits if codec == "pcm" else None,
        "layout": layout or {1: "mono", 2: "stereo"}.get(channels),
        "bitrate": bytes_a_second * 8 or None,
        "place": place,
    }


def read_wave(builder: FactsBuilder, file: BinaryIO, size: int) -> Structure:
    """Read a WAVE file's chunks and record what they declare; damage is noted, never raised."""
    damage: list[str] = []
    row: dict[str, Any] = {}
    data_size: int | None = None
    data: Chunk | None = None
    brands: list[str] = []
    reference: int | None = None
    file.seek(0)
    if (head := file.read(4)) in (b"RF64", b"BW64"):
        brands.append(head.decode("ascii"))
    for chunk in list(chunks(file, size)):
        body = _read(file, chunk) if chunk.kind != "data" else b""
        if chunk.kind == "ds64" and len(body) >= 16:
            data_size = struct.unpack_from("<Q", body, 8)[0]
        elif chunk.kind == "fmt ":
            row = _wave_format(body, f"chunk 'fmt ' at byte {chunk.start:,} (Tech 3285, annex 1)")
        elif chunk.kind == "bext" and len(body) >= 346:
            brands.append("BWF")
            reference = struct.unpack_from("<Q", body, 338)[0]
        elif chunk.kind == "data":
            data = chunk
    if data is None:
        damage.append("there is no chunk of samples ('data')")
    else:
        end = data.body + data_size if data_size else data.end
        if end > size:
            damage.append(f"the samples should reach byte {end:,}, the file ends at byte {size:,}")
        if row.get("bitrate"):
            builder.declared(keys.WRAPPER_DURATION, Fraction((end - data.body) * 8, row["bitrate"]))
    builder.declared(keys.WRAPPER_BRANDS, tuple(brands) or None)
    if reference is not None and row.get("sample_rate"):
        with builder.at("chunk 'bext' (Tech 3285, 2.3)"):
            builder.declared(keys.SOUND_START, Fraction(reference, row["sample_rate"]))
    say_completeness(builder, damage)
    track = Track(kind="sound", codec=str(row.get("codec") or ""), language=None, default=True)
    return Structure(format="wav", sounds=[row] if row else [], tracks=(track,) if row else None)


def read_avi(builder: FactsBuilder, file: BinaryIO, size: int) -> Structure:
    """Read an AVI file's header lists and record what they declare; damage is noted, never raised."""
    damage: list[str] = []
    found = list(chunks(file, size))
    index_at = next((one.start for one in found if one.kind in ("idx1", "indx")), None)
    media_at = next((one.start for one in found if one.kind == "movi"), None)
    for chunk in found:
        if chunk.end > size:
            damage.append(f"chunk {chunk.kind!r} claims to reach byte {chunk.end:,}, the file ends at byte {size:,}")
            break
    if index_at is None:
        damage.append("there is no index (idx1 or indx)")
    elif media_at is not None:
        builder.observed(keys.WRAPPER_INDEX_FIRST, index_at < media_at)
    say_completeness(builder, damage)
    structure = Structure(format="avi", tracks=())
    header: bytes = b""
    tracks: list[Track] = []
    kind = ""
    for chunk in found:
        if chunk.kind == "strh":
            header = _read(file, chunk)
            kind = header[:4].decode("latin-1")
        elif chunk.kind == "strf" and len(header) >= 36:
            body, place = _read(file, chunk), f"chunk 'strf' at byte {chunk.start:,}"
            if kind == "vids" and not structure.declares_picture:
                _declare_picture(builder, header, body, place)
                structure.declares_picture = True
            label = body[16:20].decode("latin-1") if kind == "vids" else ""
            if kind == "auds":
                structure.sounds.append(_wave_format(body, place))
                label = str(structure.sounds[-1].get("codec") or "")
            name = {"vids": "picture", "auds": "sound", "txts": "text"}.get(kind, "data")
            tracks.append(Track(kind=name, codec=label.strip("\0"), language=None, default=True))
        elif chunk.kind == "vprp" and kind == "vids":
            _declare_properties(builder, _read(file, chunk), f"chunk 'vprp' at byte {chunk.start:,} (OpenDML, 5.0)")
    structure.tracks = tuple(tracks)
    return structure


def _declare_picture(builder: FactsBuilder, header: bytes, body: bytes, place: str) -> None:
    scale, rate, _, length = struct.unpack_from("<4I", header, 20)
    with builder.at("chunk 'strh'"):
        if scale and rate:
            mean = Fraction(rate, scale)
            builder.declared(keys.PICTURE_FRAME_RATE, rate_of_steps(mean, scale, scale, Fraction(1, rate)))
            builder.declared(keys.WRAPPER_DURATION, length / mean if length else None)
        builder.declared(keys.PICTURE_FRAME_COUNT, length or None)
    if len(body) < 20:
        return
    width, height = struct.unpack_from("<ii", body, 4)
    label = body[16:20].decode("latin-1")
    with builder.at(place):
        builder.declared(keys.PICTURE_SIZE, (width, abs(height)) if width > 0 and height else None)
        builder.declared(keys.PICTURE_CODEC, _PICTURE_CODECS.get(label, "other"))
        builder.declared(keys.PICTURE_CODEC_LABEL, label.strip("\0") or None)


def _declare_properties(builder: FactsBuilder, body: bytes, place: str) -> None:
    """Record the shape and the fields of a picture by its video properties header (OpenDML)."""
    if len(body) < 36:
        return
    aspect, fields = struct.unpack_from("<I", body, 20)[0], struct.unpack_from("<I", body, 32)[0]
    with builder.at(place):
        if aspect >> 16 and aspect & 0xFFFF:
            builder.declared(keys.PICTURE_DISPLAY_ASPECT, Fraction(aspect >> 16, aspect & 0xFFFF))
        builder.declared(keys.PICTURE_SCAN, {1: Scan.PROGRESSIVE, 2: Scan.INTERLACED}.get(fields))
