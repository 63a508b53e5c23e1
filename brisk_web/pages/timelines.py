"""Timelines: import, the page of one, its range, and export with findings."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django import forms
from django.contrib import messages
from django.contrib.auth.decorators import permission_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET, require_POST

from brisk_core.edit import (
    EditHints,
    Flag,
    FrameRange,
    SourceUse,
    Target,
    compare_edits,
    parse_range,
    sources_against,
    write_edl,
    write_otio,
)
from brisk_core.edit import Timeline as Edit
from brisk_core.edit.sources import TROUBLE
from brisk_core.errors import CoreError, EditRefused, RangeRefused, ValueRefused
from brisk_core.exact import nominal_frames, spell_rate
from brisk_core.spec import target_of
from brisk_web.accounts.people import signed_in
from brisk_web.checks.flags import flags_of
from brisk_web.checks.models import Check
from brisk_web.edits import services
from brisk_web.edits.models import EdlText, Timeline
from brisk_web.house.models import in_use
from brisk_web.house.services import defaults
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.jobs.services import set_range as set_range_of
from brisk_web.pages.changing import SeenMixin
from brisk_web.ui.asking import asked_id

_CELLS = 40  # of the drawn pattern of a change of rate
_SAID = ("size", "scan", "pixel_aspect", "sample_rate")  # of an edit, beside its file
_OFFERED = 40  # newest checks whose findings can be exported


class TimelineForm(forms.Form):
    """An edit file and what its format may not say."""

    file = forms.FileField(help_text="An OTIO document or bundle, an AAF file, or an EDL.")
    replaces = forms.ModelChoiceField(
        Timeline.objects.none(),
        required=False,
        empty_label="nothing, it is a new edit",
        help_text="The version before it: what changed is told.",
    )
    rate = forms.CharField(
        label="Frame rate",
        required=False,
        help_text="An EDL does not state it. Such as 25 or 29.97; empty: as the file says.",
    )
    size = forms.CharField(required=False, help_text="Such as 1920×1080.")
    scan = forms.ChoiceField(
        required=False, choices=[("", "as the file says"), ("progressive", "progressive"), ("interlaced", "interlaced")]
    )
    pixel_aspect = forms.CharField(label="Pixel aspect", required=False, help_text="Such as 1:1 or 64:45.")
    sample_rate = forms.CharField(label="Sample rate, Hz", required=False, help_text="Such as 48000.")

    def __init__(self, *args: object, job: Job, replaces: int, **kwargs: object) -> None:
        """Offer the job's timelines, and what was said of the newest one; ``replaces`` is chosen from the beginning."""
        newest = in_use(job.timelines.all()).first()
        known = defaults()
        said: dict[str, object] = {"rate": known.rate}
        said |= _said_before(newest) | {"replaces": replaces} if newest else {}
        kwargs.setdefault("initial", said)
        super().__init__(*args, **kwargs)  # type: ignore[arg-type]
        for name, value in services.assumed_here().items():
            if value:
                field = self.fields[name]
                field.help_text = f"{field.help_text} Empty: as the file says, else {value}.".strip()
        self.fields["replaces"].queryset = in_use(job.timelines.all())  # type: ignore[attr-defined]

    def clean(self) -> dict[str, object]:
        """Read every hint by itself, so that each mistake stands at its field."""
        cleaned = super().clean() or {}
        for name in ("rate", *_SAID):
            try:
                EditHints.from_json({name: cleaned.get(name)})
            except ValueRefused as error:
                self.add_error(name, str(error))
        return cleaned

    def hints(self) -> dict[str, object]:
        """The hints that were given."""
        return {name: value for name, value in self.cleaned_data.items() if name not in ("file", "replaces") and value}


def _said_before(timeline: Timeline) -> dict[str, object]:
    """What a person, or the file, said of an earlier edit: the next version of it is most often the same."""
    document = timeline.document
    size = document["size"]
    return {
        "size": f"{size[0]}×{size[1]}" if size else "",
        "scan": document["scan"] or "",
        "pixel_aspect": document["pixel_aspect"] or "",
        "sample_rate": document["sample_rate"] or "",
    }


