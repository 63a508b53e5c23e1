"""Lines of teletext where wrappers keep them: units of a transport stream, and ancillary packets of MXF.

Standards: ETSI EN 300 472 (transport streams) and SMPTE RDD 8 (OP-47: subtitling distribution packets).
"""

from __future__ import annotations

from brisk_core.packets.ancillary import ancillary_packets

LINE = 42  #: bytes of a line: address, and 40 of the page
KEPT = 1 + LINE  #: bytes that are kept of a line: whether it is told to be of subtitles, and the line itself
_OTHER_UNIT, _SUBTITLE_UNIT = 0x02, 0x03  # data_unit_id (EN 300 472, 4.3)
_UNIT = 44  # bytes of a unit: line, framing code, and a line of teletext
_MIRRORED = bytes(int(f"{value:08b}"[::-1], 2) for value in range(256))
_DISTRIBUTION = (0x43, 0x02)  # DID and SDID (RDD 8)
_BEGINS = b"\x51\x15"
_PACKETS, _PACKET = 5, 45  # of a distribution packet, and bytes of one: run-in, framing code, and a line
_AT = 4 + _PACKETS  # identifier, length, format code, and a byte for each packet


def unit_lines(packet: bytes) -> bytes:
    """Return the lines of a PES packet, ``KEPT`` bytes each; their bits come lowest first there."""
    found, at = b"", 1  # data_identifier
    while at + 2 <= len(packet):
        unit, length = packet[at], packet[at + 1]
        line = packet[at + 4 : at + 2 + length]
        if unit in (_OTHER_UNIT, _SUBTITLE_UNIT) and length == _UNIT and len(line) == LINE:
            found += bytes([unit == _SUBTITLE_UNIT]) + line.translate(_MIRRORED)
        at += 2 + length
    return found


def ancillary_lines(packets: bytes) -> bytes:
    """Return the lines among the ancillary packets of a frame, ``KEPT`` bytes each."""
    found = b""
    for did, sdid, words in ancillary_packets(packets):
        if (did, sdid) != _DISTRIBUTION or words[:2] != _BEGINS:
            continue
        for number in range(_PACKETS):
            at = _AT + sum(1 for told in words[4 : 4 + number] if told) * _PACKET
            line = words[at + _PACKET - LINE : at + _PACKET]
            if words[4 + number : 5 + number].strip(b"\0") and len(line) == LINE:
                found += b"\x01" + line
    return found
