"""An inspection: what three witnesses say of one file, and what could not be heard and why."""

from __future__ import annotations

import enum
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Any, Generic

from brisk_core.facts import keys
from brisk_core.facts.characteristic import Characteristic, Stage, Witness
from brisk_core.facts.keys import Key, Value
from brisk_core.facts.kinds import value_from_json, value_to_json
from brisk_core.facts.registry import REGISTRY
from brisk_core.version import ENGINE

INSPECTION_SCHEMA = "brisk-sentry/inspection/1"


class Depth(enum.Enum):
    """How far a file has been read; each depth includes the previous."""

    HEADERS = "headers"
    PACKETS = "packets"
    FULL = "full"


class Unheard(enum.Enum):
    """Stands where a witness could not be heard; the reason is in ``Inspection.unread``."""

    UNHEARD = "unheard"


_D, _C, _O = Witness.DECLARED, Witness.CODED, Witness.OBSERVED
_NAMES = {witness: witness.value for witness in Witness}  # looked up often, and an enum's own value is slow to get
_UNHEARD = Unheard.UNHEARD


@dataclass(frozen=True, slots=True, kw_only=True)
class Witnessed(Generic[Value]):
    """What the three witnesses say of one characteristic; ``None`` is "nothing to say", ``Unheard`` is "not heard"."""

    declared: Value | Unheard | None = None
    coded: Value | Unheard | None = None
    observed: Value | Unheard | None = None

    def of(self, witness: Witness) -> Value | Unheard | None:
        """Return what one witness says."""
        said: Value | Unheard | None = getattr(self, _NAMES[witness])
        return said

    def spoken(self) -> dict[Witness, Value]:
        """Return the witnesses that say something, in the order declared, coded, observed."""
        found: dict[Witness, Value] = {}
        for witness, value in ((_D, self.declared), (_C, self.coded), (_O, self.observed)):
            if value is not None and not isinstance(value, Unheard):
                found[witness] = value
        return found

    @property
    def told(self) -> Value | None:
        """What the stream says, else the wrapper, else ``None``: the headers' word, whatever was measured."""
        return _first(self.coded, self.declared)

    @property
    def best(self) -> Value | None:
        """What the strongest witness says: observed, else coded, else declared, else ``None``."""
        return _first(self.observed, self.coded, self.declared)


def _first(*values: Value | Unheard | None) -> Value | None:
    """Return the first that says something."""
    return next((value for value in values if value is not None and not isinstance(value, Unheard)), None)


@dataclass(frozen=True, slots=True, kw_only=True)
class Inspection:
    """What was read and measured of one file by one engine."""

    file_name: str
    file_size: int  #: bytes
    depth: Depth
    facts: Mapping[str, Witnessed[Any]]  #: every characteristic of an inspection, by id
    unread: Mapping[str, str]  #: why a witness could not be heard, by id
    engine: str = ENGINE
    places: Mapping[str, Mapping[str, str]] = field(default_factory=dict)  #: raw place by id and witness, where known

    def __getitem__(self, key: Key[Value]) -> Value | None:
        """Return what the strongest witness says of a characteristic, ``None`` where none says anything."""
        value: Value | None = self.best(key.id)
        return value

    def witnessed(self, key: Key[Value]) -> Witnessed[Value]:
        """Return what the three witnesses say of a characteristic."""
        return self.facts[key.id]

    def best(self, id_: str) -> Any:
        """Return what the strongest witness says of a characteristic that is known by its id only.

        What only an order knows is ``None`` until ``ordered_as`` adds it. Raises ``KeyError`` for what a check finds.
        """
        known = self.facts.get(id_)
        if known is None and REGISTRY[id_].stage is Stage.ORDER:
            return None
        return self.facts[id_].best

    def ordered_as(self, kind_of_work: str | None) -> Inspection:
        """Return the inspection with the kind of work that was ordered, one of the choices of ``order.kind``."""
        said: Witnessed[str] = Witnessed(declared=kind_of_work or None)
        return self.saying({keys.ORDER_KIND.id: said})

    def saying(self, facts: Mapping[str, Witnessed[Any]]) -> Inspection:
        """Return the inspection with some facts in place of its own; the others are read when they are asked for."""
        return replace(self, facts=_Overlaid(self.facts, facts))

    @property
    def is_full_range(self) -> bool:
        """Is the picture of full range by the word of the stream, or of the wrapper where the stream is silent?"""
        return self.witnessed(keys.PICTURE_RANGE).told == "full"


