"""Work on bands of rows in threads: kernels are serial and release the GIL.

What takes long is done patiently: in threads of its own, to which the system gives what the others leave.
"""

import os
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor, wait
from functools import partial
from typing import TypeVar

import cv2

Result = TypeVar("Result")

THREADS = max(1, len(os.sched_getaffinity(0)))
"""As many as this process may use of the machine's processors."""
FEWEST_ROWS = 32
"""A lower band is not worth a thread."""

PATIENT = min(19, os.getpriority(os.PRIO_PROCESS, 0) + 10)
"""Niceness of threads that work patiently: where both want a processor the others get about nine tenths of it."""

cv2.setNumThreads(1)
_own = threading.local()


def be_patient() -> None:
    """Let the others go before this thread, and all that it has done in bands, from now on."""
    _own.patient = True
    # A thread begins as nice as the one that made it.
    os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), PATIENT)


_hurried = ThreadPoolExecutor(THREADS, "bands")
_patient = ThreadPoolExecutor(THREADS, "patient-bands", be_patient)
_patients = ThreadPoolExecutor(THREADS, "patient", be_patient)


def _helpers() -> ThreadPoolExecutor:
    return _patient if getattr(_own, "patient", False) else _hurried


def patiently(work: Callable[[], Result]) -> Result:
    """What ``work`` gives, done where all else goes before it; it must not call this function itself."""
    return _patients.submit(work).result()


def _together(works: list[Callable[[], Result]]) -> list[Result]:
    """What works give, in their order: who asks does the first, and from the last on those that nobody began.

    A thread that rests takes as long to wake as a small band takes to be done.
    """
    helpers = _helpers()
    asked = [helpers.submit(work) for work in works[1:]]
    given: dict[int, Result] = {}
    try:
        given[0] = works[0]()
        for i in range(len(asked), 0, -1):
            if asked[i - 1].cancel():
                given[i] = works[i]()
    finally:
        wait([one for one in asked if not one.cancel()])
    return [given[i] if i in given else asked[i - 1].result() for i in range(len(works))]


def at_once(*works: Callable[[], Result]) -> list[Result]:
    """What each of some works gives, done beside each other."""
    return _together(list(works))


def in_bands(work: Callable[[slice], Result], rows: int, unit: int = 1, each: int = 2) -> list[Result]:
    """Call ``work`` with slices that together cover ``rows`` rows.

    Every slice but the last has the same number of rows, a multiple of ``unit``; ``each`` thread gets so many, that
    one with little to do in its own goes on with the other's. Gives the results in their order.
    """
    pieces = min(each * THREADS, rows // FEWEST_ROWS)
    if pieces < 2:
        return [work(slice(0, rows))]
    step = -(-rows // (pieces * unit)) * unit
    return _together([partial(work, slice(a, min(a + step, rows))) for a in range(0, rows, step)])
