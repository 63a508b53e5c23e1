"""The walls around a child: limits of the system, no network, no files but those that it was asked about, no power.

Each wall is put up where the machine has it: Linux's Landlock (landlock(7), from 5.13 on) for files, connections and
signals, libseccomp's filter (seccomp(2)) for calls that reading never needs, capabilities(7), an empty network
namespace, setrlimit(2). ``standing`` tries each from inside and tells which of them hold.
"""

from __future__ import annotations

import ctypes
import errno
import os
import resource
import signal
import socket
import struct
import sys
import sysconfig
from collections.abc import Callable, Iterable
from contextlib import suppress
from pathlib import Path
from typing import Any

_PARENT_DIED, _NO_NEW_PRIVILEGES, _HAS_NO_NEW_PRIVILEGES = 1, 38, 39  # prctl(2)
_NEW_NETWORK, _NEW_USER = 0x40000000, 0x10000000  # CLONE_NEWNET, CLONE_NEWUSER (unshare(2))
_libc = ctypes.CDLL(None, use_errno=True)


def enter(
    memory: int,
    processor_s: int,
    open_files: int,
    written: int,
    *,
    reads: Iterable[str],
    knows: Iterable[str],
    folders: Iterable[str],
) -> None:
    """Enter the walls, for good; see ``Limits`` for the units of the first four.

    ``reads`` are the files of others (or folders that are read as one) that the child may read, by paths without a
    link; ``knows`` files of ours that it may read, ``folders`` those it writes into.
    """
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
    if _libc.unshare(_NEW_NETWORK) != 0:
        _libc.unshare(_NEW_USER | _NEW_NETWORK)
    _leave_power()
    _libc.prctl(_NO_NEW_PRIVILEGES, 1, 0, 0, 0)
    _confine(reads, knows, folders)
    _filter_calls()


def die_with_parent(parent: int) -> None:
    """Let the kernel end this process when the one that forked it ends; ``parent`` is its id."""
    _libc.prctl(_PARENT_DIED, signal.SIGKILL)
    if os.getppid() != parent:  # it was gone before the wish was known
        os._exit(1)


# -- power ------------------------------------------------------------------------------------------------------------

_CAPABILITIES = 0x20080522  # _LINUX_CAPABILITY_VERSION_3 (capget(2))
_MAY_READ = 1 << 2  # CAP_DAC_READ_SEARCH: media may belong to anybody; what is read is confined by its path


def _capabilities() -> tuple[int, int, int]:
    """Return the effective, permitted and inheritable capabilities as sets of bits."""
    header, data = struct.pack("Ii", _CAPABILITIES, 0), ctypes.create_string_buffer(24)
    _libc.capget(header, data)
    low, high = struct.unpack("6I", data.raw)[:3], struct.unpack("6I", data.raw)[3:]
    effective, permitted, inheritable = (one | other << 32 for one, other in zip(low, high, strict=True))
    return effective, permitted, inheritable


def _leave_power() -> None:
    """Give up what root may do, but for reading files of others."""
    kept = _capabilities()[1] & _MAY_READ
    _libc.capset(struct.pack("Ii", _CAPABILITIES, 0), struct.pack("6I", kept, kept, 0, 0, 0, 0))


# -- files, connections, signals --------------------------------------------------------------------------------------

_CREATE, _ADD, _RESTRICT = 444, 445, 446  # system calls of Landlock, on every architecture alike
_OPEN, _HERE, _NO_LINKS = 437, -100, 0x04  # openat2, AT_FDCWD, RESOLVE_NO_SYMLINKS
_EXECUTE, _WRITE, _READ, _LIST, _REMOVE_FOLDER, _REMOVE, _MAKE_FOLDER, _MAKE = 1, 2, 4, 8, 16, 32, 128, 256
_TRUNCATE = 1 << 14
_RIGHTS_BY_VERSION = (13, 14, 15, 15, 16, 16, 16)  # how many rights to files each version of it knows
_CONNECT_AND_BIND = 3
_SIGNALS_AND_SOCKETS = 3
_OF_A_FILE = _EXECUTE | _WRITE | _READ | _TRUNCATE
#: What Python and the libraries read of the system: code, time zones, and what the processor is.
_SYSTEM = (
    *dict.fromkeys(sysconfig.get_paths()[name] for name in ("stdlib", "platstdlib", "purelib", "platlib")),
    os.path.join(sys.base_prefix, "lib"),
    str(Path(__file__).resolve().parent.parent),  # the core
    "/usr/lib", "/lib", "/lib64", "/usr/lib64", "/usr/local/lib", "/etc/ld.so.cache", "/usr/share/zoneinfo",
    "/etc/localtime", "/proc/self", "/proc/cpuinfo", "/proc/meminfo", "/sys/devices/system/cpu", "/dev/urandom",
    "/dev/zero",
)  # fmt: skip


