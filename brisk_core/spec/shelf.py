"""The specs that ship with the application, and the published JSON Schema of the format."""

from __future__ import annotations

import json
from functools import cache
from importlib import resources
from typing import Any

from brisk_core.spec.document import Spec, parse_spec


def shelf_texts() -> dict[str, str]:
    """Return the text of every shipped spec by its file name without ending, in alphabetical order."""
    folder = resources.files("brisk_core.spec") / "shelf"
    return {
        entry.name.removesuffix(".yaml"): entry.read_text(encoding="utf-8")
        for entry in sorted(folder.iterdir(), key=lambda one: one.name)
        if entry.name.endswith(".yaml")
    }


def shelf_specs() -> dict[str, Spec]:
    """Return every shipped spec by its id; they are read once."""
    return {spec.id: spec for spec in _specs()}


@cache
def _specs() -> tuple[Spec, ...]:
    return tuple(map(parse_spec, shelf_texts().values()))


def read_schema() -> dict[str, Any]:
    """Return the JSON Schema of ``brisk_spec: 1`` documents."""
    text = (resources.files("brisk_core.spec") / "brisk_spec_1.schema.json").read_text(encoding="utf-8")
    schema: dict[str, Any] = json.loads(text)
    return schema
