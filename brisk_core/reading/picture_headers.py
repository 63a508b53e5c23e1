"""Facts of the picture track from sample entries (declared) and from the stream's own headers (coded)."""

from __future__ import annotations

import struct
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

from brisk_core.exact import display_aspect, rate_of_steps
from brisk_core.facts import FactsBuilder, Witness
from brisk_core.reading import avc, colour, hevc, mpeg2, prores
from brisk_core.reading.bit_reader import BitsEnded
from brisk_core.reading.library import picture_codec, pixel_facts
from brisk_core.reading.movie import MovieTrack, SampleEntry, rotation

_BY_ENTRY = {
    "avc1": "avc", "avc2": "avc", "avc3": "avc", "avc4": "avc", "hvc1": "hevc", "hev1": "hevc", "AVdn": "vc3",
    "AVdh": "vc3", "mp4v": "mpeg4", "m2v1": "mpeg2", "xdvb": "mpeg2", "jpeg": "mjpeg", "mjpa": "mjpeg",
    "mjp2": "jpeg2000",
    "v210": "v210", "2vuy": "raw", "raw ": "raw", "vp08": "vp8", "vp09": "vp9", "av01": "av1", "FFV1": "ffv1",
} | dict.fromkeys(prores.FLAVOURS, "prores")  # fmt: skip
_FIELD_ORDER = {1: "top", 14: "top", 6: "bottom", 9: "bottom"}  # fiel box (QTFF, field handling)
#: Codecs whose profile the library names as their standard does.
_PROFILES_BY_LIBRARY = {"mpeg1", "mpeg4", "vp9", "av1"}
_STRUCTURE_ORDER = {3: "top", 4: "bottom", 5: "top", 6: "bottom"}  # pic_struct (H.264, table D-1)


def declare_from_entry(builder: FactsBuilder, track: MovieTrack) -> None:
    """Record what the sample entry and the track boxes declare of the picture."""
    turn = rotation(track.matrix)
    builder.declared("picture.rotation", turn)
    entry = track.entry
    if entry is None:
        return
    builder.declared("picture.codec", _BY_ENTRY.get(entry.code, "other"))
    builder.declared("picture.codec_label", entry.code)
    builder.declared("picture.profile", prores.FLAVOURS.get(entry.code))
    if (record := entry.boxes.get("avcC")) and len(record) >= 4:
        builder.declared("picture.profile", avc.profile_name(record[1], record[2]))
        builder.declared("picture.level", avc.level_name(record[1], record[2], record[3]))
    if (record := entry.boxes.get("hvcC")) and len(record) >= 19:
        chroma, depth = ("4:0:0", "4:2:0", "4:2:2", "4:4:4")[record[16] & 3], (record[17] & 7) + 8
        builder.declared("picture.profile", hevc.profile_name(record[1] & 31, chroma, depth))
        builder.declared("picture.tier", "High" if record[1] & 0x20 else "Main")
        builder.declared("picture.level", hevc.level_name(record[12]))
        builder.declared("picture.chroma", chroma)
        builder.declared("picture.bit_depth", depth)
    _declare_light(builder, entry)
    size = _clean_size(entry.boxes.get("clap"), entry.size)
    builder.declared("picture.size", size)
    shape = _declared_pixel_aspect(track, entry.boxes.get("pasp"), entry.size)
    builder.declared("picture.pixel_aspect", shape)
    if size and shape:
        builder.declared("picture.display_aspect", display_aspect(size, shape, turn or 0))
    if (fields := entry.boxes.get("fiel")) and len(fields) >= 2:
        builder.declared("picture.scan", {1: "progressive", 2: "interlaced"}.get(fields[0]))
        if fields[0] == 2:
            builder.declared("picture.field_order", _FIELD_ORDER.get(fields[1]))
    _declare_colour(builder, entry.boxes.get("colr"))
    if (rates := entry.boxes.get("btrt")) and len(rates) >= 12:
        builder.declared("bitrate.average", struct.unpack_from(">I", rates, 8)[0] or None)
    builder.declared("picture.frame_count", track.sample_count or None)
    if (mean := track.frame_rate) and track.timescale:
        # The first steps tell the grain of the table; the writer's last one is often a makeshift.
        met = [ticks for _, ticks in (track.steps[:-1] or track.steps)]
        builder.declared("picture.frame_rate", rate_of_steps(mean, min(met), max(met), Fraction(1, track.timescale)))


