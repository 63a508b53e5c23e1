"""Headers of coded sound: the AAC configuration (ISO/IEC 14496-3, 1.6.2.1) and where MP4 keeps it (14496-1, 7.2.6)."""

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
