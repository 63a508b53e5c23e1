"""The page of the person who is signed in."""

from __future__ import annotations

import time
from typing import Any

from django import forms
from django.conf import settings
from django.contrib import messages
from django.contrib.auth import update_session_auth_hash
from django.contrib.auth.forms import PasswordChangeForm
from django.contrib.auth.models import User
from django.db import transaction
from django.forms.utils import flatatt
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString, mark_safe
from django.views.decorators.debug import sensitive_post_parameters
from django.views.decorators.http import require_http_methods

from brisk_web.accounts import second_step
from brisk_web.accounts.models import Preference, ProviderAccount
from brisk_web.accounts.people import signed_in
from brisk_web.accounts.signing_in import OWES_PASSWORD
from brisk_web.accounts.zones import zones_by_part
from brisk_web.house.services import record
from brisk_web.house.sessions import sessions_of

_FEW_CODES = 3
_WRONG, _MOST_WRONG, _WITHIN_S = "wrong-passwords", 8, 600  # tries at one's own password at a screen that was left open


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
    context = {"form": form, "roles": person.groups.order_by("name"), "signs_in": _ways_in(person)}
    return render(request, "pages/you.html", context)


def _ways_in(person: User) -> list[tuple[str, str, str, bool]]:
    """By what this person signs in, and who else does for them: title, address, how it stands, whether to look."""
    asks, left = second_step.has_second_step(person), second_step.codes_left(person)
    sessions, provider = len(sessions_of(person)), settings.SIGN_IN_PROVIDER
    tokens = person.tokens.filter(retired_at=None).count()
    codes = f"{left} recovery code{'' if left == 1 else 's'} left"
    joins = ProviderAccount.objects.filter(user=person).exists()
    return [
        ("Change your password", reverse("password"), "", False),
        ("Second step", reverse("second-step"), f"on, {codes}" if asks else "off", asks and left < _FEW_CODES),
        ("Passkeys", reverse("passkeys"), str(person.passkeys.count() or "none"), False),
        *([(provider.name, reverse("join-provider"), "on" if joins else "off", False)] if provider else []),
        ("Where you are signed in", reverse("sessions"), f"{sessions} session{'' if sessions == 1 else 's'}", False),
        ("Tokens for other programs", reverse("tokens"), str(tokens) if tokens else "none", False),
    ]


class PasswordForm(PasswordChangeForm):
    """A new password, by whoever knows the one of now."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["old_password"].label = "Your password now"
        self.fields["new_password1"].label = "New password"
        self.fields["new_password2"].label = "New password again"
        for field in self.fields.values():
            field.help_text = ""


@require_http_methods(["GET", "POST"])
@sensitive_post_parameters()
def password(request: HttpRequest) -> HttpResponse:
    """Change one's own password; every other session of this person ends with it."""
    person = signed_in(request)
    now = time.time()
    wrong = [one for one in request.session.get(_WRONG, []) if now - one < _WITHIN_S]
    if request.method == "POST" and len(wrong) >= _MOST_WRONG:
        messages.error(request, "Too many wrong passwords; try again in ten minutes.")
        return render(request, "pages/password.html", {"form": PasswordForm(person)}, status=429)
    form = PasswordForm(person, request.POST if request.method == "POST" else None)
    if request.method == "POST" and form.is_valid():
        with transaction.atomic():
            form.save()
            Preference.objects.filter(user=person).update(password_given=False)
            record("person.password", person, "Changed their password", by=person)
        update_session_auth_hash(request, person)
        for name in (_WRONG, OWES_PASSWORD):
            request.session.pop(name, None)
        messages.success(request, "Your password is changed. Wherever else you were signed in, you no longer are.")
        return redirect("you")
    if "old_password" in form.errors:
        request.session[_WRONG] = [*wrong, now]
    context = {"form": form, "owes": request.session.get(OWES_PASSWORD)}
    return render(request, "pages/password.html", context, status=422 if form.is_bound else 200)
