"""Teletext subtitles of transport streams, counted by header and rows (ETSI EN 300 472 and EN 300 706)."""

from __future__ import annotations

from typing import Any

_SUBTITLE_UNIT = 0x03  # data_unit_id of teletext subtitles (EN 300 472, 4.3)
_UNIT = 44  # bytes of a unit: line, framing code, and a packet of 42
_ROWS = range(1, 26)  # of text below the header
_MIRRORED = bytes(int(f"{value:08b}"[::-1], 2) for value in range(256))  # bits come lowest first
#: Four bits of a byte of Hamming 8/4: D1, D2, D3, D4 stand at bits 1, 3, 5 and 7 (EN 300 706, 8.2).
_NIBBLE = [
    value >> 1 & 1 | (value >> 3 & 1) << 1 | (value >> 5 & 1) << 2 | (value >> 7 & 1) << 3 for value in range(256)
]
_TEXT = bytes(value & 0x7F for value in range(256))  # without parity


class TeletextSubtitles:
    """Counts the subtitles of one stream; a page that is sent again as it was is none."""

    def __init__(self) -> None:
        self._counted = 0
        self._last: dict[int, tuple[bytes, ...]] = {}  # rows that were sent last, by magazine
        self._rows: dict[int, dict[int, bytes]] = {}  # rows of the page that is being sent

    def take(self, packet: Any, _: int) -> None:
        """Look at the units of one packet."""
        data = bytes(packet)
        at = 1  # data_identifier
        while at + 2 <= len(data):
            unit, length = data[at], data[at + 1]
            if unit == _SUBTITLE_UNIT and length == _UNIT:
                self._line(data[at + 4 : at + 2 + length].translate(_MIRRORED))
            at += 2 + length

    @property
    def count(self) -> int:
        """Subtitles so far, the one that is being sent among them."""
        return self._counted + sum(self._is_new(magazine) for magazine in self._rows)

    def _line(self, line: bytes) -> None:
        if len(line) < 42:
            return
        address = _NIBBLE[line[0]] | _NIBBLE[line[1]] << 4
        magazine, row = address & 7, address >> 3
        if row == 0:
            self._counted += self._is_new(magazine)
            if magazine in self._rows:
                self._last[magazine] = self._text(magazine)
            self._rows[magazine] = {}
        elif row in _ROWS and magazine in self._rows:
            self._rows[magazine][row] = line[2:42].translate(_TEXT)

    def _text(self, magazine: int) -> tuple[bytes, ...]:
        rows = (text.strip(bytes(range(0x21))) for _, text in sorted(self._rows[magazine].items()))
        return tuple(text for text in rows if text)

    def _is_new(self, magazine: int) -> bool:
        text = self._text(magazine) if magazine in self._rows else ()
        return bool(text) and text != self._last.get(magazine)
