"""Digital captions: packets of CEA-708 taken apart into services, and the windows that each service shows.

A service writes to up to eight windows of up to fifteen rows; what is seen is the text of the windows that are
displayed. Sections are those of CTA-708-E.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from fractions import Fraction

from brisk_core.captions.shown import Shown

_LARGEST_PACKET = 128  # bytes, where the size code says 0 (5)
_LONGEST_WAIT = 128  # bytes that a service keeps while it waits; more end the delay (8.10.5)
_OTHER_PAGE, _WIDE = 0x10, 0x18  # EXT1: a code of another page; P16: a character of two bytes
_DELAY, _GO_ON, _RESET = 0x8D, 0x8E, 0x8F
_COLUMNS = 42  # of the widest window (8.4.6)
#: Bytes of a command of C1 after the code itself (8.10).
_LENGTHS = {0x88: 1, 0x89: 1, 0x8A: 1, 0x8B: 1, 0x8C: 1, 0x8D: 1, 0x90: 2, 0x91: 3, 0x92: 2, 0x97: 4} | dict.fromkeys(
    range(0x98, 0xA0), 6
)
#: Characters of G2 (table 17); the rest of it is empty.
_MORE = {
    0x20: " ", 0x21: "\u00a0", 0x25: "…", 0x2A: "Š", 0x2C: "Œ", 0x30: "█", 0x31: "‘", 0x32: "’", 0x33: "“", 0x34: "”",
    0x35: "•", 0x39: "™", 0x3A: "š", 0x3C: "œ", 0x3D: "℠", 0x3F: "Ÿ", 0x76: "⅛", 0x77: "⅜", 0x78: "⅝", 0x79: "⅞",
}  # fmt: skip


@dataclass(slots=True, eq=False)  # a window that is defined anew is another one, whatever it holds
class _Window:
    rows: int
    order: tuple[int, int]  # from the top of the screen, and window by window
    visible: bool
    cells: dict[int, list[str]] = field(default_factory=dict)
    row: int = 0
    column: int = 0

    def write(self, character: str) -> None:
        row = self.cells.setdefault(self.row, [])
        row.extend(" " * (self.column - len(row)))
        row[self.column : self.column + 1] = [character]
        self.column = min(self.column + 1, _COLUMNS)

    def back(self) -> None:
        if self.column:
            self.column -= 1
            del self.cells.get(self.row, [])[self.column :]

    def turn(self) -> None:
        """Go to the next row; in the last one, all rows move up."""
        self.column = 0
        if self.row + 1 < self.rows:
            self.row += 1
            return
        self.cells = {number - 1: cells for number, cells in self.cells.items() if number}

    def lines(self) -> list[str]:
        texts = ("".join(self.cells[number]).replace("\u00a0", " ").strip() for number in sorted(self.cells))
        return [text for text in texts if text]


class Service:
    """One caption service, fed with its blocks in the order of time; its clock counts in ``tick`` seconds."""

    def __init__(self, tick: Fraction) -> None:
        self._tick = tick
        self._waits_until: int | None = None  # a delay was asked for, and codes are kept until it is over
        self._kept: list[tuple[int, bytes]] = []  # blocks that came meanwhile, with their places
        self.shown: list[Shown] = []
        self._windows: dict[int, _Window] = {}
        self._current = 0
        self._open: Shown | None = None
        self._looked_at: tuple[_Window, ...] = ()  # the windows that were displayed last

    def take(self, time: int, place: int, block: bytes) -> None:
        """Follow the codes of one block, at once or when a delay is over."""
        while self._waits_until is not None and time >= self._waits_until:
            self.go_on(self._waits_until)
        if self._waits_until is None:
            self._follow_all(time, place, block)
            return
        self._kept.append((place, block))
        full = sum(len(kept) for _, kept in self._kept) > _LONGEST_WAIT
        if full or any(block[at] in (_GO_ON, _RESET) for at in _places(block)):
            self.go_on(time)

    def go_on(self, time: int | None = None) -> None:
        """End a delay, at a time or when it would be over, and follow what was kept meanwhile."""
        while self._waits_until is not None:
            now = self._waits_until if time is None else time
            kept, self._kept, self._waits_until = self._kept, [], None
            for place, block in kept:
                self.take(now, place, block)
            if time is not None:
                break

    def _follow_all(self, time: int, place: int, block: bytes) -> None:
        for at in _places(block):
            self._follow(block, at)
            if block[at] == _DELAY and at + 1 < len(block):
                self._waits_until = time + round(Fraction(block[at + 1], 10) / self._tick)
                self._look(time, place)
                self.take(time, place, block[at + 2 :])
                return
        self._look(time, place)

    def _follow(self, block: bytes, at: int) -> None:
        """Follow the code at an offset."""
        code = block[at]
        if code == _OTHER_PAGE:
            self._write(_of_other_page(block[at + 1] if at + 1 < len(block) else 0))
        elif code == _WIDE:
            self._write(_wide(block[at + 1 : at + 3]))
        elif code < 0x20:
            self._control(code)
        elif code < 0x80 or code >= 0xA0:
            self._write("♪" if code == 0x7F else bytes([code]).decode("latin-1"))
        else:
            self._command(code, block[at + 1 : at + 1 + _LENGTHS.get(code, 0)])

    def _write(self, character: str) -> None:
        if character and (window := self._windows.get(self._current)):
            window.write(character)

    def _control(self, code: int) -> None:
        window = self._windows.get(self._current)
        if window is None:
            return
        if code == 0x08:
            window.back()
        elif code == 0x0C:  # FF: clear, and to the first place
            window.cells.clear()
            window.row = window.column = 0
        elif code == 0x0D:
            window.turn()
        elif code == 0x0E:  # HCR: clear the row
            window.cells.pop(window.row, None)
            window.column = 0

    def _command(self, code: int, more: bytes) -> None:
        if 0x80 <= code <= 0x87:
            self._current = code - 0x80
        elif 0x88 <= code <= 0x8C and more:
            for number in range(8):
                if more[0] >> number & 1 and number in self._windows:
                    self._change(code, number)
        elif code == _RESET:
            self._windows.clear()
        elif code == 0x92 and len(more) == 2 and (window := self._windows.get(self._current)):
            window.row, window.column = more[0] & 0x0F, more[1] & 0x3F
        elif 0x98 <= code <= 0x9F and len(more) == 6:
            self._define(code - 0x98, more)

    def _change(self, code: int, number: int) -> None:
        """Clear, display, hide, toggle or delete a window (8.10.5.3 to 8.10.5.7)."""
        window = self._windows[number]
        if code == 0x88:
            window.cells.clear()
        elif code == 0x8C:
            del self._windows[number]
        else:
            window.visible = {0x89: True, 0x8A: False, 0x8B: not window.visible}[code]

    def _define(self, number: int, more: bytes) -> None:
        """Define a window, or change one; its text stays (8.10.5.2)."""
        self._current = number
        anchor = more[1] & 0x7F
        known = self._windows.get(number)
        rows = (more[3] & 0x0F) + 1
        visible = bool(more[0] & 0x20)
        if known is None:
            self._windows[number] = _Window(rows, (anchor, number), visible)
        else:
            known.rows, known.order, known.visible = rows, (anchor, number), visible

    def _look(self, time: int, place: int) -> None:
        shown = tuple(sorted((one for one in self._windows.values() if one.visible), key=lambda one: one.order))
        lines = tuple(line for window in shown for line in window.lines())
        before = self._open.lines if self._open else ()
        if lines == before:
            return
        same, self._looked_at = self._looked_at == shown, shown
        if self._open and same and _goes_on(before, lines):
            self._open.lines = lines
            return
        if self._open:
            self._open.end = time
            if time <= self._open.start:
                self.shown.pop()
            self._open = None
        if lines:
            self._open = Shown(start=time, end=None, lines=lines, place=place, kept=_left(before, lines))
            self.shown.append(self._open)


def _places(block: bytes) -> Iterator[int]:
    """Yield where the codes of a block begin."""
    at = 0
    while at < len(block):
        yield at
        at += _length(block, at)


def _length(block: bytes, at: int) -> int:
    """Return how many bytes a code takes (7.1)."""
    code = block[at]
    if code == _OTHER_PAGE and at + 1 < len(block):
        code = block[at + 1]
        if code < 0x20:
            return 2 + code // 8
        if 0x80 <= code < 0x90:
            return 6 if code < 0x88 else 7
        if 0x90 <= code < 0xA0:
            return 3 + (block[at + 2] & 0x1F if at + 2 < len(block) else 0)
        return 2
    if code < 0x20:
        return 1 if code < 0x10 else 2 if code < 0x18 else 3
    return 1 + _LENGTHS.get(code, 0)


def _of_other_page(code: int) -> str:
    """The character of a code of G2 or G3; "" for a command."""
    if code >= 0xA0:
        return "[CC]" if code == 0xA0 else "_"
    return _MORE.get(code, " ") if 0x20 <= code < 0x80 else ""


def _wide(pair: bytes) -> str:
    """The character of a code of two bytes: of Korean (KS X 1001), as it is sent there, or else of Unicode."""
    korean = len(pair) == 2 and min(pair) >= 0xA1
    return pair.decode("euc-kr" if korean else "utf-16-be", "replace")


def _goes_on(before: tuple[str, ...], now: tuple[str, ...]) -> bool:
    """Has more been written to what stood there: the last line goes on, or a new one begins below?"""
    last = len(before) - 1
    return len(now) > last and now[:last] == before[:last] and now[last].startswith(before[last])


def _left(before: tuple[str, ...], now: tuple[str, ...]) -> int:
    """Return how many lines at the top stood at the end of what was there before: rows that moved up."""
    return next((count for count in range(min(len(before), len(now)), 0, -1) if before[-count:] == now[:count]), 0)


class Digital:
    """The services of a programme, fed with triplets in the order of time; its clock counts in ``tick`` seconds."""

    def __init__(self, tick: Fraction) -> None:
        self._tick = tick
        self.services: dict[int, Service] = {}
        self._packet = bytearray()
        self._time = self._place = 0

    def feed(self, time: int, place: int, *, starts: bool, pair: bytes) -> None:
        """Take two bytes of a packet; ``starts`` where a new one begins (4.4.1)."""
        if starts:
            self._packet = bytearray()
            self._time, self._place = time, place
        elif not self._packet:
            return
        self._packet += pair
        size = (self._packet[0] & 0x3F) * 2 or _LARGEST_PACKET
        if len(self._packet) >= size:
            self._blocks(bytes(self._packet[1:size]))
            self._packet = bytearray()

    def _blocks(self, data: bytes) -> None:
        """Hand the blocks of a packet to their services (6.2)."""
        at = 0
        while at < len(data):
            number, size = data[at] >> 5, data[at] & 0x1F
            at += 1
            if number == 7 and size and at < len(data):
                number = data[at] & 0x3F
                at += 1
            if not number:  # the rest is filled with nothing
                return
            block = data[at : at + size]
            if block:
                self.services.setdefault(number, Service(self._tick)).take(self._time, self._place, block)
            at += size

    def finish(self) -> dict[int, Service]:
        """Return the services by number, when all has been fed and every delay is over."""
        for service in self.services.values():
            service.go_on()
        return self.services