def _declare_light(builder: FactsBuilder, entry: SampleEntry) -> None:
    """Light metadata by mdcv and clli boxes (ISO/IEC 14496-12, 12.1.6 and 12.1.7)."""
    light: dict[str, Any] = {}
    if len(display := entry.boxes.get("mdcv", b"")) >= 24:
        light |= hevc.mastering_display(display)
    if len(content := entry.boxes.get("clli", b"")) >= 4:
        light |= hevc.content_light(content)
    builder.declared("picture.hdr", light or None)


def _clean_size(clean_aperture: bytes | None, size: tuple[int, int] | None) -> tuple[int, int] | None:
    """The clean aperture where one is declared (ISO/IEC 14496-12, 12.1.4), else the size of the entry."""
    if clean_aperture and len(clean_aperture) >= 16:
        width, width_by, height, height_by = struct.unpack_from(">4I", clean_aperture)
        if width and height and width_by and height_by:
            return round(Fraction(width, width_by)), round(Fraction(height, height_by))
    return size if size and all(size) else None


def _declared_pixel_aspect(track: MovieTrack, pasp: bytes | None, size: tuple[int, int] | None) -> Fraction | None:
    """Pixel shape by pasp (12.1.4), else by the shown size of the track header over the coded size."""
    if pasp and len(pasp) >= 8:
        across, down = struct.unpack_from(">II", pasp)
        return Fraction(across, down) if across and down else None
    shown = track.shown_size
    if size and all(size) and all(shown):
        return (Fraction(*shown) / Fraction(*size)).limit_denominator(200)
    return None


def _declare_colour(builder: FactsBuilder, box: bytes | None) -> None:
    """Colour by a colr box of type nclx (14496-12, 12.1.5) or nclc (QTFF)."""
    if not box or box[:4] not in (b"nclx", b"nclc") or len(box) < 10:
        return
    primaries, transfer, matrix = struct.unpack_from(">3H", box, 4)
    say_colour(builder, Witness.DECLARED, primaries, transfer, matrix)
    if box[:4] == b"nclx" and len(box) >= 11:
        builder.declared("picture.range", "full" if box[10] & 0x80 else "narrow")


def say_colour(
    builder: FactsBuilder, witness: Witness, primaries: int | None, transfer: int | None, matrix: int | None
) -> None:
    """Record a colour description by H.273 codes; codes without a meaning say nothing."""
    for id_, names, code in (
        ("picture.primaries", colour.PRIMARIES, primaries),
        ("picture.transfer", colour.TRANSFER, transfer),
        ("picture.matrix", colour.MATRIX, matrix),
    ):
        builder.say(witness, id_, names.get(code) if code is not None else None)


