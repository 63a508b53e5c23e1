"""Media files that carry caption data, written packet by packet by the standards of their carriers."""

from __future__ import annotations

import struct
from collections.abc import Callable, Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np

from brisk_core.captions.line21.tests.codes import Pair, with_parity

RATE = Fraction(30000, 1001)
NOTHING: Pair = (0x00, 0x00)


def triplets(*pairs: Pair, flags: int = 0xFC) -> bytes:
    """Pairs of line 21 as triplets; field 2 has flags 0xFD."""
    return b"".join(bytes([flags, with_parity(first), with_parity(second)]) for first, second in pairs)


def digital_packet(service: int, block: bytes, sequence: int = 0) -> bytes:
    """One packet of digital captions with one block, as triplets (CTA-708-E, 5 and 6)."""
    body = bytes([service << 5 | len(block)]) + block
    body += b"\0" * (1 - len(body) % 2)
    packet = bytes([sequence << 6 | (len(body) + 1) // 2]) + body
    pairs = [packet[at : at + 2] for at in range(0, len(packet), 2)]
    return b"".join(bytes([0xFF if not at else 0xFE]) + pair for at, pair in enumerate(pairs))


def cc_data(found: bytes) -> bytes:
    """cc_data of ATSC A/53."""
    return bytes([0x40 | len(found) // 3, 0xFF]) + found + b"\xff"


def cable(found: bytes, *, line: int = 11) -> bytes:
    """Pairs of line 21 as cable carries them (ANSI/SCTE 20, 6): bits the other way round, and not at whole bytes."""
    bits = f"{len(found) // 3:05b}"
    for at in range(0, len(found), 3):
        field = 1 if found[at] == 0xFC else 2
        bits += f"00{field:02b}{line:05b}" + "".join(f"{byte:08b}"[::-1] for byte in found[at + 1 : at + 3]) + "1"
    bits += "0" * (-len(bits) % 8)
    return b"\x03\x81" + bytes(int(bits[at : at + 8], 2) for at in range(0, len(bits), 8))


def disc_group(frames: Sequence[bytes], *, count: int | None = None) -> bytes:
    """The pairs of a group of pictures as a disc keeps them: two for each frame, of both fields; ``count`` is what it
    says of them.
    """
    said = len(frames) if count is None else count
    blocks = b""
    for found in frames:
        pairs = {found[at]: found[at + 1 : at + 3] for at in range(0, len(found), 3)}
        blocks += b"\xff" + pairs.get(0xFC, b"\x80\x80") + b"\xfe" + pairs.get(0xFD, b"\x80\x80")
    return b"CC\x01\xf8" + bytes([0x80 | said << 1]) + blocks


def cdp(found: bytes) -> bytes:
    """A caption distribution packet (ST 334-2) with a time code before its captions."""
    section = bytes([0x71, 0x80, 0x80, 0x80, 0x80]) + bytes([0x72, 0xE0 | len(found) // 3]) + found
    footer = bytes([0x74, 0, 1])
    size = 7 + len(section) + len(footer) + 1
    packet = b"\x96\x69" + bytes([size, 0x4F, 0xC3, 0, 1]) + section + footer
    return packet + bytes([-sum(packet) & 0xFF])


def ancillary(words: bytes, *, did: int = 0x61, sdid: int = 0x01, ten_bits: bool = False) -> bytes:
    """A frame of ST 436-1 with one packet of ancillary data beside another that is no caption."""

    def packet(did: int, sdid: int, words: bytes, *, ten_bits: bool) -> bytes:
        samples = bytes([did, sdid, len(words)]) + words
        if ten_bits:
            padded = samples + bytes(-len(samples) % 3)
            data = b"".join(
                struct.pack(">I", padded[at] << 22 | padded[at + 1] << 12 | padded[at + 2] << 2)
                for at in range(0, len(padded), 3)
            )
        else:
            data = samples + bytes(-len(samples) % 4)
        return struct.pack(">HBBHII", 9, 1, 7 if ten_bits else 4, len(samples), len(data), 1) + data

    both = (packet(0x41, 0x05, bytes(8), ten_bits=False), packet(did, sdid, words, ten_bits=ten_bits))
    return struct.pack(">H", len(both)) + b"".join(both)


def write(
    path: Path,
    codec: str,
    carried: Sequence[bytes],
    *,
    options: dict[str, str] | None = None,
    track: str | None = None,
    sample: Callable[[bytes], bytes] | None = None,
) -> Path:
    """Write a picture for each piece of caption data, inside the picture or as samples of a track beside it."""
    with av.open(str(path), "w") as container:
        stream: Any = container.add_stream(codec, rate=RATE, options=options or {})
        stream.width, stream.height = 160, 96
        stream.pix_fmt = "yuv422p" if path.suffix == ".mxf" else "yuv420p"
        beside: Any = container.add_data_stream(track) if track else None
        if beside is not None:
            beside.time_base = 1 / RATE

        def mux(packets: Sequence[Any]) -> None:
            for packet in packets:
                number = round(packet.pts * packet.time_base * RATE)
                container.mux(packet if beside is not None else _with_message(packet, codec, carried[number], stream))

        for number, piece in enumerate(carried):
            rows = np.full((96, 160, 3), number * 3 % 200, np.uint8)
            frame = av.VideoFrame.from_ndarray(rows, format="rgb24")
            frame.pts, frame.time_base = number, 1 / RATE
            mux(stream.encode(frame))
            if beside is not None and sample is not None:
                packet = av.Packet(sample(piece))
                packet.stream, packet.pts, packet.dts, packet.duration = beside, number, number, 1
                packet.time_base = 1 / RATE
                container.mux(packet)
        mux(stream.encode(None))
    return path


def write_user_data(
    path: Path,
    carried: Sequence[bytes],
    ways: Sequence[str],
    *,
    options: dict[str, str] | None = None,
    count: int | None = None,
) -> Path:
    """Write MPEG-2 pictures that carry caption data in one way or in several: atsc, cable or disc."""
    with av.open(str(path), "w") as container:
        stream: Any = container.add_stream("mpeg2video", rate=RATE, options=options or {})
        stream.width, stream.height, stream.pix_fmt = 160, 96, "yuv420p"
        packets: list[Any] = []
        for number in range(len(carried)):
            frame = av.VideoFrame.from_ndarray(np.full((96, 160, 3), number * 3 % 200, np.uint8), format="rgb24")
            frame.pts, frame.time_base = number, 1 / RATE
            packets += stream.encode(frame)
        packets += stream.encode(None)
        numbers = [round(packet.pts * packet.time_base * RATE) for packet in packets]
        # A group begins with the picture that is shown first, which may stand after the one that is coded first.
        groups = [
            number - (int.from_bytes(bytes(packet).split(b"\x00\x00\x01\x00")[1][:2]) >> 6)
            for packet, number in zip(packets, numbers, strict=True)
            if b"\x00\x00\x01\xb8" in bytes(packet)
        ]
        for packet, number in zip(packets, numbers, strict=True):
            data = bytes(packet)
            if "disc" in ways and (at := data.find(b"\x00\x00\x01\xb8")) >= 0:
                first = groups.pop(0)
                found = disc_group(carried[first : groups[0] if groups else None], count=count)
                at = data.find(b"\x00\x00\x01", at + 4)
                data = data[:at] + b"\x00\x00\x01\xb2" + found + data[at:]
            at = data.find(b"\x00\x00\x01\x01")  # the first slice
            for way, made in (("atsc", b"GA94\x03" + cc_data(carried[number])), ("cable", cable(carried[number]))):
                if way in ways:
                    data = data[:at] + b"\x00\x00\x01\xb2" + made + data[at:]
            container.mux(_made(packet, data, stream))
    return path


def _made(packet: Any, data: bytes, stream: Any) -> Any:
    """A packet with other bytes."""
    new = av.Packet(data)
    new.pts, new.dts, new.time_base, new.duration = packet.pts, packet.dts, packet.time_base, packet.duration
    new.is_keyframe, new.stream = packet.is_keyframe, stream
    return new


def _with_message(packet: Any, codec: str, found: bytes, stream: Any) -> Any:
    data = bytes(packet)
    if not found:
        return packet
    if codec == "mpeg2video":
        at = data.find(b"\x00\x00\x01\x01")  # the first slice
        made = data[:at] + b"\x00\x00\x01\xb2GA94\x03" + cc_data(found) + data[at:]
    elif codec == "libsvtav1":
        payload = b"\x04\xb5\x00\x31GA94\x03" + cc_data(found) + b"\x80"
        unit = bytes([0x2A, len(payload)]) + payload  # metadata of AV1, of type 4
        at = 2 if data.startswith(b"\x12\x00") else 0
        if data[at] == 0x0A:  # after the sequence header
            at += 2 + data[at + 1]
        made = data[:at] + unit + data[at:]
    else:
        payload = b"\xb5\x00\x31GA94\x03" + cc_data(found)
        head = b"\x06" if codec == "libx264" else b"\x4e\x01"
        message = head + b"\x04" + bytes([len(payload)]) + payload + b"\x80"
        made = _before_slices(data, codec, b"\x00\x00\x00\x01" + escaped(message))
    return _made(packet, made, stream)


def escaped(unit: bytes) -> bytes:
    """Put a 3 between two zeros and a byte of at most 3 (H.264, 7.4.1.1)."""
    out = bytearray()
    zeros = 0
    for byte in unit:
        if zeros >= 2 and byte <= 3:
            out.append(3)
            zeros = 0
        out.append(byte)
        zeros = zeros + 1 if not byte else 0
    return bytes(out)


def _before_slices(data: bytes, codec: str, unit: bytes) -> bytes:
    at = 0
    while (at := data.find(b"\x00\x00\x01", at)) >= 0:
        kind = data[at + 3] & 0x1F if codec == "libx264" else data[at + 3] >> 1 & 0x3F
        if kind in (1, 5) if codec == "libx264" else kind < 32:
            start = at - (at > 0 and data[at - 1] == 0)
            return data[:start] + unit + data[start:]
        at += 3
    raise ValueError("the packet has no slice")
