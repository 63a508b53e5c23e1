"""Specs that go out and come in: all of them as files, their lines as a table, several at once from files; and what is
owed by an older version moved to the newest.
"""

from __future__ import annotations

import csv
import io
import json
import zipfile
from collections.abc import Iterator, Mapping
from typing import Any

from django.contrib import messages
from django.contrib.auth.decorators import permission_required
from django.contrib.auth.models import User
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from brisk_core.errors import Mistake, SpecRefused
from brisk_core.spec import extended_by
from brisk_core.spec.document import LARGEST_SPEC, read_document
from brisk_web.accounts.people import signed_in
from brisk_web.jobs.models import Deliverable, owed
from brisk_web.jobs.services import change_deliverable
from brisk_web.shelf.models import Spec, newest_published
from brisk_web.shelf.services import publish, read_text, text_of

MOST_FILES = 200  #: brought in at once
_COLUMNS = (
    "spec", "version", "family", "line", "label", "characteristic", "witness", "condition", "required", "weight", "why",
    "remedy",
)  # fmt: skip
_FORMULA = ("=", "+", "-", "@", "\t", "\r")  # what a table would work out instead of showing it


@require_GET
def specs_archive(request: HttpRequest) -> HttpResponse:
    """The newest version of every spec as YAML, in one ZIP file."""
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        for version in newest_published():
            archive.writestr(f"{version.spec.slug}.yaml", text_of(version))
    answer = HttpResponse(packed.getvalue(), content_type="application/zip")
    answer["Content-Disposition"] = 'attachment; filename="specs.zip"'
    return answer


@require_GET
def lines_table(request: HttpRequest) -> HttpResponse:
    """Every line of the newest version of every spec, as CSV by RFC 4180."""
    answer = HttpResponse(content_type="text/csv; charset=utf-8")
    answer["Content-Disposition"] = 'attachment; filename="spec-lines.csv"'
    rows = csv.writer(answer, lineterminator="\r\n")
    rows.writerow(_COLUMNS)
    for row in _rows():
        rows.writerow([f"'{cell}" if cell.startswith(_FORMULA) else cell for cell in row])
    return answer


def _rows() -> Iterator[list[str]]:
    for version in newest_published():
        for line in version.parsed().lines:
            yield [
                version.spec.slug,
                str(version.number),
                version.spec.family,
                line.id,
                line.label,
                line.characteristic.id,
                " ".join(one.value for one in line.witnesses),
                json.dumps(line.raw_condition, ensure_ascii=False),
                line.condition.required(),
                line.weight.value,
                line.why,
                line.remedy,
            ]


@require_http_methods(["GET", "POST"])
@permission_required("shelf.add_specversion", raise_exception=True)
def bring_in(request: HttpRequest) -> HttpResponse:
    """Publish several specs from files, all or none: with a mistake in one nothing is published."""
    context: dict[str, object] = {}
    if request.method == "POST":
        files = request.FILES.getlist("specs")[: MOST_FILES + 1]
        if not files or len(files) > MOST_FILES:
            context["refused"] = f"Choose 1 to {MOST_FILES} files."
        else:
            published, wrong = _publish([(file.name or "", file) for file in files], by=signed_in(request))
            if not wrong:
                messages.success(request, f"Published {published} spec{'s' if published != 1 else ''}.")
                return redirect("specs")
            context["wrong"] = wrong
    return render(request, "shelf/bring_in.html", context, status=422 if context else 200)


def _publish(files: list[tuple[str, UploadedFile[bytes]]], *, by: User) -> tuple[int, list[tuple[str, list[Mistake]]]]:
    """Publish the specs of some files, those that others extend first; with a mistake in one, none.

    Returns how many were published, and the mistakes by the names of the files.
    """
    texts: dict[str, str] = {}
    wrong: list[tuple[str, list[Mistake]]] = []
    for name, file in files:
        try:
            texts[name] = _text(file)
        except SpecRefused as error:
            wrong.append((name, list(error.mistakes)))
    with transaction.atomic():
        for name in _bases_first(texts):
            try:
                publish(read_text(texts[name]), text=texts[name], by=by)
            except SpecRefused as error:
                wrong.append((name, list(error.mistakes)))
        if wrong:
            transaction.set_rollback(True)
    return len(texts), wrong


def _bases_first(texts: Mapping[str, str]) -> list[str]:
    """The names of some texts, each after those of the specs among them that it extends."""
    documents: dict[str, Mapping[str, Any]] = {}
    for name, text in texts.items():
        try:
            documents[name] = read_document(text)
        except SpecRefused:
            documents[name] = {}
    by_id = {id_: one for one in documents.values() if isinstance(id_ := one.get("id"), str)}

    def bases(name: str) -> int:
        """How many specs a text extends, one by way of another."""
        found: set[str] = set()
        extends = extended_by(documents[name])
        while extends in by_id and extends not in found:
            found.add(extends)
            extends = extended_by(by_id[extends])
        return len(found)

    return sorted(texts, key=bases)


def _text(file: UploadedFile[bytes]) -> str:
    """The text of a file. Raises ``SpecRefused``."""
    if (file.size or 0) > LARGEST_SPEC:
        raise SpecRefused([Mistake(place="file", says=f"met {file.size} bytes; expected at most {LARGEST_SPEC}")])
    try:
        text: str = file.read().decode("utf-8-sig")
    except UnicodeDecodeError:
        says = "it is not text in UTF-8; expected a spec in YAML or JSON"
        raise SpecRefused([Mistake(place="file", says=says)]) from None
    return text


@require_POST
@permission_required("shelf.add_specversion", raise_exception=True)
def move_deliverables(request: HttpRequest, slug: str) -> HttpResponse:
    """Move every deliverable that is owed by an older version of a spec to its newest one."""
    spec = get_object_or_404(Spec, slug=slug)
    current = spec.current
    moved = judged = 0
    if current is not None:
        with transaction.atomic():
            older = owed(Deliverable.objects.filter(spec_version__spec=spec)).exclude(spec_version=current)
            for deliverable in older.select_related("job", "timeline", "master").order_by("pk"):
                deliverable.spec_version = current
                judged += change_deliverable(
                    deliverable, attempts_too="attempts_too" in request.POST, by=signed_in(request)
                )
                moved += 1
    again = f" {judged} attempt{'s were' if judged != 1 else ' was'} judged again." if judged else ""
    messages.success(request, f"{moved} deliverable{'s' if moved != 1 else ''} moved to {current}.{again}")
    return redirect("spec", slug)
