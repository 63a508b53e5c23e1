"""Finding files by what is known of them: words, amounts with a unit, one fact by name, and an order; all in SQL."""

from __future__ import annotations

import contextlib
import re
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from django.db.models import F, OuterRef, Q, QuerySet, Subquery

from brisk_core.errors import ValueRefused
from brisk_core.exact import parse_bit_rate, parse_bytes, parse_seconds, parse_size, spell_size
from brisk_core.facts import REGISTRY, Characteristic, Group, Stage, keys
from brisk_core.spec import read_value
from brisk_web.inspections.finding import fact_number
from brisk_web.inspections.models import Fact
from brisk_web.storage.models import MediaFile
from brisk_web.ui.asking import words

_AMOUNT = re.compile(
    r"\b(over|under|at least|at most)\s+(\d+(?:\.\d+)?)\s*"
    r"([kMG]b/s|bit/s|[kMGT]B|ms|s\b|min\b|h\b|frames/s|frames\b|kHz|Hz|LUFS|tracks?\b|bit\b)",
)
_TOKEN = re.compile(r'(not\s+)?(?:"([^"]+)"|(\S+))')
_LOOKUPS = {"over": "gt", "under": "lt", "at least": "gte", "at most": "lte"}
_MOST_TERMS = 12
#: Unit of an amount: the characteristic it is of, and how amount and unit are read.
_UNITS: dict[str, tuple[str, Callable[[str], Any]]] = {
    **dict.fromkeys(("kb/s", "Mb/s", "Gb/s", "bit/s"), (keys.BITRATE_AVERAGE.id, parse_bit_rate)),
    **dict.fromkeys(("kB", "MB", "GB", "TB"), (keys.FILE_SIZE.id, parse_bytes)),
    **dict.fromkeys(("ms", "s", "min", "h"), (keys.WRAPPER_DURATION.id, parse_seconds)),
    "frames": (keys.PICTURE_FRAME_COUNT.id, lambda text: float(text.split()[0])),
    "frames/s": (keys.PICTURE_FRAME_RATE.id, lambda text: float(text.split()[0])),
    "kHz": (keys.SOUND_SAMPLE_RATE.id, lambda text: float(text.split()[0]) * 1000),
    "Hz": (keys.SOUND_SAMPLE_RATE.id, lambda text: float(text.split()[0])),
    "LUFS": (keys.SOUND_LOUDNESS.id, lambda text: float(text.split()[0])),
    "track": (keys.SOUND_TRACKS.id, lambda text: float(text.split()[0])),
    "tracks": (keys.SOUND_TRACKS.id, lambda text: float(text.split()[0])),
    "bit": (keys.PICTURE_BIT_DEPTH.id, lambda text: float(text.split()[0])),
}
#: Orders of the list: the field of the file, or the characteristic and whether its number or its text is ordered.
ORDERS: dict[str, tuple[str, str]] = {
    "added": ("added_at", ""),
    "name": ("name", ""),
    "bytes": ("size", ""),
    "codec": (keys.PICTURE_CODEC.id, "text"),
    "size": (keys.PICTURE_SIZE.id, "number"),
    "rate": (keys.PICTURE_FRAME_RATE.id, "number"),
    "scan": (keys.PICTURE_SCAN.id, "text"),
    "mean": (keys.BITRATE_AVERAGE.id, "number"),
    "duration": (keys.WRAPPER_DURATION.id, "number"),
}
COMPARISONS = ("is", "over", "under", "not known")


