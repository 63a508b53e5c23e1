"""Doors: how bytes get to a destination. Each speaks one protocol; none knows of records.

A file goes under a temporary name, from the byte where an earlier try ended, is verified over there, and only then
takes its right name, which is never overwritten.
"""

from brisk_web.handoff.doors.door import PART, Door, DoorClosed, DoorRefused, Marks, bring
from brisk_web.handoff.doors.folder import FolderDoor
from brisk_web.handoff.doors.ftp import FtpDoor
from brisk_web.handoff.doors.objects import ObjectsDoor
from brisk_web.handoff.doors.sftp import SftpDoor
from brisk_web.handoff.doors.site import SiteDoor

__all__ = [
    "PART",
    "Door",
    "DoorClosed",
    "DoorRefused",
    "FolderDoor",
    "FtpDoor",
    "Marks",
    "ObjectsDoor",
    "SftpDoor",
    "SiteDoor",
    "bring",
]
