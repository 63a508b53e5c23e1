"""Pages of teletext and the subtitles that they show (ETSI EN 300 706, level 1.5).

A page is a header and rows of forty characters; subtitles stand in boxes on the picture. Latin characters of the seven
national sets are read, and those that packets 26 put in the place of others.
"""

from __future__ import annotations

import unicodedata
from dataclasses import dataclass, field

from ttconv.stl import iso6937

from brisk_core.captions.shown import Shown
from brisk_core.packets.caption_data import CaptionData
from brisk_core.packets.teletext import KEPT

_COLUMNS = 40
_ROWS = range(1, 25)
_CHARACTERS_PUT = 26  # the packet that puts characters in the place of others (12.3)
_FILLER = 0xFF  # a page that fills time
_PLACES = b"\x23\x24\x40\x5b\x5c\x5d\x5e\x5f\x60\x7b\x7c\x7d\x7e"  # of characters that differ by nation (15.6.2)
_NATIONS = (
    "£$@←½→↑#—¼‖¾÷",
    "#$§ÄÖÜ^_°äöüß",
    "#¤ÉÄÖÅÜ_éäöåü",
    "£$é°ç→↑#ùàòèì",
    "éïàëêùî#èâôûç",
    "ç$¡áéíóú¿üñèà",
    "#ůčťžýířéáěúš",
    "£$@←½→↑#—¼‖¾÷",
)  # by bits C12 to C14
_MARKS = "\0\u0300\u0301\u0302\u0303\u0304\u0306\u0307\u0308\u0323\u030a\u0327\u0332\u030b\u0328\u030c"
_END_BOX, _START_BOX, _DOUBLE_HEIGHT, _CONCEAL = 0x0A, 0x0B, 0x0D, 0x18
_COLOURS, _MOSAICS = range(8), range(0x10, 0x18)
_SET_ROW, _FROM_G2, _FROM_G0, _ENDS = 0x04, 0x0F, range(0x10, 0x20), 0x1F
_LOST = "\ufffd"  # a character whose parity is wrong


def _coded(nibble: int) -> int:
    """Four bits as a byte of Hamming 8/4, each beside a sum of others (8.2)."""
    one, two, three, four = (nibble >> place & 1 for place in range(4))
    sums = (1 ^ one ^ three ^ four, 1 ^ one ^ two ^ four, 1 ^ one ^ two ^ three)
    bits = [sums[0], one, sums[1], two, sums[2], three, 0, four]
    bits[6] = 1 ^ sum(bits) & 1
    return sum(bit << place for place, bit in enumerate(bits))


#: Four bits by their byte, one wrong bit at most.
_NIBBLES = {_coded(nibble) ^ wrong: nibble for nibble in range(16) for wrong in (0, *(1 << bit for bit in range(8)))}


@dataclass(slots=True)
class _Page:
    """A page as it is sent."""

    nation: str  # its Latin set, one of _NATIONS
    time: int  # of its header, in ticks
    place: int  # of its header, in packets from 1
    rows: dict[int, bytes] = field(default_factory=dict)
    put: dict[tuple[int, int], str] = field(default_factory=dict)  # characters of packets 26, by row and column

    def lines(self) -> tuple[str, ...]:
        """What it shows, from top to bottom."""
        boxed = any(_START_BOX in (byte & 0x7F for byte in row) for row in self.rows.values())
        lines, covered = [], 0
        for number, row in sorted(self.rows.items()):
            if number != covered:
                lines.append(" ".join(self._row(number, row, boxed=boxed).split()))
                if _DOUBLE_HEIGHT in (byte & 0x7F for byte in row):
                    covered = number + 1  # its lower half
        return tuple(line for line in lines if line)

    def _row(self, number: int, row: bytes, *, boxed: bool) -> str:
        seen, text, shown = not boxed, True, True
        found = []
        for column, byte in enumerate(row):
            code, right = byte & 0x7F, byte.bit_count() % 2 == 1
            if not right:
                found.append(_LOST if seen and text and shown else " ")
                continue
            if code < 0x20:
                found.append(" ")
                if code in (_START_BOX, _END_BOX):
                    seen = not boxed or code == _START_BOX
                elif code in _COLOURS or code in _MOSAICS:
                    text, shown = code in _COLOURS, True
                elif code == _CONCEAL:
                    shown = False
                continue
            there = self.put.get((number, column)) or _character(code, self.nation)
            found.append(there if seen and text and shown else " ")
        return "".join(found)