@dataclass(slots=True)
class Search:
    """A search as a request asks for it."""

    words: str = ""
    fact: str = ""  #: id of a characteristic
    comparison: str = "is"
    value: str = ""
    order: str = "-added"
    mistakes: list[str] = field(default_factory=list)

    @classmethod
    def of(cls, asked: Any) -> Search:
        """Read a search from query parameters; what makes no sense is left out and named."""
        search = cls(
            words=words(asked, "q"),
            fact=asked.get("fact", ""),
            comparison=asked.get("is", "is"),
            value=words(asked, "value"),
            order=asked.get("sort", "-added"),
        )
        if search.order.lstrip("-") not in ORDERS:
            search.order = "-added"
        if search.comparison not in COMPARISONS:
            search.comparison = "is"
        if search.fact and search.fact not in REGISTRY:
            search.mistakes.append(f"met {search.fact!r} as a fact; expected one of the list")
            search.fact = ""
        return search

    @property
    def is_narrowed(self) -> bool:
        """Does it leave anything out?"""
        return bool(self.words or self.fact)

    def files(self) -> QuerySet[MediaFile]:
        """Return the files that are found, in order."""
        found = MediaFile.objects.all()
        rest = self.words
        for match in list(_AMOUNT.finditer(self.words))[:_MOST_TERMS]:
            found = found.filter(_by_amount(*match.groups()))
            rest = rest.replace(match[0], " ")
        for match in list(_TOKEN.finditer(rest))[:_MOST_TERMS]:
            condition = _by_word(match[2] or match[3])
            found = found.exclude(condition) if match[1] else found.filter(condition)
        if self.fact:
            found = self._by_fact(found, REGISTRY[self.fact])
        return self._ordered(found)

    def _by_fact(self, found: QuerySet[MediaFile], characteristic: Characteristic) -> QuerySet[MediaFile]:
        known = Fact.objects.filter(characteristic=characteristic.id)
        if self.comparison == "not known":
            return found.exclude(inspection__in=known.values("inspection"))
        if not self.value:
            return found.filter(inspection__in=known.values("inspection"))
        try:
            number = fact_number(characteristic, read_value(characteristic, _typed(self.value)))
        except ValueRefused as error:
            number = None
            if self.comparison != "is":
                self.mistakes.append(str(error))
                return found
        if self.comparison == "is":
            text = self.value.casefold()
            matching = known.filter(Q(text=text) | (Q(number=number) if number is not None else Q(text__contains=text)))
        elif number is None:
            self.mistakes.append(f"{characteristic.label.lower()} has no order of size; expected is")
            return found
        else:
            matching = known.filter(**{f"number__{'gt' if self.comparison == 'over' else 'lt'}": number})
        return found.filter(inspection__in=matching.values("inspection"))

    def _ordered(self, found: QuerySet[MediaFile]) -> QuerySet[MediaFile]:
        name, column = ORDERS[self.order.lstrip("-")]
        if column:
            facts = Fact.objects.filter(inspection=OuterRef("inspection"), characteristic=name)
            found = found.annotate(ordered_by=Subquery(facts.order_by("-number", "text").values(column)[:1]))
            name = "ordered_by"
        falling = self.order.startswith("-")
        key = F(name).desc(nulls_last=True) if falling else F(name).asc(nulls_last=True)
        return found.order_by(key, "-pk")


def _typed(value: str) -> int | float | bool | str:
    """Return the value as a spec document would give it: numbers as numbers, yes and no as truth."""
    if value.casefold() in ("yes", "no"):
        return value.casefold() == "yes"
    if re.fullmatch(r"-?\d{1,15}", value):
        return int(value)
    return float(value) if re.fullmatch(r"-?\d{1,12}\.\d{1,9}", value) else value


def _by_amount(comparison: str, amount: str, unit: str) -> Q:
    id_, read = _UNITS[unit]
    lookup = _LOOKUPS[comparison]
    number = read(f"{amount} {unit}")
    if id_ == keys.FILE_SIZE.id:
        return Q(**{f"size__{lookup}": number})
    known = Fact.objects.filter(characteristic=id_, **{f"number__{lookup}": float(number)})
    return Q(inspection__in=known.values("inspection"))


def _by_word(word: str) -> Q:
    """A word is part of the name, or the whole value of any fact."""
    text = word.casefold()
    with contextlib.suppress(ValueRefused):
        text = spell_size(parse_size(word))
    return Q(name__icontains=word) | Q(inspection__in=Fact.objects.filter(text=text).values("inspection"))


def fact_choices() -> list[tuple[str, list[tuple[str, str]]]]:
    """Return the facts that can be asked for, by group, as (id, label)."""
    return [
        (
            group.value,
            [
                (id_, characteristic.label)
                for id_, characteristic in REGISTRY.items()
                if characteristic.group is group and characteristic.stage is not Stage.CHECK
            ],
        )
        for group in Group
        if group not in (Group.TIMELINE, Group.MASTER)
    ]
