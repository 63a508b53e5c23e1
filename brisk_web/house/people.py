"""Verbs of accounts: invite, give a role, switch off and on, a new password, end sessions."""

from __future__ import annotations

import secrets

from django.contrib.auth.models import Group, User
from django.db import transaction

from brisk_web.accounts import second_step
from brisk_web.accounts.models import Preference
from brisk_web.accounts.roles import LEAD, ROLES
from brisk_web.house.services import name_of, record
from brisk_web.house.sessions import end_every_session


class PeopleRefused(Exception):
    """Something that cannot be done to an account, with a sentence."""


def role_of(person: User) -> str:
    """Return the role of a person; empty for none."""
    names = {group.name for group in person.groups.all()}
    return next((role for role in reversed(ROLES) if role in names), "")


@transaction.atomic
def invite(username: str, first_name: str, last_name: str, role: str, *, by: User) -> tuple[User, str]:
    """Make an account with a password that its owner changes when signing in first; return both."""
    person = User.objects.create(username=username, first_name=first_name, last_name=last_name)
    _join(person, role)
    record("person.invited", person, f"Made an account for {name_of(person)}, {role}", by=by)
    return person, _given_password(person)


@transaction.atomic
def give_role(person: User, role: str, *, by: User) -> None:
    """Give a person another role. Raises ``PeopleRefused``."""
    _may_touch(person, by)
    if role not in ROLES:
        raise PeopleRefused(f"met {role[:40]!r} as a role; expected one of {', '.join(ROLES)}")
    before = role_of(person)
    if before == LEAD and role != LEAD:
        _keep_a_lead(person)
    _join(person, role)
    record("person.role", person, f"{name_of(person)} is {role} now, was {before or 'nothing'}", by=by)


@transaction.atomic
def switch(person: User, *, on: bool, by: User) -> None:
    """Let a person sign in, or no longer; whatever they did stays. Raises ``PeopleRefused``."""
    _may_touch(person, by)
    if not on and role_of(person) == LEAD:
        _keep_a_lead(person)
    person.is_active = on
    person.save(update_fields=["is_active"])
    if not on:
        end_every_session(person)
    says = "can sign in again" if on else "can no longer sign in"
    record("person.switched-on" if on else "person.switched-off", person, f"{name_of(person)} {says}", by=by)


@transaction.atomic
def reset_password(person: User, *, by: User) -> str:
    """Give a person another password, which they change when signing in next; their sessions and passkeys end."""
    _may_touch(person, by)
    record("person.password-reset", person, f"Gave {name_of(person)} a new password", by=by)
    person.passkeys.all().delete()  # whoever had the password could have added one
    end_every_session(person)
    return _given_password(person)


@transaction.atomic
def remove_second_step(person: User, *, by: User) -> bool:
    """Let a person whose phone is gone in with the password alone; return whether they were asked for more."""
    _may_touch(person, by)
    return let_in_without_second_step(person, by=by)


@transaction.atomic
def let_in_without_second_step(person: User, *, by: User | None) -> bool:
    """As ``remove_second_step``, asked by whoever runs the machine (``None``)."""
    if not second_step.remove(person):
        return False
    end_every_session(person)
    record("person.second-step-removed", person, f"{name_of(person)} signs in with the password alone", by=by)
    return True


@transaction.atomic
def remove_passkeys(person: User, *, by: User) -> int:
    """Let nobody in by the passkeys of a person, whose device is gone; return how many there were."""
    _may_touch(person, by)
    removed = person.passkeys.all().delete()[0]
    if removed:
        end_every_session(person)
        record("person.passkeys-removed", person, f"Removed {removed} passkeys of {name_of(person)}", by=by)
    return removed


@transaction.atomic
def end_sessions(person: User, *, by: User) -> int:
    """End wherever a person is signed in; return how many sessions there were."""
    _spare_administrators(person, by)
    ended = end_every_session(person)
    record("person.sessions-ended", person, f"Ended {ended} sessions of {name_of(person)}", by=by)
    return ended


def _may_touch(person: User, by: User) -> None:
    if person.pk == by.pk:
        raise PeopleRefused("This is your own account; somebody else has to do it.")
    _spare_administrators(person, by)


def _spare_administrators(person: User, by: User) -> None:
    if person.is_superuser and not by.is_superuser:
        raise PeopleRefused(f"{name_of(person)} administers this house; only an administrator can do this.")


def _keep_a_lead(person: User) -> None:
    """Raise ``PeopleRefused`` for the only lead; of two who take each other's place one comes first."""
    leads = User.objects.filter(groups__name=LEAD, is_active=True)
    list(leads.order_by("pk").select_for_update(of=("self",)))
    if not leads.exclude(pk=person.pk).exists():  # asked anew, once nobody else is at it
        raise PeopleRefused(f"{name_of(person)} is the only lead; make another one first.")


def _join(person: User, role: str) -> None:
    person.groups.remove(*Group.objects.filter(name__in=ROLES))
    person.groups.add(Group.objects.get(name=role))


def _given_password(person: User) -> str:
    text = secrets.token_urlsafe(12)
    person.set_password(text)
    person.save(update_fields=["password"])
    Preference.objects.update_or_create(user=person, defaults={"password_given": True})
    return text
