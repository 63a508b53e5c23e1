"""The spec document, ``brisk_spec: 1``: YAML or JSON, read with every mistake reported."""

from __future__ import annotations

import datetime
import enum
import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

import yaml

from brisk_core.errors import Mistake, SpecRefused
from brisk_core.facts import REGISTRY, Characteristic, Witness, keys
from brisk_core.spec.companions import Companion, CompanionsReader
from brisk_core.spec.condition_reader import ConditionReader, nearest_ids
from brisk_core.spec.ladder import Ladder, LadderReader
from brisk_core.spec.line import INTEGRITY_PREFIX, Line, Weight
from brisk_core.spec.reasons import Reason

SPEC_FORMAT = 1
FAMILIES = ("web", "disc", "broadcast", "playout", "archive", "player")
LARGEST_SPEC = 1 << 18  # letters; 500 long lines have half of it
_LARGEST_TEXT = 1 << 20  # letters of a document of any kind
_MOST_LINES = 500
_ID = re.compile(r"[a-z0-9][a-z0-9-]{0,63}")
_TOP = {
    "brisk_spec", "id", "name", "family", "source", "issued", "review_by", "extends", "without", "lines", "ladder",
    "companions",
}  # fmt: skip
_LINE = {"id", "characteristic", "condition", "weight", "why", "remedy", "label", "witness"}


class Origin(enum.Enum):
    """Where a line of a spec that extends another comes from."""

    BASE = "base"
    CHANGED = "changed"  #: the base has one of this id too
    OWN = "own"


@dataclass(frozen=True, slots=True, kw_only=True)
class Spec:
    """A delivery specification."""

    id: str
    name: str
    family: str
    source: str
    issued: datetime.date
    review_by: datetime.date | None
    lines: tuple[Line, ...]
    document: Mapping[str, Any]  #: as read, with dates as text
    base: Spec | None = None  #: the one that it extends
    origins: Mapping[str, Origin] = field(default_factory=dict)  #: of each line, where it extends another
    companions: tuple[Companion, ...] = ()  #: what comes along, and what must not; those of the base come first
    ladder: Ladder | None = None  #: what becomes of a file over there; that of the base where it gives none itself

    def in_words_of(self, reasons: Mapping[str, Reason]) -> Spec:
        """Return the spec with a house's own words, by characteristic, on lines that give none of their own."""
        if not reasons:
            return self
        lines = tuple(replace(line, reason=reasons.get(line.characteristic.id)) for line in self.lines)
        return replace(self, lines=lines)

    @property
    def lineage(self) -> tuple[str, ...]:
        """The ids of the specs that it extends, the nearest first."""
        return (self.base.id, *self.base.lineage) if self.base else ()

    @property
    def needs_series(self) -> bool:
        """Does a line need the sizes of all packets, beside the facts?"""
        return any(line.condition.needs_series for line in self.lines)

    @property
    def asks_kind_of_work(self) -> bool:
        """Does a line, or a case of one, depend on the kind of work that was ordered?"""
        kind = keys.ORDER_KIND.id
        return any(line.characteristic.id == kind or _mentions(line.raw_condition, kind) for line in self.lines)


def _mentions(raw: Any, id_: str) -> bool:
    """Does a condition as written name a characteristic: in a case, or as a column of a table?"""
    if isinstance(raw, Mapping):
        return id_ in raw or any(_mentions(one, id_) for one in raw.values())
    return isinstance(raw, list | tuple) and (id_ in raw or any(_mentions(one, id_) for one in raw))


class _StrictLoader(yaml.SafeLoader):
    """Safe YAML that refuses aliases and a key met twice, and reads 16:9 and 10:00:00:00 as the texts they are."""

    def compose_node(self, parent: yaml.Node | None, index: int) -> yaml.Node | None:
        """Refuse aliases, by which a kilobyte could grow to gigabytes."""
        if self.check_event(yaml.events.AliasEvent):
            mark = self.peek_event().start_mark  # type: ignore[no-untyped-call]  # untyped in the stubs
            raise yaml.composer.ComposerError(None, None, "met a YAML alias; expected plain YAML without them", mark)
        return super().compose_node(parent, index)


