"""Reading of wrappers and stream headers, one module a format, each from its standard.

From the ground up: ``bit_reader``, ``source``, ``colour``, ``boxes``, ``movie`` (ISO base media), ``mxf``,
``mxf_metadata``, ``avc``, ``hevc``, ``mpeg2``, ``prores``, ``sound_headers``, ``signatures``, ``library`` (what the
decoding library tells), ``picture_headers``, ``headers``; ``shown`` is a decoded frame as it is shown.
"""

from brisk_core.reading.headers import HeaderReading, read_headers
from brisk_core.reading.library import open_container, picture_start
from brisk_core.reading.source import Source

__all__ = ["HeaderReading", "Source", "open_container", "picture_start", "read_headers"]
