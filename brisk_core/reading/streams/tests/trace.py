"""The decoding library's own reading of headers, as an oracle: run as a program, it prints every field it traces.

A process of its own, because the library's log is global and must stay off where decoding threads run.
"""

from __future__ import annotations

import json
import re
import subprocess
import sys
from pathlib import Path
from typing import Any

_FIELD = re.compile(r"^(\d+)\s+([A-Za-z0-9_]+(?:\[[\d\[\]]*\])*)\s+([01.\s]*?)\s*=\s*(-?\d+)\s*$")


def traced(path: Path, packets: int = 12) -> list[tuple[str, int]]:
    """Return (field, value) of every header field in the first packets of a file's picture stream, in order.

    The name of each header stands as a field with value -1 before its own fields.
    """
    done = subprocess.run(
        [sys.executable, "-m", "brisk_core.reading.streams.tests.trace", str(path), str(packets)],
        capture_output=True,
        check=True,
        timeout=60,
        cwd=Path(__file__).resolve().parents[4],
    )
    return [(name, value) for name, value in json.loads(done.stdout)]


def first(fields: list[tuple[str, int]], name: str, after: str = "") -> int | None:
    """Return the first value of a field, of those after a header's name; ``None`` when it is not coded."""
    start = next((index for index, (known, _) in enumerate(fields) if known == after), 0) if after else 0
    return next((value for known, value in fields[start:] if known == name), None)


def _main() -> None:
    import av
    import av.logging
    from av.bitstream import BitStreamFilterContext

    av.logging.set_level(av.logging.TRACE)
    found: list[tuple[str, int]] = []
    with av.open(sys.argv[1]) as container, av.logging.Capture(True) as logs:
        stream: Any = container.streams.video[0]
        tracer = BitStreamFilterContext("trace_headers", stream)
        taken = 0
        for packet in container.demux(stream):
            if packet.size:
                tracer.filter(packet)
                taken += 1
            if taken >= int(sys.argv[2]):
                break
        for _, name, text in logs:
            if name != "trace_headers":
                continue
            if match := _FIELD.match(text.strip()):
                found.append((match[2], int(match[4])))
            else:
                found.append((text.strip(), -1))
    print(json.dumps(found))


if __name__ == "__main__":
    _main()