def _mapping(loader: yaml.SafeLoader, node: yaml.MappingNode) -> dict[Any, Any]:
    seen: set[str] = set()
    for key, _ in node.value:
        if not isinstance(key, yaml.ScalarNode):
            raise yaml.constructor.ConstructorError(
                None, None, "met a list or a mapping as a key; expected a text", key.start_mark
            )
        if key.value in seen:
            raise yaml.constructor.ConstructorError(
                None, None, f"met {key.value!r} twice; expected it once", key.start_mark
            )
        seen.add(key.value)
    return yaml.SafeLoader.construct_mapping(loader, node, deep=True)


_StrictLoader.add_constructor("tag:yaml.org,2002:map", _mapping)
# YAML 1.1 reads 16:9 in base sixty, and yes and no as truth; neither is meant in a spec.
_StrictLoader.yaml_implicit_resolvers = {
    first: [
        (tag, pattern)
        for tag, pattern in resolvers
        if tag not in ("tag:yaml.org,2002:int", "tag:yaml.org,2002:float", "tag:yaml.org,2002:bool")
    ]
    for first, resolvers in yaml.SafeLoader.yaml_implicit_resolvers.items()
}
_StrictLoader.add_implicit_resolver("tag:yaml.org,2002:bool", re.compile(r"(?:true|false)$"), list("tf"))
_StrictLoader.add_implicit_resolver(
    "tag:yaml.org,2002:int", re.compile(r"[-+]?(?:0|[1-9][0-9]*)$"), list("-+0123456789")
)
_StrictLoader.add_implicit_resolver(
    "tag:yaml.org,2002:float", re.compile(r"[-+]?[0-9]+\.[0-9]+(?:[eE][-+]?[0-9]+)?$"), list("-+0123456789")
)


def read_document(
    text: str, expected: str = "a mapping with brisk_spec, name and lines", most: int = _LARGEST_TEXT
) -> dict[str, Any]:
    """Return what a YAML or JSON text of at most ``most`` letters holds; raises ``SpecRefused``."""
    if len(text) > most:
        raise _refused("spec", f"met {len(text)} characters; expected at most {most}")
    try:
        document = yaml.load(text, _StrictLoader)  # noqa: S506 - a subclass of the safe loader
    except yaml.MarkedYAMLError as error:
        mark = error.problem_mark
        place = f"line {mark.line + 1}, column {mark.column + 1}" if mark else "spec"
        raise _refused(place, f"{error.problem}; expected YAML or JSON") from error
    except (yaml.YAMLError, RecursionError, ValueError, TypeError, AttributeError) as error:  # of odd tags as well
        raise _refused("spec", f"{str(error).splitlines()[0]}; expected YAML or JSON") from error
    if not isinstance(document, dict):
        raise _refused("spec", f"met a {type(document).__name__}; expected {expected}")
    return document


def _refused(place: str, says: str) -> SpecRefused:
    return SpecRefused([Mistake(place=place, says=says)])