def _landlock_version() -> int:
    version: int = _libc.syscall(_CREATE, None, ctypes.c_size_t(0), 1)
    return max(version, 0)


def _confine(reads: Iterable[str], knows: Iterable[str], folders: Iterable[str]) -> None:
    """Leave no files but those, no connection by TCP, no signal to others; does nothing where the kernel cannot."""
    version = _landlock_version()
    if version == 0:
        return
    known = (1 << _RIGHTS_BY_VERSION[min(version, len(_RIGHTS_BY_VERSION)) - 1]) - 1
    wanted = [known] + [_CONNECT_AND_BIND] * (version >= 4) + [_SIGNALS_AND_SOCKETS] * (version >= 6)
    attributes = struct.pack(f"{len(wanted)}Q", *wanted)
    rules = _libc.syscall(_CREATE, attributes, ctypes.c_size_t(len(attributes)), 0)
    if rules < 0:
        return
    may_write = _READ | _LIST | _WRITE | _TRUNCATE | _MAKE | _REMOVE | _MAKE_FOLDER | _REMOVE_FOLDER
    for paths, rights in ((_SYSTEM, _READ | _LIST), (knows, _READ), (("/dev/null",), _READ | _WRITE)):
        for path in paths:
            _allow(rules, path, rights & known)
    for path in reads:
        _allow(rules, path, (_READ | _LIST) & known, links=False)
    for path in folders:
        _allow(rules, path, may_write & known)
    _libc.syscall(_RESTRICT, rules, 0)
    os.close(rules)


def _allow(rules: int, path: str, rights: int, *, links: bool = True) -> None:
    """Add a rule; without ``links``, none for a path on which a name has become a link since it was resolved."""
    with suppress(OSError, ValueError):  # what is not there needs no leave
        opened = os.open(path, os.O_PATH | os.O_CLOEXEC) if links else _open_without_links(path)
        try:
            if not os.path.isdir(path):
                rights &= _OF_A_FILE
            _libc.syscall(_ADD, rules, 1, struct.pack("=Qi", rights, opened), 0)
        finally:
            os.close(opened)


def _open_without_links(path: str) -> int:
    """Open a path of which no name is a link (openat2(2))."""
    how = struct.pack("3Q", os.O_PATH | os.O_CLOEXEC, 0, _NO_LINKS)
    opened: int = _libc.syscall(_OPEN, _HERE, os.fsencode(path), how, ctypes.c_size_t(len(how)))
    if opened < 0:
        raise OSError(ctypes.get_errno(), path)
    return opened


# -- calls ------------------------------------------------------------------------------------------------------------

_ALLOW, _REFUSE, _NOT_THERE = 0x7FFF0000, 0x00050000 | errno.EPERM, 0x00050000 | errno.ENOSYS
_UNLIKE, _MASKED = 1, 7  # SCMP_CMP_NE, SCMP_CMP_MASKED_EQ (seccomp_rule_add(3))
_THREAD = 0x10000  # CLONE_THREAD
#: Calls that no reading needs: other programs and processes, other namespaces, the network, the kernel itself.
_REFUSED = (
    "execve", "execveat", "fork", "vfork", "ptrace", "process_vm_readv", "process_vm_writev", "pidfd_open",
    "pidfd_getfd", "pidfd_send_signal", "kill", "tkill", "rt_sigqueueinfo", "rt_tgsigqueueinfo", "setns", "unshare",
    "mount", "umount2", "pivot_root", "chroot", "move_mount", "open_tree", "fsopen", "fsmount", "fsconfig",
    "mount_setattr", "open_by_handle_at", "name_to_handle_at", "socket", "socketpair", "connect", "bind", "listen",
    "accept", "accept4", "io_uring_setup", "bpf", "perf_event_open", "userfaultfd", "keyctl", "add_key", "request_key",
    "kexec_load", "kexec_file_load", "init_module", "finit_module", "delete_module", "reboot", "swapon", "swapoff",
    "sethostname", "setdomainname", "settimeofday", "clock_settime", "adjtimex", "clock_adjtime", "acct", "quotactl",
    "syslog", "iopl", "ioperm", "setuid", "setgid", "setreuid", "setregid", "setresuid", "setresgid", "setgroups",
    "capset", "personality", "chmod", "fchmodat", "chown", "fchown", "lchown", "fchownat", "mknod", "mknodat",
    "inotify_init", "inotify_init1", "fanotify_init",
)  # fmt: skip


