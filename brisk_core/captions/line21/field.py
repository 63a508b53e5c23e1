"""The pairs of bytes of one field of line 21, told apart by channel and followed (CTA-608-E).

Field 1 carries CC1, CC2, T1 and T2, field 2 carries CC3, CC4, T3, T4 and extended data services.
"""

from __future__ import annotations

from collections.abc import Callable

from brisk_core.captions.line21.characters import EXTENDED, SPECIAL, STANDARD
from brisk_core.captions.line21.screen import Screen, Style

_PARITY = 0x80
_SECOND_CHANNEL = 0x08
#: Rows from 0 by the first byte of a preamble address code, below and from 0x60 of its second byte (table 53).
_ADDRESSED = {
    0x10: (10, None), 0x11: (0, 1), 0x12: (2, 3), 0x13: (11, 12), 0x14: (13, 14), 0x15: (4, 5), 0x16: (6, 7),
    0x17: (8, 9),
}  # fmt: skip
_CODES: dict[int, Callable[[Screen], None]] = {
    0x20: lambda screen: screen.choose(Style.POP_ON),  # RCL
    0x21: Screen.back,  # BS
    0x24: Screen.erase_to_end,  # DER
    0x25: lambda screen: screen.choose(Style.ROLL_UP, 2),  # RU2
    0x26: lambda screen: screen.choose(Style.ROLL_UP, 3),  # RU3
    0x27: lambda screen: screen.choose(Style.ROLL_UP, 4),  # RU4
    0x29: lambda screen: screen.choose(Style.PAINT_ON),  # RDC
    0x2A: lambda screen: screen.choose(Style.TEXT),  # TR
    0x2B: lambda screen: screen.choose(Style.TEXT),  # RTD
    0x2C: Screen.erase,  # EDM
    0x2D: Screen.roll,  # CR
    0x2E: Screen.erase_hidden,  # ENM
    0x2F: Screen.swap,  # EOC
}


class Field:
    """One field of line 21, fed pair by pair in the order of time."""

    def __init__(self, number: int) -> None:
        self.channels: dict[str, Screen] = {}  #: that carried anything, by name
        self._names = ("CC1", "CC2") if number == 1 else ("CC3", "CC4")
        self._second = number == 2
        self._current: Screen | None = None
        self._in_data = False
        self._last: tuple[int, int] | None = None

    def feed(self, time: int, place: int, pair: tuple[int, int]) -> None:
        """Take the two bytes of one picture at a time, on any clock; those of wrong parity are read, and noted."""
        first, second = pair[0] & ~_PARITY, pair[1] & ~_PARITY
        if 0x10 <= first <= 0x1F:
            self._code(time, place, pair)
            return
        self._last = None
        if 0 < first < 0x10:
            self._in_data = self._second  # extended data services, as the name of a programme
            return
        if self._in_data or self._current is None:
            return
        self._current.at(time, place)
        self._current.check_parity(pair)
        for code in (first, second):
            if code in STANDARD:
                self._current.write(STANDARD[code])

    def _code(self, time: int, place: int, pair: tuple[int, int]) -> None:
        first, second = pair[0] & ~_PARITY, pair[1] & ~_PARITY
        if (first, second) == self._last:  # sent twice for safety: the second is not another
            self._last = None
            return
        self._last = first, second
        self._in_data = False
        name = self._names[bool(first & _SECOND_CHANNEL)]
        screen = self._current = self.channels.setdefault(name, Screen())
        screen.at(time, place)
        screen.check_parity(pair)
        group = first & ~_SECOND_CHANNEL
        if second >= 0x40:
            low, high = _ADDRESSED[group]
            row = high if second >= 0x60 else low
            if row is not None:
                screen.move(row, (second & 0x0E) * 2 if second & 0x10 else 0)
        elif group in (0x14, 0x15) and second in _CODES:
            _CODES[second](screen)
        elif group == 0x17 and 0x21 <= second <= 0x23:
            screen.tab(second - 0x20)
        elif group == 0x11 and second in SPECIAL:
            screen.write(SPECIAL[second])
        elif group == 0x11 and 0x20 <= second < 0x30:
            screen.write(" ")  # a mid-row code takes a place of its own
        elif group in EXTENDED and second in EXTENDED[group]:
            screen.replace(EXTENDED[group][second])
