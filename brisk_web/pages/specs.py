"""Pages: the shelf of specs, one spec's sheet, its document."""

from __future__ import annotations

import datetime
import json
from datetime import timedelta

from django.contrib import messages
from django.contrib.auth.decorators import permission_required
from django.db.models import Q
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from brisk_core.errors import Mistake, SpecRefused
from brisk_core.exact import spell_rate
from brisk_core.facts import Group
from brisk_core.plan.target import spell_delay
from brisk_core.spec import Line, Merged, merge_documents, spec_to_document
from brisk_core.spec import Spec as Document
from brisk_core.spec.document import read_document
from brisk_core.spec.written import rewritten
from brisk_web.accounts.people import signed_in
from brisk_web.checks import services
from brisk_web.checks.models import Check
from brisk_web.checks.services import Trial
from brisk_web.handoff.models import HandOff
from brisk_web.handoff.refusals import Reason, line_of, reasons_of
from brisk_web.house.models import AuditEntry, in_use
from brisk_web.house.services import defaults, target_of
from brisk_web.jobs.models import Deliverable, owed
from brisk_web.pages.spec_rows import draft_of
from brisk_web.shelf.models import Spec, SpecVersion, newest_by_due
from brisk_web.shelf.services import (
    Overtaken,
    drop_draft,
    house_words,
    newest_of,
    publish,
    read_text,
    review,
    text_of,
)
from brisk_web.storage.models import MediaFile
from brisk_web.ui.asking import asked_id, whole, words

_MOST_LISTED = 100  # deliverables that a spec is ordered for


@require_GET
def spec_list(request: HttpRequest) -> HttpResponse:
    """The shelf."""
    wanted, due = words(request.GET, "q"), words(request.GET, "show") == "due"
    today = timezone.localdate()
    versions = newest_by_due(today if due else None)
    if wanted:
        versions = versions.filter(
            Q(spec__name__icontains=wanted) | Q(spec__family__iexact=wanted) | Q(source__icontains=wanted)
        )
    context = {
        "versions": versions[:200],
        "wanted": wanted,
        "today": today,
        "due": due,
        "due_count": newest_by_due(today).count(),
    }
    return render(request, "shelf/spec_list.html", context)


def _version(slug: str, number: int | None) -> SpecVersion:
    spec = get_object_or_404(Spec, slug=slug)
    if number is None:
        if spec.current is None:
            raise Http404
        return spec.current
    return get_object_or_404(SpecVersion.objects.select_related("spec"), spec=spec, number=number)


@require_GET
def spec_sheet(request: HttpRequest, slug: str) -> HttpResponse:
    """One version of a spec, line by line."""
    version = _version(slug, whole(request.GET.get("version")))
    groups: dict[str, list[Line]] = {}
    document = version.parsed().in_words_of(house_words())
    for group in Group:
        lines = [line for line in document.lines if line.characteristic.group is group]
        if lines:
            groups[group.value] = lines
    today, reviewed = timezone.localdate(), version.reviews.select_related("by").first()
    due = reviewed.next_by if reviewed else version.review_by
    is_newest = version == version.spec.current
    using = owed(Deliverable.objects.filter(spec_version__spec=version.spec))
    context = {
        "version": version,
        "older": using.exclude(spec_version=version).count() if is_newest else 0,
        "groups": groups.items(),
        "origins": document.origins,
        "base": version.base,
        "base_newer": version.base is not None and newest_of(version.base.spec.slug) != version.base,
        "sources": in_use(version.spec.source_documents.all()).defer("data").select_related("added_by"),
        "companions": document.companions,
        "ladder": document.ladder,
        "copies": _copies_of(document),
        "left_out": document.document.get("without", []),
        "versions": version.spec.versions.filter(published_at__isnull=False),
        "earlier": version.spec.versions.filter(published_at__isnull=False, number__lt=version.number).first(),
        "behind": version.spec.versions.filter(number__lt=version.number, checks__isnull=False).count()
        if is_newest
        else 0,
        "reviewed": reviewed,
        "due": due,
        "overdue": bool(due and due < today),
        "next_by": today.replace(year=today.year + 1, day=min(today.day, 28)),
        "deliverables": using.select_related("job", "spec_version")
        .defer("spec_version__document", "spec_version__source")
        .order_by("job__title", "name")[:_MOST_LISTED],
        "deliverable_count": using.count(),
        "check_count": Check.objects.filter(spec_version__spec=version.spec).count(),
    }
    return render(request, "shelf/spec_sheet.html", context)


