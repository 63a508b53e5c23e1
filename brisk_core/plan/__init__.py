"""Planning: what is worked out before a render is made. Pure computation in exact numbers; no file is read.

From the ground up: ``overhead`` (what a wrapper adds), ``bits`` (what fits under a cap), ``settings`` (the facts of a
planned render), ``rates`` (which target harms least), ``words`` (fields as people type them), ``bits_document`` and
``rates_document`` (questions and answers).
"""

from brisk_core.plan.bits import RESERVE, Coding, Fit, Programme, Share, Sound, file_size, fit, longest, ways_up
from brisk_core.plan.overhead import WRAPPERS, Stream, overhead, wrapped_size

__all__ = [
    "RESERVE",
    "WRAPPERS",
    "Coding",
    "Fit",
    "Programme",
    "Share",
    "Sound",
    "Stream",
    "file_size",
    "fit",
    "longest",
    "overhead",
    "ways_up",
    "wrapped_size",
]
