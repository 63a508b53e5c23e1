"""What a signature stands for, whether it may be given, and what has changed since it was."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, TypedDict

from brisk_core.decide.digests import digest_of
from brisk_core.decide.waiving import value_of
from brisk_core.spec import Outcome, Weight

SIGNED_SCHEMA = "brisk-sentry/signed/1"


class Basis(TypedDict):
    """All that a signature stands for; JSON of schema ``brisk-sentry/signed/1``."""

    schema: str
    file: dict[str, Any]  #: name, size, checksum
    spec: dict[str, Any]  #: id, version
    edit: dict[str, Any]  #: timeline, its digest, start and end of the range; empty without a timeline
    master: str  #: checksum of what it was held against; empty for nothing
    findings: str  #: digest, see ``digest_of_findings``
    waivers: list[dict[str, Any]]  #: line, reason, by, until
    watched: list[dict[str, Any]]  #: start, end, line, by: what people saw
    engine: str  #: that judged


#: What must stay as it was, and what is said when it did not. A newer engine that finds the same changes nothing.
_PARTS = (
    ("file", "the file is not the one that was signed"),
    ("spec", "another version of the spec applies"),
    ("edit", "the timeline or its range changed"),
    ("master", "the master that it is held against changed"),
    ("findings", "the findings changed"),
    ("waivers", "a waiver changed, ended or was taken back"),
)


def digest_of_findings(findings: Iterable[Mapping[str, Any]]) -> str:
    """Return a digest over lines, outcomes and values of findings: 64 hexadecimal digits."""
    return digest_of(sorted([row["line"], row["outcome"], value_of(row)] for row in findings))


def what_changed(signed: Basis, now: Basis) -> list[str]:
    """Return what is no longer as it was signed, as parts of a sentence; empty while the signature stands."""
    return [says for part, says in _PARTS if signed[part] != now[part]]  # type: ignore[literal-required]


def why_not_signed(
    findings: Sequence[Mapping[str, Any]],
    *,
    reading: str = "",
    checksum: str = "",
    seen_lines: Iterable[str] = (),
    unseen_pictures: bool = False,
) -> list[str]:
    """Return what stands between a render and a signature, as sentences; empty if nothing does.

    ``reading`` says what still runs or has failed, ``seen_lines`` are ids of lines that a person looked at because no
    meter could, and ``unseen_pictures`` says that neither a meter nor a person has looked at all of the pictures.
    """
    if reading:
        return [reading]
    if not findings:
        return ["The file has not been judged yet."]
    found = []
    if not checksum:
        found.append("The file has no checksum yet.")
    failing = [row["label"] for row in findings if row["outcome"] == Outcome.FAIL.value]
    if failing:
        found.append(f"{_listed(failing)} {'fails' if len(failing) == 1 else 'fail'} and {_is(failing)} not waived.")
    seen = set(seen_lines)
    unknown = [
        row["label"]
        for row in findings
        if row["outcome"] == Outcome.NOT_MEASURED.value
        and row["weight"] == Weight.MUST.value
        and row["line"] not in seen
    ]
    if unknown:
        it = "it" if len(unknown) == 1 else "them"
        found.append(f"{_listed(unknown)} {_is(unknown)} not measured, and nobody has looked at {it}.")
    if unseen_pictures:
        found.append("Nothing and nobody has looked at all of the pictures: watch the programme.")
    return found


def _is(labels: Sequence[str]) -> str:
    return "is" if len(labels) == 1 else "are"


def _listed(labels: Sequence[str]) -> str:
    most = 3
    quoted = [f"“{label}”" for label in labels]
    if len(quoted) > most:
        return f"{', '.join(quoted[:most])} and {len(quoted) - most} more"
    return quoted[0] if len(quoted) == 1 else f"{', '.join(quoted[:-1])} and {quoted[-1]}"
