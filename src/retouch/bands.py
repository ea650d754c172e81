"""Work on bands of rows in threads: kernels are serial and release the GIL."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

import cv2

THREADS = 2
FEWEST_ROWS = 64

cv2.setNumThreads(1)
_pool = ThreadPoolExecutor(THREADS, "bands")


def in_bands(work: Callable[[slice], None], rows: int) -> None:
    """Call ``work`` with slices that together cover ``rows`` rows; it must not call this function itself."""
    if rows < FEWEST_ROWS:
        work(slice(0, rows))
        return
    step = -(-rows // THREADS)
    list(_pool.map(work, [slice(a, min(a + step, rows)) for a in range(0, rows, step)]))
