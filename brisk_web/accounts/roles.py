"""The three roles: groups with permissions, brought up to date after every migration."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import Group, Permission

VIEWER, OPERATOR, LEAD = "viewer", "operator", "lead"

_OPERATOR = (
    "storage.add_mediafile",
    "inspections.cancel_inspection",
    "inspections.add_inspection",
    "jobs.add_job",
    "jobs.add_deliverable",
    "jobs.add_render",
    "edits.add_timeline",
    "checks.add_check",
    "planner.add_plan",
    "checks.add_waiver",
    "decisions.add_request",
    "decisions.add_watching",
    "decisions.add_signature",
    "handoff.add_handoff",
    "telling.add_comment",
)
_LEAD = (
    "checks.waive_must",
    "checks.take_back_any",
    "handoff.keep_destinations",
    "telling.keep_hooks",
    "watching.keep_watched",
    "shelf.add_specversion",
    "house.view_auditentry",
    "house.change_defaults",
    "work.add_pause",
    "auth.change_user",
    "storage.add_storageroot",
)

#: Permissions beyond looking, by role; each role has those of the one before it.
ROLES: dict[str, tuple[str, ...]] = {VIEWER: (), OPERATOR: _OPERATOR, LEAD: _OPERATOR + _LEAD}


def ensure_roles(**_: Any) -> None:
    """Create the groups and give them exactly their permissions."""
    for role, names in ROLES.items():
        group, _created = Group.objects.get_or_create(name=role)
        wanted = [
            permission
            for name in names
            for permission in Permission.objects.filter(
                content_type__app_label=name.split(".")[0], codename=name.split(".")[1]
            )
        ]
        group.permissions.set(wanted)
