"""Planning: what is worked out before a render is made. Pure computation, exact where it can be; no file is read.

From the ground up: ``overhead`` (what a wrapper adds), ``bits`` (what fits under a cap), ``sizes`` (what each codec
would weigh), ``waiting`` (how long a viewer waits), ``rates`` (which target harms least), ``settings`` (the facts of a
planned render), ``order`` (the nearest rows of specs), ``deck`` (which clips appear), ``plays`` (which players play
what), and the package ``disc``. ``words`` and ``sounds`` read fields as people type them, ``render`` a planned render;
``bits_document``, ``sizes_document``, ``rates_document``, ``order_document`` and ``deck_document`` are questions and
answers.
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
