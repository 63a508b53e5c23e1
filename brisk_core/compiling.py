"""How loops over samples are compiled to machine code when their module is loaded (decision 85).

The modules that use this are called ``compiled``. They load the compiler, a second, so others load them only once they
measure; servers that children are forked from do it ahead.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from numba import njit, types

#: What an optimiser may do with sums of fractions: add in another order and multiply while it adds. Kept to kernels
#: whose result is rounded to fewer places than it can change; those of scans add whole numbers.
ANY_ORDER = {"reassoc", "contract", "nsz"}


def lines_of(kind: Any) -> Any:
    """Return the type of lines of samples one after the other, which are only read."""
    return types.Array(kind, 2, "C", readonly=True)


def compiled(signatures: Sequence[Any], *, fastmath: Any = False) -> Callable[[Any], Any]:
    """Return a decorator that compiles a function for types of its arguments; it runs without the interpreter's lock.

    The code is kept beside the module or in the user's cache, or, where neither can be written, not at all.
    """

    def compile_it(function: Any) -> Any:
        plain = {"nogil": True, "error_model": "numpy", "fastmath": fastmath}
        try:
            return njit(list(signatures), cache=True, **plain)(function)
        except RuntimeError:
            return njit(list(signatures), **plain)(function)

    return compile_it
