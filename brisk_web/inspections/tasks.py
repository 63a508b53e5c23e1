"""Tasks of the work queue. They carry ids only; what they do is in ``services``."""

from __future__ import annotations

from procrastinate.contrib.django import app
from procrastinate.tasks import Task

from brisk_web.inspections import services
from brisk_web.inspections.models import Inspection

HEARTBEAT_LIMIT_S = 30  # a worker writes its heartbeat every 10 s; three missed ones mean it is dead


@app.task(queue="headers", pass_context=False)
def read_headers_task(inspection_id: int) -> None:
    """Read the headers of a file."""
    _fenced(services.read_headers, inspection_id)


@app.task(queue="scan", pass_context=False)
def read_packets_task(inspection_id: int) -> None:
    """Take the checksum of a file and read its packets."""
    _fenced(services.read_packets, inspection_id)


def _fenced(work, inspection_id: int) -> None:  # type: ignore[no-untyped-def]
    try:
        work(inspection_id)
    except services.Fenced as overtaken:
        services.log.info("%s", overtaken)
    except Exception:
        services.give_up(inspection_id)
        raise  # the worker writes it to its log


def task_for_stage(stage: str) -> Task:
    """Return the task that does a stage."""
    return read_headers_task if stage == Inspection.Stage.HEADERS else read_packets_task


@app.periodic(cron="* * * * * */10")
@app.task(queue="headers", queueing_lock="take-up-stalled", pass_context=False)
async def take_up_stalled_task(timestamp: int) -> None:
    """Find jobs whose worker is dead, end them, and queue their inspections again."""
    from asgiref.sync import sync_to_async
    from procrastinate.jobs import Status

    stalled = await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=HEARTBEAT_LIMIT_S)
    ids = []
    for job in stalled:
        await app.job_manager.finish_job(job, Status.FAILED, delete_job=False)
        if "inspection_id" in job.task_kwargs:
            ids.append(job.task_kwargs["inspection_id"])
    if ids:
        await sync_to_async(services.take_up_stalled)(ids)
