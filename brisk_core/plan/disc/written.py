"""The text of a disc's plan, changed by steps: the notes, the quotes and the order that people gave it stay."""

from __future__ import annotations

import io
import re
from collections.abc import Callable
from typing import Any

from ruamel.yaml import YAML
from ruamel.yaml.error import YAMLError

from brisk_core.spec.document import read_document

Document = dict[str, Any]
_INDENTED = re.compile(r"^\w+:[^\n]*\n(?:[ \t]*(?:#[^\n]*)?\n)*[ ]+- ", re.MULTILINE)
_WIDE = 1 << 16  # no line is folded that was not


def rewrite(text: str, step: Callable[[Document], Document]) -> str:
    """Return a document's text after a step, with every note that stood on a line of its own.

    A note whose place is gone stands at the end. A text that is read otherwise by the rules of YAML 1.2, which notes
    are kept by, is written anew without them. Raises ``SpecRefused`` for what cannot be read, and what ``step`` raises.
    """
    strict = read_document(text, expected="a disc")
    yaml = _yaml(text)
    try:
        written = yaml.load(text)
    except (YAMLError, ValueError, RecursionError):
        written = None
    if written != strict:
        return _dumped(_yaml(""), step(strict))
    return _with_notes(_dumped(yaml, step(written)), text)


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
