"""Forms of jobs and deliverables."""

from __future__ import annotations

from itertools import groupby
from typing import Any

from django import forms
from django.db.models import Q

from brisk_core.edit import parse_range
from brisk_core.errors import RangeRefused
from brisk_web.accounts.people import people_here
from brisk_web.edits.models import Timeline
from brisk_web.house.services import defaults
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.jobs.services import deliverable_defaults
from brisk_web.pages.changing import SeenMixin
from brisk_web.pages.defaults import KindOfWorkField, read_rule
from brisk_web.shelf.models import published_by_family


class JobForm(SeenMixin, forms.ModelForm):  # type: ignore[type-arg]  # it takes none when it runs
    """A new job, or the title and the kind of work of one."""

    class Meta:
        model = Job
        fields = ("title", "kind_of_work")

    kind_of_work = KindOfWorkField(
        help_text="Specs may ask for it: more bits for sport, another rate for a drawn film."
    )

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        if self.instance.pk:
            self.keep(self.instance)
        else:
            self.initial["kind_of_work"] = defaults().kind_of_work

    def fields_of_job(self) -> dict[str, str]:
        """What was entered, by the names of the fields."""
        return {name: self.cleaned_data[name] for name in self.Meta.fields}


class DeliverableForm(SeenMixin, forms.ModelForm):  # type: ignore[type-arg]  # it takes none when it runs
    """A new deliverable of one job, or one that is changed."""

    range_text = forms.CharField(
        label="Range",
        required=False,
        help_text="IN-OUT in timecodes or frames of the timeline; OUT is the first frame after. Empty for all of it.",
    )
    due_at = forms.DateTimeField(
        label="Due",
        required=False,
        widget=forms.DateTimeInput(attrs={"type": "datetime-local"}, format="%Y-%m-%dT%H:%M"),
    )

    class Meta:
        model = Deliverable
        fields = (
            "name", "spec_version", "timeline", "range_text", "naming_rule", "due_at", "assigned_to", "rendered_by",
            "rendered_by_email", "language", "two_sign",
        )  # fmt: skip
        labels = {
            "spec_version": "Spec",
            "naming_rule": "Naming rule",
            "assigned_to": "Looked after by",
            "rendered_by": "Rendered by",
            "rendered_by_email": "E-mail of who renders it",
            "language": "Language",
            "two_sign": "Two people sign it",
        }
        help_texts = {
            "naming_rule": "# is a digit of the attempt, * any characters: OLP_CANAL_WIDE_V##.mp4",
            "rendered_by": "The editor or house that is asked again.",
            "language": "As it stands in file names: EN, de-AT.",
        }

    attempts_too = forms.BooleanField(
        label="Judge the attempts that are there by it too",
        required=False,
        initial=True,
        help_text="Without it they keep the spec, timeline and range that they were taken in by.",
    )

    def __init__(self, *args: Any, job: Job, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.instance.job = job
        if self.instance.pk:
            self.keep(self.instance)
            self.initial["range_text"] = self.instance.range_entry
        else:
            del self.fields["attempts_too"]
            self.initial.update(deliverable_defaults())
        published = published_by_family()
        self.fields["spec_version"].queryset = published  # type: ignore[attr-defined]
        families = groupby(published, key=lambda version: version.spec.family)
        choices = [(family, [(version.pk, str(version)) for version in versions]) for family, versions in families]
        self.fields["spec_version"].choices = [("", "choose one"), *choices]  # type: ignore[attr-defined]
        for name in ("spec_version", "timeline"):
            self.fields[name].widget.attrs["data-filter"] = True
        self.fields["assigned_to"].queryset = people_here()  # type: ignore[attr-defined]
        self.fields["assigned_to"].empty_label = "nobody"  # type: ignore[attr-defined]
        timelines = self.fields["timeline"]
        offered = Q(retired_at=None) | Q(pk=self.instance.timeline_id)
        timelines.queryset = Timeline.objects.filter(offered, job=job)  # type: ignore[attr-defined]
        timelines.required = False

    def clean_naming_rule(self) -> str:
        """Refuse a rule that no file name could fit."""
        return read_rule(self.cleaned_data["naming_rule"])

    def clean(self) -> dict[str, Any]:
        """Read the range on the chosen timeline, and keep names apart within the job."""
        cleaned = super().clean() or {}
        timeline, text = cleaned.get("timeline"), cleaned.get("range_text")
        self.instance.range_start = self.instance.range_end = None
        if text and not timeline:
            self.add_error("range_text", "a range needs a timeline")
        elif text and timeline:
            try:
                covered = parse_range(text, timeline.edit)
            except RangeRefused as error:
                self.add_error("range_text", str(error))
            else:
                self.instance.range_start, self.instance.range_end = covered.start, covered.end
        name = cleaned.get("name")
        others = Deliverable.objects.filter(job=self.instance.job).exclude(pk=self.instance.pk)
        if name and others.filter(name=name).exists():
            self.add_error("name", f"the job has a deliverable {name!r} already")
        return cleaned