@dataclass(slots=True, kw_only=True)
class CodedPicture:
    """Reads the headers at the start of one picture stream, packet by packet."""

    codec: str  #: the registry's name by the demuxer
    sets: avc.ParameterSets = field(default_factory=avc.ParameterSets)
    hevc_sets: hevc.ParameterSets = field(default_factory=hevc.ParameterSets)
    mpeg2: mpeg2.Mpeg2Headers = field(default_factory=mpeg2.Mpeg2Headers)
    prores: prores.ProResFrame | None = None
    structures: list[int] = field(default_factory=list)  #: pic_struct of the first AVC pictures
    slices: list[avc.Slice] = field(default_factory=list)  #: first slice of the first AVC pictures
    magic: str | None = None  #: codec by the stream's own bytes

    def take_extradata(self, data: bytes) -> None:
        """Take the parameter sets that the wrapper keeps for the stream."""
        if self.codec == "avc" and data:
            try:
                if data[0] == 1:
                    self.sets.length_size, units = avc.parse_configuration(data)
                else:
                    units = list(avc.split_start_codes(data))
            except BitsEnded:
                return
            for unit in units:
                self.sets.take(unit)
        elif self.codec == "hevc" and data:
            try:
                if data[0] == 1:
                    self.hevc_sets.length_size, units = hevc.parse_configuration(data)
                else:
                    units = list(avc.split_start_codes(data))
            except BitsEnded:
                return
            for unit in units:
                self.hevc_sets.take(unit)
        elif self.codec == "mpeg2" and data:
            mpeg2.read_headers(data, self.mpeg2)

    @property
    def length_size(self) -> int | None:
        """Bytes of the length before each unit of AVC or HEVC, ``None`` for start codes and other codecs."""
        return self.hevc_sets.length_size if self.codec == "hevc" else self.sets.length_size

    def take_packet(self, data: bytes) -> None:
        """Take one of the first packets."""
        self.magic = self.magic or codec_by_magic(data, self.length_size, self.codec)
        if self.codec == "avc":
            self._take_avc(data)
        elif self.codec == "hevc":
            for unit in avc.split_units(data, self.hevc_sets.length_size):
                self.hevc_sets.take(unit)
        elif self.codec == "mpeg2":
            mpeg2.read_headers(data, self.mpeg2)
        elif self.codec == "prores" and self.prores is None:
            try:
                self.prores = prores.parse_frame(data)
            except BitsEnded:
                return

    def _take_avc(self, data: bytes) -> None:
        for unit in avc.split_units(data, self.sets.length_size):
            kind = unit[0] & 0x1F
            try:
                if kind == avc.NAL_SEI and self.sets.first:
                    self.structures += avc.picture_structures(unit, self.sets.first)
                elif kind in (avc.NAL_SLICE, avc.NAL_IDR):
                    head = self.sets.parse_slice(unit)
                    if head.first_macroblock == 0:
                        self.slices.append(head)
                else:
                    self.sets.take(unit)
            except BitsEnded:
                continue

    def say(self, builder: FactsBuilder, context: Any) -> None:
        """Record what the stream codes; ``context`` is the library's codec context, used where no own reader speaks."""
        chroma, depth, alpha = pixel_facts(context)
        builder.coded("picture.codec", self.magic)
        if self.codec == "avc" and self.sets.first:
            self._say_avc(builder, self.sets.first)
        elif self.codec == "hevc" and self.hevc_sets.first:
            self._say_hevc(builder, self.hevc_sets.first)
        elif self.codec == "mpeg2" and self.mpeg2.size:
            self._say_mpeg2(builder)
            depth = 8
        else:
            self._say_other(builder, context, chroma)
        if builder.said(Witness.CODED, "picture.bit_depth") is None:
            builder.coded("picture.bit_depth", depth)
        builder.coded("picture.alpha", alpha)
        size = builder.said(Witness.CODED, "picture.size")
        shape = builder.said(Witness.CODED, "picture.pixel_aspect")
        if size and shape:
            turn = builder.said(Witness.DECLARED, "picture.rotation") or 0
            builder.coded("picture.display_aspect", display_aspect(size, shape, turn))

    @staticmethod
    def _say_sequence(builder: FactsBuilder, sequence: avc.SequenceParameters | hevc.SequenceParameters) -> None:
        """Record what the sequence parameter sets of AVC and HEVC both say."""
        builder.coded("picture.ref_frames", sequence.reference_frames)
        builder.coded("picture.coded_size", sequence.coded_size)
        builder.coded("picture.bit_depth", sequence.bit_depth)
        _say_shared(builder, sequence)
        if sequence.full_range is not None:
            builder.coded("picture.range", "full" if sequence.full_range else "narrow")

    def _say_avc(self, builder: FactsBuilder, sequence: avc.SequenceParameters) -> None:
        self._say_sequence(builder, sequence)
        if self.sets.pictures:
            cabac = self.sets.pictures[min(self.sets.pictures)].cabac
            builder.coded("picture.entropy", "cabac" if cabac else "cavlc")
        builder.coded("picture.rate_mode", "constant" if sequence.fixed_rate else None)
        if not sequence.frames_only:
            builder.coded("picture.field_order", self._avc_field_order())
        if sequence.hrd:
            builder.coded("bitrate.average", sequence.hrd.bits_per_second)
            builder.coded("bitrate.mode", "constant" if sequence.hrd.constant else "variable")
            builder.coded("bitrate.buffer", {"rate": sequence.hrd.bits_per_second, "size": sequence.hrd.buffer_bits})

    def _avc_field_order(self) -> str | None:
        """Field order by picture timing messages, else by the parity of field pairs, else by order counts."""
        for structure in self.structures:
            if structure in _STRUCTURE_ORDER:
                return _STRUCTURE_ORDER[structure]
        for head in self.slices:
            if head.parity:
                return head.parity
            if head.bottom_after_top:
                return "top" if head.bottom_after_top > 0 else "bottom"
        return None

    def _say_hevc(self, builder: FactsBuilder, sequence: hevc.SequenceParameters) -> None:
        self._say_sequence(builder, sequence)
        builder.coded("picture.tier", "High" if sequence.high_tier else "Main")
        builder.coded("picture.hdr", self.hevc_sets.light or None)

    def _say_mpeg2(self, builder: FactsBuilder) -> None:
        headers = self.mpeg2
        _say_shared(builder, headers)
        builder.coded("picture.coded_size", headers.size)
        builder.coded("picture.field_order", headers.field_order)
        builder.coded("bitrate.average", headers.bits_per_second)
        if headers.bits_per_second and headers.buffer_bits:
            builder.coded("bitrate.buffer", {"rate": headers.bits_per_second, "size": headers.buffer_bits})
        builder.coded("wrapper.start_timecode", headers.start_timecode)

    def _say_other(self, builder: FactsBuilder, context: Any, chroma: str | None) -> None:
        size = (context.width, context.height)
        if self.prores:
            size, chroma = self.prores.size, self.prores.chroma
            builder.coded("picture.scan", self.prores.scan)
            builder.coded("picture.field_order", self.prores.field_order)
            say_colour(builder, Witness.CODED, self.prores.primaries, self.prores.transfer, self.prores.matrix)
        builder.coded("picture.size", size if all(size) else None)
        builder.coded("picture.coded_size", size if all(size) else None)
        builder.coded("picture.chroma", chroma)
        if self.codec in _PROFILES_BY_LIBRARY:
            builder.coded("picture.profile", context.profile or None)


