"""Page: what new jobs, deliverables, timelines and specs of the house begin with."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django import forms
from django.contrib import messages
from django.contrib.auth.decorators import permission_required
from django.forms import BoundField
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render

from brisk_core.edit import EditHints
from brisk_core.errors import ValueRefused
from brisk_core.spec import FAMILIES, NamePattern
from brisk_web.accounts.people import signed_in
from brisk_web.house.models import Defaults, kinds_of_work
from brisk_web.house.services import defaults, keep_defaults
from brisk_web.pages.changing import SeenMixin

_MOST_DAYS = 3660  # ten years
#: Fields by what begins with them.
_PARTS: dict[str, tuple[str, ...]] = {
    "A new job": ("kind_of_work",),
    "A new deliverable": (
        "naming_rule", "due_in_days", "due_time", "rendered_by", "rendered_by_email", "language", "two_sign",
    ),
    "An imported timeline": ("rate", "size", "scan", "pixel_aspect", "sample_rate"),
    "A new spec": ("spec_family", "spec_source", "review_in_days"),
}  # fmt: skip
_OF_TIMELINES = _PARTS["An imported timeline"]


class KindOfWorkField(forms.ChoiceField):
    """The kind of work that is ordered, or nothing."""

    def __init__(self, help_text: str = "") -> None:
        choices = [("", "not said"), *kinds_of_work()]
        super().__init__(label="Kind of work", required=False, choices=choices, help_text=help_text)


class DefaultsForm(SeenMixin, forms.ModelForm):  # type: ignore[type-arg]  # it takes none when it runs
    """What new things begin with."""

    kind_of_work = KindOfWorkField()
    due_in_days = forms.IntegerField(label="Due in, days", required=False, min_value=0, max_value=_MOST_DAYS)
    review_in_days = forms.IntegerField(label="Reviewed in, days", required=False, min_value=1, max_value=_MOST_DAYS)
    due_time = forms.TimeField(
        label="Due at", required=False, widget=forms.TimeInput(attrs={"type": "time"}, format="%H:%M")
    )
    scan = forms.ChoiceField(
        required=False, choices=[("", "not said"), ("progressive", "progressive"), ("interlaced", "interlaced")]
    )
    spec_family = forms.ChoiceField(
        label="Family", required=False, choices=[("", "web, as the example"), *((one, one) for one in FAMILIES)]
    )

    class Meta:
        model = Defaults
        fields = [name for names in _PARTS.values() for name in names]
        labels = {
            "naming_rule": "Naming rule",
            "rendered_by": "Rendered by",
            "rendered_by_email": "E-mail of who renders it",
            "two_sign": "Two people sign it",
            "rate": "Frame rate of an EDL",
            "pixel_aspect": "Pixel aspect",
            "sample_rate": "Sample rate, Hz",
            "spec_source": "Source",
        }
        help_texts = {
            "naming_rule": "# is a digit of the attempt, * any characters: OLP_*_V##.mp4",
            "language": "As it stands in file names: EN, de-AT.",
            "rate": "An EDL does not state it. Such as 25 or 29.97.",
            "size": "Where its file does not say. Such as 1920×1080.",
            "pixel_aspect": "Such as 1:1 or 64:45.",
            "sample_rate": "Such as 48000.",
            "spec_source": "Where requirements usually come from, with edition or section.",
        }

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        if self.instance.pk:
            self.keep(self.instance)

    def parts(self) -> list[tuple[str, list[BoundField]]]:
        """The fields by what begins with them."""
        return [(part, [self[name] for name in names]) for part, names in _PARTS.items()]

    def clean_naming_rule(self) -> str:
        """Refuse a rule that no file name could fit."""
        return read_rule(self.cleaned_data["naming_rule"])

    def clean(self) -> dict[str, Any]:
        """Read what is said of timelines as an import would."""
        cleaned = super().clean()
        for name in _OF_TIMELINES:
            try:
                EditHints.from_json({name: cleaned.get(name)})
            except ValueRefused as error:
                self.add_error(name, str(error))
        return cleaned


def read_rule(rule: str) -> str:
    """Return a naming rule as it was entered; raises ``ValidationError`` for one that no file name could fit."""
    if rule:
        try:
            NamePattern(rule)
        except ValueRefused as error:
            raise forms.ValidationError(str(error)) from error
    return rule


def _labels(form: DefaultsForm, changed: Sequence[str]) -> list[str]:
    return [str(form.fields[name].label or name).lower() for name in changed if name != "seen"]


@permission_required("house.change_defaults", raise_exception=True)
def house_defaults(request: HttpRequest) -> HttpResponse:
    """What new things begin with; changed here, it changes nothing that is there already."""
    form = DefaultsForm(request.POST or None, instance=defaults())
    if request.method == "POST" and form.is_valid():
        if changed := _labels(form, form.changed_data):
            keep_defaults(form.save(commit=False), changed, by=signed_in(request))
            messages.success(request, f"New things begin with this from now on: {', '.join(changed)}.")
        return redirect("house-defaults")
    return render(request, "house/defaults.html", {"form": form}, status=422 if form.errors else 200)
