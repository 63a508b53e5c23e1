"""What jobs do when something is told of below."""

from __future__ import annotations

from typing import Any

from django.dispatch import receiver

from brisk_web.checks.events import version_applied
from brisk_web.jobs.models import Deliverable
from brisk_web.shelf.models import SpecVersion


@receiver(version_applied)
def owe_by_version(*, version: SpecVersion, **_: Any) -> None:
    """Owe what is owed by an older version of a spec by this one."""
    older = Deliverable.objects.filter(spec_version__spec=version.spec, spec_version__number__lt=version.number)
    older.update(spec_version=version)
