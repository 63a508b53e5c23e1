"""Has a file come whole? The system is asked whether somebody still writes it, where it tells."""

from __future__ import annotations

import fcntl
import os
import signal


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
        fcntl.fcntl(descriptor, fcntl.F_SETSIG, signal.SIGURG)
        fcntl.fcntl(descriptor, fcntl.F_SETLEASE, fcntl.F_RDLCK)
        fcntl.fcntl(descriptor, fcntl.F_SETLEASE, fcntl.F_UNLCK)
    except BlockingIOError:
        return True
    except OSError:  # another's file, or a file system without leases
        return None
    finally:
        os.close(descriptor)
    return False
