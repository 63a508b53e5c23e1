"""What the command reads beside files: specs, timelines and documents, each refused in one sentence."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from brisk_core import sandbox
from brisk_core.cli.saying import UNREADABLE, WRONG_USE, Refusal
from brisk_core.edit import EditHints, Timeline, timeline_from_json
from brisk_core.errors import EditRefused, SpecRefused, UnreadableFile, ValueRefused
from brisk_core.facts import Inspection, keys
from brisk_core.sandbox import requests
from brisk_core.spec import Spec, extended_by, parse_spec, shelf_texts
from brisk_core.spec.document import read_document

_MOST_BASES = 8  # that a spec extends, one by way of another


def read_spec(name: str) -> Spec:
    """Read a spec document, or one that is shipped; what it extends stands beside it, or is shipped."""
    return _spec(name, Path(), depth=0)


def _spec(name: str, folder: Path, *, depth: int) -> Spec:
    shelf = shelf_texts()
    path = folder / name
    if depth and not path.is_file():
        path = folder / f"{name}.yaml"
    try:
        if path.is_file():
            text, beside = path.read_text(encoding="utf-8"), path.parent
        elif name in shelf:
            text, beside = shelf[name], folder
        else:
            raise Refusal(
                WRONG_USE, f"there is no spec {name!r}; expected a file or one of the shipped {', '.join(shelf)}"
            )
        extends = extended_by(text)
        if extends and depth >= _MOST_BASES:
            raise Refusal(WRONG_USE, f"{name}: it extends more than {_MOST_BASES} specs, one by way of another")
        return parse_spec(text, _spec(extends, beside, depth=depth + 1) if extends else None)
    except UnicodeDecodeError as error:
        raise Refusal(WRONG_USE, f"{name} is not text in UTF-8; expected a spec in YAML or JSON") from error
    except SpecRefused as error:
        raise Refusal(WRONG_USE, f"{name}: {error}") from error


def read_timeline(path: str, inspection: Inspection, rate: str | None) -> Timeline:
    """Read a timeline; the file's own rate is taken for one that does not state its own."""
    assumed = inspection[keys.PICTURE_FRAME_RATE]
    hints: dict[str, Any] = {"rate": rate, "assumed_rate": str(assumed) if assumed else None}
    try:
        if not Path(path).exists():
            raise Refusal(WRONG_USE, f"there is no timeline {path!r}; expected an OTIO, AAF or EDL file")
        EditHints.from_json(hints)
        request = requests.Edit(path=str(Path(path).resolve()), name=Path(path).name, hints=hints)
        return timeline_from_json(sandbox.run(request))
    except (EditRefused, ValueRefused) as error:
        raise Refusal(WRONG_USE, f"{path}: {error}") from error
    except UnreadableFile as error:
        raise Refusal(UNREADABLE, f"{path}: {error}") from error


def read_plan(path: str, expected: str) -> dict[str, Any]:
    """Read a plan in JSON or YAML."""
    try:
        return read_document(Path(path).read_text(encoding="utf-8"), expected)
    except (OSError, UnicodeDecodeError) as error:
        raise Refusal(WRONG_USE, f"{path} cannot be read; expected a plan in JSON or YAML") from error
    except SpecRefused as error:
        raise Refusal(WRONG_USE, f"{path}: {'; '.join(map(str, error.mistakes))}") from error