def inspected(characteristic: Characteristic) -> bool:
    """Is this known from the file alone (and not only in a check)?"""
    return characteristic.stage not in (Stage.CHECK, Stage.ORDER)


@dataclass(slots=True)
class FactsBuilder:
    """Collects what readers say; refuses a witness that the registry does not let speak."""

    _values: dict[tuple[str, Witness], Any] = field(default_factory=dict)
    _reasons: dict[str, str] = field(default_factory=dict)
    _places: dict[str, dict[str, str]] = field(default_factory=dict)
    _silent: set[str] = field(default_factory=set)
    _place: str = ""

    @contextmanager
    def at(self, place: str) -> Iterator[None]:
        """Name the raw place of everything said inside: a box and its offset, a header and its clause."""
        before, self._place = self._place, place
        try:
            yield
        finally:
            self._place = before

    def say(self, witness: Witness, key: Key[Value], value: Value | None) -> None:
        """Record what a witness says; ``None`` says nothing and changes nothing."""
        id_ = key.id
        if witness not in REGISTRY[id_].witnesses:
            raise ValueError(f"{id_} has no {witness.value} witness")
        if value is None:
            return
        self._values[id_, witness] = value
        self._places.setdefault(id_, {}).pop(witness.value, None)
        if self._place:
            self._places[id_][witness.value] = self._place

    @classmethod
    def resume(cls, inspection: Inspection, *stages: Stage) -> FactsBuilder:
        """Return a builder that goes on from an inspection; why facts of ``stages`` could not be heard is forgotten."""
        builder = cls(_places={id_: dict(places) for id_, places in inspection.places.items()})
        for id_, witnessed in inspection.facts.items():
            characteristic = REGISTRY[id_]
            for witness, value in witnessed.spoken().items():
                builder._values[id_, witness] = value
            if Witness.OBSERVED in characteristic.witnesses and witnessed.observed is None:
                builder._silent.add(id_)
            if id_ in inspection.unread and characteristic.stage not in stages:
                builder._reasons[id_] = inspection.unread[id_]
        return builder

    def declared(self, key: Key[Value], value: Value | None) -> None:
        """Record what the wrapper says."""
        self.say(Witness.DECLARED, key, value)

    def coded(self, key: Key[Value], value: Value | None) -> None:
        """Record what the stream's headers say."""
        self.say(Witness.CODED, key, value)

    def observed(self, key: Key[Value], value: Value | None) -> None:
        """Record what packets, pictures or samples show."""
        self.say(Witness.OBSERVED, key, value)

    def unread(self, key: Key[Any], reason: str) -> None:
        """Record why the observed witness of a characteristic could not be heard."""
        self._reasons[key.id] = reason

    def silent(self, *about: Key[Any]) -> None:
        """Record that the observed witness of some characteristics has nothing to say, as of pictures without any."""
        self._silent.update(key.id for key in about)

    def unread_missing(self, stage: Stage, reason: str) -> None:
        """Give ``reason`` for every characteristic of a stage that has not been observed and has no reason yet."""
        for id_, characteristic in REGISTRY.items():
            if characteristic.stage is stage and self._is_missing(id_):
                self._reasons.setdefault(id_, reason)

    def _is_missing(self, id_: str) -> bool:
        """Can the observed witness speak here, and has it not?"""
        speaks = Witness.OBSERVED in REGISTRY[id_].witnesses
        return speaks and (id_, Witness.OBSERVED) not in self._values and id_ not in self._silent

    def said(self, witness: Witness, key: Key[Value]) -> Value | None:
        """Return what a witness has said so far, ``None`` for nothing."""
        value: Value | None = self._values.get((key.id, witness))
        return value

    def told(self, key: Key[Value]) -> Value | None:
        """Return the stream's word, or the wrapper's where the stream is silent."""
        coded = self.said(Witness.CODED, key)
        return self.said(Witness.DECLARED, key) if coded is None else coded

    def finish(self, *, file_name: str, file_size: int, depth: Depth) -> Inspection:
        """Return the inspection, with a reason for every observation that is missing."""
        for stage in Stage:
            self.unread_missing(stage, stage.value)
        facts: dict[str, Witnessed[Any]] = {}
        unread: dict[str, str] = {}
        for id_, characteristic in REGISTRY.items():
            if not inspected(characteristic):
                continue
            said = {witness.value: self._values.get((id_, witness)) for witness in characteristic.witnesses}
            if self._is_missing(id_):
                said["observed"] = Unheard.UNHEARD
                unread[id_] = self._reasons[id_]
            facts[id_] = Witnessed(**said)
        return Inspection(
            file_name=file_name,
            file_size=file_size,
            depth=depth,
            facts=facts,
            unread=unread,
            places={id_: dict(places) for id_, places in self._places.items() if places},
        )


