"""The headers at the start of one picture stream, read packet by packet, whatever the codec."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from brisk_core.exact import display_aspect
from brisk_core.facts import FactsBuilder, FieldOrder, Scan, Witness, keys
from brisk_core.facts.keys import Key, Value
from brisk_core.reading.bit_reader import BitsEnded
from brisk_core.reading.library import picture_codec, pixel_facts
from brisk_core.reading.streams import av1, avc, ffv1, hevc, mpeg2, prores, still_codecs, vc3, vpx
from brisk_core.reading.streams.coded_header import CodedHeader, say_colour
from brisk_core.reading.streams.messages import Messages

_STRUCTURE_ORDER = {
    3: FieldOrder.TOP,
    4: FieldOrder.BOTTOM,
    5: FieldOrder.TOP,
    6: FieldOrder.BOTTOM,
}  # pic_struct of a frame (H.264, table D-1)
_HEVC_ORDER = {
    3: FieldOrder.TOP,
    4: FieldOrder.BOTTOM,
    5: FieldOrder.TOP,
    6: FieldOrder.BOTTOM,
    1: FieldOrder.TOP,
    2: FieldOrder.BOTTOM,
}  # H.265, table D.2
#: Codecs that keep all that is read here in one header of a packet.
_ONE_HEADER: dict[str, Callable[[bytes], CodedHeader]] = {
    "prores": prores.parse_frame,
    "vc3": vc3.parse_frame,
    "vp8": vpx.parse_vp8,
    "vp9": vpx.parse_vp9,
    "av1": av1.parse_sequence,
    "mjpeg": still_codecs.parse_jpeg,
    "jpeg2000": still_codecs.parse_jpeg2000,
}
#: Codecs whose packets have no header: what the library says of their samples is its reading of the label.
_BARE = {"v210", "raw"}


class _Headers:
    """What one codec's headers say; this one is for codecs that no own reader knows."""

    length_size: int | None = None  #: bytes of the length before each unit, None for start codes and other codecs
    slices: int | None = None  #: of a picture, where a header tells

    def take_extradata(self, data: bytes) -> None:
        """Take what the wrapper keeps for the stream."""

    def take_packet(self, data: bytes) -> None:
        """Take one of the first packets."""

    def say(self, builder: FactsBuilder, context: Any) -> bool:
        """Record what the stream codes; answer whether there was a header at all."""
        return False


class _OneHeader(_Headers):
    def __init__(self, parse: Callable[[bytes], CodedHeader]) -> None:
        self._parse = parse
        self._found: CodedHeader | None = None

    def take_extradata(self, data: bytes) -> None:
        if self._parse is av1.parse_sequence and data[:1] == b"\x81":  # AV1 in ISO base media: units after 4 bytes
            self.take_packet(data[4:])

    def take_packet(self, data: bytes) -> None:
        if self._found is None:
            try:
                self._found = self._parse(data)
            except (BitsEnded, IndexError):
                return

    def say(self, builder: FactsBuilder, context: Any) -> bool:
        if self._found:
            self._found.say(builder)
        return self._found is not None


class _Ffv1Headers(_Headers):
    def __init__(self) -> None:
        self._configuration: ffv1.Configuration | None = None
        self._found: CodedHeader | None = None

    def take_extradata(self, data: bytes) -> None:
        try:
            self._configuration = ffv1.parse_configuration(data)
        except BitsEnded:
            return

    def take_packet(self, data: bytes) -> None:
        if self._configuration and self._found is None:
            try:
                self._found = self._configuration.parse_frame(data)
            except BitsEnded:
                return
            self.slices = self._found.slices

    def say(self, builder: FactsBuilder, context: Any) -> bool:
        found = self._found or (self._configuration.header if self._configuration else None)
        if found:
            found.say(builder)
        return found is not None


