"""Pairs of bytes of line 21, spelled by the tables of CTA-608-E."""

from __future__ import annotations

from collections.abc import Iterable

RCL, BS, DER, RU2, RU3, RU4, RDC, TR, EDM, CR, ENM, EOC = (
    (0x14, code) for code in (0x20, 0x21, 0x24, 0x25, 0x26, 0x27, 0x29, 0x2A, 0x2C, 0x2D, 0x2E, 0x2F)
)
_ROWS = {
    1: (0x11, 0x40), 2: (0x11, 0x60), 3: (0x12, 0x40), 4: (0x12, 0x60), 5: (0x15, 0x40), 6: (0x15, 0x60),
    7: (0x16, 0x40), 8: (0x16, 0x60), 9: (0x17, 0x40), 10: (0x17, 0x60), 11: (0x10, 0x40), 12: (0x13, 0x40),
    13: (0x13, 0x60), 14: (0x14, 0x40), 15: (0x14, 0x60),
}  # fmt: skip

Pair = tuple[int, int]


def row(number: int, indent: int = 0) -> Pair:
    """A preamble address code: white, at a row from 1 and an indent of 0, 4 … 28 columns."""
    first, second = _ROWS[number]
    return first, second | 0x10 | indent // 2


def tab(columns: int) -> Pair:
    """A tab offset of 1 to 3 columns."""
    return 0x17, 0x20 + columns


def text(words: str) -> list[Pair]:
    """Letters, two a pair."""
    codes = [ord(sign) for sign in words]
    codes += [0] * (len(codes) % 2)
    return list(zip(codes[::2], codes[1::2], strict=True))


def second_channel(pairs: Iterable[Pair]) -> list[Pair]:
    """The same codes for the second channel of a field."""
    return [(first | 0x08 if 0x10 <= first <= 0x17 else first, second) for first, second in pairs]


def with_parity(value: int) -> int:
    """A byte with its odd parity bit."""
    return value | (0x80 if value.bit_count() % 2 == 0 else 0)


def words(pairs: Iterable[Pair]) -> str:
    """A row of code words in hexadecimal digits."""
    return " ".join(f"{with_parity(first):02x}{with_parity(second):02x}" for first, second in pairs)
