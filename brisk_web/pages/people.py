"""Page: who has an account in this house, for leads."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django import forms
from django.contrib import messages
from django.contrib.auth.decorators import permission_required
from django.contrib.auth.models import User
from django.db.models import Count, Exists, OuterRef, Q
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods, require_POST
from django_otp.plugins.otp_totp.models import TOTPDevice

from brisk_web.accounts.people import signed_in
from brisk_web.accounts.roles import OPERATOR, ROLES
from brisk_web.house import people as services
from brisk_web.house.people import PeopleRefused
from brisk_web.house.services import name_of
from brisk_web.ui.asking import words

_MAY = "auth.change_user"
_ROWS = 500


class PersonForm(forms.ModelForm):  # type: ignore[type-arg]  # it takes none when it runs
    """A new account."""

    role = forms.ChoiceField(choices=[(role, role) for role in ROLES], initial=OPERATOR)

    class Meta:
        model = User
        fields = ("username", "first_name", "last_name")
        labels = {"username": "Signs in as", "first_name": "First name", "last_name": "Last name"}
        help_texts = {"username": ""}


def _show(request: HttpRequest, *, status: int = 200, **more: Any) -> HttpResponse:
    counting = Count("tokens", filter=Q(tokens__retired_at=None), distinct=True)
    with_code = TOTPDevice.objects.filter(user=OuterRef("pk"), confirmed=True)
    people = User.objects.prefetch_related("groups").annotate(
        token_count=counting, passkey_count=Count("passkeys", distinct=True), has_second_step=Exists(with_code)
    )
    people = people.order_by("-is_active", "username")
    context = {
        "form": PersonForm(),
        "people": [(person, services.role_of(person)) for person in people[:_ROWS]],
        "roles": list(ROLES),
        "me": signed_in(request),
        **more,
    }
    answer = render(request, "house/people.html", context, status=status)
    answer["Cache-Control"] = "no-store"
    return answer


@require_http_methods(["GET", "POST"])
@permission_required(_MAY, raise_exception=True)
def people(request: HttpRequest) -> HttpResponse:
    """Everybody with an account, and a new one, whose first password is shown once."""
    if request.method != "POST":
        return _show(request)
    form = PersonForm(request.POST)
    if not form.is_valid():
        return _show(request, form=form, status=422)
    entered = form.cleaned_data
    person, password = services.invite(
        entered["username"], entered["first_name"], entered["last_name"], entered["role"], by=signed_in(request)
    )
    return _show(request, given=(person, password))


def _done(request: HttpRequest, verb: Callable[[], str]) -> HttpResponse:
    """Do something to an account and go back to the list, which says what came of it."""
    try:
        messages.success(request, verb())
    except PeopleRefused as error:
        messages.error(request, str(error))
    return redirect("people")


@require_POST
@permission_required(_MAY, raise_exception=True)
def change_role(request: HttpRequest, person_id: int) -> HttpResponse:
    """Give a person another role."""
    person, role = get_object_or_404(User, pk=person_id), words(request.POST, "role")

    def give() -> str:
        services.give_role(person, role, by=signed_in(request))
        return f"{name_of(person)} is {role} now."

    return _done(request, give)


@require_POST
@permission_required(_MAY, raise_exception=True)
def switch_person(request: HttpRequest, person_id: int) -> HttpResponse:
    """Let a person sign in again with ``again``, or no longer."""
    person, on = get_object_or_404(User, pk=person_id), bool(request.POST.get("again"))

    def switch() -> str:
        services.switch(person, on=on, by=signed_in(request))
        says = "can sign in again" if on else "can no longer sign in; what they did stays"
        return f"{name_of(person)} {says}."

    return _done(request, switch)


@require_POST
@permission_required(_MAY, raise_exception=True)
def end_sessions(request: HttpRequest, person_id: int) -> HttpResponse:
    """End wherever a person is signed in."""
    person = get_object_or_404(User, pk=person_id)

    def end() -> str:
        ended = services.end_sessions(person, by=signed_in(request))
        return f"{name_of(person)} was signed in {ended} times and no longer is."

    return _done(request, end)


@require_POST
@permission_required(_MAY, raise_exception=True)
def remove_second_step(request: HttpRequest, person_id: int) -> HttpResponse:
    """Let a person in with the password alone, whose phone is gone."""
    person = get_object_or_404(User, pk=person_id)

    def remove() -> str:
        removed = services.remove_second_step(person, by=signed_in(request))
        until = "until they switch the second step on again" if removed else "already"
        return f"{name_of(person)} signs in with the password alone {until}."

    return _done(request, remove)


@require_POST
@permission_required(_MAY, raise_exception=True)
def remove_passkeys(request: HttpRequest, person_id: int) -> HttpResponse:
    """Let nobody in by the passkeys of a person, whose device is gone."""
    person = get_object_or_404(User, pk=person_id)

    def remove() -> str:
        removed = services.remove_passkeys(person, by=signed_in(request))
        if not removed:
            return f"{name_of(person)} has no passkey."
        return f"No passkey signs {name_of(person)} in any more; their sessions have ended."

    return _done(request, remove)


@require_POST
@permission_required(_MAY, raise_exception=True)
def reset_password(request: HttpRequest, person_id: int) -> HttpResponse:
    """Give a person a new password, shown once."""
    person = get_object_or_404(User, pk=person_id)
    try:
        password = services.reset_password(person, by=signed_in(request))
    except PeopleRefused as error:
        messages.error(request, str(error))
        return redirect("people")
    return _show(request, given=(person, password))
