"""Kernels that are compiled once, however their pictures lie in memory.

A rectangle cut out of a picture has gaps between its rows. Compiled for each way in which a picture, a mask and a map
may lie, one kernel would be eight, and most of them would be compiled while somebody waits for their first use.
"""

from collections.abc import Callable
from threading import Lock
from typing import Any

import numba
import numpy as np


class Kernel:
    """A function over arrays of any layout, compiled for each set of its arguments' kinds when it is first called."""

    def __init__(self, function: Callable[..., Any], **options: Any):
        self._compiled = numba.njit(nogil=True, cache=True, **options)(function)
        self._known: set[tuple[Any, ...]] = set()
        self._lock = Lock()

    def __call__(self, *arguments: Any) -> Any:
        """What the function gives."""
        kinds = tuple([_kind(argument) for argument in arguments])
        if kinds not in self._known:
            self._compile(kinds, arguments)
        return self._compiled(*arguments)

    def _compile(self, kinds: tuple[Any, ...], arguments: tuple[Any, ...]) -> None:
        with self._lock:
            if kinds in self._known:
                return
            self._compiled.disable_compile(False)
            self._compiled.compile(tuple(_loose(numba.typeof(argument)) for argument in arguments))
            # From now on arrays are brought to what was compiled, and nothing is compiled for their own layouts.
            self._compiled.disable_compile()
            self._known.add(kinds)


def kernel(**options: Any) -> Callable[[Callable[..., Any]], Kernel]:
    """Make a kernel of a function; ``options`` are numba's. Other kernels cannot call it: they call what is jitted."""
    return lambda function: Kernel(function, **options)


def _kind(argument: Any) -> Any:
    if isinstance(argument, np.ndarray):
        flags = argument.flags
        return argument.dtype.num, argument.ndim, flags.writeable, argument.ndim > 1 or flags.c_contiguous
    return type(argument)


def _loose(kind: Any) -> Any:
    return kind.copy(layout="A") if isinstance(kind, numba.types.Array) and kind.ndim > 1 else kind
