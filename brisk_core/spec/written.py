"""The text of a document, changed by steps or as a whole: notes, quotes and the order that people gave it stay."""

from __future__ import annotations

import datetime
import io
import json
import re
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from typing import Any

from ruamel.yaml import YAML
from ruamel.yaml.error import YAMLError

from brisk_core.errors import SpecRefused
from brisk_core.spec.document import read_document

Document = dict[str, Any]
_INDENTED = re.compile(r"^\w+:[^\n]*\n(?:[ \t]*(?:#[^\n]*)?\n)*[ ]+- ", re.MULTILINE)
_SPACES = re.compile(r"(?<=[^\s]) +")  # within a row
_WIDE = 1 << 16  # no line is folded that was not


def rewrite(text: str, step: Callable[[Document], Document], *, expected: str = "a document") -> str:
    """Return a document's text after a step, with every note that stood on a line of its own.

    ``expected`` says what the document is, for whoever is told that it cannot be read.

    A note whose place is gone stands at the end. A text that is read otherwise by the rules of YAML 1.2, which notes
    are kept by, is written anew without them. Raises ``SpecRefused`` for what cannot be read, and what ``step`` raises.
    """
    strict = read_document(text, expected=expected)
    yaml = _yaml(text)
    try:
        written = yaml.load(text)
    except (YAMLError, ValueError, RecursionError):
        written = None
    if written != strict:
        return _dumped(_yaml(""), step(strict))
    return _with_notes(_dumped(yaml, step(written)), text)


def rewritten(text: str, document: Mapping[str, Any]) -> str:
    """Return a spec's text with what ``document`` says in place of what it said; days may be texts in it.

    What did not change stays as it stands, and every note. Raises ``SpecRefused`` for a text that cannot be read.
    """
    if _plain(read_document(text)) == _plain(document):
        return text
    document = json.loads(json.dumps(document, default=str))  # nothing in it stands in two places
    made = rewrite(text, lambda written: _brought_to(written, document), expected="a spec")
    anew = _with_notes(_dumped(_yaml(""), dict(document)), text)
    return next(one for one in (_spaced_as(made, text), made, anew) if one is anew or _says(one, document))


def _says(text: str, document: Mapping[str, Any]) -> bool:
    """Does a text say what a document does?"""
    try:
        return bool(_plain(read_document(text)) == _plain(document))
    except SpecRefused:
        return False


def _spaced_as(made: str, before: str) -> str:
    """Return a text with the rows of the one before where they differ in nothing but spaces."""
    known = {_SPACES.sub("", row): row for row in before.splitlines()}
    return "".join(f"{known.get(_SPACES.sub('', row), row)}\n" for row in made.splitlines())


def _plain(value: Any) -> Any:
    """A value as JSON has it, with days as texts."""
    return json.loads(json.dumps(value, default=str, sort_keys=True))


def _brought_to(written: Any, wanted: Any) -> Any:
    """Return what was written, changed to what is wanted where the two differ."""
    if isinstance(written, dict) and isinstance(wanted, Mapping):
        return _mapping(written, wanted)
    if isinstance(written, list) and isinstance(wanted, Sequence) and not isinstance(wanted, str):
        return _list(written, wanted)
    if _plain(written) == _plain(wanted):
        return written
    if isinstance(written, datetime.date):
        with suppress(ValueError):  # what is no day is told when it is read
            return datetime.date.fromisoformat(str(wanted))
    return wanted


def _mapping(written: Document, wanted: Mapping[str, Any]) -> Document:
    for key in [one for one in written if one not in wanted]:
        del written[key]
    order = list(wanted)
    for key, value in wanted.items():
        if key in written:
            changed = _brought_to(written[key], value)
            if changed is not written[key]:
                written[key] = changed
        else:
            later = [at for at, one in enumerate(written) if one in order and order.index(one) > order.index(key)]
            # Notes behind the last key belong to what follows.
            place = min(later, default=max(len(written) - 1, 0))
            if hasattr(written, "insert"):
                written.insert(place, key, value)
            else:
                written[key] = value
    return written


def _list(written: list[Any], wanted: Sequence[Any]) -> list[Any]:
    left = list(written)
    found = []
    for at, value in enumerate(wanted):
        known = _same(left, value, written[at] if at < len(written) else None)
        if known is not None:
            left = [one for one in left if one is not known]
        found.append(value if known is None else _brought_to(known, value))
    if len(found) != len(written) or any(one is not other for one, other in zip(found, written, strict=True)):
        written[:] = found
    return written


def _same(left: list[Any], wanted: Any, there: Any) -> Any:
    """Return the one of a list that is wanted: of its id, or equal, or in its place; ``None`` where there is none."""
    if isinstance(wanted, Mapping) and "id" in wanted:
        return next((one for one in left if isinstance(one, dict) and one.get("id") == wanted["id"]), None)
    equal = next((one for one in left if _plain(one) == _plain(wanted)), None)
    if equal is not None:
        return equal
    return there if isinstance(there, (dict, list)) and any(one is there for one in left) else None


def _yaml(text: str) -> YAML:
    yaml = YAML()  # reads and writes text as it stands, and makes no objects of other types
    yaml.preserve_quotes = True
    yaml.width = _WIDE
    yaml.allow_unicode = True
    if _INDENTED.search(text):
        yaml.indent(mapping=2, sequence=4, offset=2)
    return yaml


def _dumped(yaml: YAML, document: Document) -> str:
    into = io.StringIO()
    yaml.dump(document, into)
    return into.getvalue()


def _with_notes(made: str, before: str) -> str:
    """Put notes that were lost with what stood before them in front of the line that they stood in front of."""
    rows = made.splitlines()
    left = [row.strip() for row in rows if row.lstrip().startswith("#")]
    lost: list[tuple[str, str]] = []
    of_before = before.splitlines()
    for number, row in enumerate(of_before):
        if not row.lstrip().startswith("#"):
            continue
        if row.strip() in left:
            left.remove(row.strip())
            continue
        behind = (one.strip() for one in of_before[number + 1 :] if one.strip() and not one.lstrip().startswith("#"))
        lost.append((row, next(behind, "")))
    for note, anchor in lost:
        places = [number for number, row in enumerate(rows) if anchor and row.strip() == anchor]
        rows.insert(places[0] if len(places) == 1 else len(rows), note)
    return "\n".join(rows) + "\n"