class _AvcHeaders(_Headers):
    def __init__(self) -> None:
        self._sets = avc.ParameterSets()
        self._timings: list[avc.PictureTiming] = []
        self._slices: list[avc.Slice] = []  # first slice of the first pictures
        self._messages = Messages()

    @property
    def length_size(self) -> int | None:  # type: ignore[override]  # found in the configuration
        return self._sets.length_size

    def take_extradata(self, data: bytes) -> None:
        try:
            if data[:1] == b"\x01":
                self._sets.length_size, units = avc.parse_configuration(data)
            else:
                units = list(avc.split_start_codes(data))
        except BitsEnded:
            return
        for unit in units:
            self._sets.take(unit)
            if unit[0] & 0x1F == avc.NAL_SEI:
                self._messages.take(unit, 1)

    def take_packet(self, data: bytes) -> None:
        for unit in avc.split_units(data, self._sets.length_size):
            kind = unit[0] & 0x1F
            try:
                if kind == avc.NAL_SEI:
                    self._messages.take(unit, 1)
                    if self._sets.first:
                        self._timings += avc.picture_timings(unit, self._sets.first)
                elif kind in (avc.NAL_SLICE, avc.NAL_IDR):
                    head = self._sets.parse_slice(unit)
                    if head.first_macroblock == 0:
                        self._slices.append(head)
                else:
                    self._sets.take(unit)
            except BitsEnded:
                continue

    def say(self, builder: FactsBuilder, context: Any) -> bool:
        sequence = self._sets.first
        if sequence is None:
            return False
        with builder.at(f"sequence parameter set {sequence.set_id}, NAL unit type 7 (H.264, 7.3.2.1.1, E.1.1)"):
            _say_sequence(builder, sequence)
            builder.coded(keys.PICTURE_RATE_MODE, "constant" if sequence.fixed_rate else None)
            _say_schedule(builder, sequence.hrd)
        self._messages.say(builder)
        if self._sets.pictures:
            with builder.at(f"picture parameter set {min(self._sets.pictures)}, NAL unit type 8 (H.264, 7.3.2.2)"):
                cabac = self._sets.pictures[min(self._sets.pictures)].cabac
                builder.coded(keys.PICTURE_ENTROPY, "cabac" if cabac else "cavlc")
        if not sequence.frames_only:
            order, place = self._field_order()
            with builder.at(place):
                builder.coded(keys.PICTURE_FIELD_ORDER, order)
        clock = next((timing.clock for timing in self._timings if timing.clock), None)
        if clock and sequence.frame_rate:
            with builder.at("picture timing message, NAL unit type 6 (H.264, D.1.3)"):
                builder.coded(keys.WRAPPER_START_TIMECODE, clock.timecode(sequence.frame_rate))
        return True

    @property
    def field_reader(self) -> Callable[[bytes], FieldOrder | None] | None:
        """See ``CodedPicture.field_reader``."""
        sequences = self._sets.sequences.values()
        return None if all(one.frames_only for one in sequences) else self._field_of

    def _field_of(self, data: bytes) -> FieldOrder | None:
        for unit in avc.split_units(data, self._sets.length_size):
            if unit[0] & 0x1F in (avc.NAL_SLICE, avc.NAL_IDR):
                try:
                    parity = self._sets.parse_slice(unit).parity
                except BitsEnded:
                    return None
                return FieldOrder(parity) if parity else None
        return None

    def _field_order(self) -> tuple[str | None, str]:
        """Field order by picture timing messages, else by the parity of field pairs, else by order counts."""
        for timing in self._timings:
            if timing.structure in _STRUCTURE_ORDER:
                return _STRUCTURE_ORDER[timing.structure], "picture timing message, NAL unit type 6 (H.264, D.1.3)"
        for head in self._slices:
            if head.parity:
                return head.parity, "header of the first slice, a field (H.264, 7.3.3)"
            if head.bottom_after_top:
                return (
                    FieldOrder.TOP if head.bottom_after_top > 0 else FieldOrder.BOTTOM,
                    "order counts in the header of the first slice (H.264, 7.3.3, 8.2.1)",
                )
        return None, ""