@permission_required("edits.add_timeline", raise_exception=True)
def import_timeline(request: HttpRequest, job_id: int) -> HttpResponse:
    """Import an edit into a job."""
    job = get_object_or_404(Job, pk=job_id)
    before = asked_id(request.GET, "replaces")
    form = TimelineForm(request.POST or None, request.FILES or None, job=job, replaces=before)
    if request.method == "POST" and form.is_valid():
        try:
            timeline = services.import_timeline(
                job,
                form.cleaned_data["file"],
                form.hints(),
                assumed=services.assumed_here(),
                replaces=form.cleaned_data["replaces"],
                by=signed_in(request),
            )
            return redirect("timeline", timeline.pk)
        except CoreError as error:
            form.add_error("file", str(error))
    context = {"form": form, "heading": "Import a timeline", "action": "Import", "job": job}
    return render(request, "jobs/form.html", context)


class ChangeTimelineForm(SeenMixin, forms.Form):
    """The name of a timeline, and what its file could not say."""

    name = forms.CharField(max_length=200)
    size = forms.CharField(required=False, help_text="Such as 1920×1080.")
    scan = forms.ChoiceField(
        required=False, choices=[("", "not said"), ("progressive", "progressive"), ("interlaced", "interlaced")]
    )
    pixel_aspect = forms.CharField(label="Pixel aspect", required=False, help_text="Such as 1:1 or 64:45.")
    sample_rate = forms.CharField(label="Sample rate, Hz", required=False, help_text="Such as 48000.")
    rate = forms.CharField(
        label="Frame rate of the EDL",
        required=False,
        help_text="It is read again at another one; ranges keep their timecodes.",
    )

    def __init__(self, *args: object, timeline: Timeline, **kwargs: object) -> None:
        """Begin with what is said of a timeline."""
        said = _said_before(timeline) | {"name": timeline.name}
        if timeline.edit.rate_stated:
            said["rate"] = spell_rate(timeline.edit.rate).partition(" ")[0]
        super().__init__(*args, **{"initial": said, **kwargs})  # type: ignore[arg-type]
        self.keep(timeline)
        if not EdlText.objects.filter(timeline=timeline).exists():
            del self.fields["rate"]  # its file states it

    def clean(self) -> dict[str, Any]:
        """Read every value by itself, so that each mistake stands at its field."""
        cleaned = super().clean()
        for name in ("rate", *_SAID):
            try:
                EditHints.from_json({name: cleaned.get(name)})
            except ValueRefused as error:
                self.add_error(name, str(error))
        return cleaned


@permission_required("edits.add_timeline", raise_exception=True)
def change_timeline(request: HttpRequest, timeline_id: int) -> HttpResponse:
    """Rename a timeline or mend what was said of it; what is held against it is judged again."""
    timeline = get_object_or_404(Timeline.objects.select_related("job"), pk=timeline_id)
    form = ChangeTimelineForm(request.POST or None, timeline=timeline)
    if request.method == "POST" and form.is_valid():
        said = {name: form.cleaned_data[name] for name in _SAID}
        rate = form.cleaned_data.get("rate", "")
        try:
            changed = services.change_timeline(
                timeline, form.cleaned_data["name"], said, rate=rate, by=signed_in(request)
            )
        except CoreError as error:
            form.add_error("rate" if "rate" in form.fields else None, str(error))
        else:
            again = " What is held against it was judged again." if changed else ""
            messages.success(request, f"{timeline.name} is changed.{again}")
            return redirect("timeline", timeline.pk)
    context = {"form": form, "heading": f"Change {timeline.name}", "action": "Save", "job": timeline.job}
    return render(request, "jobs/form.html", context)


@require_GET
def timeline_page(request: HttpRequest, timeline_id: int) -> HttpResponse:
    """The edit drawn as lanes, and what happens to each source on its way to a target."""
    timeline = get_object_or_404(Timeline.objects.select_related("job", "replaces"), pk=timeline_id)
    edit = timeline.edit
    deliverables = list(in_use(timeline.deliverables.all()).select_related("spec_version__spec"))
    targets = [("timeline", Target.of_timeline(edit))]
    targets += [(str(one.pk), target_of(one.spec_version.parsed(), one.name, edit)) for one in deliverables]
    chosen = request.GET.get("target", "timeline")
    target = dict(targets).get(chosen, targets[0][1])
    known = services.known_sources(edit)
    uses = sources_against(edit, target, [source for source, _ in known])
    checks = Check.objects.filter(timeline=timeline, render__isnull=False).select_related("render__deliverable")
    context = {
        "timeline": timeline,
        "edit": edit,
        "targets": targets,
        "chosen": chosen if chosen in dict(targets) else "timeline",
        "target": target,
        "rows": [{"use": use, "file": known[use.number][1], "pattern": _pattern(use)} for use in uses],
        "troubled": sum(use.weight == TROUBLE for use in uses),
        "changes": compare_edits(timeline.replaces.edit, edit) if timeline.replaces else None,
        "deliverables": deliverables,
        "checks": checks.order_by("-pk")[:_OFFERED],
        "page_data": _page_data(edit, uses, deliverables),
    }
    return render(request, "edits/timeline.html", context)


