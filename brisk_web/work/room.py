"""Room on the disk of the data folder: without it nothing can be done, and nothing that fails for it has failed."""

from __future__ import annotations

import shutil

from django.conf import settings
from django.db import DatabaseError
from psycopg.errors import DiskFull

from brisk_core.errors import DISK_FULL
from brisk_core.sandbox import NoRoom

LEAST_ROOM = 128 << 20  #: bytes free, below which work waits
LATER_S = 30  #: seconds until what found no room is tried again


def has_room() -> bool:
    """Is there room for what work leaves behind?"""
    return not settings.DATA_FOLDER.is_dir() or shutil.disk_usage(settings.DATA_FOLDER).free >= LEAST_ROOM


def is_of_room(error: Exception) -> bool:
    """Did something fail for want of room, in a process, in a child of it, or in the database?"""
    if isinstance(error, OSError):
        return error.errno in DISK_FULL
    return isinstance(error, NoRoom) or (isinstance(error, DatabaseError) and isinstance(error.__cause__, DiskFull))
