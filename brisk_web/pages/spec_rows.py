"""Specs as rows: what the editor of rows asks of the house. Rows and text are one document; each follows the other."""

from __future__ import annotations

import json
import re
from contextlib import suppress
from typing import Any

from django.contrib.auth.decorators import permission_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_GET, require_POST

from brisk_core.errors import Mistake, SpecRefused
from brisk_core.facts import REGISTRY, Stage
from brisk_core.spec import Line, Weight
from brisk_core.spec.document import LARGEST_SPEC, read_document
from brisk_core.spec.offered import conditions_for
from brisk_core.spec.reasons import reason_for
from brisk_core.spec.written import rewritten
from brisk_web.accounts.people import signed_in
from brisk_web.shelf.models import Draft, Spec
from brisk_web.shelf.services import document_as_yaml, drop_draft, keep_draft, newest_of, read_text
from brisk_web.ui.asking import words

_LARGEST_NOTED = 1 << 15  # letters of a text whose notes are kept while it is written: a second's work
_OF_LINE = re.compile(r'line (?:"(?P<id>[^"]*)"|(?P<number>\d+))')


@require_GET
def characteristics(request: HttpRequest) -> JsonResponse:
    """Every characteristic that a line may ask about, with the conditions and values that fit it."""
    found = [
        {
            "id": one.id,
            "label": one.label,
            "group": one.group.value,
            "kind": one.kind.value,
            "choices": list(one.choices),
            "unit": one.unit,
            "definition": one.definition,
            "witnesses": [witness.value for witness in one.witnesses],
            "conditions": list(conditions_for(one)),
            "why": reason_for(one).why,
            "remedy": reason_for(one).remedy,
            "by_check": one.stage is Stage.CHECK,
        }
        for one in REGISTRY.values()
    ]
    return JsonResponse({"characteristics": found})


@require_POST
@permission_required("shelf.add_specversion", raise_exception=True)
def read_rows(request: HttpRequest) -> JsonResponse:
    """Read a spec that is being written: "text" or "document"; answer with both, and every mistake with its line.

    With "document", "before" is the text that it was changed from: what did not change stays as it stands there.

    With "keep" it is kept as the draft of its writer; "slug" is that of the spec, empty for a new one.
    """
    try:
        asked = json.loads(request.body)
        text, document = asked.get("text"), asked.get("document")
        before = asked.get("before")
        if not isinstance(text, str) and not isinstance(document, dict):
            raise TypeError
    except (ValueError, TypeError, AttributeError, RecursionError):
        return JsonResponse({"error": "expected JSON with text or document"}, status=400)
    if not isinstance(text, str):
        try:
            text = _written(document, before if isinstance(before, str) else "")
        except (ValueError, TypeError, RecursionError):
            return JsonResponse({"error": "the document has values that a spec cannot have"}, status=400)
    if len(text) > LARGEST_SPEC:
        return JsonResponse({"error": f"met {len(text)} characters; expected at most {LARGEST_SPEC}"}, status=400)
    if asked.get("keep"):
        keep_draft(
            str(asked.get("slug") or "").replace("\x00", "")[:64], text.replace("\x00", ""), by=signed_in(request)
        )
    return JsonResponse(_read(text))


def _written(document: dict[str, Any], before: str) -> str:
    """A document as text; where it had notes before, as it was written then."""
    if "#" in before and len(before) <= _LARGEST_NOTED:
        with suppress(SpecRefused):
            return rewritten(before, document)
    return document_as_yaml(document)


def _read(text: str) -> dict[str, Any]:
    """A text as a document, and what is wrong with it; the document is nothing where the text is no mapping."""
    mistakes: list[Mistake] = []
    required: list[str] = []
    document = None
    try:
        document = json.loads(json.dumps(read_document(text), default=str))
        spec = read_text(text)
        required = [line.condition.required() for line in spec.lines]
    except SpecRefused as error:
        mistakes = list(error.mistakes)
    lines = document.get("lines") if isinstance(document, dict) else None
    ids = [one.get("id") if isinstance(one, dict) else None for one in lines] if isinstance(lines, list) else []
    told = [{"line": _line_of(one, ids), "place": one.place, "says": one.says} for one in mistakes]
    return {
        "text": text,
        "document": document,
        "mistakes": told,
        "required": required,
        "inherited": _inherited(document),
    }


def _inherited(document: Any) -> list[dict[str, Any]]:
    """The lines of the spec that a document extends, each as it stands there."""
    extends = document.get("extends") if isinstance(document, dict) else None
    base = newest_of(extends) if isinstance(extends, str) else None
    if base is None:
        return []
    return [
        {
            "id": line.id,
            "label": line.label,
            "characteristic": line.characteristic.id,
            "required": line.condition.required(),
            "weight": line.weight.value,
            "line": _raw(line),
        }
        for line in base.parsed().lines
    ]


def _raw(line: Line) -> dict[str, Any]:
    """A line as a document has it."""
    raw = {"id": line.id, "characteristic": line.characteristic.id, "condition": line.raw_condition}
    optional = {
        "label": line.label if line.label != line.characteristic.label else "",
        "weight": line.weight.value if line.weight is not Weight.MUST else "",
        "witness": [one.value for one in line.witnesses],
        "why": line.why,
        "remedy": line.remedy,
    }
    found: dict[str, Any] = json.loads(json.dumps({**raw, **{key: one for key, one in optional.items() if one}}))
    return found


def _line_of(mistake: Mistake, ids: list[Any]) -> int | None:
    """The number of the line that a mistake is about, from 0; none for what stands above the lines."""
    found = _OF_LINE.match(mistake.place)
    if not found:
        return None
    if found["number"]:
        return int(found["number"]) - 1
    return ids.index(found["id"]) if found["id"] in ids else None


@require_POST
@permission_required("shelf.add_specversion", raise_exception=True)
def forget_draft(request: HttpRequest) -> HttpResponse:
    """Throw the draft of a spec away; "slug" is that of the spec, empty for a new one."""
    slug = words(request.POST, "slug")[:64]
    drop_draft(slug, by=signed_in(request))
    known = Spec.objects.filter(slug=slug).exists()
    return redirect("change-spec", slug) if known else redirect("new-spec")


def draft_of(request: HttpRequest, slug: str) -> Draft | None:
    """What a person was writing of a spec and did not publish."""
    return Draft.objects.filter(owner=signed_in(request), slug=slug).first()
