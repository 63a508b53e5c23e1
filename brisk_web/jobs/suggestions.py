"""Which deliverable a file is for, by its name: naming rules that it fits, and those that it nearly fits."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache
from pathlib import PurePath

from brisk_core.spec import NamePattern
from brisk_web.jobs.models import Deliverable, owed

_HEAD = 4  # letters by which rules are laid out, so that a name is held against few of them
_JOKERS = "#?*"


@dataclass(frozen=True, slots=True, kw_only=True)
class Suggestion:
    """The deliverable that a file's name suggests."""

    deliverable: Deliverable
    attempt: int
    difference: str = ""  #: what keeps the name from fitting the rule; empty for one that fits
    others: int = 0  #: deliverables whose rules it fits as well

    @property
    def says(self) -> str:
        """The deliverable and the attempt in words, and what keeps the name from fitting."""
        place = f"{self.deliverable.name}, attempt {self.attempt}"
        return f"nearly {place}: {self.difference}" if self.difference else place


@dataclass(frozen=True, slots=True)
class _Rule:
    rank: int  #: the one due first has the smallest
    deliverable_id: int
    text: str


def suggest(name: str) -> Suggestion | None:
    """Return the deliverable whose naming rule the name fits, the one due first when there are several; else one that
    it nearly fits.
    """
    return suggest_all([name])[name]


def suggest_all(names: Iterable[str]) -> dict[str, Suggestion | None]:
    """Return what each of some names suggests, with two queries whatever their number."""
    laid_out, everywhere = _rules()
    wanted: dict[str, tuple[_Rule, str, int] | None] = {}
    for name in names:
        rules = sorted([*laid_out.get(_head(name), ()), *everywhere], key=lambda one: one.rank)
        fits = [one for one in rules if _pattern(one.text).matches(name)]
        near = ((one, words, 0) for one in rules if (words := _difference(one.text, name)))
        wanted[name] = (fits[0], "", len(fits) - 1) if fits else next(near, None)
    found = Deliverable.objects.select_related("job", "spec_version__spec").defer("spec_version__document")
    by_id = found.in_bulk({one[0].deliverable_id for one in wanted.values() if one})
    return {name: one and _suggestion(by_id[one[0].deliverable_id], name, *one[1:]) for name, one in wanted.items()}


def _suggestion(deliverable: Deliverable, name: str, difference: str, others: int) -> Suggestion:
    attempt = (None if difference else _pattern(deliverable.naming_rule).attempt_in(name)) or deliverable.next_attempt
    return Suggestion(deliverable=deliverable, attempt=attempt, difference=difference, others=others)


def _rules() -> tuple[dict[str, list[_Rule]], list[_Rule]]:
    """All rules by the letters they begin with, and those that begin with a joker."""
    laid_out: dict[str, list[_Rule]] = defaultdict(list)
    everywhere = []
    known = owed(Deliverable.objects.exclude(naming_rule="")).order_by("due_at", "id")
    for rank, (number, text) in enumerate(known.values_list("pk", "naming_rule")):
        rule = _Rule(rank, number, text)
        if any(sign in text[:_HEAD] for sign in _JOKERS):
            everywhere.append(rule)
        else:
            laid_out[_head(text)].append(rule)
    return laid_out, everywhere


def _head(text: str) -> str:
    return text[:_HEAD].casefold()


@lru_cache(maxsize=8192)
def _pattern(text: str) -> NamePattern:
    return NamePattern(text)


def _difference(rule: str, name: str) -> str:
    """What keeps a name from fitting a rule that it nearly fits, in words; empty for one that is far from it."""
    if _pattern(rule.casefold()).matches(name.casefold()):
        return "capital and small letters differ"
    asked, given = PurePath(rule).suffix, PurePath(name).suffix
    stem = rule.removesuffix(asked)
    if asked != given and stem and _pattern(stem).matches(name.removesuffix(given)):
        return f"it ends in {given or 'nothing'}, not in {asked or 'nothing'}"
    parts = stem.split("_")
    if asked == given and len(parts) - 1 == len(name.removesuffix(given).split("_")):
        for at, part in enumerate(parts):
            rest = "_".join([*parts[:at], *parts[at + 1 :]])
            if rest and _pattern(rest).matches(name.removesuffix(given)):
                return f"the part “{part}” is missing"
    return ""