def _say_shared(
    builder: FactsBuilder, headers: avc.SequenceParameters | hevc.SequenceParameters | mpeg2.Mpeg2Headers
) -> None:
    """Record what the headers of AVC, HEVC and MPEG-2 all say under the same names."""
    for name in ("profile", "level", "size", "pixel_aspect", "frame_rate", "chroma", "scan"):
        builder.coded(f"picture.{name}", getattr(headers, name))
    say_colour(builder, Witness.CODED, headers.primaries, headers.transfer, headers.matrix)


def codec_by_magic(data: bytes, length_size: int | None = None, promised: str = "") -> str | None:
    """Return the codec that a packet's first bytes betray, ``None`` where they are not tell-tale.

    ``length_size`` is given when the wrapper keeps units of AVC or HEVC by their length, which leaves no start codes;
    ``promised`` is then the codec that the wrapper declares, whose unit header is looked for.
    """
    if length_size and promised == "hevc" and len(data) > length_size + 2:
        # forbidden_zero_bit, nal_unit_type of a picture or of what goes before one, layer 0, temporal id not 0
        head = data[length_size : length_size + 2]
        known = hevc.unit_type(head) <= 40 and not head[0] & 0x81 and not head[1] & 0xF8 and head[1] & 7
        return "hevc" if known else None
    if length_size and len(data) > length_size + 1:
        kind = data[length_size] & 0x1F
        return "avc" if not data[length_size] & 0x80 and 1 <= kind <= 12 else None
    if data[4:8] == b"icpf":
        return "prores"
    if data[:5] in (b"\x00\x00\x02\x80\x01", b"\x00\x00\x02\x80\x02", b"\x00\x00\x02\x80\x03"):
        return "vc3"
    if data[:2] == b"\xff\xd8":
        return "mjpeg"
    if data[:4] == b"\xff\x4f\xff\x51":
        return "jpeg2000"
    if data[:3] == b"\x00\x00\x01" and data[3:4] in (b"\xb0", b"\xb5", b"\xb6") and promised == "mpeg4":
        return "mpeg4"  # visual object sequence, visual object, plane (ISO/IEC 14496-2, table 6-3)
    if b"\x00\x00\x01\xb3" in data[:64]:
        return "mpeg2" if b"\x00\x00\x01\xb5" in data[:256] else "mpeg1"
    if data[:4] == b"\x00\x00\x00\x01" or data[:3] == b"\x00\x00\x01":
        first = data[4] if data[:4] == b"\x00\x00\x00\x01" else data[3]
        if first == 0x46 or ((first >> 1) in (32, 33, 34, 35) and first & 0x81 == 0):
            return "hevc" if first != 0x67 else "avc"
        return "avc" if first & 0x1F in (1, 5, 6, 7, 8, 9) and not first & 0x80 else None
    if data[:2] == b"\x12\x00" or (promised == "av1" and data[:1] == b"\x0a"):
        return "av1"  # temporal delimiter, or a sequence header with its size (AV1, 5.3.2)
    if data[1:4] == b"\x49\x83\x42" and data[0] >> 6 == 2:
        return "vp9"  # frame marker and sync code of a key frame (VP9, 6.2)
    return "vp8" if data[3:6] == b"\x9d\x01\x2a" else None  # RFC 6386, 9.1


def demuxed_codec(context: Any) -> str:
    """Return the registry's name of the codec that the demuxer chose for a stream."""
    return picture_codec(context.name)
