"""What inspections do when something is told of below."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import User
from django.dispatch import receiver

from brisk_core.captions import is_caption_name
from brisk_web.inspections.services import begin
from brisk_web.storage.events import media_registered
from brisk_web.storage.models import MediaFile


@receiver(media_registered)
def inspect_registered(*, media_file: MediaFile, by: User | None, inspect: bool, **_: Any) -> None:
    """Queue the inspection of a file that was just registered; captions are read by their own reader."""
    if inspect and not is_caption_name(media_file.name):
        begin(media_file, by=by)
