"""Which deliverable a file is for, by its name: naming rules that it fits, and those that it nearly fits."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache
from pathlib import PurePath

from brisk_core.spec import NamePattern
from brisk_web.jobs.models import Deliverable, owed

_HEAD = 4  # letters by which rules are laid out, so that a name is held against few of them
_JOKER = re.compile(r"[#?*]")


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

    def fits(self, name: str) -> bool:
        """Does a name fit it?"""
        return name.startswith(_taken_apart(self.text).begins) and _pattern(self.text).matches(name)


@dataclass(frozen=True, slots=True)
class _Apart:
    """A rule or a name taken apart, once for all that it is held against."""

    begins: str  #: what stands before the first joker
    folded: str  #: the same in small letters
    ending: str  #: such as ".mp4"
    stem: str  #: without the ending
    begins_stem: str  #: what stands before the first joker of that
    parts: list[str]  #: of the stem, between underscores
    shifts: bool  #: a star may stand for several parts


@lru_cache(maxsize=8192)
def _taken_apart(text: str) -> _Apart:
    begins, ending = _JOKER.split(text, maxsplit=1)[0], PurePath(text).suffix
    stem = text.removesuffix(ending)
    before = _JOKER.split(stem, maxsplit=1)[0]
    return _Apart(begins, begins.casefold(), ending, stem, before, stem.split("_"), "*" in stem)


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
        fits = [one for one in rules if one.fits(name)]
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
        if _JOKER.search(text[:_HEAD]):
            everywhere.append(rule)
        else:
            laid_out[_head(text)].append(rule)
    return laid_out, everywhere


def _head(text: str) -> str:
    return text[:_HEAD].casefold()


@lru_cache(maxsize=8192)
def _pattern(text: str) -> NamePattern:
    return NamePattern(text)


def _difference(text: str, name: str) -> str:
    """What keeps a name from fitting a rule that it nearly fits, in words; empty for one that is far from it."""
    rule, given = _taken_apart(text), _taken_apart(name)
    if name.casefold().startswith(rule.folded) and _pattern(text.casefold()).matches(name.casefold()):
        return "capital and small letters differ"
    if rule.ending != given.ending:
        fits = rule.stem and given.stem.startswith(rule.begins_stem) and _pattern(rule.stem).matches(given.stem)
        return f"it ends in {given.ending or 'nothing'}, not in {rule.ending or 'nothing'}" if fits else ""
    if len(rule.parts) - 1 == len(given.parts):
        for at, part in enumerate(rule.parts):
            rest = [*rule.parts[:at], *rule.parts[at + 1 :]]
            stem = "_".join(rest)
            if stem and (rule.shifts or _may_be(rest, given.parts)) and _pattern(stem).matches(given.stem):
                return f"the part “{part}” is missing"
    return ""


def _may_be(parts: list[str], there: list[str]) -> bool:
    """May the parts of a name be those of a rule? Those without a joker are the same."""
    return all(part == given or _JOKER.search(part) for part, given in zip(parts, there, strict=True))
