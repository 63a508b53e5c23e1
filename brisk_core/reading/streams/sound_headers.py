"""Headers of coded sound: AAC (ISO/IEC 14496-3) and where MP4 keeps it (14496-1, 7.2.6), AC-3, E-AC-3, MPEG audio."""

from __future__ import annotations

from dataclasses import dataclass

from brisk_core.reading.bit_reader import BitReader, BitsEnded

#: Table 1.16, sampling frequency by index.
_RATES = (96000, 88200, 64000, 48000, 44100, 32000, 24000, 22050, 16000, 12000, 11025, 8000, 7350)
#: Table 1.19, channels by configuration.
_CHANNELS = {1: 1, 2: 2, 3: 3, 4: 4, 5: 5, 6: 6, 7: 8, 11: 7, 12: 8, 14: 8}


@dataclass(frozen=True, slots=True, kw_only=True)
class AacConfiguration:
    """What an AudioSpecificConfig says."""

    object_type: int
    sample_rate: int  #: Hz
    channels: int | None  #: None where a program config element must be read


@dataclass(frozen=True, slots=True, kw_only=True)
class DecoderDescription:
    """A decoder configuration descriptor."""

    object_type: int  #: objectTypeIndication
    average_bits_per_second: int
    specific: bytes  #: decoder specific information


def parse_aac(data: bytes) -> AacConfiguration:
    """Read an AudioSpecificConfig; raises ``BitsEnded`` when it is cut or uses a reserved rate."""
    reader = BitReader(data)
    object_type = reader.bits(5)
    if object_type == 31:
        object_type = 32 + reader.bits(6)
    index = reader.bits(4)
    if index == 15:
        rate = reader.bits(24)
    elif index < len(_RATES):
        rate = _RATES[index]
    else:
        raise BitsEnded(f"met sampling frequency index {index}; expected 0 to 12 or 15")
    channels = _CHANNELS.get(reader.bits(4))
    if object_type in (5, 29):  # explicit SBR: the extension rate is what is heard
        index = reader.bits(4)
        rate = reader.bits(24) if index == 15 else _RATES[index] if index < len(_RATES) else rate
    return AacConfiguration(object_type=object_type, sample_rate=rate, channels=channels)


def parse_descriptor(body: bytes) -> DecoderDescription | None:
    """Return the decoder configuration of an esds box's contents, ``None`` when it holds none."""
    found: DecoderDescription | None = None
    position, end = 4, len(body)
    while position + 2 <= end:
        tag = body[position]
        position += 1
        length = 0
        for _ in range(4):
            if position >= end:
                return found
            byte = body[position]
            position += 1
            length = length << 7 | byte & 0x7F
            if not byte & 0x80:
                break
        if tag == 3:  # ES descriptor: its optional parts, then descriptors inside
            flags = body[position + 2] if position + 2 < end else 0
            position += 3 + (2 if flags & 0x80 else 0)
            if flags & 0x40 and position < end:
                position += 1 + body[position]
            position += 2 if flags & 0x20 else 0
        elif tag == 4 and position + 13 <= end:
            found = DecoderDescription(
                object_type=body[position],
                average_bits_per_second=int.from_bytes(body[position + 9 : position + 13], "big"),
                specific=b"",
            )
            position += 13
        elif tag == 5 and found:
            return DecoderDescription(
                object_type=found.object_type,
                average_bits_per_second=found.average_bits_per_second,
                specific=body[position : position + length],
            )
        else:
            position += length
    return found


@dataclass(frozen=True, slots=True, kw_only=True)
class SoundHeader:
    """What the header of one frame of coded sound says; ``None`` where it has no word for it."""

    place: str  #: the header's name and clause
    sample_rate: int | None = None  #: Hz
    channels: int | None = None
    layout: str | None = None
    bits_per_second: int | None = None
    codec: str | None = None  #: where the header tells it: mp1, mp2 or mp3 by the layer of MPEG audio


_AC3_RATES = (48000, 44100, 32000)
#: Table 5.18 of ATSC A/52, bit rate in kb/s by frmsizecod / 2.
_AC3_BIT_RATES = (32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320, 384, 448, 512, 576, 640)
#: Table 5.8, channels by acmod, and their usual names.
_AC3_MODES = (
    (2, "1+1"), (1, "mono"), (2, "stereo"), (3, "3.0"),
    (3, "2.1 surround"), (4, "3.1 surround"), (4, "quad"), (5, "5.0"),
)  # fmt: skip
_AC3_WITH_LFE = {2: "2.1", 3: "3.1", 5: "2.1 surround with LFE", 6: "4.1 quad", 7: "5.1"}
_E_AC3_BLOCKS = (1, 2, 3, 6)


