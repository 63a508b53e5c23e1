"""Import of timelines into a job."""

from __future__ import annotations

from django import forms
from django.contrib.auth.decorators import permission_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET

from brisk_core.edit import EditHints
from brisk_core.errors import CoreError, ValueRefused
from brisk_web.edits import services
from brisk_web.edits.models import Timeline
from brisk_web.jobs.models import Job


class TimelineForm(forms.Form):
    """An edit file and what its format may not say."""

    file = forms.FileField(help_text="An OTIO document or an EDL.")
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

    def clean(self) -> dict[str, object]:
        """Read every hint by itself, so that each mistake stands at its field."""
        cleaned = super().clean() or {}
        for name in ("rate", "size", "scan", "pixel_aspect", "sample_rate"):
            try:
                EditHints.from_json({name: cleaned.get(name)})
            except ValueRefused as error:
                self.add_error(name, str(error))
        return cleaned

    def hints(self) -> dict[str, object]:
        """The hints that were given."""
        return {name: value for name, value in self.cleaned_data.items() if name != "file" and value}


@permission_required("edits.add_timeline", raise_exception=True)
def import_timeline(request: HttpRequest, job_id: int) -> HttpResponse:
    """Import an edit into a job."""
    job = get_object_or_404(Job, pk=job_id)
    form = TimelineForm(request.POST or None, request.FILES or None)
    if request.method == "POST" and form.is_valid():
        try:
            services.import_timeline(job, form.cleaned_data["file"], form.hints(), by=request.user)
            return redirect("job", job.pk)
        except CoreError as error:
            form.add_error("file", str(error))
    context = {"form": form, "heading": "Import a timeline", "action": "Import", "job": job}
    return render(request, "jobs/form.html", context)


@require_GET
def timeline_json(request: HttpRequest, timeline_id: int) -> JsonResponse:
    """The timeline as JSON."""
    return JsonResponse(get_object_or_404(Timeline, pk=timeline_id).document)
