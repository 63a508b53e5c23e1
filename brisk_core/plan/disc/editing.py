"""A plan of a disc changed by single steps, as a map is drawn: ways, items and buttons added, renamed, removed.

Every step takes the document as it was written and returns another one; what it does not touch stays as it is. Whether
the result can be read is the reader's to say.
"""

from __future__ import annotations

import copy
import re
import unicodedata
from collections.abc import Callable, Iterator, Mapping
from typing import Any

from brisk_core.errors import PlanRefused
from brisk_core.plan.disc.items import Lead

_WAY = re.compile(r"([a-z0-9][a-z0-9-]{0,63})(?:\s+chapter\s+\d{1,4})?")
_LONGEST_NAME = 120
_NO_ITEMS = (Lead.STOP.value, Lead.BACK.value)
#: What a clip is planned as until its file is there, by television family.
_PLANNED: dict[str, dict[str, Any]] = {
    "25": {"length": "10:00", "rate": 25, "size": "720x576", "shape": "16:9", "scan": "interlaced"},
    "30": {"length": "10:00", "rate": "30000/1001", "size": "720x480", "shape": "16:9", "scan": "interlaced"},
}

Document = dict[str, Any]


def draw_way(document: Mapping[str, Any], item: str, to: str) -> Document:
    """Lead from an item to another: by a new button of a screen, else as what follows its end."""
    made, row = _opened(document, item)
    _target(made, to)
    if row.get("kind") != "screen":
        row["then"] = to
        return made
    buttons = row.setdefault("buttons", [])
    if any(_leads_to(button.get("to"), to) for button in buttons):
        raise PlanRefused(f"{_name(row)} leads to {_name_of(made, to)} already.")
    buttons.append(_button(buttons, _name_of(made, to), to))
    return made


def set_way(document: Mapping[str, Any], item: str, to: str, button: str = "") -> Document:
    """Let a button of an item, or its end, lead to another item, to ``stop`` or ``back``, or with "" nowhere."""
    made, row = _opened(document, item)
    _target(made, to)
    holder, key = (_button_of(row, button), "to") if button else (row, "then")
    if to:
        holder[key] = to
    else:
        holder.pop(key, None)
    return made


def rename(document: Mapping[str, Any], item: str, name: str, button: str = "") -> Document:
    """Give an item, or a button of it, another name; ids and ways stay."""
    made, row = _opened(document, item)
    name = _named(name)
    if button:
        _button_of(row, button)["label"] = name
    else:
        row["name"] = name
    return made


def add_screen(document: Mapping[str, Any], name: str) -> tuple[Document, str]:
    """Add a screen without buttons; return its id as well."""
    return _added(document, {"kind": "screen", "name": _named(name), "buttons": []})


def add_clip(document: Mapping[str, Any], name: str, file: str = "") -> tuple[Document, str]:
    """Add a clip of a file, or with none a planned one of ten minutes, after which the disc goes home."""
    family = str(document.get("family"))
    row: Document = {"kind": "clip", "name": _named(name or file)}
    if file:
        row["file"] = file
    else:
        row |= {**_PLANNED.get(family, _PLANNED["25"]), "codec": "mpeg2", "sounds": ["ac3 192 kb/s"]}
    home = document.get("home") or document.get("starts_with")
    if isinstance(home, str) and home in _ids(document):
        row["then"] = home
    return _added(document, row)


def add_button(document: Mapping[str, Any], item: str, label: str, to: str = "") -> Document:
    """Add a button to a screen."""
    made, row = _opened(document, item)
    _target(made, to)
    if row.get("kind") != "screen":
        raise PlanRefused(f"{_name(row)} is no screen and has no buttons.")
    buttons = row.setdefault("buttons", [])
    buttons.append(_button(buttons, _named(label), to))
    return made


def remove_button(document: Mapping[str, Any], item: str, button: str) -> Document:
    """Remove a button of a screen, and the arrows of others that led to it."""
    made, row = _opened(document, item)
    gone = _button_of(row, button)
    _drop(row["buttons"], lambda one: one is gone)
    for one in row["buttons"]:
        for arrow in [key for key, value in one.items() if key in ("up", "down", "left", "right") and value == button]:
            del one[arrow]
    return made


