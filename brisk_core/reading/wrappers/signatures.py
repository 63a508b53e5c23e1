"""Which wrapper a file really is, by its first bytes and its structure."""

from __future__ import annotations

from brisk_core.reading.wrappers.movie import looks_like_movie
from brisk_core.reading.wrappers.mxf import HeaderPartition
from brisk_core.reading.wrappers.transport import packet_layout

HEAD_BYTES = 4096  # enough for every signature below, with room for run-in

_BY_EXTENSION = {
    "mp4": "mp4",
    "m4v": "mp4",
    "mov": "mov",
    "mkv": "matroska",
    "webm": "webm",
    "ts": "mpeg-ts",
    "m2ts": "mpeg-ts",
    "mts": "mpeg-ts",
    "mpg": "mpeg-ps",
    "mpeg": "mpeg-ps",
    "vob": "mpeg-ps",
    "avi": "avi",
    "wav": "wav",
}


def format_by_extension(extension: str) -> str | None:
    """Return the wrapper an extension promises, ``None`` where it names none (``.mxf`` says no pattern)."""
    return _BY_EXTENSION.get(extension)


def format_by_signature(head: bytes, brands: tuple[str, ...], partition: HeaderPartition | None) -> str | None:
    """Return the wrapper by signature, ``None`` when no signature is known.

    ``head`` is the first ``HEAD_BYTES`` of the file, ``brands`` those of an ftyp box, ``partition`` that of MXF.
    """
    if partition:
        return partition.wrapper_format
    if looks_like_movie(head):
        return "mov" if not brands or brands[0] == "qt" else "mp4"
    if head[:4] == b"\x1a\x45\xdf\xa3":
        return "webm" if b"webm" in head[:64] else "matroska"
    if head[:4] in (b"RIFF", b"RF64", b"BW64"):
        return {b"AVI ": "avi", b"WAVE": "wav"}.get(head[8:12])
    if head[:4] == b"\x00\x00\x01\xba":
        return "mpeg-ps"
    return "mpeg-ts" if packet_layout(head) else None


def is_bare_sound(head: bytes) -> bool:
    """Is this sound without a wrapper of the list, or Ogg? MPEG sound (ISO/IEC 11172-3, 2.4.1.3, also after ID3 tags),
    ADTS (14496-3, 1.A.2.2), AC-3 (ATSC A/52, 5.3.1), FLAC (RFC 9639, 6), Ogg (RFC 3533, 6).
    """
    if head[:4] in (b"fLaC", b"OggS") or head[:3] == b"ID3" or head[:2] == b"\x0b\x77":
        return True
    if len(head) < 4 or head[0] != 0xFF or head[1] & 0xE0 != 0xE0:
        return False
    version, layer = head[1] >> 3 & 3, head[1] >> 1 & 3
    if head[1] & 0xF6 == 0xF0:  # layer 0 is ADTS
        return head[2] >> 2 & 0xF < 13
    return version != 1 and layer != 0 and head[2] >> 4 != 15 and head[2] >> 2 & 3 != 3


_BYTE_STREAM = b"\0\0\x01"
#: How files begin that the library alone reads.
_READ_BY_THE_LIBRARY = (
    _BYTE_STREAM + b"\xb3", b"FLV\x01", b"DKIF", b"YUV4MPEG2 ", b"\x1f\x07\x00",
    b"\x30\x26\xb2\x75\x8e\x66\xcf\x11\xa6\xd9\x00\xaa\x00\x62\xce\x6c",
)  # fmt: skip


def is_read_by_the_library(head: bytes) -> bool:
    """Is this what the library alone reads: FLV, IVF, YUV4MPEG2, DV (IEC 61834-2), ASF, AIFF, and MPEG video without
    a wrapper, from a sequence header on (ISO/IEC 13818-2, 6.2.2.1)?
    """
    aiff = head[:4] == b"FORM" and head[8:12] in (b"AIFF", b"AIFC")
    return aiff or head.startswith(_READ_BY_THE_LIBRARY)


#: How files that are no media begin, and what they are.
_OTHERS = (
    (b"PK\x03\x04", "it is a ZIP archive, or a document kept in one"), (b"%PDF", "it is a PDF"),
    (b"\x89PNG", "it is a PNG picture"), (b"\xff\xd8\xff", "it is a JPEG picture"), (b"II*\0", "it is a TIFF picture"),
    (b"MM\0*", "it is a TIFF picture"), (b"GIF8", "it is a GIF picture"), (b"\x1f\x8b", "it is packed by gzip"),
    (b"Rar!", "it is a RAR archive"), (b"7z\xbc\xaf", "it is a 7z archive"), (b"<?xml", "it is XML"),
    (b"<!DOC", "it is HTML"), (b"<html", "it is HTML"),
)  # fmt: skip


def looks_like(head: bytes) -> str:
    """Return what a file is that is no media, for an error sentence without any of its bytes."""
    if codec := _bare_codec(head):
        says = "so nothing says when its pictures are shown; ask for it in one (MP4, MOV, MXF, a transport stream)"
        return f"it is {codec} without a wrapper, {says}"
    start = head[:512]
    known = next((says for begin, says in _OTHERS if start.lower().startswith(begin.lower())), "")
    if known:
        return known
    if not start.strip(b"\0"):
        return "its first bytes are all zero"
    if all(32 <= byte < 127 or byte in (9, 10, 13) for byte in start):
        return "it is plain text"
    return "its first bytes are those of no wrapper"


def _bare_codec(head: bytes) -> str:
    """The codec of a byte stream that begins with a delimiter or a parameter set (ISO/IEC 14496-10 and 23008-2, Annex
    B); empty for none.
    """
    code = head[1:] if head[:4] == b"\0" + _BYTE_STREAM else head
    if code[:3] != _BYTE_STREAM or len(code) < 5 or code[3] & 0x80:
        return ""
    first, second = code[3], code[4]
    if first & 1 == 0 and first >> 1 in (32, 33, 35) and second & 0xF8 == 0 and second:
        return "HEVC"
    return "AVC" if first & 0x1F == 9 or (first & 0x1F == 7 and first & 0x60) else ""
