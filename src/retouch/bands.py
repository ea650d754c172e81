"""Work on bands of rows in threads: kernels are serial and release the GIL."""

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

import cv2

Result = TypeVar("Result")

THREADS = max(1, len(os.sched_getaffinity(0)))
"""As many as this process may use of the machine's processors."""
FEWEST_ROWS = 64

cv2.setNumThreads(1)
_pool = ThreadPoolExecutor(THREADS, "bands")
_works = ThreadPoolExecutor(THREADS, "works")


def at_once(*works: Callable[[], Result]) -> list[Result]:
    """What each of some works gives, done beside each other; none may call this function itself."""
    return list(_works.map(lambda work: work(), works))


def in_bands(work: Callable[[slice], Result], rows: int, unit: int = 1) -> list[Result]:
    """Call ``work`` with slices that together cover ``rows`` rows; it must not call this function itself.

    Every slice but the last has the same number of rows, a multiple of ``unit``. Gives the results in their order.
    """
    if rows < FEWEST_ROWS:
        return [work(slice(0, rows))]
    step = -(-rows // (THREADS * unit)) * unit
    return list(_pool.map(work, [slice(a, min(a + step, rows)) for a in range(0, rows, step)]))
