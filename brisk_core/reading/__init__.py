"""Reading of wrappers and stream headers, one module a format, each from its standard.

From the ground up: ``bit_reader``, ``source``, ``colour``, ``boxes``, ``movie`` (ISO base media), ``mxf``,
``mxf_metadata``, ``avc``, ``hevc``, ``mpeg2``, ``prores``, ``sound_headers``, ``signatures``, ``library`` (what the
decoding library tells), ``picture_headers``, ``headers``; ``shown`` is a decoded frame as it is shown.

What is offered here is loaded when it is first asked for (PEP 562): who only names a file loads no reader.
"""

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from brisk_core.reading.headers import HeaderReading, inspect_headers, read_headers
    from brisk_core.reading.library import open_container, picture_start
    from brisk_core.reading.source import Source

__all__ = ["HeaderReading", "Source", "inspect_headers", "open_container", "picture_start", "read_headers"]

_LIES_IN = {
    "HeaderReading": "headers",
    "Source": "source",
    "inspect_headers": "headers",
    "open_container": "library",
    "picture_start": "library",
    "read_headers": "headers",
}


def __getattr__(name: str) -> Any:
    if name not in _LIES_IN:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    return getattr(import_module(f"{__name__}.{_LIES_IN[name]}"), name)
