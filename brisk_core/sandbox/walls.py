"""The walls around a child: limits of the system, and no network."""

from __future__ import annotations

import ctypes
import os
import resource
import signal
import socket
from pathlib import Path
from typing import Any

_PARENT_DIED = 1  # PR_SET_PDEATHSIG (prctl(2))
_NEW_NETWORK, _NEW_USER = 0x40000000, 0x10000000  # CLONE_NEWNET, CLONE_NEWUSER (unshare(2))


def enter(memory: int, processor_s: int, open_files: int, written: int) -> None:
    """Enter the limits, for good; see ``Limits`` for their units."""
    for what, limit in (
        (resource.RLIMIT_AS, memory),
        (resource.RLIMIT_CPU, processor_s),
        (resource.RLIMIT_NOFILE, open_files),
        (resource.RLIMIT_FSIZE, written),
        (resource.RLIMIT_CORE, 0),
    ):
        hard = resource.getrlimit(what)[1]
        resource.setrlimit(what, (min(limit, hard) if hard != resource.RLIM_INFINITY else limit, hard))
    # A second wall behind the demuxers' own: without a network there is nothing to reach. Not every machine allows it.
    libc = ctypes.CDLL(None)
    if libc.unshare(_NEW_NETWORK) != 0:
        libc.unshare(_NEW_USER | _NEW_NETWORK)


def die_with_parent(parent: int) -> None:
    """Let the kernel end this process when the one that forked it ends; ``parent`` is its id."""
    ctypes.CDLL(None).prctl(_PARENT_DIED, signal.SIGKILL)
    if os.getppid() != parent:  # it was gone before the wish was known
        os._exit(1)


def standing(reach: int | None) -> dict[str, Any]:
    """Return the walls as the process itself meets them; ``reach`` is a port on loopback that somebody listens on."""
    interfaces = [line.partition(":")[0].strip() for line in Path("/proc/net/dev").read_text().splitlines()[2:]]
    reached = False
    if reach is not None:
        with socket.socket() as probe:
            probe.settimeout(2)
            reached = probe.connect_ex(("127.0.0.1", reach)) == 0
    names = {"memory": resource.RLIMIT_AS, "processor_s": resource.RLIMIT_CPU, "open_files": resource.RLIMIT_NOFILE}
    return {
        "interfaces": interfaces,
        "reached": reached,
        "limits": {name: resource.getrlimit(what)[0] for name, what in names.items()},
        "used": int(Path("/proc/self/statm").read_text().split()[0]) * resource.getpagesize(),
        "open": sorted(int(name) for name in os.listdir("/proc/self/fd")),
        "environment": sorted(os.environ),
    }