class _Reader:
    """Reads one document and collects its mistakes."""

    def __init__(self, document: Mapping[str, Any], base: Spec | None) -> None:
        self.document = document
        self.base = base
        self.conditions = ConditionReader()
        self.note = self.conditions.note

    def read(self) -> Spec:
        top = self.document
        for key in sorted(set(map(str, top)) - _TOP):
            self.note("spec", f"met {key!r}; expected one of {', '.join(sorted(_TOP))}")
        if top.get("brisk_spec") != SPEC_FORMAT:
            self.note("brisk_spec", f"met {top.get('brisk_spec')!r}; expected {SPEC_FORMAT}")
        id_, name, source = self._id(top.get("id"), "id"), self._text("name"), self._text("source")
        family = top.get("family")
        if family not in FAMILIES:
            self.note("family", f"met {family!r}; expected one of {', '.join(FAMILIES)}")
        issued = self._date("issued")
        review_by = self._date("review_by") if top.get("review_by") is not None else None
        if issued and review_by and review_by < issued:
            self.note("review_by", f"met {review_by}, before issued ({issued}); expected a later day")
        own = self._lines(top.get("lines"))
        lines, origins = self._extended(own, id_)
        ladder = self.base.ladder if "extends" in top and self.base else None
        if "ladder" in top:
            ladder = LadderReader(self.conditions).read(top["ladder"])
        companions = self._companions()
        if self.conditions.mistakes:
            raise SpecRefused(self.conditions.mistakes)
        assert issued is not None  # noqa: S101 - a missing date is a mistake
        return Spec(
            id=id_,
            name=name,
            family=str(family),
            source=source,
            issued=issued,
            review_by=review_by,
            lines=lines,
            document=_plain(top),
            base=self.base if "extends" in top else None,
            origins=origins,
            ladder=ladder,
            companions=companions,
        )

    def _extended(self, own: tuple[Line, ...], id_: str) -> tuple[tuple[Line, ...], dict[str, Origin]]:
        """The lines of the base with those that are changed in their places, without those that are left out, and the
        own ones behind them; where nothing is extended, the own ones.
        """
        extends, without = self.document.get("extends"), self.document.get("without", [])
        if extends is None:
            if "without" in self.document:
                self.note("without", "met lines to leave out; expected extends beside it")
            return own, {}
        if self.base is None or self.base.id != extends:
            self.note("extends", f"met {extends!r}, which is not at hand; expected the id of a spec on the shelf")
            return own, {}
        if id_ in (extends, *self.base.lineage):
            self.note("extends", f"met {extends!r}, which extends {id_!r} itself; expected a spec that does not")
        known = {line.id: line for line in self.base.lines}
        if not isinstance(without, list):
            self.note("without", f"met {without!r}; expected a list of ids of lines")
            without = []
        mine = {line.id: line for line in own}
        for one in without:
            if one not in known:
                self.note("without", f"met {one!r}; {self.base.id} has no such line")
            elif one in mine:
                self.note("without", f"met {one!r}, which is changed as well; expected one of both")
        kept = [line for line in self.base.lines if line.id not in without]
        lines = [mine.get(line.id, line) for line in kept] + [line for line in own if line.id not in known]
        origins = {line.id: Origin.OWN for line in own} | {
            line.id: Origin.CHANGED if line.id in mine else Origin.BASE for line in kept
        }
        if not lines:
            self.note("without", f"met every line of {extends} left out; expected at least one line")
        if len(lines) > _MOST_LINES:
            self.note("lines", f"met {len(lines)} lines with those of {extends}; expected at most {_MOST_LINES}")
        return tuple(lines), origins

    def _companions(self) -> tuple[Companion, ...]:
        """What comes along: what the base asks, changed where an own one has its id, then the own ones."""
        reader = CompanionsReader(self.conditions, self._id)
        own = {
            one.id: one for one in (reader.read(self.document["companions"]) if "companions" in self.document else ())
        }
        of_base = self.base.companions if "extends" in self.document and self.base else ()
        kept = [own.pop(one.id, one) for one in of_base]
        return (*kept, *own.values())

    def _id(self, value: object, place: str) -> str:
        if not isinstance(value, str) or not _ID.fullmatch(value):
            self.note(place, f"met {value!r}; expected small letters, digits and hyphens, such as frame-rate")
            return ""
        return value

    def _text(self, key: str) -> str:
        value = self.document.get(key)
        if not isinstance(value, str) or not value.strip():
            self.note(key, f"met {value!r}; expected a text")
            return ""
        return value.strip()

    def _date(self, key: str) -> datetime.date | None:
        value = self.document.get(key)
        if isinstance(value, datetime.date) and not isinstance(value, datetime.datetime):
            return value
        try:
            return datetime.date.fromisoformat(str(value))
        except ValueError:
            self.note(key, f"met {value!r}; expected a day such as 2026-03-01")
            return None

    def _lines(self, raw: object) -> tuple[Line, ...]:
        if "extends" in self.document and (raw is None or raw == []):
            return ()  # all as the base has it, but for what is left out
        if not isinstance(raw, list) or not raw:
            self.note("lines", f"met {raw!r}; expected a list with at least one line")
            return ()
        if len(raw) > _MOST_LINES:
            self.note("lines", f"met {len(raw)} lines; expected at most {_MOST_LINES}")
            return ()
        found, ids = [], set()
        for number, entry in enumerate(raw, 1):
            line = self._line(entry, number)
            if line and line.id in ids:
                self.note(f'line "{line.id}"', "met twice; expected every line to have its own id")
            if line:
                ids.add(line.id)
                found.append(line)
        return tuple(found)

    def _line(self, entry: object, number: int) -> Line | None:
        if not isinstance(entry, dict):
            self.note(f"line {number}", f"met {entry!r}; expected a mapping with id, characteristic and condition")
            return None
        place = f'line "{entry["id"]}"' if isinstance(entry.get("id"), str) else f"line {number}"
        before = len(self.conditions.mistakes)
        id_ = self._id(entry.get("id"), f"{place}, id")
        if id_.startswith(INTEGRITY_PREFIX):
            self.note(
                f"{place}, id", f"met {id_!r}; ids that begin with {INTEGRITY_PREFIX} are those of every file's lines"
            )
        for key in sorted(set(map(str, entry)) - _LINE):
            self.note(place, f"met {key!r}; expected one of {', '.join(sorted(_LINE))}")
        characteristic = REGISTRY.get(str(entry.get("characteristic")))
        if characteristic is None:
            met = entry.get("characteristic")
            self.note(place, f"met characteristic {met!r}; {nearest_ids(str(met))}")
        condition = self.conditions.read(characteristic, entry.get("condition"), place) if characteristic else None
        weight = entry.get("weight", "must")
        if weight not in [one.value for one in Weight]:
            self.note(place, f"met weight {weight!r}; expected must, should or note")
        texts = {}
        for key in ("label", "why", "remedy"):
            value = entry.get(key, "")
            if not isinstance(value, str):
                self.note(place, f"met {value!r} as {key}; expected a text")
                value = ""
            texts[key] = " ".join(value.split())
        witnesses = self._witnesses(entry.get("witness"), characteristic, place)
        if len(self.conditions.mistakes) > before or characteristic is None or condition is None:
            return None
        return Line(
            id=id_,
            characteristic=characteristic,
            condition=condition,
            raw_condition=entry["condition"],
            weight=Weight(weight),
            label=texts["label"] or characteristic.label,
            why=texts["why"],
            remedy=texts["remedy"],
            witnesses=witnesses,
        )

    def _witnesses(self, raw: object, characteristic: Characteristic | None, place: str) -> tuple[Witness, ...]:
        if raw is None:
            return ()
        names = raw if isinstance(raw, list) else [raw]
        found = []
        for name in names:
            if name not in [witness.value for witness in Witness]:
                self.note(place, f"met witness {name!r}; expected declared, coded or observed")
            elif characteristic and Witness(name) not in characteristic.witnesses:
                self.note(place, f"{characteristic.id} has no {name} witness")
            else:
                found.append(Witness(name))
        return tuple(found)