class _HevcHeaders(_Headers):
    def __init__(self) -> None:
        self.sets = hevc.ParameterSets()
        self._messages = Messages()

    @property
    def length_size(self) -> int | None:  # type: ignore[override]  # found in the configuration
        return self.sets.length_size

    def take_extradata(self, data: bytes) -> None:
        try:
            if data[:1] == b"\x01":
                self.sets.length_size, units = hevc.parse_configuration(data)
            else:
                units = list(avc.split_start_codes(data))
        except BitsEnded:
            return
        for unit in units:
            self._take(unit)

    def take_packet(self, data: bytes) -> None:
        for unit in avc.split_units(data, self.sets.length_size):
            self._take(unit)

    def _take(self, unit: bytes) -> None:
        self.sets.take(unit)
        if len(unit) > 2 and hevc.unit_type(unit) == hevc.NAL_PREFIX_SEI:
            self._messages.take(unit, 2)

    def say(self, builder: FactsBuilder, context: Any) -> bool:
        sequence = self.sets.first
        if sequence is None:
            return False
        with builder.at(f"sequence parameter set {sequence.set_id}, NAL unit type 33 (H.265, 7.3.2.2, E.2.1)"):
            _say_sequence(builder, sequence)
            builder.coded(keys.PICTURE_TIER, "High" if sequence.high_tier else "Main")
            _say_schedule(builder, sequence.hrd)
        self._messages.say(builder)
        if sequence.frame_rate is None and self.sets.rate:
            with builder.at("video parameter set, NAL unit type 32 (H.265, 7.3.2.1)"):
                builder.coded(keys.PICTURE_FRAME_RATE, self.sets.rate)
        with builder.at("light level messages, NAL unit type 39 (H.265, D.2.28 and D.2.35)"):
            builder.coded(keys.PICTURE_HDR, self.sets.light or None)
        if sequence.scan == Scan.INTERLACED:
            structures = [one for one in self.sets.structures if one in _HEVC_ORDER]
            with builder.at("picture timing message, NAL unit type 39 (H.265, D.2.3)"):
                builder.coded(keys.PICTURE_FIELD_ORDER, _HEVC_ORDER[structures[0]] if structures else None)
        rate = builder.said(Witness.CODED, keys.PICTURE_FRAME_RATE)
        if self.sets.clock and rate:
            with builder.at("time code message, NAL unit type 39 (H.265, D.2.27)"):
                builder.coded(keys.WRAPPER_START_TIMECODE, self.sets.clock.timecode(rate))
        return True


class _Mpeg2Headers(_Headers):
    def __init__(self) -> None:
        self._headers = mpeg2.Mpeg2Headers()

    def take_extradata(self, data: bytes) -> None:
        mpeg2.read_headers(data, self._headers)

    def take_packet(self, data: bytes) -> None:
        mpeg2.read_headers(data, self._headers)

    def say(self, builder: FactsBuilder, context: Any) -> bool:
        headers = self._headers
        if not headers.size:
            return False
        with builder.at("sequence header and extensions, start codes B3 and B5 (H.262, 6.2.2)"):
            _say_shared(builder, headers)
            builder.coded(keys.PICTURE_CODED_SIZE, headers.size)
            builder.coded(keys.PICTURE_BIT_DEPTH, 8)
            builder.coded(keys.BITRATE_MAXIMUM, headers.bits_per_second)
            builder.coded(keys.BITRATE_MODE, headers.bit_rate_mode)
            if headers.bit_rate_mode != "variable":
                builder.coded(keys.BITRATE_AVERAGE, headers.bits_per_second)
            if headers.bits_per_second and headers.buffer_bits:
                builder.coded(keys.BITRATE_BUFFER, {"rate": headers.bits_per_second, "size": headers.buffer_bits})
        with builder.at("picture coding extension of the first picture, start code B5 (H.262, 6.2.3.1)"):
            builder.coded(keys.PICTURE_FIELD_ORDER, headers.field_order)
        with builder.at("group of pictures header, start code B8 (H.262, 6.2.2.6)"):
            builder.coded(keys.WRAPPER_START_TIMECODE, headers.start_timecode)
        return True


