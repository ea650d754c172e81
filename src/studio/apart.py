"""Files of strangers are decoded in a process of its own, with ends to its memory and its time."""

import logging
import multiprocessing
import resource
import threading
import time
from collections.abc import Callable
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

from retouch.files.reading import read
from retouch.render.picture import Decoded, Pyramid
from retouch.types import PictureError

log = logging.getLogger(__name__)
Work = Callable[[Path, Path, Callable[[float], None]], None]
LOOK = 0.25
"""Seconds between two looks at the time."""
ANEW = "It may be damaged: export it again from the program that made it."
TOO_MUCH = f"This file needs more memory to be opened than pictures do. {ANEW}"
TOO_LONG = f"This file takes too long to be opened. {ANEW}"


def store_levels(original: Path, folder: Path, tell: Callable[[float], None]) -> None:
    """Decode an original and store its levels in ``folder``.

    Raises
    ------
    PictureError
        As :func:`retouch.files.reading.read`.
    """
    Pyramid.store(Decoded(read(original)), folder, tell)


class Apart:
    """One process in which ``work`` is done, one piece at a time; it is started when the first is wanted."""

    def __init__(self, work: Work, most_bytes: int, seconds: float):
        self._work, self._most, self._seconds = work, most_bytes, seconds
        self._lock = threading.Lock()
        self._process: Any = None
        self._line: Connection | None = None

    def run(self, original: Path, folder: Path, tell: Callable[[float], None]) -> None:
        """Do the work there; ``tell`` is told the share, and what it raises ends the work and its process.

        Raises
        ------
        PictureError
            What the work says of the file; or that it takes more memory or time than any picture.
        """
        with self._lock:
            line = self._up()
            try:
                line.send((original, folder))
                self._wait(line, tell)
            except BaseException as error:
                if not isinstance(error, PictureError):
                    self.end()
                raise

    def _wait(self, line: Connection, tell: Callable[[float], None]) -> None:
        until = time.monotonic() + self._seconds
        while True:
            if not line.poll(LOOK):
                if time.monotonic() > until:
                    self.end()
                    raise PictureError(TOO_LONG)
                continue
            try:
                kind, said = line.recv()
            except EOFError:
                # The system ended it, or a library did that found no memory.
                self.end()
                raise PictureError(TOO_MUCH) from None
            if kind == "share":
                tell(said)
            elif kind == "done":
                return
            elif kind == "said":
                raise PictureError(said)
            else:
                raise said

    def _up(self) -> Connection:
        if self._process is None or not self._process.is_alive() or self._line is None:
            context = multiprocessing.get_context("spawn")
            self._line, theirs = context.Pipe()
            self._process = context.Process(target=_serve, args=(theirs, self._work, self._most), daemon=True)
            self._process.start()
            # Only the other side holds it: when that ends, we hear of it.
            theirs.close()
            # Its time counts from when it is there.
            self._line.recv()
        return self._line

    def end(self) -> None:
        """End the process, whatever it does."""
        if self._process is not None:
            self._process.kill()
            self._process.join()
        self._process = self._line = None


def _serve(line: Connection, work: Work, most_bytes: int) -> None:
    resource.setrlimit(resource.RLIMIT_DATA, (most_bytes, most_bytes))
    line.send("ready")
    while True:
        try:
            original, folder = line.recv()
        except EOFError:
            return
        try:
            work(original, folder, lambda share: line.send(("share", share)))
            line.send(("done", None))
        except PictureError as error:
            line.send(("said", str(error)))
        except MemoryError:
            line.send(("said", TOO_MUCH))
        except OSError as error:
            line.send(("raised", OSError(error.errno, str(error))))
        except Exception as error:
            log.exception("work apart failed")
            line.send(("raised", RuntimeError(repr(error))))
