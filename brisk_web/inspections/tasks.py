"""Tasks of the work queue. They carry ids only; what they do is in ``services``."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping

from procrastinate.contrib.django import app
from procrastinate.tasks import Task

from brisk_web.inspections import scanning, services
from brisk_web.inspections.models import Inspection, ScanPart

HEARTBEAT_LIMIT_S = 30  # a worker writes its heartbeat every 10 s; three missed ones mean it is dead


@app.task(queue="headers", pass_context=False)
def read_headers_task(inspection_id: int) -> None:
    """Read the headers of a file."""
    _fenced(services.read_headers, inspection_id)


@app.task(queue="scan", pass_context=False)
def read_packets_task(inspection_id: int) -> None:
    """Take the checksum of a file and read its packets."""
    _fenced(services.read_packets, inspection_id)


@app.task(queue="scan", pass_context=False)
def scan_part_task(part_id: int) -> None:
    """Scan one part of a file's pictures or sound."""
    try:
        scanning.scan(part_id)
    except Exception:
        part = ScanPart.objects.filter(pk=part_id).first()
        if part is not None:
            scanning.finish(part, "a mistake of this application stopped the scan; the worker's log has it")
        raise  # the worker writes it to its log


@app.task(queue="headers", pass_context=False)
def conclude_task(inspection_id: int) -> None:
    """Put the parts of a scan together."""
    _fenced(services.conclude, inspection_id)


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
    return {Inspection.Stage.HEADERS: read_headers_task, Inspection.Stage.CONCLUDE: conclude_task}.get(
        Inspection.Stage(stage), read_packets_task
    )


@app.periodic(cron="* * * * * */10")
@app.task(queue="headers", queueing_lock="take-up-stalled", pass_context=False)
async def take_up_stalled_task(timestamp: int) -> None:
    """Find jobs whose worker is dead, end them, and queue their inspections again."""
    from asgiref.sync import sync_to_async
    from procrastinate.jobs import Status

    stalled = await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=HEARTBEAT_LIMIT_S)
    ids: defaultdict[str, list[int]] = defaultdict(list)  # by the name of the task's argument
    for job in stalled:
        await app.job_manager.finish_job(job, Status.FAILED, delete_job=False)
        for name, value in job.task_kwargs.items():
            ids[name].append(value)
    if ids:
        await sync_to_async(_take_up)(ids)


def _take_up(ids: Mapping[str, list[int]]) -> None:
    """Queue again what stood in jobs that died, by the names of the tasks' arguments."""
    from brisk_web.captions import services as captions
    from brisk_web.masters import services as masters
    from brisk_web.stems import services as stems

    services.take_up_stalled(ids.get("inspection_id", []))
    scanning.take_up_stalled(ids.get("part_id", []))
    masters.take_up_stalled(ids.get("comparison_id", []))
    stems.take_up_stalled(ids.get("stem_check_id", []))
    captions.take_up_stalled(ids.get("caption_id", []), ids.get("tracks_of", []), ids.get("pairing_id", []))
