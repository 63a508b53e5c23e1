"""What a line-21 decoder puts on the screen for one channel: two memories of 15 rows and 32 columns (CTA-608-E).

Three styles write to them: pop-on (a caption is loaded out of sight and swapped in), paint-on (characters appear as
they come) and roll-up (rows move up, new ones come at the base). Clauses are those of 47 CFR 15.119, which says the
same.
"""

from __future__ import annotations

import enum
from dataclasses import dataclass, field

from brisk_core.captions.shown import Shown

ROWS, COLUMNS = 15, 32
_BASE = ROWS - 1


class Style(enum.Enum):
    """How characters reach the screen."""

    POP_ON = "pop-on"
    PAINT_ON = "paint-on"
    ROLL_UP = "roll-up"
    TEXT = "text"  #: a service of its own beside the captions; not shown with them


@dataclass(slots=True)
class _Memory:
    """Rows of cells; a cell is a character, or empty where the picture shows; a row nobody wrote to has none."""

    rows: list[list[str] | None] = field(default_factory=lambda: [None] * ROWS)
    place: int | None = None  #: of the first character since it was empty

    def clear(self) -> None:
        self.rows = [None] * ROWS
        self.place = None

    def lines(self) -> tuple[str, ...]:
        texts = ("".join([cell or " " for cell in row]).replace("\u00a0", " ").strip() for row in self.rows if row)
        return tuple(text for text in texts if text)

    def put(self, row: int, column: int, character: str) -> None:
        cells = self.rows[row]
        if cells is None:
            cells = self.rows[row] = [""] * COLUMNS
        cells[column] = character


