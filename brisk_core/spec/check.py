"""A check: what a judge says of a whole file."""

from __future__ import annotations

import enum
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass

from brisk_core.spec.document import Spec
from brisk_core.spec.line import Finding, Outcome, Weight


class Verdict(enum.Enum):
    """The outcome of a check."""

    PASS = "pass"  # noqa: S105
    FAIL = "fail"
    CAUTION = "caution"
    NOT_MEASURED = "not measured"


@dataclass(frozen=True, slots=True, kw_only=True)
class Check:
    """A file judged."""

    spec: Spec
    findings: tuple[Finding, ...]  #: in the order of the spec's lines

    @property
    def counts(self) -> dict[str, int]:
        """Lines by outcome, every outcome named."""
        return counts_of(finding.outcome.value for finding in self.findings)

    @property
    def verdict(self) -> Verdict:
        """Fail over not measured over caution over pass; lines of weight note do not count."""
        return Verdict(verdict_of((finding.outcome.value, finding.line.weight.value) for finding in self.findings))


def counts_of(outcomes: Iterable[str]) -> dict[str, int]:
    """Return how many lines have each outcome, every outcome named."""
    met = Counter(outcomes)
    return {outcome.value: met[outcome.value] for outcome in Outcome}


def verdict_of(lines: Iterable[tuple[str, str]]) -> str:
    """Return the verdict over (outcome, weight) of lines: fail over not measured over caution over pass."""
    counted = {outcome for outcome, weight in lines if weight != Weight.NOTE.value}
    return next(
        (one.value for one in (Outcome.FAIL, Outcome.NOT_MEASURED, Outcome.CAUTION) if one.value in counted), "pass"
    )
