"""The page that shows what a thing is called: every characteristic and every word, made from the catalogue."""

from __future__ import annotations

from dataclasses import dataclass

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from brisk_core.facts import REGISTRY, WORDS, Group
from brisk_web.ui.asking import words


@dataclass(frozen=True, slots=True, kw_only=True)
class Entry:
    """One line of the glossary."""

    term: str
    means: str
    standard: str  #: empty where no standard says it
    id: str  #: of a characteristic, as specs write it; empty for a word

    def has(self, wanted: str) -> bool:
        """Does any part of it hold these letters?"""
        return any(wanted in text.casefold() for text in (self.term, self.means, self.standard, self.id))


def entries() -> dict[str, list[Entry]]:
    """Return the whole glossary: words first, then characteristics by group in the registry's order."""
    found = {"Words": [Entry(term=one.term, means=one.means, standard=one.standard, id="") for one in WORDS]}
    for group in Group:
        found[group.value] = [
            Entry(
                term=characteristic.label,
                means=characteristic.definition,
                standard=characteristic.standard,
                id=characteristic.id,
            )
            for characteristic in REGISTRY.values()
            if characteristic.group is group
        ]
    return found


@require_GET
def glossary(request: HttpRequest) -> HttpResponse:
    """What each thing is called, in one line, with its standard."""
    wanted = words(request.GET, "q")
    groups = {
        name: kept
        for name, all_of in entries().items()
        if (kept := [entry for entry in all_of if entry.has(wanted.casefold())])
    }
    context = {"groups": groups, "wanted": wanted, "count": sum(map(len, groups.values()))}
    return render(request, "pages/glossary.html", context)
