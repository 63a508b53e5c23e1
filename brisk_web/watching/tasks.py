"""The periodic task that looks at watched folders, one after the other and never twice at once."""

from __future__ import annotations

import logging

from asgiref.sync import sync_to_async
from procrastinate.contrib.django import app

from brisk_web.watching.services import look_everywhere

_NAME = "watched-folders"
log = logging.getLogger(__name__)


@app.periodic(cron="* * * * * */10")
@app.task(queue="watch", lock=_NAME, queueing_lock=_NAME, pass_context=False)
async def look_task(timestamp: int) -> None:
    """Look at every watched folder."""
    if registered := await sync_to_async(look_everywhere)():
        log.info("watched folders: %d files registered", registered)
