"""The periodic tasks of the kernel, in a queue of their own so that nothing makes them wait."""

from __future__ import annotations

from asgiref.sync import sync_to_async
from procrastinate.contrib.django import app
from procrastinate.jobs import Status

from brisk_web.house.chain import seal
from brisk_web.work.sweep import SILENT_S, sweep
from brisk_web.work.tidying import tidy_up

QUEUE = "watch"
_KEPT_HOURS = 48  # how long the queue keeps jobs that are over


@app.periodic(cron="* * * * * */10")
@app.task(queue=QUEUE, queueing_lock="sweep", priority=100, pass_context=False)
async def sweep_task(timestamp: int) -> None:
    """End the queue's jobs of dead workers, look at every row of work, seal the audit trail."""
    manager = app.job_manager
    for job in await manager.get_stalled_jobs(seconds_since_heartbeat=SILENT_S):
        await manager.finish_job(job, Status.FAILED, delete_job=False)
    await sync_to_async(sweep)()
    await sync_to_async(seal)()


@app.periodic(cron="17 * * * *")
@app.task(queue=QUEUE, queueing_lock="tidy-up", pass_context=False)
async def tidy_up_task(timestamp: int) -> None:
    """Remove what nobody needs any more: of the applications, and jobs of the queue that ended some days ago."""
    await sync_to_async(tidy_up)()
    await app.job_manager.delete_old_jobs(nb_hours=_KEPT_HOURS, include_failed=True, include_cancelled=True)
