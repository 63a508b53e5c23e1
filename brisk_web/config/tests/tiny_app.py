"""An application that tells how much it was sent, and a worker that loses patience soon; for ``test_serving``."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from brisk_web.config.serving import PatientWorker

BIG = 8 << 20  # bytes: more than the kernel keeps for a client that takes nothing


class Hasty(PatientWorker):
    head_seconds, most_arriving = 3.0, 20
    grace, least, silence = 1.0, 2048.0, 1.0


def application(environ: dict[str, Any], start: Callable[..., Any]) -> Iterable[bytes]:
    if environ["PATH_INFO"] == "/big":
        start("200 OK", [("Content-Length", str(BIG))])
        return [bytes(BIG)]
    sent = environ["wsgi.input"].read() if environ["PATH_INFO"] == "/read" else b""
    says = f"{environ['REQUEST_METHOD']} {len(sent)} {sum(sent)}".encode()
    start("200 OK", [("Content-Length", str(len(says)))])
    return [says]
