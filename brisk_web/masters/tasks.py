"""Tasks of the work queue for comparisons. They carry ids only."""

from __future__ import annotations

from procrastinate.contrib.django import app

from brisk_web.masters import services
from brisk_web.masters.models import Comparison


@app.task(queue="scan", pass_context=False)
def compare_task(comparison_id: int) -> None:
    """Hold a file against a master, then judge the checks that wait for it."""
    from brisk_web.checks.services import judge

    try:
        ended = services.run(comparison_id)
    except Exception:
        says = "a mistake of this application stopped the comparison; the worker's log has it"
        services.give_up(comparison_id, says)
        raise  # the worker writes it to its log
    if ended:
        for check in services.checks_with(Comparison.objects.get(pk=comparison_id)):
            judge(check)