_MAKERS: dict[str, Callable[[], _Headers]] = {
    "avc": _AvcHeaders,
    "hevc": _HevcHeaders,
    "mpeg2": _Mpeg2Headers,
    "mpeg1": _Mpeg2Headers,
    "ffv1": _Ffv1Headers,
}


@dataclass(slots=True)
class CodedPicture:
    """Reads the headers at the start of one picture stream, packet by packet."""

    codec: str  #: the registry's name by the demuxer
    magic: str | None = None  #: codec by the stream's own bytes
    headers: _Headers = field(init=False)

    def __post_init__(self) -> None:
        if self.codec in _ONE_HEADER:
            self.headers = _OneHeader(_ONE_HEADER[self.codec])
        else:
            self.headers = _MAKERS.get(self.codec, _Headers)()

    @property
    def length_size(self) -> int | None:
        """Bytes of the length before each unit of AVC or HEVC, ``None`` for start codes and other codecs."""
        return self.headers.length_size

    @property
    def extra_slice_bits(self) -> dict[int, int]:
        """num_extra_slice_header_bits by picture parameter set, for HEVC."""
        return self.headers.sets.extra_bits if isinstance(self.headers, _HevcHeaders) else {}

    @property
    def field_reader(self) -> Callable[[bytes], FieldOrder | None] | None:
        """What tells which field a packet begins with, ``None`` for it where a frame begins.

        ``None`` for streams that have no pictures of single fields, or whose pairs the library keeps together.
        """
        return self.headers.field_reader if isinstance(self.headers, _AvcHeaders) else None

    def take_extradata(self, data: bytes) -> None:
        """Take the parameter sets that the wrapper keeps for the stream."""
        if data:
            self.headers.take_extradata(data)

    def take_packet(self, data: bytes) -> None:
        """Take one of the first packets."""
        self.magic = self.magic or codec_by_magic(data, self.length_size, self.codec)
        self.headers.take_packet(data)

    def say(self, builder: FactsBuilder, context: Any) -> None:
        """Record what the stream codes; ``context`` is the library's codec context, used where no own reader speaks."""
        has_header = self.headers.say(builder, context)
        with builder.at("first bytes of the stream"):
            builder.coded(keys.PICTURE_CODEC, self.magic or (self.codec if has_header else None))
        if not has_header and self.codec not in _BARE:
            size = (context.width, context.height)
            builder.coded(keys.PICTURE_SIZE, size if all(size) else None)
            builder.coded(keys.PICTURE_CODED_SIZE, size if all(size) else None)
            if self.codec == "mpeg4":  # a codec whose profile the library names as its standard does
                builder.coded(keys.PICTURE_PROFILE, context.profile or None)
        _say_by_pixels(builder, context, self.codec)
        shown = builder.said(Witness.CODED, keys.PICTURE_SIZE)
        shape = builder.said(Witness.CODED, keys.PICTURE_PIXEL_ASPECT)
        if shown and shape:
            turn = builder.said(Witness.DECLARED, keys.PICTURE_ROTATION) or 0
            builder.coded(keys.PICTURE_DISPLAY_ASPECT, display_aspect(shown, shape, turn))


#: Codecs whose alpha is a stream of its own beside the pictures, of which theirs say nothing (Matroska's AlphaMode).
_ALPHA_BESIDE = ("vp8", "vp9")