def _copies_of(document: Document) -> list[tuple[str, str, str]]:
    """The copies that a ladder tells of: label, most frames a second, and when each plays."""
    copies = document.ladder.copies if document.ladder else ()
    rates = (spell_rate(one.rate_at_most) if one.rate_at_most else "" for one in copies)
    return [(one.label, rate, spell_delay(one.delay)) for one, rate in zip(copies, rates, strict=True)]


@require_POST
@permission_required("shelf.add_specversion", raise_exception=True)
def review_spec(request: HttpRequest, slug: str) -> HttpResponse:
    """Note that the newest version was held against its source and nothing changed."""
    version = _version(slug, None)
    try:
        next_by = datetime.date.fromisoformat(words(request.POST, "next_by"))
    except ValueError:
        messages.error(request, "When is it to be looked at again? Expected a day.")
        return redirect("spec", slug)
    if next_by <= timezone.localdate():
        messages.error(request, f"{next_by:%d %b %Y} is no day to come.")
    else:
        review(version, next_by, by=signed_in(request))
        messages.success(request, f"{version} is as its source has it; next review by {next_by:%d %b %Y}.")
    return redirect("spec", slug)


@require_GET
def spec_document(request: HttpRequest, slug: str, number: int, kind: str) -> HttpResponse:
    """The document of a version as YAML or JSON."""
    version = _version(slug, number)
    if kind == "json":
        return JsonResponse(version.document)
    if kind != "yaml":
        raise Http404
    return HttpResponse(text_of(version), content_type="application/yaml; charset=utf-8")


_MOST_TRIED = 30  # checks or files by which a draft is tried, the newest

_EXAMPLE_SOURCE = "Where the requirements come from, with edition or section"
_EXAMPLE = """brisk_spec: 1
id: new-spec
name: New spec
family: {family}
source: {source}
issued: {today}
{review}lines:
  - id: frame-rate
    characteristic: picture.frame_rate
    condition: {{ equals: 25 }}
    why: What goes wrong otherwise.
    remedy: What to change.
"""


def _new_text(copied: str) -> str:
    """What a new spec begins with: an example, or the newest version of another under a name of its own."""
    other = Spec.objects.filter(slug=copied).first() if copied else None
    if other is None or other.current is None:
        known = defaults()
        by = timezone.localdate() + timedelta(days=known.review_in_days) if known.review_in_days else None
        return _EXAMPLE.format(
            today=timezone.localdate(),
            family=known.spec_family or "web",
            source=json.dumps(known.spec_source, ensure_ascii=False) if known.spec_source else _EXAMPLE_SOURCE,
            review=f"review_by: {by}\n" if by else "",
        )
    named = {"id": f"{other.slug}-copy"[:64], "name": f"{other.name}, copy", "issued": str(timezone.localdate())}
    return rewritten(text_of(other.current), {**other.current.document, **named})


def _refused(request: HttpRequest) -> tuple[HandOff, Reason] | None:
    """The hand-off and the reason of its refusal that a line is to be made of."""
    row = HandOff.objects.select_related("destination").filter(pk=asked_id(request.GET, "refusal")).first()
    number = asked_id(request.GET, "reason") or 0
    reasons = reasons_of(row) if row else []
    return (row, reasons[number - 1]) if row and 0 < number <= len(reasons) else None


