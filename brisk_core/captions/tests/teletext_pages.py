"""Pages of teletext by the tables of ETSI EN 300 706, and transport streams that carry them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import av
import numpy as np

from brisk_core.captions.tests.carried import RATE

_NATIONS = ("en", "de", "sv", "it", "fr", "pt", "cs")


def coded(nibble: int) -> int:
    """Four bits as a byte of Hamming 8/4 (table 2)."""
    one, two, three, four = (nibble >> bit & 1 for bit in range(4))
    checks = (1 ^ one ^ three ^ four, 1 ^ one ^ two ^ four, 1 ^ one ^ two ^ three)
    bits = [checks[0], one, checks[1], two, checks[2], three, 0, four]
    bits[6] = 1 ^ (sum(bits) & 1)
    return sum(bit << place for place, bit in enumerate(bits))


def odd(text: bytes) -> bytes:
    """Characters of seven bits with odd parity."""
    return bytes(byte | (0 if byte.bit_count() % 2 else 0x80) for byte in text)


def line(magazine: int, row: int, body: bytes) -> bytes:
    """A line of 42 bytes, the lowest bit of each sent first."""
    address = magazine & 7 | row << 3
    return bytes([coded(address & 15), coded(address >> 4)]) + body


def header(
    page: str = "888", *, erase: bool = True, subtitle: bool = True, serial: bool = False, nation: str = "en"
) -> bytes:
    """Packet 0 of a page (9.3.1)."""
    number = _NATIONS.index(nation)
    last = serial | (number >> 2 & 1) << 1 | (number >> 1 & 1) << 2 | (number & 1) << 3
    nibbles = [int(page[2], 16), int(page[1], 16), 0, 8 * erase, 0, 8 * subtitle, 0, last]
    return line(int(page[0]), 0, bytes(map(coded, nibbles)) + odd(b" " * 32))


def row(number: int, text: bytes, page: str = "888", *, box: bool = True) -> bytes:
    """A row of forty characters, in a box."""
    body = b"\x0b\x0b" + text + b"\x0a\x0a" if box else text
    return line(int(page[0]), number, odd(body.ljust(40)))


def put(*triplets: tuple[int, int, int], page: str = "888") -> bytes:
    """A packet 26: triplets of address, mode and data (12.3), in Hamming 24/18."""
    body = bytes([coded(0)])
    for address, mode, data in (*triplets, *[(63, 0x1F, 0)] * (13 - len(triplets))):
        value = address | mode << 6 | data << 11
        body += bytes([(value & 1) << 2 | (value >> 1 & 7) << 4, value >> 4 & 0x7F, value >> 11 & 0x7F])
    return line(int(page[0]), 26, body)


def units(lines: Sequence[bytes], *, subtitle: bool = True) -> bytes:
    """The data field of a PES packet (EN 300 472, 4.2)."""
    made = b"\x10"
    for one in lines:
        turned = bytes(int(f"{byte:08b}"[::-1], 2) for byte in one)
        made += bytes([0x03 if subtitle else 0x02, 44, 0xE7, 0xE4]) + turned
    return made


def distribution(lines: Sequence[bytes]) -> bytes:
    """A subtitling distribution packet of up to five lines (SMPTE RDD 8)."""
    told = bytes([0x95 + number if number < len(lines) else 0 for number in range(5)])
    body = b"\x02" + told + b"".join(b"\x55\x55\x27" + one for one in lines)
    footer = b"\x74\x00\x01"
    size = 3 + len(body) + len(footer) + 1
    packet = b"\x51\x15" + bytes([size]) + body + footer
    return packet + bytes([-sum(packet) & 0xFF])


def write_pages(path: Path, sent: Mapping[int, Sequence[bytes]], *, frames: int = 60, subtitle: bool = True) -> Path:
    """Write a transport stream with lines of teletext beside the pictures of the frames that are named."""
    with av.open(str(path), "w") as container:
        stream: Any = container.add_stream("libx264", rate=RATE, options={"preset": "ultrafast", "bf": "0"})
        stream.width, stream.height, stream.pix_fmt = 160, 96, "yuv420p"
        beside: Any = container.add_data_stream("dvb_teletext")
        beside.time_base = 1 / RATE
        for number in range(frames):
            frame = av.VideoFrame.from_ndarray(np.full((96, 160, 3), number * 3 % 200, np.uint8), format="rgb24")
            frame.pts, frame.time_base = number, 1 / RATE
            container.mux(stream.encode(frame))
            if number in sent:
                packet = av.Packet(units(sent[number], subtitle=subtitle))
                packet.stream, packet.pts, packet.dts, packet.time_base = beside, number, number, 1 / RATE
                container.mux(packet)
        container.mux(stream.encode(None))
    path.write_bytes(_described(path.read_bytes()))
    return path


def _described(data: bytes) -> bytes:
    """Put the descriptor of teletext subtitles into the map of the programme (EN 300 468, 6.2.43)."""
    descriptor = b"\x56\x05deu\x10\x88"
    out = bytearray(data)
    for at in range(0, len(out), 188):
        start = at + 5
        if out[at + 1] & 0x40 and out[start] == 0x02:  # a section of table 2
            size = (out[start + 1] & 0x0F) << 8 | out[start + 2]
            section = bytearray(out[start : start + 3 + size - 4])
            place = 12
            while section[place] != 0x06:
                place += 5 + ((section[place + 3] & 0x0F) << 8 | section[place + 4])
            section[place + 3 : place + 5] = (0xF000 | len(descriptor)).to_bytes(2, "big")
            section[place + 5 : place + 5] = descriptor
            section[1:3] = (0xB000 | size + len(descriptor)).to_bytes(2, "big")
            section += _crc(section).to_bytes(4, "big")
            out[start : at + 188] = bytes(section).ljust(183, b"\xff")
    return bytes(out)


def _crc(section: bytes) -> int:
    """CRC-32 of MPEG-2 sections."""
    crc = 0xFFFFFFFF
    for byte in section:
        crc ^= byte << 24
        for _ in range(8):
            crc = (crc << 1 ^ 0x04C11DB7 if crc & 0x80000000 else crc << 1) & 0xFFFFFFFF
    return crc
