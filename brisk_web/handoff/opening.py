"""The door of a destination: its address with its secret, opened."""

from __future__ import annotations

from brisk_web.handoff.doors import Door, DoorRefused, FolderDoor, FtpDoor
from brisk_web.handoff.models import Destination
from brisk_web.handoff.secrets import SecretLost, unseal


def open_door(destination: Destination) -> Door:
    """Open the way to a destination; raises ``DoorClosed`` or ``DoorRefused``."""
    try:
        password = unseal(destination.secret)
    except SecretLost as error:
        raise DoorRefused(str(error)) from error
    if destination.kind == Destination.Kind.FOLDER:
        return FolderDoor(destination.address)
    return FtpDoor(destination.address, destination.user, password)
