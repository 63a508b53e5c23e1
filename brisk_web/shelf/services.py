"""Verbs of the spec shelf."""

from __future__ import annotations

import datetime
import hashlib
import json
from collections.abc import Mapping, Sequence
from contextlib import suppress
from typing import Any

import yaml
from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone

from brisk_core.exact import spell_bytes
from brisk_core.facts import REGISTRY, Characteristic
from brisk_core.spec import Spec as Document
from brisk_core.spec import extended_by, parse_spec, shelf_specs, spec_to_document
from brisk_core.spec.reasons import Reason, read_reason
from brisk_web.house.models import in_use
from brisk_web.house.services import record
from brisk_web.shelf.models import AsWritten, Draft, HouseWords, Review, SourceDocument, Spec, SpecVersion

_ORDER = (
    "brisk_spec", "id", "name", "family", "source", "issued", "review_by", "extends", "without", "lines", "ladder",
    "companions",
)  # fmt: skip
_ORDER_OF_LINE = ("id", "label", "characteristic", "witness", "condition", "weight", "why", "remedy")
_ORDER_OF_LADDER = (
    "when", "outcome", "otherwise", "why", "label", "lines", "rate_at_most", "codec", "bit_rate", "delay",
)  # fmt: skip


class Overtaken(Exception):
    """Somebody else has published a version since the one that a change was made from."""

    def __init__(self, current: SpecVersion) -> None:
        super().__init__(f"{current} was published meanwhile")
        self.current = current


def newest_of(slug: str) -> SpecVersion | None:
    """Return the newest version of a spec."""
    spec = Spec.objects.filter(slug=slug).first()
    return spec.current if spec else None


def read_text(text: str) -> Document:
    """Read a spec that somebody writes, with what it extends as it stands on the shelf. Raises ``SpecRefused``."""
    extends = extended_by(text)
    base = newest_of(extends) if extends else None
    return parse_spec(text, base.parsed() if base else None)


@transaction.atomic
def publish(document: Document, *, text: str = "", by: User | None = None, after: int | None = None) -> SpecVersion:
    """Publish a document as the next version of its spec; the same document again gives the version that has it.

    ``text`` is the document as it was written; its notes are kept with the version, also where they alone are new.
    ``after`` is the number of the version that the document was made from; raises ``Overtaken`` where another has been
    published since.
    """
    spec, _ = Spec.objects.select_for_update().get_or_create(
        slug=document.id, defaults={"name": document.name, "family": document.family}
    )
    plain = spec_to_document(document)
    # Without notes it says no more than the document; a browser ends lines in its own way.
    text = "\n".join(text.splitlines()) + "\n" if "#" in text else ""
    current = spec.current
    base = newest_of(document.base.id) if document.base else None
    if current and current.document == plain and current.base == base:
        if text and text != text_of(current):
            AsWritten.objects.update_or_create(version=current, defaults={"text": text})
            record("spec.noted", current, f"Changed the notes of {current}", by=by)
        return current
    if after is not None and current and current.number != after:
        raise Overtaken(current)
    version = SpecVersion.objects.create(
        spec=spec,
        number=(current.number + 1) if current else 1,
        document=plain,
        base=base,
        source=document.source,
        issued=document.issued,
        review_by=document.review_by,
        line_count=len(document.lines),
        published_at=timezone.now(),
    )
    if text:
        AsWritten.objects.create(version=version, text=text)
    Spec.objects.filter(pk=spec.pk).update(name=document.name, family=document.family)
    record("spec.published", version, f"Published {version}", by=by)
    return version


MOST_SOURCE = 24_000_000  # bytes of a document that a spec was written from
_MOST_NAME = 200


class SourceRefused(Exception):
    """A document that cannot be kept with a spec, with a sentence."""


