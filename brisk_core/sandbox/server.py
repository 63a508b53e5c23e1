"""The server that children are forked from: it has the core loaded, so that a child starts in milliseconds.

It is a program of its own without threads, started once by a process that reads files. Each message on its socket is
one wish for a child and brings four descriptors: standard input, output and error of the child, and a control socket.
The server writes the child's wait status to the control socket when it ends, and kills the child when the other end
of that socket is closed. It ends when the last process that can ask it is gone, and its children with it.
"""

from __future__ import annotations

import gc
import importlib
import os
import selectors
import signal
import socket
import sys
import traceback
from contextlib import suppress
from dataclasses import dataclass

from brisk_core.sandbox import verbs
from brisk_core.sandbox.walls import die_with_parent

#: Loaded one by one while nobody asks and no child works, and before a child that measures pictures: inside its walls
#: it finds no compiled code and would compile anew, for ten seconds. The first are needed most.
PRELOADED = (
    "numpy", "av", "brisk_core.reading", "brisk_core.frames", "brisk_core.inspect", "brisk_core.captions",
    "brisk_core.master", "brisk_core.stems", "brisk_core.edit", "fsspec.implementations.local",
    "brisk_core.meters.compiled", "brisk_core.frames.compiled", "brisk_core.master.compiled",
)  # fmt: skip
WISH, WISH_TO_MEASURE = b"child", b"meter"  #: the second is of a child that finds all of it loaded
_PASSED = 4  # descriptors with a wish
STATUS_BYTES = 4


@dataclass(slots=True, kw_only=True)
class _Child:
    pid: int
    control: socket.socket
    is_wanted: bool = True  #: does somebody wait for it?


def serve(wishes: socket.socket) -> None:
    """Fork a child for every wish until nobody can wish any more."""
    waiting = list(PRELOADED)
    children: dict[int, _Child] = {}  # by the descriptor that tells of its end
    with selectors.DefaultSelector() as selector:
        selector.register(wishes, selectors.EVENT_READ, "wish")
        while True:
            idle = waiting and not children  # a child that works has the machine to itself
            events = selector.select(0 if idle else None)
            if not events and idle:
                _load(waiting.pop(0), last=not waiting)
            for key, _ in events:
                if key.data == "wish":
                    if not _take_wish(wishes, selector, children, waiting):
                        return
                elif key.data == "over":
                    _report(key.fd, selector, children)
                else:
                    _abandoned(key.data, selector, children)


def _load(name: str, *, last: bool) -> None:
    importlib.import_module(name)
    if name.endswith(".frames"):
        import cv2

        cv2.setNumThreads(1)
    if last:
        gc.collect()
        gc.freeze()  # what is loaded stays shared with every child


def _take_wish(
    wishes: socket.socket, selector: selectors.BaseSelector, children: dict[int, _Child], waiting: list[str]
) -> bool:
    message, descriptors, _, _ = socket.recv_fds(wishes, len(WISH), _PASSED)
    if message not in (WISH, WISH_TO_MEASURE) or len(descriptors) != _PASSED:
        return False
    while waiting and message == WISH_TO_MEASURE:
        _load(waiting.pop(0), last=not waiting)
    *standard, control = descriptors
    pid = os.fork()
    if pid == 0:
        _become_child(standard)
    for descriptor in standard:
        os.close(descriptor)
    pidfd = os.pidfd_open(pid)
    children[pidfd] = _Child(pid=pid, control=socket.socket(fileno=control))
    selector.register(pidfd, selectors.EVENT_READ, "over")
    selector.register(children[pidfd].control, selectors.EVENT_READ, pidfd)
    return True


def _become_child(standard: list[int]) -> None:
    """Do one request in a process of its own; never returns."""
    code = 1
    try:
        die_with_parent(_server)
        for target, descriptor in enumerate(standard):
            os.dup2(descriptor, target)
        os.closerange(3, os.sysconf("SC_OPEN_MAX"))
        code = verbs.main()
        sys.stdout.flush()
    except BaseException:
        traceback.print_exc()
    finally:
        sys.stderr.flush()
        os._exit(code)


def _report(pidfd: int, selector: selectors.BaseSelector, children: dict[int, _Child]) -> None:
    """Tell how a child ended."""
    child = children.pop(pidfd)
    status = os.waitpid(child.pid, 0)[1]
    selector.unregister(pidfd)
    os.close(pidfd)
    if child.is_wanted:
        selector.unregister(child.control)
    with suppress(OSError):  # nobody waits for it
        child.control.sendall(status.to_bytes(STATUS_BYTES, "little"))
    child.control.close()


def _abandoned(pidfd: int, selector: selectors.BaseSelector, children: dict[int, _Child]) -> None:
    """Kill a child that nobody waits for any more; its end is told like any other."""
    child = children.get(pidfd)
    if child is not None and child.is_wanted:
        child.is_wanted = False
        selector.unregister(child.control)
        os.kill(child.pid, signal.SIGKILL)  # not waited for yet, so the number is still its own


_server = os.getpid()

if __name__ == "__main__":
    with socket.socket(fileno=int(sys.argv[1])) as asked:
        serve(asked)