def _as_float(value: Fraction | None) -> float | None:
    return None if value is None else float(value)


def inspection_to_json(inspection: Inspection) -> dict[str, Any]:
    """Return the inspection as JSON of schema ``brisk-sentry/inspection/1``.

    Durations stand as exact fractions with a float beside them, ``declared`` with ``declared_s``.
    """
    rows: dict[str, dict[str, Any]] = {}
    for id_, witnessed in inspection.facts.items():
        characteristic = REGISTRY[id_]
        entry: dict[str, Any] = {}
        for witness in Witness:
            value = witnessed.of(witness)
            if value is Unheard.UNHEARD:
                continue
            entry[witness.value] = value_to_json(characteristic.kind, characteristic.per_track, value)
            if characteristic.kind.value == "seconds" and value is not None:
                entry[f"{witness.value}_s"] = [*map(_as_float, value)] if characteristic.per_track else float(value)
        rows[id_] = entry
    return {
        "schema": INSPECTION_SCHEMA,
        "engine": inspection.engine,
        "depth": inspection.depth.value,
        "file": {"name": inspection.file_name, "size": inspection.file_size},
        "characteristics": rows,
        "unread": dict(inspection.unread),
        "places": {id_: dict(places) for id_, places in inspection.places.items()},
    }


class _FactsInJson(Mapping[str, Witnessed[Any]]):
    """The facts of a document, each read when it is first asked for: a check asks for a third of them."""

    def __init__(self, rows: Mapping[str, Any], lacking: Mapping[str, Witnessed[Any]]) -> None:
        self._rows = rows
        self._read: dict[str, Witnessed[Any]] = dict(lacking)
        self._ids = [id_ for id_ in REGISTRY if id_ in rows or id_ in lacking]

    def __getitem__(self, id_: str) -> Witnessed[Any]:
        if id_ not in self._read:
            characteristic, entry = REGISTRY[id_], self._rows[id_]
            self._read[id_] = Witnessed(
                **{
                    name: value_from_json(characteristic.kind, characteristic.per_track, entry[name])
                    if name in entry
                    else _UNHEARD
                    for name in _NAMES.values()
                }
            )
        return self._read[id_]

    def __iter__(self) -> Iterator[str]:
        return iter(self._ids)

    def __len__(self) -> int:
        return len(self._ids)


class _Overlaid(Mapping[str, Witnessed[Any]]):
    """Facts some of which are others."""

    def __init__(self, below: Mapping[str, Witnessed[Any]], above: Mapping[str, Witnessed[Any]]) -> None:
        self._below, self._above = below, above

    def __getitem__(self, id_: str) -> Witnessed[Any]:
        return self._above[id_] if id_ in self._above else self._below[id_]

    def __iter__(self) -> Iterator[str]:
        yield from self._below
        yield from (id_ for id_ in self._above if id_ not in self._below)

    def __len__(self) -> int:
        return len(self._below) + sum(id_ not in self._below for id_ in self._above)


def inspection_from_json(document: Mapping[str, Any]) -> Inspection:
    """Return the inspection that ``inspection_to_json`` wrote; raises ``ValueError`` for another schema."""
    if document.get("schema") != INSPECTION_SCHEMA:
        raise ValueError(f"met schema {document.get('schema')!r}; expected {INSPECTION_SCHEMA!r}")
    rows = document["characteristics"]
    unread = dict(document["unread"])
    lacking: dict[str, Witnessed[Any]] = {}
    for id_, characteristic in REGISTRY.items():  # what an older engine did not know of
        if id_ not in rows and inspected(characteristic):
            unheard = Witness.OBSERVED in characteristic.witnesses
            lacking[id_] = Witnessed(observed=_UNHEARD if unheard else None)
            if unheard:
                unread[id_] = f"engine {document['engine']}, which read this file, does not measure it"
    return Inspection(
        file_name=document["file"]["name"],
        file_size=document["file"]["size"],
        depth=Depth(document["depth"]),
        facts=_FactsInJson(rows, lacking),
        unread=unread,
        engine=document["engine"],
        places=document.get("places", {}),
    )
