"""EBU-STL: the data exchange format of subtitles, a general block and one block of 128 bytes a text (EBU Tech 3264).

Characters of its Latin table (ISO 6937) are read by ``ttconv``; the other tables are parts of ISO 8859.
"""

from __future__ import annotations

import codecs
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction

from ttconv.stl import iso6937

from brisk_core.captions.document import Caption, CaptionDocument, Clock, Oddity, Remark
from brisk_core.captions.plain import flawed
from brisk_core.errors import CaptionsRefused

_TELETEXT_ROWS = 23
GENERAL, BLOCK = 1024, 128  #: bytes of the general block and of a text block
_RATES = {b"STL24.01": Fraction(24), b"STL25.01": Fraction(25), b"STL30.01": Fraction(30000, 1001)}
_TABLES = {b"01": "iso8859_5", b"02": "iso8859_6", b"03": "iso8859_7", b"04": "iso8859_8"}
_SPELLED = {
    b"00": "ISO 6937",
    b"01": "ISO 8859-5",
    b"02": "ISO 8859-6",
    b"03": "ISO 8859-7",
    b"04": "ISO 8859-8",
}
#: Language codes of Tech 3264, appendix 3, as far as they are common.
_LANGUAGES = {
    "01": "sq", "03": "ca", "04": "hr", "05": "cy", "06": "cs", "07": "da", "08": "de", "09": "en", "0A": "es",
    "0C": "et", "0D": "eu", "0F": "fr", "11": "ga", "14": "is", "15": "it", "18": "lv", "1A": "lt", "1B": "hu",
    "1C": "mt", "1D": "nl", "1E": "no", "20": "pl", "21": "pt", "22": "ro", "26": "sl", "27": "fi", "28": "sv",
    "29": "tr", "2A": "nl",
}  # fmt: skip
_NEW_LINE, _UNUSED = 0x8A, 0x8F
_NOTES, _LAST = 0xFE, 0xFF  # extension block numbers: user data, and the last block of a text (5.3)


@dataclass(frozen=True, slots=True)
class _Block:
    number: int  #: in the file, from 1
    text: bytes  #: numbers of its group and of its text: blocks of one text have the same (5.3)
    extension: int
    cumulative: int  #: 0 by itself, 1 to 3 the first, a middle and the last one of a set that adds up (5.3)
    times: tuple[bytes, bytes]
    row: int
    is_comment: bool
    field: bytes


def read_ebu_stl(data: bytes, name: str) -> CaptionDocument:
    """Read an EBU-STL file; raises ``CaptionsRefused`` for another file, or a rate the format does not have."""
    code = data[3:11]
    if len(data) < GENERAL or code[:3] != b"STL":
        raise CaptionsRefused("it has no general block of EBU-STL; expected 1,024 bytes with a disk format code")
    if code not in _RATES:
        met = code.decode("ascii", "replace")
        raise CaptionsRefused(f"met disk format code {met!r}; expected STL24.01, STL25.01 or STL30.01")
    rate, table = _RATES[code], data[12:14]
    remarks: list[Remark] = []
    if table not in _SPELLED:
        says = f"met character table {table!r}; expected 00 to 04, so it was read as Latin"
        remarks.append(Remark(line=0, kind=Oddity.ENCODING, says=says))
    captions: list[Caption] = []
    for blocks in _texts(_blocks(data, remarks), remarks):
        caption = _caption(blocks, table, rate, _is_on_top(blocks[0], data), remarks)
        if caption:
            captions.append(caption)
            remarks += flawed(caption)
    _count(data, remarks)
    return CaptionDocument(
        name=name,
        format="EBU-STL",
        captions=tuple(captions),
        encoding=_SPELLED.get(table, _SPELLED[b"00"]),
        language=_LANGUAGES.get(data[14:16].decode("ascii", "replace").upper(), ""),
        clock=Clock.TIMECODE,
        rate=rate,
        origin=_origin(data[256:264], rate),
        counts="block",
        remarks=tuple(remarks),
    )


def _blocks(data: bytes, remarks: list[Remark]) -> Iterator[_Block]:
    whole, rest = divmod(len(data) - GENERAL, BLOCK)
    for number in range(1, whole + 1):
        start = GENERAL + (number - 1) * BLOCK
        raw = data[start : start + BLOCK]
        yield _Block(
            number=number,
            text=raw[:3],
            extension=raw[3],
            cumulative=raw[4],
            times=(raw[5:9], raw[9:13]),
            row=raw[13],
            is_comment=raw[15] == 1,
            field=raw[16:],
        )
    if rest:
        says = f"the file ends {BLOCK - rest} bytes before this block does"
        remarks.append(Remark(line=whole + 1, kind=Oddity.UNREADABLE, says=says))