def _plain(value: Any) -> Any:
    if isinstance(value, Mapping):
        return {str(key): _plain(item) for key, item in value.items()}
    if isinstance(value, list):
        return [_plain(item) for item in value]
    return value.isoformat() if isinstance(value, datetime.date) else value


def _read_spec(text: str) -> dict[str, Any]:
    return read_document(text, most=LARGEST_SPEC)


def extended_by(source: str | Mapping[str, Any]) -> str | None:
    """Return the id of the spec that a document extends, ``None`` where it extends none or cannot be read."""
    try:
        found = (_read_spec(source) if isinstance(source, str) else source).get("extends")
    except SpecRefused:
        return None
    return found if isinstance(found, str) else None


def parse_spec(source: str | Mapping[str, Any], base: Spec | None = None) -> Spec:
    """Read a spec from YAML or JSON text, or from a document already loaded.

    ``base`` is the spec that it extends, where it extends one (``extended_by`` tells its id). Raises ``SpecRefused``
    with every mistake, its place and what is expected.
    """
    return _Reader(_read_spec(source) if isinstance(source, str) else source, base).read()


def spec_to_document(spec: Spec) -> dict[str, Any]:
    """Return the document as plain JSON values; ``parse_spec`` of it gives the same spec."""
    return dict(spec.document)