class _Compared(ctypes.Structure):
    """``struct scmp_arg_cmp``."""

    _fields_ = [("arg", ctypes.c_uint), ("op", ctypes.c_int), ("a", ctypes.c_uint64), ("b", ctypes.c_uint64)]


def _load_filters() -> ctypes.CDLL | None:
    try:
        library = ctypes.CDLL("libseccomp.so.2", use_errno=True)
    except OSError:
        return None
    library.seccomp_init.restype = ctypes.c_void_p
    library.seccomp_init.argtypes = [ctypes.c_uint32]
    library.seccomp_load.argtypes = library.seccomp_release.argtypes = [ctypes.c_void_p]
    library.seccomp_rule_add_array.argtypes = [
        ctypes.c_void_p, ctypes.c_uint32, ctypes.c_int, ctypes.c_uint, ctypes.POINTER(_Compared),
    ]  # fmt: skip
    return library


_filters = _load_filters()


def _filter_calls() -> None:
    """Refuse calls that reading never makes; does nothing without libseccomp."""
    if _filters is None:
        return
    filters = _filters.seccomp_init(_ALLOW)
    if not filters:
        return

    def refuse(name: str, action: int, *compared: _Compared) -> None:
        number = _filters.seccomp_syscall_resolve_name(name.encode())
        if number >= 0:  # else this architecture has no such call
            _filters.seccomp_rule_add_array(filters, action, number, len(compared), (_Compared * 1)(*compared))

    for name in _REFUSED:
        refuse(name, _REFUSE)
    refuse("clone3", _NOT_THERE)  # its flags cannot be looked at; the C library then makes threads by clone
    refuse("clone", _REFUSE, _Compared(0, _MASKED, _THREAD, 0))  # a process, and no thread
    refuse("tgkill", _REFUSE, _Compared(0, _UNLIKE, os.getpid(), 0))
    _filters.seccomp_load(filters)
    _filters.seccomp_release(filters)


# -- which of them hold -----------------------------------------------------------------------------------------------


def standing(reach: int | None, probe: str | None) -> dict[str, Any]:
    """Return the walls as the process itself meets them.

    ``reach`` is a port on loopback that somebody listens on, ``probe`` a file of others beside which it tries to write.
    """
    names = {"memory": resource.RLIMIT_AS, "processor_s": resource.RLIMIT_CPU, "open_files": resource.RLIMIT_NOFILE}
    interfaces = [line.partition(":")[0].strip() for line in Path("/proc/net/dev").read_text().splitlines()[2:]]
    return {
        "interfaces": interfaces,
        "reached": reach is not None and not _is_refused(lambda: _reach(reach)),
        "limits": {name: resource.getrlimit(what)[0] for name, what in names.items()},
        "used": int(Path("/proc/self/statm").read_text().split()[0]) * resource.getpagesize(),
        "open": sorted(int(name) for name in os.listdir("/proc/self/fd")),
        "environment": sorted(os.environ),
        "refused": {
            "reading": probe is not None and _is_refused(lambda: os.close(os.open(probe, os.O_RDONLY))),
            "writing": probe is not None and _is_refused(lambda: _write_beside(probe)),
            "processes": _is_refused(_fork),
            "programs": _errno_of(_start_program) in (errno.EPERM, errno.EACCES),
            "network": _is_refused(lambda: _reach(reach or 1)),
            "namespaces": _libc.setns(-1, 0) != 0 and ctypes.get_errno() == errno.EPERM,
            "signals": _is_refused(lambda: os.kill(os.getppid(), 0)),
            "privileges": _libc.prctl(_HAS_NO_NEW_PRIVILEGES, 0, 0, 0, 0) == 1 and not _capabilities()[1] & ~_MAY_READ,
        },
    }


def _errno_of(attempt: Callable[[], object]) -> int | None:
    try:
        attempt()
    except OSError as error:
        return error.errno
    return None


def _is_refused(attempt: Callable[[], object]) -> bool:
    return _errno_of(attempt) is not None


def _reach(port: int) -> None:
    with socket.socket() as probe:
        probe.settimeout(2)
        probe.connect(("127.0.0.1", port))


def _write_beside(probe: str) -> None:
    path = f"{probe}.written"
    with open(path, "w"):
        pass
    os.unlink(path)


def _start_program() -> None:
    os.execve("/nowhere", ["/nowhere"], {})  # noqa: S606 - it is not there, and must be refused before that is met


def _fork() -> None:
    if os.fork() == 0:
        os._exit(0)
    os.wait()
