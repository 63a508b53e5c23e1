"""Tasks of the work queue for captions. They carry ids only."""

from __future__ import annotations

from procrastinate.contrib.django import app

from brisk_web.captions import services
from brisk_web.captions.models import CaptionFile


@app.task(queue="headers", pass_context=False)
def read_captions_task(caption_id: int) -> None:
    """Read a caption file."""
    try:
        services.read(caption_id)
    except Exception:
        says = "a mistake of this application stopped the reading; the worker's log has it"
        waiting = CaptionFile.objects.filter(pk=caption_id, state=CaptionFile.State.QUEUED)
        waiting.update(state=CaptionFile.State.FAILED, error=says)
        raise  # the worker writes it to its log


@app.task(queue="headers", pass_context=False)
def read_tracks_task(tracks_of: int) -> None:
    """Read the text tracks of an inspected file."""
    services.read_tracks(tracks_of)


@app.task(queue="scan", pass_context=False)
def look_task(pairing_id: int) -> None:
    """Look whether captions are in the picture already."""
    services.look(pairing_id)