def parse_ac3(data: bytes) -> SoundHeader:
    """Read the first sync frame of AC-3 or E-AC-3 (ATSC A/52, 5.3 and annex E, 2.2); raises ``BitsEnded``."""
    reader = BitReader(data[:16])
    if (sync := reader.bits(16)) != 0x0B77:
        raise BitsEnded(f"met {sync:04x} at the start of AC-3 sound; expected the sync word 0b77")
    if data[5] >> 3 > 10:
        reader.skip(2 + 3)
        size = (reader.bits(11) + 1) * 2
        index = reader.bits(2)
        if index == 3:
            rate, blocks = (_AC3_RATES[reader.bits(2) % 3]) // 2, 6
        else:
            rate, blocks = _AC3_RATES[index], _E_AC3_BLOCKS[reader.bits(2)]
        bit_rate = size * 8 * rate // (256 * blocks)
        mode, lfe = reader.bits(3), reader.flag()
        place = "first sync frame (A/52, annex E)"
    else:
        reader.skip(16)
        index, code = reader.bits(2), reader.bits(6)
        if index == 3 or code >> 1 >= len(_AC3_BIT_RATES):
            raise BitsEnded(
                f"met rate code {index} and frame size code {code} in AC-3 sound; expected 0 to 2 and 0 to 37"
            )
        rate, bit_rate = _AC3_RATES[index], _AC3_BIT_RATES[code >> 1] * 1000
        reader.skip(5 + 3)
        mode = reader.bits(3)
        if mode & 1 and mode != 1:
            reader.skip(2)
        if mode & 4:
            reader.skip(2)
        if mode == 2:
            reader.skip(2)
        lfe = reader.flag()
        place = "first sync frame (A/52, 5.3)"
    channels, name = _AC3_MODES[mode]
    return SoundHeader(
        place=place,
        sample_rate=rate,
        channels=channels + lfe,
        layout=_AC3_WITH_LFE.get(mode, f"{name} with LFE") if lfe else name,
        bits_per_second=bit_rate,
    )


def channels_of_dac3(box: bytes) -> int:
    """Return the channels by an AC3SpecificBox (ETSI TS 102 366, F.4); raises ``BitsEnded``."""
    reader = BitReader(box)
    reader.skip(2 + 5 + 3)
    mode = reader.bits(3)
    return _AC3_MODES[mode][0] + reader.flag()


def channels_of_dec3(box: bytes) -> int | None:
    """Return the channels by an EC3SpecificBox (ETSI TS 102 366, F.6), ``None`` where dependent substreams add to them;
    raises ``BitsEnded``.
    """
    reader = BitReader(box)
    reader.skip(13)
    if reader.bits(3):  # a second programme
        return None
    reader.skip(2 + 5 + 1 + 1 + 3)
    mode, lfe = reader.bits(3), reader.flag()
    reader.skip(3)
    return None if reader.bits(4) else _AC3_MODES[mode][0] + lfe


#: ISO/IEC 11172-3, 2.4.2.3: kb/s by (layer, index); MPEG-2's lower rates are in 13818-3.
_LAYER_RATES = {
    (1, 3): (32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320),
    (1, 2): (32, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320, 384),
    (1, 1): (32, 64, 96, 128, 160, 192, 224, 256, 288, 320, 352, 384, 416, 448),
    (2, 3): (8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160),
    (2, 2): (8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160),
    (2, 1): (32, 48, 56, 64, 80, 96, 112, 128, 144, 160, 176, 192, 224, 256),
}
_LAYER_SAMPLE_RATES = (44100, 48000, 32000)
_VERSION_DIVISOR = {3: 1, 2: 2, 0: 4}  # MPEG-1, MPEG-2, and the extension to lower rates


def parse_mpeg_audio(data: bytes) -> SoundHeader:
    """Read the first frame header of MPEG audio (ISO/IEC 11172-3, 2.4.1.3; 13818-3); raises ``BitsEnded``."""
    reader = BitReader(data[:4])
    if reader.bits(11) != 0x7FF:
        raise BitsEnded(f"met {data[:2].hex()} at the start of MPEG audio; expected eleven ones")
    version, layer = reader.bits(2), 4 - reader.bits(2)
    reader.skip(1)
    index, rate_index = reader.bits(4), reader.bits(2)
    if version not in _VERSION_DIVISOR or layer > 3 or rate_index == 3 or index == 15:
        raise BitsEnded("met reserved codes in an MPEG audio header")
    reader.skip(2)
    mode = reader.bits(2)
    rates = _LAYER_RATES[1 if version == 3 else 2, layer]
    return SoundHeader(
        place="first frame header (11172-3, 2.4.1.3)",
        sample_rate=_LAYER_SAMPLE_RATES[rate_index] // _VERSION_DIVISOR[version],
        channels=1 if mode == 3 else 2,
        layout="mono" if mode == 3 else "stereo",
        bits_per_second=rates[index - 1] * 1000 if index else None,
        codec=f"mp{layer}",
    )


def parse_adts(data: bytes) -> SoundHeader:
    """Read the first ADTS header of AAC (ISO/IEC 14496-3, 1.A.2.2); raises ``BitsEnded``."""
    reader = BitReader(data[:7])
    if reader.bits(12) != 0xFFF:
        raise BitsEnded(f"met {data[:2].hex()} at the start of AAC sound; expected twelve ones")
    reader.skip(4 + 2)
    index = reader.bits(4)
    reader.skip(1)
    channels = _CHANNELS.get(reader.bits(3))
    return SoundHeader(
        place="first ADTS header (14496-3, 1.A.2.2)",
        sample_rate=_RATES[index] if index < len(_RATES) else None,
        channels=channels,
        layout={1: "mono", 2: "stereo", 6: "5.1"}.get(channels or 0),
    )


_PARSERS = {
    "ac3": parse_ac3,
    "eac3": parse_ac3,
    "mp2": parse_mpeg_audio,
    "mp3": parse_mpeg_audio,
    "mp1": parse_mpeg_audio,
    "aac": parse_adts,
}


def first_sound_header(codec: str, packet: bytes) -> SoundHeader | None:
    """Return what a sound track's first packet codes, ``None`` for codecs without a frame header or for nonsense."""
    parser = _PARSERS.get(codec)
    try:
        return parser(packet) if parser else None
    except (BitsEnded, IndexError):
        return None
