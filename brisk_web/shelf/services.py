"""Verbs of the spec shelf."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.utils import timezone

from brisk_core.spec import Spec as Document
from brisk_core.spec import shelf_specs, spec_to_document
from brisk_web.house.services import record
from brisk_web.shelf.models import Spec, SpecVersion


@transaction.atomic
def publish(document: Document, *, by: Any = None) -> SpecVersion:
    """Publish a document as the next version of its spec; the same document again gives the version that has it."""
    spec, _ = Spec.objects.select_for_update().get_or_create(
        slug=document.id, defaults={"name": document.name, "family": document.family}
    )
    plain = spec_to_document(document)
    current = spec.current
    if current and current.document == plain:
        return current
    version = SpecVersion.objects.create(
        spec=spec,
        number=(current.number + 1) if current else 1,
        document=plain,
        source=document.source,
        issued=document.issued,
        review_by=document.review_by,
        line_count=len(document.lines),
        published_at=timezone.now(),
    )
    Spec.objects.filter(pk=spec.pk).update(name=document.name, family=document.family)
    record("spec.published", version, f"Published {version}", by=by)
    return version


def publish_shelf() -> list[SpecVersion]:
    """Publish every shipped spec that is not on the shelf as it ships."""
    return [publish(document) for document in shelf_specs().values()]
