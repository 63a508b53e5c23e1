"""What a wrapper adds to the streams it carries, computed from its structure.

Each wrapper is described by its own standard: ISO base media by ISO/IEC 14496-12 (sample tables, fragments), transport
and program stream by ISO/IEC 13818-1, Matroska by RFC 9559, MXF OP1a by ST 377-1, ST 378 and ST 379-2. What a standard
leaves to the writer (how often tables are sent, how samples are interleaved) is taken as writers usually do it, and
named in the code.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from math import ceil, erf

from brisk_core.errors import PlanRefused


@dataclass(frozen=True, slots=True, kw_only=True)
class Stream:
    """A stream that a wrapper carries: how much, in how many packets, for how long."""

    kind: str  #: picture, sound or text
    codec: str  #: as the registry names it: avc, hevc, mpeg2, prores, aac, pcm …
    packets: int  #: pictures, frames of coded sound, captions
    size: Fraction  #: bytes in all
    seconds: Fraction
    random_access: int = 1  #: packets at which decoding can begin; all of intra-coded pictures
    reorders: bool = False  #: are pictures coded in another order than they are shown?

    @property
    def mean(self) -> Fraction:
        """Bytes in a packet."""
        return self.size / self.packets if self.packets else Fraction(0)


def wrapped_size(wrapper: str, streams: Sequence[Stream]) -> int:
    """Return the bytes of a file with these streams. Raises ``PlanRefused`` for an unknown wrapper."""
    return ceil(sum((one.size for one in streams), Fraction(0)) + overhead(wrapper, streams))


def overhead(wrapper: str, streams: Sequence[Stream]) -> Fraction:
    """Return the bytes that the wrapper adds. Raises ``PlanRefused`` for an unknown wrapper, or without a stream."""
    if wrapper not in WRAPPERS:
        raise PlanRefused(f"met wrapper {wrapper!r}; expected one of {', '.join(WRAPPERS)}")
    if not streams or not any(one.packets for one in streams):
        raise PlanRefused("there is nothing to wrap; expected at least one stream with packets")
    return WRAPPERS[wrapper](streams)


# ISO base media: ISO/IEC 14496-12. A box is 8 bytes of size and type, a full box 12.

_FILE_BOXES = 32 + 8 + 8  # ftyp with four brands, an empty free, the head of mdat
_MOVIE = 8 + 108  # moov, mvhd
_TRACK = 8 + 92 + 36 + 8 + 32 + 45 + 8 + 20 + 36 + 8  # trak, tkhd, edts, mdia, mdhd, hdlr, minf, vmhd, dinf, stbl
_TABLE = 16  # a full box with a count
_ENTRY = {"picture": 170, "sound": 120, "text": 80}  # stsd with one sample entry and the decoder's own record
_META = 100  # udta with the writer's name
_RUN = 12  # chunks with as many samples each, in stsc
_OFFSET, _FAR_OFFSET, _FAR = 4, 8, 1 << 32  # of a chunk in stco; in co64, from a size of the file on
_FRAGMENT = 8 + 16 + 8 + 8 + 8 + 16 + 20 + 20  # moof, mfhd, traf, mdat, tfhd, tfdt, trun (first of a fragment)
_FRAGMENT_SAMPLE = {True: 12, False: 8}  # duration and size; an offset of composition where pictures are reordered


def _iso(streams: Sequence[Stream]) -> Fraction:
    total = Fraction(_FILE_BOXES + _MOVIE + _META)
    for stream in streams:
        tables = 4 * stream.packets  # stsz
        tables += 8 * (stream.packets if stream.reorders else 1)  # ctts, whose runs are short
        if 1 < stream.random_access < stream.packets:
            tables += _TABLE + 4 * stream.random_access  # stss
        total += _TRACK + _ENTRY[stream.kind] + 4 * _TABLE + 8 + tables + _chunks(stream, streams)
    return total


def _chunks(stream: Stream, streams: Sequence[Stream]) -> Fraction:
    """Bytes of the tables of chunks: a chunk is a run of samples of one stream between samples of the others."""
    offset = _OFFSET if sum((one.size for one in streams), Fraction(0)) < _FAR else _FAR_OFFSET
    others = sum(one.packets for one in streams if one is not stream)
    if not others:
        return Fraction(_RUN + offset * max(ceil(stream.size / _LARGEST_CHUNK), 1))
    chunks = min(stream.packets, others)
    uneven = Fraction(stream.packets, chunks) % 1  # share of the chunks that hold a sample more than the others
    runs = max(2 * min(uneven, 1 - uneven) * chunks, Fraction(1))
    return offset * chunks + _RUN * runs


_LARGEST_CHUNK = 1 << 20  # bytes


def _fragmented(streams: Sequence[Stream]) -> Fraction:
    """A fragment for each random access point of the picture, or each two seconds of sound alone."""
    pictures = [one for one in streams if one.kind == "picture"]
    seconds = max(one.seconds for one in streams)
    fragments = pictures[0].random_access if pictures else ceil(seconds / 2)
    total = Fraction(_FILE_BOXES + _MOVIE + _META)
    for stream in streams:
        total += _TRACK + _ENTRY[stream.kind] + 4 * _TABLE + 8 + 40  # trex
        total += fragments * _FRAGMENT + _FRAGMENT_SAMPLE[stream.reorders] * stream.packets
    return total + fragments * 19 + 100  # tfra of an index at the end


# Transport stream: ISO/IEC 13818-1, 2.4. Packets of 188 bytes, 4 of them a head.

_TS, _TS_HEAD = 188, 4
_PES_HEAD, _DECODE_TIME = 14, 5  # with a time of presentation; of decoding as well, which every third picture needs
_TABLES_A_SECOND = 9 * 2 + 2  # association and map, description
_PCR = 4  # bytes of an adaptation field with a clock reference, on every second picture
_DELIMITER = {"avc": 6, "hevc": 7}  # before each picture
_ADTS = 7  # bytes before each AAC frame, ISO/IEC 13818-7
_EVEN = ("ac3", "eac3", "mp2", "dts", "pcm")  # codecs whose frames are all of one size


def _transport(streams: Sequence[Stream]) -> Fraction:
    packets = Fraction(ceil(max(one.seconds for one in streams) * _TABLES_A_SECOND))
    for stream in streams:
        unit = stream.mean + _PES_HEAD  # one picture, or one frame of sound
        if stream.kind == "picture":
            unit += _DELIMITER.get(stream.codec, 0) + _PCR + Fraction(_DECODE_TIME, 3) * stream.reorders
        elif stream.codec == "aac":
            unit += _ADTS
        packets += stream.packets * _transport_packets(unit, stream)
    return packets * _TS - sum((one.size for one in streams), Fraction(0))


def _transport_packets(unit: Fraction, stream: Stream) -> Fraction:
    """Packets that a unit of a mean size takes, the last one filled up."""
    room = _TS - _TS_HEAD
    if stream.kind == "picture":
        return unit / room + Fraction(1, 2)  # sizes of pictures vary by much more than a packet
    whole = ceil(unit / room)
    if stream.codec in _EVEN:
        return Fraction(whole)
    # Frames of coded sound vary by some percent, so some of them take a packet more or less than the mean one.
    spread = float(unit) * _SPREAD * 2**0.5
    above = (0.5 + 0.5 * erf((float(unit) - room * at) / spread) for at in (whole - 1, whole))
    return whole - 1 + Fraction(sum(above)).limit_denominator(10_000)


_SPREAD = 0.04  # standard deviation of the sizes of coded frames of sound, share of the mean


# Program stream: ISO/IEC 13818-1, 2.5. PES packets fill sectors of 2,048 bytes; on discs each of them is a pack of its
# own, and two sectors for navigation stand before each group of pictures.

_SECTOR, _PACK_HEAD, _SYSTEM_HEAD = 2048, 14, 24
_PES_PLAIN, _PES_TIMES = 9, 7  # head of a PES packet; times, in the sectors where a picture or frame begins
_SUBSTREAM = 4  # bytes that name one of several streams of sound
_NAVIGATION = 2 * _SECTOR
_PRIVATE = ("ac3", "dts", "pcm")


def _program_of(*, packs: bool, navigation: bool) -> Callable[[Sequence[Stream]], Fraction]:
    """Return the overhead of a program stream: with a pack head in each sector or few; with navigation or none."""

    def program(streams: Sequence[Stream]) -> Fraction:
        sectors = Fraction(0)
        for stream in streams:
            room = _SECTOR - _PES_PLAIN - (_PACK_HEAD if packs else 0)
            room -= _SUBSTREAM if stream.codec in _PRIVATE else 0
            times = min(Fraction(stream.packets), stream.size / room)
            sectors += (stream.size + times * _PES_TIMES) / room
        groups = max((one.random_access for one in streams if one.kind == "picture"), default=0)
        added = _SYSTEM_HEAD + (groups * _NAVIGATION if navigation else 0)
        return sectors * _SECTOR + added - sum((one.size for one in streams), Fraction(0))

    return program


# Matroska: RFC 9559. A block is an element id, a length, a track, a time and flags.

_BLOCK = 1 + 3 + 4
_CLUSTER = 4 + 8 + 3 + 8  # id, length, time
_CLUSTER_SECONDS, _CLUSTER_BYTES = 5, 5 << 20
_CUE = 18
_MATROSKA_HEAD = 900  # EBML head, a void for the seek head, info, tracks, tags


def _matroska(streams: Sequence[Stream]) -> Fraction:
    seconds = max(one.seconds for one in streams)
    size = sum((one.size for one in streams), Fraction(0))
    pictures = [one for one in streams if one.kind == "picture"]
    clusters = max(ceil(seconds / _CLUSTER_SECONDS), ceil(size / _CLUSTER_BYTES))
    cues = max((one.random_access for one in pictures), default=clusters)
    blocks = sum(one.packets for one in streams)
    return Fraction(_MATROSKA_HEAD + 150 * len(streams) + clusters * _CLUSTER + cues * _CUE + blocks * _BLOCK)


# MXF OP1a, wrapped by frame: ST 377-1, ST 379-2. Each element is a key, a length and its bytes, filled to the grid.

_KLV = 16 + 4
_GRID = 512
_SYSTEM_ITEM = 512  # ST 394, with its fill
_INDEX_ENTRY = 11
_MXF_HEAD = 9_216  # partitions, primer, preface and packages with their fill


def _mxf(streams: Sequence[Stream]) -> Fraction:
    pictures = [one for one in streams if one.kind == "picture"]
    frames = pictures[0].packets if pictures else max(one.packets for one in streams)
    filled = sum((_filled(stream, frames) for stream in streams), Fraction(0))
    payload = sum((one.size for one in streams), Fraction(0))
    return filled - payload + frames * (_SYSTEM_ITEM + _INDEX_ENTRY) + _MXF_HEAD


def _filled(stream: Stream, frames: int) -> Fraction:
    """Bytes of a stream's elements: one a frame, for sound one a frame and track, each filled to the grid."""
    if stream.kind == "sound":
        return frames * Fraction(ceil((stream.size / frames + _KLV + _KLV) / _GRID) * _GRID)
    return stream.size + frames * Fraction(2 * _KLV + _GRID, 1) - frames * Fraction(_GRID, 2)


#: Wrappers whose overhead is known, by the registry's names.
WRAPPERS: dict[str, Callable[[Sequence[Stream]], Fraction]] = {
    "mp4": _iso,
    "mov": _iso,
    "mp4-fragmented": _fragmented,
    "mpeg-ts": _transport,
    "mpeg-ps": _program_of(packs=False, navigation=False),
    "mpeg-ps-packs": _program_of(packs=True, navigation=False),
    "mpeg-ps-disc": _program_of(packs=True, navigation=True),
    "matroska": _matroska,
    "webm": _matroska,
    "mxf-op1a": _mxf,
}
