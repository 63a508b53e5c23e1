"""Bundles: what belongs together and is ordered in one step: all shapes of a title, a disc and its archive."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from fractions import Fraction
from importlib import resources
from typing import Any

from brisk_core.errors import PlanRefused, SpecRefused, ValueRefused
from brisk_core.exact import parse_seconds
from brisk_core.plan.words import Reader, read_yes
from brisk_core.spec import NamePattern
from brisk_core.spec.document import read_document

BUNDLE_FORMAT = 1
MOST_DELIVERABLES = 60
_LONGEST_NAME, _LONGEST_RULE, _LONGEST_LANGUAGE, _LONGEST_SLUG = 200, 255, 20, 64
_LATEST_DAYS = 3660
_DAY = 86_400
_FIELDS = ("name", "spec", "naming_rule", "due_in", "range", "language", "two_sign")


@dataclass(frozen=True, slots=True, kw_only=True)
class Ordered:
    """One deliverable of a bundle."""

    name: str
    spec: str  #: the id of a spec; the newest version is meant
    naming_rule: str = ""
    due_in: Fraction | None = None  #: seconds after the bundle is ordered
    range: str = ""  #: IN-OUT of the timeline, as people write it
    language: str = ""
    two_sign: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Bundle:
    """A bundle with what it orders, in its order."""

    name: str
    ordered: tuple[Ordered, ...]


def read_bundle(text: str) -> Bundle:
    """Read a bundle from YAML or JSON. Raises ``PlanRefused`` with every mistake and its place."""
    reader = Reader()
    try:
        document = read_document(text, expected="a mapping with bundle, name and deliverables")
    except SpecRefused as error:
        raise PlanRefused(str(error), list(error.mistakes)) from error
    reader.only("bundle", document, ("bundle", "name", "deliverables"))
    if document.get("bundle") != BUNDLE_FORMAT:
        reader.note("bundle", f"met {document.get('bundle')!r}; expected {BUNDLE_FORMAT}")
    name = _text(reader, "name", document.get("name"), _LONGEST_NAME)
    rows = document.get("deliverables")
    if not isinstance(rows, list) or not 1 <= len(rows) <= MOST_DELIVERABLES:
        met = f"{len(rows)} of them" if isinstance(rows, list) else repr(rows)
        reader.note("deliverables", f"met {met}; expected a list of 1 to {MOST_DELIVERABLES}")
        rows = []
    ordered = [_ordered(reader, f"deliverable {number}", row) for number, row in enumerate(rows, 1)]
    names = [one.name for one in ordered if one.name]
    for twice in sorted({one for one in names if names.count(one) > 1}):
        reader.note("deliverables", f"met {twice!r} twice; expected every deliverable to have its own name")
    reader.refuse()
    return Bundle(name=name, ordered=tuple(ordered))


def _ordered(reader: Reader, place: str, row: Any) -> Ordered:
    if not isinstance(row, Mapping):
        reader.note(place, f"met {row!r}; expected a mapping with name and spec")
        return Ordered(name="", spec="")
    reader.only(place, row, _FIELDS)
    due = reader.take(f"{place}, due_in", _due, row["due_in"], None) if row.get("due_in") is not None else None
    two_sign = reader.take(f"{place}, two_sign", read_yes, row.get("two_sign", False), instead=False)
    rule = _text(reader, f"{place}, naming_rule", row.get("naming_rule", ""), _LONGEST_RULE, may_lack=True)
    if rule:
        reader.take(f"{place}, naming_rule", NamePattern, rule, None)
    return Ordered(
        name=_text(reader, f"{place}, name", row.get("name"), _LONGEST_NAME),
        spec=_text(reader, f"{place}, spec", row.get("spec"), _LONGEST_SLUG),
        naming_rule=rule,
        due_in=due,
        range=_text(reader, f"{place}, range", row.get("range", ""), _LONGEST_NAME, may_lack=True),
        language=_text(reader, f"{place}, language", row.get("language", ""), _LONGEST_LANGUAGE, may_lack=True),
        two_sign=two_sign,
    )


def _text(reader: Reader, place: str, value: Any, most: int, *, may_lack: bool = False) -> str:
    found = "" if may_lack and value in ("", None) else reader.text(place, value)
    if len(found) > most:
        reader.note(place, f"met {len(found)} letters; expected at most {most}")
    return found


def _due(value: object) -> Fraction:
    """Read a time such as "3 d" or "12 h"."""
    said = str(value).strip()
    try:
        seconds = Fraction(said.removesuffix("d").strip()) * _DAY if said.endswith("d") else parse_seconds(said)
    except (ValueError, ZeroDivisionError, ValueRefused):
        seconds = Fraction(-1)
    if not 0 <= seconds <= _LATEST_DAYS * _DAY:
        raise ValueRefused(f'met {value!r}; expected a time from now such as "3 d" or "12 h"')
    return seconds


def bundle_to_document(name: str, ordered: Iterable[Ordered]) -> dict[str, Any]:
    """Return a bundle as plain values; ``read_bundle`` of its text gives the same bundle, dues to the second."""
    rows = []
    for one in ordered:
        row: dict[str, Any] = {"name": one.name, "spec": one.spec}
        row |= {key: value for key in ("naming_rule", "range", "language") if (value := getattr(one, key))}
        if one.due_in is not None:
            hours, rest = divmod(round(one.due_in), 3600)
            row["due_in"] = f"{round(one.due_in)} s" if rest else f"{hours} h"
        if one.two_sign:
            row["two_sign"] = True
        rows.append(row)
    return {"bundle": BUNDLE_FORMAT, "name": name, "deliverables": rows}


def shipped_bundles() -> dict[str, str]:
    """Return the texts of the bundles that are shipped, by the names of their files."""
    folder = resources.files("brisk_core.plan") / "bundles"
    return {
        one.name.removesuffix(".yaml"): one.read_text(encoding="utf-8")
        for one in sorted(folder.iterdir(), key=lambda one: one.name)
        if one.name.endswith(".yaml")
    }