class Screen:
    """One channel: fed with characters and codes in the order of time, it keeps what was shown and when."""

    def __init__(self) -> None:
        self.shown: list[Shown] = []
        self.style: Style | None = None  #: ``None`` until a code chooses one, and until then nothing is written
        self._visible, self._hidden = _Memory(), _Memory()
        self._depth = 0
        self._row, self._column = _BASE, 0
        self._open: Shown | None = None
        self._begins_anew = False  # the next character that is seen begins a caption of its own
        self.unstyled: list[int] = []  #: places of characters that came before any style was chosen
        self.beyond: list[int] = []  #: places of characters past the last column, each written over the one before
        self.wrong_parity: list[int] = []  #: places of bytes whose bits are not odd in number
        self.has_parity = False  #: some byte carries a parity bit
        self._captions: Style | None = None  # the last style that was not text
        self._time, self._place = 0, 0

    def at(self, time: int, place: int) -> None:
        """Say when what follows arrives, and where it stands."""
        self._time, self._place = time, place

    def check_parity(self, pair: tuple[int, int]) -> None:
        """Note bytes of wrong parity; each has an odd number of ones, and the filling of a pair is no character."""
        for byte in pair:
            if byte & 0x7F:
                self.has_parity = self.has_parity or byte >= 0x80
                if byte.bit_count() % 2 == 0:
                    _note(self.wrong_parity, self._place)

    def write(self, character: str) -> None:
        """Put a character at the cursor; in the last column each one replaces the one before."""
        memory = self._memory()
        if memory is None:
            if self.style is None:
                _note(self.unstyled, self._place)
            return
        if self._column >= COLUMNS:
            _note(self.beyond, self._place)
            self._column = COLUMNS - 1
        if memory is self._visible and not character.isspace() and (self._open is None or self._begins_anew):
            kept = len(memory.lines())
            self._close()
            self._begin(kept=kept)
        if memory.place is None:
            memory.place = self._place
            if memory is self._visible and self._open:
                self._open.place = self._place  # rows that were left over stand below the word that rolled them up
        memory.put(self._row, self._column, character)
        self._column += 1

    def replace(self, character: str) -> None:
        """Put an extended character in the place of the one before it."""
        self.back()
        self.write(character)

    def back(self) -> None:
        """Take the character before the cursor away (BS)."""
        memory = self._memory()
        if memory is None or self._column == 0:
            return
        self._column -= 1
        self._blank(memory, self._row, self._column, self._column + 1)

    def erase_to_end(self) -> None:
        """Take the rest of the row away (DER)."""
        memory = self._memory()
        if memory is not None:
            self._blank(memory, self._row, self._column, COLUMNS)

    def move(self, row: int, indent: int) -> None:
        """Address a row, from 0, and a column (PAC); rolling rows move along with their base."""
        if self.style is Style.ROLL_UP:
            row = max(row, self._depth - 1)
            if row != self._row:
                self._move_window(row)
        self._row, self._column = row, indent

    def tab(self, columns: int) -> None:
        """Move the cursor right without writing (TO1 to TO3)."""
        self._column = min(self._column + columns, COLUMNS - 1)

    def choose(self, style: Style, depth: int = 0) -> None:
        """Choose how what follows reaches the screen (RCL, RDC, RU2 to RU4, TR, RTD)."""
        before = self._captions
        self.style = style
        if style is not Style.TEXT:
            self._captions = style
        if style is Style.PAINT_ON:
            self._begins_anew = True
        if style is not Style.ROLL_UP:
            return
        if before is not Style.ROLL_UP:
            self._hidden.clear()
            self.erase()
            self._depth = depth
            self._row, self._column = _BASE, 0
            self._begins_anew = True
            return
        self._depth = depth
        for row in range(max(self._row - depth + 1, 0)):
            self._blank(self._visible, row, 0, COLUMNS)

    def roll(self) -> None:
        """Move the rolling rows up by one (CR)."""
        if self.style is not Style.ROLL_UP:
            return
        top = max(self._row - self._depth + 1, 0)
        if any(self._visible.rows[top : self._row + 1]):
            self._close()
            self._visible.rows[top : self._row + 1] = [*self._visible.rows[top + 1 : self._row + 1], None]
            self._visible.place = None
            left = len(self._visible.lines())
            if left:
                self._begin(kept=left)
        self._column = 0

    def erase(self) -> None:
        """Clear the screen (EDM)."""
        self._close()
        self._visible.clear()

    def erase_hidden(self) -> None:
        """Clear what is loaded out of sight (ENM)."""
        self._hidden.clear()

    def swap(self) -> None:
        """Show what was loaded, and put what was shown out of sight (EOC)."""
        self._close()
        self._visible, self._hidden = self._hidden, self._visible
        self.style = self._captions = Style.POP_ON
        if self._visible.lines():
            self._begin(kept=0)

    def finish(self) -> list[Shown]:
        """Return what was shown; what nothing took away has no end."""
        if self._open:
            self._open.lines = self._visible.lines()
        return [one for one in self.shown if one.lines]

    def _memory(self) -> _Memory | None:
        """What characters are written to; nothing before a style is chosen, and in text services."""
        if self.style is Style.POP_ON:
            return self._hidden
        return self._visible if self.style in (Style.PAINT_ON, Style.ROLL_UP) else None

    def _move_window(self, base: int) -> None:
        window = self._visible.rows[max(self._row - self._depth + 1, 0) : self._row + 1]
        self._visible.rows = [None] * ROWS
        self._visible.rows[base - len(window) + 1 : base + 1] = window

    def _blank(self, memory: _Memory, row: int, start: int, end: int) -> None:
        """Take cells away; where nothing is left on the screen, what stood there has ended."""
        cells = memory.rows[row]
        if cells is None:
            return
        before = memory.lines()
        cells[start:end] = [""] * (end - start)
        if memory is self._visible and self._open and not memory.lines():
            self._close(before)
            memory.place = None

    def _begin(self, *, kept: int) -> None:
        place = self._visible.place if self._visible.place is not None else self._place
        self._open = Shown(start=self._time, end=None, lines=(), place=place, kept=kept)
        self.shown.append(self._open)
        self._begins_anew = False

    def _close(self, lines: tuple[str, ...] | None = None) -> None:
        if self._open is None:
            return
        self._open.end = self._time
        self._open.lines = self._visible.lines() if lines is None else lines
        if self._open.end <= self._open.start:  # it stood for no picture
            self.shown.pop()
        self._open = None


def _note(places: list[int], place: int) -> None:
    """Add a place once."""
    if not places or places[-1] != place:
        places.append(place)