def remove(document: Mapping[str, Any], item: str) -> Document:
    """Remove an item. What led to it leads nowhere from then on, which the disc's faults tell; lists lose it.

    Raises ``PlanRefused`` for the item that the disc starts with, for the last clip of a list, and for the last item.
    """
    made, row = _opened(document, item)
    if made.get("starts_with") == item:
        raise PlanRefused(f"The disc starts with {_name(row)}. Let it start with another item first.")
    for other in _rows(made):
        if isinstance(other.get("clips"), list):
            _drop(other["clips"], lambda part: _leads_to(_clip_of(part), item))
            if not other["clips"] and other is not row:
                raise PlanRefused(f"{_name(row)} is all that the list {_name(other)} plays. Remove the list first.")
        if _leads_to(other.get("then"), item):
            del other["then"]
        for button in _buttons(other):
            if _leads_to(button.get("to"), item):
                del button["to"]
    if made.get("home") == item:
        del made["home"]
    _drop(made["items"], lambda one: one is row)
    return made


def start_with(document: Mapping[str, Any], item: str) -> Document:
    """Let the disc start with an item."""
    made, _ = _opened(document, item)
    made["starts_with"] = item
    return made


def go_home_to(document: Mapping[str, Any], item: str) -> Document:
    """Let the title key lead to an item, or with "" nowhere."""
    if not item:
        made = _copied(document)
        made.pop("home", None)
        return made
    made, _ = _opened(document, item)
    made["home"] = item
    return made


def _copied(document: Mapping[str, Any]) -> Document:
    """A copy with whatever notes its text keeps (``written``)."""
    made = copy.deepcopy(document)
    return made if isinstance(made, dict) else dict(made)


def _drop(rows: list[Any], gone: Callable[[Any], bool]) -> None:
    """Remove rows in place: a list keeps the notes of those that stay."""
    for at in reversed([at for at, row in enumerate(rows) if gone(row)]):
        del rows[at]


def _opened(document: Mapping[str, Any], item: str) -> tuple[Document, Document]:
    """A copy of a document, and an item in it."""
    made = _copied(document)
    row = next((one for one in _rows(made) if one.get("id") == item), None)
    if row is None:
        raise PlanRefused(f"The disc has no item {item[:64]!r}.")
    return made, row


def _rows(document: Mapping[str, Any]) -> Iterator[Document]:
    items = document.get("items")
    yield from (row for row in items if isinstance(row, dict)) if isinstance(items, list) else ()


def _ids(document: Mapping[str, Any]) -> set[str]:
    return {str(row.get("id")) for row in _rows(document)}


def _buttons(row: Mapping[str, Any]) -> list[Document]:
    buttons = row.get("buttons")
    return [one for one in buttons if isinstance(one, dict)] if isinstance(buttons, list) else []


def _button_of(row: Mapping[str, Any], button: str) -> Document:
    found = next((one for one in _buttons(row) if one.get("id") == button), None)
    if found is None:
        raise PlanRefused(f"{_name(row)} has no button {button[:64]!r}.")
    return found


def _button(buttons: list[Any], label: str, to: str) -> Document:
    taken = {one.get("id") for one in buttons if isinstance(one, dict)}
    id_ = next(name for number in range(1, len(taken) + 2) if (name := f"b{number}") not in taken)
    return {"id": id_, "label": label, **({"to": to} if to else {})}


def _leads_to(way: Any, item: str) -> bool:
    found = _WAY.fullmatch(way) if isinstance(way, str) else None
    return found is not None and found[1] == item


def _clip_of(part: Any) -> Any:
    return part.get("clip") if isinstance(part, dict) else part


def _target(document: Mapping[str, Any], to: str) -> None:
    if to and to not in _NO_ITEMS and not any(_leads_to(to, one) for one in _ids(document)):
        raise PlanRefused(f"The disc has no item {to[:64]!r}; expected the id of one, stop or back.")


def _name(row: Mapping[str, Any]) -> str:
    return f"“{row.get('name') or row.get('id')}”"


def _name_of(document: Mapping[str, Any], item: str) -> str:
    row = next((one for one in _rows(document) if one.get("id") == item), None)
    return str((row or {}).get("name") or item)


def _named(name: str) -> str:
    plain = "".join(sign for sign in name if unicodedata.category(sign) not in ("Cc", "Cs")).strip()
    if not plain or len(plain) > _LONGEST_NAME:
        raise PlanRefused(f"met a name of {len(plain)} letters; expected 1 to {_LONGEST_NAME}")
    return plain


def _added(document: Mapping[str, Any], row: Document) -> tuple[Document, str]:
    made = _copied(document)
    plain = unicodedata.normalize("NFKD", row["name"]).encode("ascii", "ignore").decode().lower()
    base = re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:50] or row["kind"]
    taken = _ids(made) | set(_NO_ITEMS)
    id_ = (
        base
        if base not in taken
        else next(name for number in range(2, len(taken) + 3) if (name := f"{base}-{number}") not in taken)
    )
    made.setdefault("items", []).append({"id": id_, **row})
    return made, id_
