"""What a request asks for, read so that no input of any kind can do more than miss."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from django.http import QueryDict

from brisk_core.exact import read_whole

_LARGEST_ID = (1 << 63) - 1  # of PostgreSQL's bigint


def whole(text: str | None, default: int | None = None) -> int | None:
    """Return a text as a whole number of ordinary digits, ``default`` for any other text."""
    number = read_whole((text or "").strip())
    return default if number is None else number


def asked_id(asked: Mapping[str, str], name: str) -> int:
    """Return the primary key that a parameter holds; 0, which no row has, where it holds none."""
    number = whole(asked.get(name), 0) or 0
    return number if 0 < number <= _LARGEST_ID else 0


def words(asked: Mapping[str, str], name: str) -> str:
    """Return the text of a parameter, trimmed, without the zero bytes that the database has no place for."""
    return _plain(asked.get(name, ""))


def rows(asked: QueryDict, prefix: str, names: Sequence[str], most: int) -> list[dict[str, str]]:
    """Return the rows of a table in a form, whose fields are called by a prefix and a name; empty rows are left out."""
    columns = [asked.getlist(f"{prefix}_{name}")[:most] for name in names]
    found = [
        {name: _plain(column[at]) if at < len(column) else "" for name, column in zip(names, columns, strict=True)}
        for at in range(max(map(len, columns)))
    ]
    return [row for row in found if any(row.values())]


def _plain(text: str) -> str:
    return text.replace("\x00", "").strip()
