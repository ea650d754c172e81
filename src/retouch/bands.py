"""Work on bands of rows in threads: kernels are serial and release the GIL.

What takes long is done patiently: in threads of its own, to which the system gives what the others leave.
"""

import os
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

import cv2

Result = TypeVar("Result")

THREADS = max(1, len(os.sched_getaffinity(0)))
"""As many as this process may use of the machine's processors."""
FEWEST_ROWS = 64

PATIENT = min(19, os.getpriority(os.PRIO_PROCESS, 0) + 10)
"""Niceness of threads that work patiently: where both want a processor the others get about nine tenths of it."""

cv2.setNumThreads(1)
_own = threading.local()


def be_patient() -> None:
    """Let the others go before this thread, and all that it has done in bands, from now on."""
    _own.patient = True
    # A thread begins as nice as the one that made it.
    os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), PATIENT)


class _Pools:
    """The threads of hurried, or of patient work."""

    def __init__(self, name: str, begin: Callable[[], None] | None):
        self.bands = ThreadPoolExecutor(THREADS, f"{name}bands", begin)
        self.works = ThreadPoolExecutor(THREADS, f"{name}works", begin)


_hurried, _patient = _Pools("", None), _Pools("patient-", be_patient)
_patients = ThreadPoolExecutor(THREADS, "patient", be_patient)


def _pools() -> _Pools:
    return _patient if getattr(_own, "patient", False) else _hurried


def patiently(work: Callable[[], Result]) -> Result:
    """What ``work`` gives, done where all else goes before it; it must not call this function itself."""
    return _patients.submit(work).result()


def at_once(*works: Callable[[], Result]) -> list[Result]:
    """What each of some works gives, done beside each other; none may call this function itself."""
    return list(_pools().works.map(lambda work: work(), works))


def in_bands(work: Callable[[slice], Result], rows: int, unit: int = 1) -> list[Result]:
    """Call ``work`` with slices that together cover ``rows`` rows; it must not call this function itself.

    Every slice but the last has the same number of rows, a multiple of ``unit``. Gives the results in their order.
    """
    if rows < FEWEST_ROWS:
        return [work(slice(0, rows))]
    step = -(-rows // (THREADS * unit)) * unit
    return list(_pools().bands.map(work, [slice(a, min(a + step, rows)) for a in range(0, rows, step)]))
