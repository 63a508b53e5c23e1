"""The door of a destination: its address with its secret, opened."""

from __future__ import annotations

from collections.abc import Mapping

from brisk_web.handoff.doors import Door, DoorRefused, FolderDoor, FtpDoor, Marks, ObjectsDoor, SftpDoor, SiteDoor
from brisk_web.handoff.models import Destination
from brisk_web.handoff.secrets import SecretLost, unseal


def open_door(destination: Destination, marks: Marks | None = None, words: Mapping[str, str] | None = None) -> Door:
    """Open the way to a destination; raises ``DoorClosed`` or ``DoorRefused``.

    ``marks`` is what the door remembered when it was open before, and where it notes what it has to remember;
    ``words`` are told with what is sent, where a destination takes words.
    """
    secret, marks = _secret(destination), {} if marks is None else marks
    address, user = destination.address, destination.user
    match destination.kind:
        case Destination.Kind.FOLDER:
            return FolderDoor(address)
        case Destination.Kind.SFTP:
            return SftpDoor(address, user, secret, destination.host_key)
        case Destination.Kind.SITE:
            return SiteDoor(address, secret, marks, words)
        case Destination.Kind.OBJECTS:
            return ObjectsDoor(address, user, secret, destination.asked_at, marks)
    return FtpDoor(address, user, secret)


def open_site(destination: Destination) -> SiteDoor:
    """Open the way to an upload site, to ask what it shows; raises ``DoorClosed`` or ``DoorRefused``."""
    return SiteDoor(destination.address, _secret(destination), {})


def _secret(destination: Destination) -> str:
    try:
        return unseal(destination.secret)
    except SecretLost as error:
        raise DoorRefused(str(error)) from error