class Pages:
    """The pages of one stream, fed with lines in the order of time, and what the subtitles among them show."""

    def __init__(self) -> None:
        self.shown: dict[str, list[Shown]] = {}  #: by page, such as "888"
        self._sent: dict[int, tuple[str, _Page]] = {}  # the page that is being sent, by magazine
        self._known: dict[str, _Page] = {}  # as it was sent last
        self._open: dict[str, Shown] = {}

    def feed(self, time: int, place: int, lines: bytes) -> None:
        """Take the lines of one packet, ``KEPT`` bytes each."""
        for at in range(0, len(lines) - KEPT + 1, KEPT):
            self._line(time, place, lines[at + 1 : at + KEPT], subtitle=bool(lines[at]))

    def finish(self) -> dict[str, list[Shown]]:
        """Return what was shown; what nothing took away has no end."""
        for magazine in list(self._sent):
            self._close(magazine)
        return self.shown

    def _line(self, time: int, place: int, line: bytes, *, subtitle: bool) -> None:
        low, high = (_NIBBLES.get(byte, -1) for byte in line[:2])
        if min(low, high) < 0:
            return
        magazine, number = low & 7, low >> 3 | high << 1
        if number == 0:
            self._header(time, place, magazine, line[2:10], subtitle=subtitle)
        elif magazine in self._sent:
            _, page = self._sent[magazine]
            if number in _ROWS:
                page.rows[number] = line[2:]
            elif number == _CHARACTERS_PUT:
                page.put |= _put(line[3:], page.nation)

    def _header(self, time: int, place: int, magazine: int, head: bytes, *, subtitle: bool) -> None:
        read = [_NIBBLES.get(byte, -1) for byte in head]
        if min(read) < 0:
            return
        units, tens, _, erases, _, kind, _, last = read  # sub-codes, with bits C4 to C14 among them (9.3.1.3)
        serial, nation = last & 1, last >> 1
        for one in list(self._sent) if serial else [magazine]:
            self._close(one)
        if (tens << 4 | units) == _FILLER or not (subtitle or kind & 8):
            return
        name = f"{magazine or 8}{tens:X}{units:X}"
        # C12 comes lowest and counts most.
        page = _Page(_NATIONS[(nation & 1) << 2 | nation & 2 | nation >> 2], time, place)
        if not erases & 8 and name in self._known:  # rows that are not sent stay
            page.rows, page.put = dict(self._known[name].rows), dict(self._known[name].put)
        self._sent[magazine] = name, page

    def _close(self, magazine: int) -> None:
        """A page has been sent: hold what it shows against what was there."""
        if magazine not in self._sent:
            return
        name, page = self._sent.pop(magazine)
        self._known[name] = page
        shown, before, lines = self.shown.setdefault(name, []), self._open.get(name), page.lines()
        if before and before.lines == lines:
            return
        if before:
            before.end = page.time
            if before.end <= before.start:
                shown.remove(before)
            del self._open[name]
        if lines:
            self._open[name] = Shown(start=page.time, end=None, lines=lines, place=page.place, kept=0)
            shown.append(self._open[name])


def pages_of(data: CaptionData) -> dict[str, list[Shown]]:
    """Return what the pages with subtitles of one place showed, by page, such as "888"."""
    pages = Pages()
    for number, (time, lines) in enumerate(data.in_order(), 1):
        pages.feed(time, number, lines)
    return pages.finish()


def _put(packet: bytes, nation: str) -> dict[tuple[int, int], str]:
    """Return the characters of a packet 26, by row and column: thirteen triplets of Hamming 24/18 (8.3, 12.3.1)."""
    found, row = {}, 0
    for at in range(0, len(packet) - 2, 3):
        low, middle, high = packet[at : at + 3]
        value = low >> 2 & 1 | (low >> 4 & 7) << 1 | (middle & 0x7F) << 4 | (high & 0x7F) << 11
        address, mode, code = value & 0x3F, value >> 6 & 0x1F, value >> 11
        if address >= _COLUMNS:
            if mode == _ENDS:
                break
            row = (address - _COLUMNS or _ROWS[-1]) if mode == _SET_ROW else row
        elif code >= 0x20 and row:
            if mode == _FROM_G2:
                found[row, address] = str(iso6937.decode(bytes([code | 0x80]), "replace")[0])
            elif mode in _FROM_G0:
                mark = _MARKS[mode & 0x0F].strip("\0")
                letter = "@" if code == 0x2A and not mark else _character(code, nation)
                found[row, address] = unicodedata.normalize("NFC", letter + mark)
    return found


def _character(code: int, nation: str) -> str:
    """A character of the Latin set of a nation."""
    at = _PLACES.find(code)
    return nation[at] if at >= 0 else "■" if code == 0x7F else chr(code)