def _say_by_pixels(builder: FactsBuilder, context: Any, codec: str) -> None:
    """Record chroma, depth and alpha by the library's pixel format where no header has said them."""
    chroma, depth, alpha = pixel_facts(context)
    if codec in _ALPHA_BESIDE and builder.said(Witness.DECLARED, keys.PICTURE_ALPHA) is not None:
        alpha = None
    _say_unsaid(builder, keys.PICTURE_CHROMA, chroma)
    _say_unsaid(builder, keys.PICTURE_BIT_DEPTH, depth)
    _say_unsaid(builder, keys.PICTURE_ALPHA, alpha)


def _say_unsaid(builder: FactsBuilder, key: Key[Value], value: Value | None) -> None:
    """Record what the stream codes where nothing has been said yet."""
    if builder.said(Witness.CODED, key) is None:
        builder.coded(key, value)


def _say_sequence(builder: FactsBuilder, sequence: avc.SequenceParameters | hevc.SequenceParameters) -> None:
    """Record what the sequence parameter sets of AVC and HEVC both say."""
    builder.coded(keys.PICTURE_REF_FRAMES, sequence.reference_frames)
    builder.coded(keys.PICTURE_CODED_SIZE, sequence.coded_size)
    builder.coded(keys.PICTURE_BIT_DEPTH, sequence.bit_depth)
    _say_shared(builder, sequence)
    if sequence.full_range is not None:
        builder.coded(keys.PICTURE_RANGE, "full" if sequence.full_range else "narrow")


def _say_schedule(builder: FactsBuilder, hrd: avc.Hrd | None) -> None:
    """Record the first schedule of the hypothetical reference decoder."""
    if hrd:
        builder.coded(keys.BITRATE_MAXIMUM, hrd.bits_per_second)
        if hrd.constant:
            builder.coded(keys.BITRATE_AVERAGE, hrd.bits_per_second)
        builder.coded(keys.BITRATE_MODE, "constant" if hrd.constant else "variable")
        builder.coded(keys.BITRATE_BUFFER, {"rate": hrd.bits_per_second, "size": hrd.buffer_bits})


def _say_shared(
    builder: FactsBuilder, headers: avc.SequenceParameters | hevc.SequenceParameters | mpeg2.Mpeg2Headers
) -> None:
    """Record what the headers of AVC, HEVC and MPEG-2 all say under the same names."""
    builder.coded(keys.PICTURE_PROFILE, headers.profile)
    builder.coded(keys.PICTURE_LEVEL, headers.level)
    builder.coded(keys.PICTURE_SIZE, headers.size)
    builder.coded(keys.PICTURE_PIXEL_ASPECT, headers.pixel_aspect)
    builder.coded(keys.PICTURE_FRAME_RATE, headers.frame_rate)
    builder.coded(keys.PICTURE_CHROMA, headers.chroma)
    builder.coded(keys.PICTURE_SCAN, headers.scan)
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
    if data[:3] == b"\x1f\x07\x00":  # header block of the first sequence (IEC 61834-2, ST 314)
        return "dv"
    if data[:2] == b"\xff\xd8":
        return "mjpeg"
    if data[:4] == b"\xff\x4f\xff\x51":
        return "jpeg2000"
    if data[:3] == b"\x00\x00\x01" and data[3:4] in (b"\xb0", b"\xb5", b"\xb6") and promised == "mpeg4":
        return "mpeg4"  # visual object sequence, visual object, plane (ISO/IEC 14496-2, table 6-3)
    if data[:4] == b"\x00\x00\x01\xb3" and data[7:11] in (b"\x00\x00\x01\xb6", b"\x00\x00\x01\xb2"):
        return "mpeg4"  # group of planes, three bytes long, and a plane: a sequence header of MPEG-1 and 2 is longer
    if b"\x00\x00\x01\xb3" in data[:64]:
        return "mpeg2" if b"\x00\x00\x01\xb5" in data[:256] else "mpeg1"
    long = data[:4] == b"\x00\x00\x00\x01"
    if (long or data[:3] == b"\x00\x00\x01") and len(data) > 4:
        first = data[4 if long else 3]
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
