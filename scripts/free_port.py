"""Prints the port given, or a free one when somebody else listens there."""

import socket
import sys


def free_port(wanted: int) -> int:
    """Return ``wanted`` if nobody listens on it on loopback, else a free port."""
    for port in (wanted, 0):
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
            except OSError:
                continue
            return int(probe.getsockname()[1])
    return wanted


if __name__ == "__main__":
    print(free_port(int(sys.argv[1])))