def _with_line(text: str, row: HandOff, reason: Reason) -> str:
    """A spec's text with a line more, made of a reason; a draft that cannot be read stays as it is."""
    try:
        document = read_document(text)
    except SpecRefused:
        return text
    lines = document.get("lines")
    lines = lines if isinstance(lines, list) else []
    taken = {str(one.get("id")) for one in lines if isinstance(one, dict)}
    return rewritten(text, {**document, "lines": [*lines, line_of(reason, row, taken)]})


@require_http_methods(["GET", "POST"])
@permission_required("shelf.add_specversion", raise_exception=True)
def write_spec(request: HttpRequest, slug: str = "") -> HttpResponse:
    """Write a spec, or the next version of one, as a document; it is read as strictly as from a file."""
    current = _version(slug, None) if slug else None
    text = text_of(current) if current else _new_text(words(request.GET, "copy"))
    draft = draft_of(request, slug) if request.method == "GET" and "copy" not in request.GET else None
    if draft and draft.text != text:
        text = draft.text
    else:
        draft = None
    refused = _refused(request) if current and request.method == "GET" else None
    if refused:
        text = _with_line(text, *refused)
    mistakes: list[Mistake] = []
    trials: list[Trial] | None = None
    lines, merged, after = None, None, current.number if current else None
    if request.method == "POST":
        text = request.POST.get("document", "")
        after = whole(request.POST.get("after"), after)
        try:
            document = read_text(text)
            lines = len(document.lines)
            if current and document.id != slug:
                mistakes.append(
                    Mistake(place="id", says=f"met {document.id!r}; expected {slug!r}, which never changes")
                )
            elif not current and Spec.objects.filter(slug=document.id).exists():
                mistakes.append(Mistake(place="id", says=f"there is a spec {document.id!r} already; change that one"))
            elif "try" in request.POST:
                trials = _trials(document, current)
            elif "publish" in request.POST:
                version = publish(document, text=text, by=signed_in(request), after=after)
                drop_draft(slug, by=signed_in(request))
                messages.success(request, f"Published {version}")
                return redirect("spec", version.spec.slug)
        except SpecRefused as error:
            mistakes = list(error.mistakes)
        except Overtaken as error:
            current = error.current
            merged = _merged(current, after, document)
            text, after = rewritten(text, merged.document), current.number
    context = {
        "current": current, "text": text, "mistakes": mistakes, "lines": lines, "merged": merged, "after": after,
        "slug": slug, "draft": draft, "refused": refused,
        "publisher": _publisher(current) if merged and current else "", "trials": trials,
        "turned": sum(trial.turned for trial in trials or ()),
        "changed": sum(bool(trial.changed) for trial in trials or ()),
    }  # fmt: skip
    return render(request, "shelf/write_spec.html", context, status=422 if mistakes else 409 if merged else 200)


def _trials(document: Document, current: SpecVersion | None) -> list[Trial]:
    """What a draft would make of the newest checks of its spec, or of the newest files for a new one; changes first."""
    if current is None:
        files = MediaFile.objects.filter(inspection__document__isnull=False).select_related("inspection", "root")
        found = list(services.trials_of_files(document, files.order_by("-pk")[:_MOST_TRIED]))
    else:
        checks = (
            Check.objects.filter(spec_version__spec=current.spec)
            .order_by("-pk")
            .select_related("media_file__inspection", "spec_version", "timeline", "render__deliverable__job")
        )
        found = list(services.trials(document, checks.prefetch_related("findings")[:_MOST_TRIED]))
    return sorted(found, key=lambda trial: (not trial.turned, not trial.changed))


def _merged(current: SpecVersion, after: int | None, document: Document) -> Merged:
    """What somebody wrote from an older version, brought together with what was published since."""
    base = current.spec.versions.filter(number=after or 0).first()
    return merge_documents(base.document if base else {}, current.document, spec_to_document(document))


def _publisher(version: SpecVersion) -> str:
    """Who published a version, by the audit trail."""
    entries = AuditEntry.objects.filter(verb="spec.published", target=target_of(version)).select_related("actor")
    entry = entries.first()
    return str(entry.actor) if entry and entry.actor else "Somebody"
