"""Two changes of one spec brought together: each line that only one of them touched is taken from that one."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

Line = Mapping[str, Any]


@dataclass(frozen=True, slots=True, kw_only=True)
class Merged:
    """A document of two changes."""

    document: dict[str, Any]
    taken: tuple[str, ...]  #: what was taken from the other change, in words
    clashes: tuple[str, ...]  #: what both changed, each its own way: the own one was kept


def merge_documents(base: Mapping[str, Any], theirs: Mapping[str, Any], mine: Mapping[str, Any]) -> Merged:
    """Bring two documents together that were both made from one.

    All are spec documents as plain values. A header or a line that one of them left as it was is taken from the other;
    of what both changed differently, ``mine`` is kept and told.
    """
    taken: list[str] = []
    clashes: list[str] = []
    document: dict[str, Any] = {}
    for key in dict.fromkeys([*mine, *theirs]):
        if key == "lines":
            continue
        value = _chosen(key, base.get(key), theirs.get(key), mine.get(key), taken, clashes)
        if value is not None:
            document[key] = value
    document["lines"] = _lines(_by_id(base), _by_id(theirs), _by_id(mine), taken, clashes)
    return Merged(document=document, taken=tuple(taken), clashes=tuple(clashes))


def _by_id(document: Mapping[str, Any]) -> dict[str, Line]:
    lines: Sequence[Line] = document.get("lines") or ()
    return {str(line["id"]): line for line in lines}


def _chosen(name: str, base: Any, theirs: Any, mine: Any, taken: list[str], clashes: list[str]) -> Any:
    if theirs in (base, mine):
        return mine
    if mine == base:
        taken.append(name)
        return theirs
    clashes.append(name)
    return mine


def _lines(
    base: Mapping[str, Line],
    theirs: Mapping[str, Line],
    mine: Mapping[str, Line],
    taken: list[str],
    clashes: list[str],
) -> list[Line]:
    """Lines in the order of ``mine``; those that only ``theirs`` has follow what they follow there."""
    order = list(mine)
    previous = ""
    for name in theirs:
        if name not in order:
            order.insert(order.index(previous) + 1 if previous in order else 0, name)
        previous = name
    found = []
    for name in order:
        line = _chosen(f"line {name}", base.get(name), theirs.get(name), mine.get(name), taken, clashes)
        if line is not None:
            found.append(line)
    return found