def _texts(blocks: Iterable[_Block], remarks: list[Remark]) -> Iterator[list[_Block]]:
    """Yield the blocks of each text; one without its last block ends where another text begins, and that is told."""
    open_: list[_Block] = []
    for block in blocks:
        if block.extension == _NOTES or block.is_comment:
            continue
        if open_ and block.text != open_[0].text:
            remarks.append(_unended(open_[0]))
            yield open_
            open_ = []
        open_.append(block)
        if block.extension == _LAST:
            yield open_
            open_ = []
    if open_:
        remarks.append(_unended(open_[0]))
        yield open_


def _unended(block: _Block) -> Remark:
    says = "the text that begins in this block has no last block (extension FF); it was read as far as it goes"
    return Remark(line=block.number, kind=Oddity.UNREADABLE, says=says)


def _is_on_top(block: _Block, data: bytes) -> bool:
    """Does a text begin in the upper half? Teletext has 23 rows, open subtitles as many as the file says (MNR)."""
    said = data[253:255].strip()
    rows = int(said) if data[11:12] == b"0" and said.isdigit() and int(said) else _TELETEXT_ROWS
    return 2 * block.row < rows


def _caption(
    blocks: Sequence[_Block], table: bytes, rate: Fraction, on_top: bool, remarks: list[Remark]
) -> Caption | None:
    first = blocks[0]
    times = [_time(raw, rate) for raw in first.times]
    if None in times:
        raw = next(raw for raw, time in zip(first.times, times, strict=True) if time is None)
        says = (
            f"met {':'.join(f'{part:02}' for part in raw)} as a timecode; expected one of {round(rate)} frames a second"
        )
        remarks.append(Remark(line=first.number, kind=Oddity.UNREADABLE, says=says))
        return None
    start, end = (Fraction(time or 0) for time in times)
    lines = []
    # Space that a block leaves unused ends its part of the text, and no more.
    text = b"".join(block.field.partition(bytes([_UNUSED]))[0] for block in blocks)
    for row in text.split(bytes([_NEW_LINE])):
        # Codes of teletext, such as a colour, take a place on the screen that is empty (ETS 300 706, 12.2).
        shown = bytes(max(code, 0x20) for code in row if code <= 0x7F or code >= 0xA0)
        decoded = _decode(shown, table)
        if "\ufffd" in decoded:
            says = f"characters of “{decoded.strip()}” are not of the file's table"
            remarks.append(Remark(line=first.number, kind=Oddity.ENCODING, says=says))
        lines.append(" ".join(decoded.split()))
    return Caption(
        start=start,
        end=end,
        lines=tuple(line for line in lines if line),
        place=first.number,
        # What is added below stands beside what is there already, each on rows of its own.
        region=f"row {first.row}" if first.cumulative else "top" if on_top else "",
    )


def _decode(shown: bytes, table: bytes) -> str:
    if table in _TABLES:
        return codecs.decode(shown, _TABLES[table], "replace")
    return str(iso6937.decode(shown, "replace")[0])


def _time(raw: bytes, rate: Fraction) -> Fraction | None:
    hours, minutes, seconds, frames = raw
    nominal = round(rate)
    if hours > 23 or minutes > 59 or seconds > 59 or frames >= nominal:
        return None
    return Fraction((hours * 3600 + minutes * 60 + seconds) * nominal + frames) / rate


def _origin(raw: bytes, rate: Fraction) -> Fraction | None:
    """Return the timecode of the start of the programme (field TCP) in seconds, where it is one."""
    if len(raw) != 8 or not raw.isdigit():
        return None
    return _time(bytes(int(raw[at : at + 2]) for at in range(0, 8, 2)), rate)


def _count(data: bytes, remarks: list[Remark]) -> None:
    """Remark on a number of blocks (field TNB) that the file does not hold."""
    said, held = data[238:243].strip(), (len(data) - GENERAL) // BLOCK
    if said.isdigit() and int(said) != held:
        says = f"the general block counts {int(said)} text blocks; the file holds {held}"
        remarks.append(Remark(line=0, kind=Oddity.UNREADABLE, says=says))
