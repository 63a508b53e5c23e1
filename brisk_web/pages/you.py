"""The page of the person who is signed in."""

from __future__ import annotations

from typing import Any

from django import forms
from django.conf import settings
from django.contrib import messages
from django.forms.utils import flatatt
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString, mark_safe

from brisk_web.accounts.models import Preference
from brisk_web.accounts.people import signed_in
from brisk_web.accounts.zones import zones_by_part


class LongSelect(forms.Select):
    """A choice among hundreds, written at once: a template for each of them takes a quarter of a second."""

    def render(self, name: str, value: object, attrs: Any = None, renderer: object = None) -> SafeString:
        """Return the element with its groups of options."""
        context = self.get_context(name, value, attrs)["widget"]
        groups = [
            (group, format_html_join("\n", '<option value="{}"{}>{}</option>', (_option(one) for one in options)))
            for group, options, _ in context["optgroups"]
        ]
        inner = format_html_join(
            "\n",
            "{}",
            ((format_html('<optgroup label="{}">{}</optgroup>', *one) if one[0] else one[1],) for one in groups),
        )
        return format_html('<select name="{}"{}>{}</select>', context["name"], flatatt(context["attrs"]), inner)


def _option(option: dict[str, Any]) -> tuple[object, object, object]:
    return option["value"], mark_safe(" selected") if option["selected"] else "", option["label"]


class PreferenceForm(forms.ModelForm):  # type: ignore[type-arg]  # it takes none when it runs
    """What a person chooses for themselves."""

    time_zone = forms.ChoiceField(label="Your time zone", required=False, widget=LongSelect)

    class Meta:
        model = Preference
        fields = ("time_zone",)

    def __init__(self, *args: object, **kwargs: object) -> None:
        super().__init__(*args, **kwargs)  # type: ignore[arg-type]
        house = ("", f"that of the house: {settings.HOUSE_TIME_ZONE}")
        self.fields["time_zone"].choices = [house, ("UTC", "UTC"), *zones_by_part()]  # type: ignore[attr-defined]


def you(request: HttpRequest) -> HttpResponse:
    """Choose what is told to oneself, and how."""
    person = signed_in(request)
    preference = Preference.objects.filter(user=person).first() or Preference(user=person)
    form = PreferenceForm(request.POST or None, instance=preference)
    if request.method == "POST" and form.is_valid():
        form.save()
        messages.success(request, "Saved: times are told in your zone from now on.")
        return redirect("you")
    return render(request, "pages/you.html", {"form": form, "roles": person.groups.order_by("name")})
