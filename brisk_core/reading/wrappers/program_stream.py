"""MPEG program streams: the first pack and the last (ITU-T H.222.0 | ISO/IEC 13818-1, 2.5)."""

from __future__ import annotations

import re
from typing import Any, BinaryIO

from brisk_core.facts import FactsBuilder, keys
from brisk_core.reading.wrappers.structure import Structure, say_completeness

_TAIL = 1 << 18  # bytes at the end in which a pack begins, or at least a packet, which has at most 65,541
_PACK, _END = 0xBA, 0xB9
_START = b"\x00\x00\x01"
_PACKET = re.compile(rb"\x00\x00\x01[\xbd-\xef]")  # private data, padding, sound, pictures (table 2-22)


def read_program_stream(builder: FactsBuilder, file: BinaryIO, size: int) -> Structure:
    """Read the first pack of a program stream (2.5.3), and see whether the last one is whole."""
    file.seek(0)
    head = file.read(_TAIL)
    damage: list[str] = []
    with builder.at("pack header at byte 0 (H.222.0, 2.5.3.3; 11172-1, 2.4.3.2)"):
        builder.declared(keys.WRAPPER_BITRATE, _program_rate(head))
    file.seek(max(size - _TAIL, 0))
    tail = file.read(_TAIL)
    base = max(size - _TAIL, 0)
    pack = tail.rfind(_START + bytes([_PACK]))
    if pack >= 0:
        begins = f"the last pack begins at byte {base + pack:,}"
        says = _cut_packet(tail, pack + _pack_header(tail, pack))
    elif packet := _PACKET.search(tail):  # packs may be as long as a stream likes; packets are not
        begins = f"packets are followed from byte {base + packet.start():,} on"
        says = _cut_packet(tail, packet.start())
    else:
        begins, says = "", f"there is neither a pack nor a packet in the last {min(_TAIL, size):,} bytes"
    if says:
        damage.append(f"{says} ({begins})" if begins else says)
    say_completeness(builder, damage)
    return Structure(format="mpeg-ps", sounds=_sound_ids(head))


def _program_rate(head: bytes) -> int | None:
    """Return program_mux_rate in bit/s, ``None`` where it is not coded."""
    if len(head) < 14:
        return None
    if head[4] >> 6 == 1:  # the pack header of MPEG-2
        units = head[10] << 14 | head[11] << 6 | head[12] >> 2
    else:
        units = (head[9] & 0x7F) << 15 | head[10] << 7 | head[11] >> 1
    return units * 50 * 8 or None


def _pack_header(data: bytes, at: int) -> int:
    """Return the length of a pack header, of MPEG-2 or of MPEG-1."""
    return 14 + (data[at + 13] & 7) if at + 14 <= len(data) and data[at + 4] >> 6 == 1 else 12


def _cut_packet(data: bytes, at: int) -> str:
    """Walk packets to the end; return what is cut, an empty text where all is whole."""
    while at + 6 <= len(data):
        if data[at : at + 3] != _START:
            return "" if not data[at:].strip(b"\0") else "the last packet does not end at a start code"
        if data[at + 3] == _END:
            return ""
        end = at + 6 + int.from_bytes(data[at + 4 : at + 6], "big")
        if end > len(data):
            return f"the last packet lacks {end - len(data):,} bytes"
        at = end
    return "" if at >= len(data) or not data[at:].strip(b"\0") else "the last packet is cut in its header"


def _sound_ids(head: bytes) -> list[dict[str, Any]]:
    """Return a row for each sound stream met in the first packs, by stream id (table 2-22)."""
    found: dict[int, dict[str, Any]] = {}
    at = head.find(_START)
    while 0 <= at < len(head) - 9:
        id_ = head[at + 3]
        if 0xC0 <= id_ <= 0xDF:
            found.setdefault(id_, {"codec": "mp2", "place": f"stream id {id_:#x} (H.222.0, table 2-22)"})
        at = head.find(_START, at + 3)
    return [found[id_] for id_ in sorted(found)]
