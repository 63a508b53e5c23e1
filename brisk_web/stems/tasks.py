"""The task of the work queue for stem checks. It carries an id only."""

from __future__ import annotations

from procrastinate.contrib.django import app

from brisk_web.stems import services


@app.task(queue="scan", pass_context=False)
def stems_task(stem_check_id: int) -> None:
    """Hold stems against their mix."""
    try:
        services.run(stem_check_id)
    except Exception:
        services.give_up(stem_check_id, "a mistake of this application stopped it; the worker's log has it")
        raise  # the worker writes it to its log
