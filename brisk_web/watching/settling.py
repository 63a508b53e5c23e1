"""Has a file come whole? The system is asked whether somebody still writes it, where it tells."""

from __future__ import annotations

import fcntl
import os
import signal
from pathlib import Path

#: File systems of this machine's own disks. Those of a network refuse leases for reasons of their own.
_OWN_DISKS = frozenset({"ext2", "ext3", "ext4", "xfs", "btrfs", "tmpfs", "overlay", "zfs", "f2fs", "jfs"})
_MOUNTS = Path("/proc/self/mountinfo")


def is_being_written(path: str) -> bool | None:
    """Is a file of this machine open for writing anywhere on it? ``None`` where the system does not tell.

    A lease to read is given only while nobody writes (fcntl(2)); it is given back at once. Whoever opens the file for
    writing in between waits until then, and its signal is one that does nothing.
    """
    try:
        descriptor = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC)
    except OSError:
        return None
    try:
        if not _lies_on_own_disk(descriptor):
            return None
        fcntl.fcntl(descriptor, fcntl.F_SETSIG, signal.SIGURG)
        fcntl.fcntl(descriptor, fcntl.F_SETLEASE, fcntl.F_RDLCK)
        fcntl.fcntl(descriptor, fcntl.F_SETLEASE, fcntl.F_UNLCK)
    except BlockingIOError:
        return True
    except OSError:  # another's file
        return None
    finally:
        os.close(descriptor)
    return False


def _lies_on_own_disk(descriptor: int) -> bool:
    """Does an open file lie on a file system that gives and refuses leases by who writes? See proc(5)."""
    device = os.fstat(descriptor).st_dev
    wanted = f"{os.major(device)}:{os.minor(device)}"
    for line in _MOUNTS.read_text(encoding="utf-8", errors="replace").splitlines():
        mount, _, rest = line.partition(" - ")
        if mount.split(" ")[2] == wanted:
            return rest.partition(" ")[0] in _OWN_DISKS
    return False
