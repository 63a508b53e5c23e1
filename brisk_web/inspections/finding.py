"""What a file can be found by: its facts as rows of text and number, written whenever an inspection learns more."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from typing import Any

from brisk_core.facts import REGISTRY, Characteristic, JudgedBy, Kind, keys, spell
from brisk_core.facts import Inspection as Facts
from brisk_web.inspections.models import Fact, Inspection

_LONGEST = Fact._meta.get_field("text").max_length or 120
_COUNTED = {Kind.SPANS, Kind.TIMES, Kind.TEXTS, Kind.CHAPTERS, Kind.CAPTIONS, Kind.TRACKS}
_NUMBERS = {Kind.COUNT, Kind.NUMBER, Kind.BYTES, Kind.BIT_RATE, Kind.RATE, Kind.RATIO, Kind.SECONDS}
#: Facts that are the file's own columns already, or that nobody looks for by value.
_LEFT_OUT = {keys.FILE_NAME.id, keys.FILE_SIZE.id, keys.FILE_CHECKSUM.id}


def fact_number(characteristic: Characteristic, value: Any) -> float | None:
    """Return a value as the number it is found and ordered by, ``None`` for values that have none."""
    if characteristic.kind in _COUNTED:
        return float(len(value))
    if characteristic.kind is Kind.SIZE:
        return float(value[0] * value[1])
    return float(Fraction(value)) if characteristic.kind in _NUMBERS else None


def fact_rows(facts: Facts) -> Iterator[tuple[str, str, float | None]]:
    """Yield (characteristic, text in small letters, number) for every value that a witness says, each once.

    Where only the observed value counts, a declared or coded one is another quantity and is left out.
    """
    for id_, witnessed in facts.facts.items():
        characteristic = REGISTRY[id_]
        if id_ in _LEFT_OUT:
            continue
        spoken = (
            [witnessed.best] if characteristic.judged_by is JudgedBy.OBSERVED else list(witnessed.spoken().values())
        )
        seen: set[str] = set()
        for said in spoken:
            for value in said if characteristic.per_track and isinstance(said, tuple) else (said,):
                if value is None:
                    continue
                text = spell(characteristic.kind, False, value, characteristic.unit).casefold()[:_LONGEST]
                if text not in seen:
                    seen.add(text)
                    yield id_, text, fact_number(characteristic, value)


def index_facts(inspection: Inspection) -> None:
    """Write the rows of an inspection anew."""
    facts = inspection.facts
    inspection.found_by.all().delete()
    if facts is not None:
        Fact.objects.bulk_create(
            Fact(inspection=inspection, characteristic=id_, text=text, number=number)
            for id_, text, number in fact_rows(facts)
        )


def index_missing() -> int:
    """Write the rows of inspections that have none, as after an upgrade; return how many inspections there were."""
    done = 0
    for inspection in Inspection.objects.filter(document__isnull=False, found_by__isnull=True).iterator():
        index_facts(inspection)
        done += 1
    return done
