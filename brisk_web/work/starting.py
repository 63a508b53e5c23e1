"""What a worker makes sure of before it begins; upper applications add to it."""

from __future__ import annotations

from collections.abc import Callable

#: Each says why a worker here should not begin, or nothing.
CHECKS: list[Callable[[], str]] = []


def before_work(check: Callable[[], str]) -> Callable[[], str]:
    """Register a function that says why a worker on this machine should not begin, or nothing."""
    CHECKS.append(check)
    return check
