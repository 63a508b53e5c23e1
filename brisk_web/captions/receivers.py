"""What captions do when something is told of below."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import User
from django.dispatch import receiver

from brisk_core.captions import is_caption_name
from brisk_web.captions.services import notice, pair_new, take_in
from brisk_web.inspections.events import facts_known
from brisk_web.inspections.models import Inspection
from brisk_web.storage.events import media_registered
from brisk_web.storage.models import MediaFile


@receiver(media_registered)
def take_in_registered(*, media_file: MediaFile, by: User | None, inspect: bool, **_: Any) -> None:
    """Take a caption file in, or pair a file that holds pictures with the captions of its name."""
    if is_caption_name(media_file.name):
        take_in(media_file, by=by)
    elif inspect:
        pair_new(media_file, by=by)


@receiver(facts_known)
def follow_inspection(*, inspection: Inspection, **_: Any) -> None:
    """Read text tracks, and look for captions in the pictures, as an inspection goes on."""
    notice(inspection)
