"""Files that the command reads, in a child."""

from __future__ import annotations

from pathlib import Path

from brisk_core import sandbox
from brisk_core.cli.saying import UNREADABLE, Refusal
from brisk_core.errors import UnreadableFile
from brisk_core.facts import Depth, Inspection, inspection_from_json
from brisk_core.reading import Source
from brisk_core.sandbox import requests


def read_file(file: str, depth: Depth, series_path: Path | None = None, scan_path: Path | None = None) -> Inspection:
    """Return the inspection of a file."""
    try:
        source = Source.at_path(file)
        request = requests.Inspect(
            url=source.url,
            name=source.name,
            depth=depth.value,
            take_digest=depth is not Depth.HEADERS,
            series_path=str(series_path) if series_path else None,
            scan_path=str(scan_path) if scan_path else None,
        )
        return inspection_from_json(sandbox.run(request))
    except UnreadableFile as error:
        raise Refusal(UNREADABLE, str(error)) from error