@transaction.atomic
def attach(spec: Spec, name: str, data: bytes, *, by: User | None) -> SourceDocument:
    """Keep a document that a spec was written from; the same bytes are kept once. Raises ``SourceRefused``."""
    if not data:
        raise SourceRefused(f"{name} is empty; expected the receiver's document.")
    if len(data) > MOST_SOURCE:
        raise SourceRefused(f"{name} has {spell_bytes(len(data))}; expected at most {spell_bytes(MOST_SOURCE)}.")
    checksum = hashlib.sha256(data).hexdigest()
    known = in_use(spec.source_documents.all()).filter(checksum=checksum).defer("data").first()
    if known:
        raise SourceRefused(f"{known} is kept already and has the same contents.")
    made = SourceDocument.objects.create(
        spec=spec, name=name[-_MOST_NAME:], data=data, size=len(data), checksum=checksum, added_by=by
    )
    record("spec.source-attached", spec, f"Attached {made} to {spec}", by=by)
    return made


@transaction.atomic
def review(version: SpecVersion, next_by: datetime.date, *, by: User | None) -> Review:
    """Note that a version was held against its source, and when it is to be looked at again."""
    found = Review.objects.create(version=version, by=by, next_by=next_by)
    record("spec.reviewed", version, f"Reviewed {version}: nothing changed, next by {next_by:%d %b %Y}", by=by)
    return found


def keep_draft(slug: str, text: str, *, by: User) -> None:
    """Keep what a person is writing of a spec; an empty slug is a new one."""
    Draft.objects.update_or_create(owner=by, slug=slug, defaults={"text": text})


def drop_draft(slug: str, *, by: User) -> None:
    """Throw away what a person was writing of a spec."""
    Draft.objects.filter(owner=by, slug=slug).delete()


def house_words() -> dict[str, Reason]:
    """Return what the house says, by characteristic."""
    return {
        one.characteristic: read_reason(REGISTRY[one.characteristic], one.why, one.remedy)
        for one in HouseWords.objects.all()
        if one.characteristic in REGISTRY
    }


@transaction.atomic
def word(characteristic: Characteristic, why: str, remedy: str, *, by: User | None) -> None:
    """Set what the house says of a characteristic; with nothing it says what is shipped. Raises ``ValueRefused``."""
    if not why.strip() and not remedy.strip():
        for one in HouseWords.objects.filter(characteristic=characteristic.id):
            record("words.removed", one, f"Took back the house's words for {characteristic.label}", by=by)
            one.delete()
        return
    read_reason(characteristic, why, remedy)
    words, _ = HouseWords.objects.update_or_create(
        characteristic=characteristic.id, defaults={"why": why.strip(), "remedy": remedy.strip()}
    )
    record("words.set", words, f"Set the house's words for {characteristic.label}", by=by)


def publish_shelf() -> list[SpecVersion]:
    """Publish every shipped spec that has never been on the shelf as it ships; later versions by people stay on top."""
    found = []
    for document in shelf_specs().values():
        shipped = SpecVersion.objects.filter(spec__slug=document.id, document=spec_to_document(document)).first()
        found.append(shipped or publish(document))
    return found


def text_of(version: SpecVersion) -> str:
    """Return a version as somebody wrote it, with notes, or as people would write it."""
    written = AsWritten.objects.filter(version=version).first()
    return written.text if written else document_as_yaml(version.document)


def document_as_yaml(document: Mapping[str, Any]) -> str:
    """Return a document as people write it, with days as days."""
    copy: dict[str, Any] = _in_order(json.loads(json.dumps(document)), _ORDER)
    if isinstance(copy.get("lines"), list):
        copy["lines"] = [_in_order(one, _ORDER_OF_LINE) if isinstance(one, dict) else one for one in copy["lines"]]
    if isinstance(ladder := copy.get("ladder"), dict):
        copy["ladder"] = {
            key: [_in_order(one, _ORDER_OF_LADDER) if isinstance(one, dict) else one for one in value]
            if isinstance(value, list)
            else value
            for key, value in _in_order(ladder, ("rows", "copies")).items()
        }
    for key in ("issued", "review_by"):
        with suppress(ValueError):  # what is no day stays as it was written, and is told when it is read
            copy[key] = datetime.date.fromisoformat(str(copy.get(key)))
    return yaml.safe_dump(copy, sort_keys=False, allow_unicode=True, width=110, default_flow_style=None)


def _in_order(mapping: dict[str, Any], order: Sequence[str]) -> dict[str, Any]:
    """A mapping with some keys first, in their order: the database keeps none."""
    return {key: mapping[key] for key in (*(one for one in order if one in mapping), *mapping)}