def _pattern(use: SourceUse) -> list[dict[str, object]]:
    """The cells of the drawn pattern of a change of rate."""
    change = next((one.rate_change for one in use.changes if one.rate_change), None)
    if change is None or change.source == change.target:
        return []
    return [
        {
            "kind": "repeat" if step.repeats else "dropped" if step.skipped else "plain",
            "says": f"source frame {step.first}"
            + (", shown again" if step.repeats else "")
            + (f", then {step.skipped} left out" if step.skipped else ""),
        }
        for step in change.steps[:_CELLS]
    ]


def _page_data(edit: Edit, uses: list[SourceUse], deliverables: list[Deliverable]) -> dict[str, object]:
    """What the script of the page needs."""
    weights = {use.number: use.weight for use in uses}
    return {
        "length": edit.length,
        "rate": float(edit.rate),
        "nominal": nominal_frames(edit.rate),
        "drop": bool(edit.start and edit.start.drop),
        "first": edit.start.frames if edit.start else 0,
        "lanes": [
            {
                "kind": lane.kind,
                "name": lane.name,
                "events": [
                    [
                        event.kind, event.name, event.start, event.end,
                        weights.get(event.source, 0) if event.source is not None else 0,
                        event.source if event.source is not None else -1,
                        float(event.speed),
                    ]
                    for event in lane.events
                ],
            }
            for lane in edit.lanes
        ],
        "marks": [[mark.name, mark.start] for mark in edit.marks],
        "ranges": {str(one.pk): [one.range_start or 0, one.range_end or edit.length] for one in deliverables},
    }  # fmt: skip


@require_POST
@permission_required("jobs.add_deliverable", raise_exception=True)
def set_range(request: HttpRequest, timeline_id: int) -> HttpResponse:
    """Set the range of a deliverable of this timeline."""
    timeline = get_object_or_404(Timeline, pk=timeline_id)
    deliverable = get_object_or_404(timeline.deliverables, pk=asked_id(request.POST, "deliverable"))
    text = f"{request.POST.get('in', '').strip()}-{request.POST.get('out', '').strip()}"
    try:
        covered = parse_range(text, timeline.edit)
    except RangeRefused as error:
        messages.error(request, f"The range was not set: {error}.")
    else:
        whole = covered == FrameRange.whole(timeline.edit)
        set_range_of(deliverable, None if whole else covered, by=signed_in(request))
        messages.success(request, f"The range of {deliverable.name} is {deliverable.range_text}.")
    return redirect("timeline", timeline.pk)


@require_GET
def export(request: HttpRequest, timeline_id: int, kind: str) -> HttpResponse:
    """The edit with the findings of a check as marks, as OTIO or as an EDL."""
    timeline = get_object_or_404(Timeline, pk=timeline_id)
    flags = []
    if request.GET.get("check"):
        flags = flags_of(get_object_or_404(Check, pk=asked_id(request.GET, "check"), timeline=timeline))
    return edit_file(timeline, flags, kind, f"{timeline.file_name.rsplit('.', 1)[0]}_findings")


def edit_file(timeline: Timeline, flags: Sequence[Flag], kind: str, stem: str) -> HttpResponse:
    """Answer with an edit and marks on it, as OTIO or as an EDL; ``stem`` is its name without the ending."""
    try:
        text = (write_otio if kind == "otio" else write_edl)(timeline.edit, flags)
    except EditRefused as error:
        return HttpResponse(str(error), status=409, content_type="text/plain")
    answer = HttpResponse(text, content_type="application/json" if kind == "otio" else "text/plain; charset=utf-8")
    answer["Content-Disposition"] = content_disposition_header(True, f"{stem}.{kind}") or "attachment"
    return answer


@require_GET
def timeline_json(request: HttpRequest, timeline_id: int) -> JsonResponse:
    """The timeline as JSON."""
    return JsonResponse(get_object_or_404(Timeline, pk=timeline_id).document)
