"""Views of a portrait: the one renderer cache of this process, and the pyramids it reads from."""

import logging
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import lru_cache, partial
from pathlib import Path
from threading import BoundedSemaphore, Lock

from django.conf import settings
from django.db import connection
from django.http import Http404

from retouch.bands import THREADS
from retouch.faces import Found
from retouch.frame import Frame
from retouch.render.cache import Cache
from retouch.render.picture import Pyramid
from retouch.render.plan import DRAFT, FINE, Renderer
from retouch.sheet import Sheet
from retouch.types import PictureError
from studio.models import Portrait
from studio.recent import Recent

logger = logging.getLogger(__name__)


CACHE = Cache(settings.STAGE_CACHE_BYTES)


class Background:
    """Work done one after the other beside the requests, once for each name; a new process does it anew."""

    def __init__(self) -> None:
        self._pool = ThreadPoolExecutor(1, "background")
        self._running: set[str] = set()
        self._failed: set[str] = set()
        self._lock = Lock()

    def __call__(self, name: str, work: Callable[[], object]) -> bool:
        """Have ``work`` done if it is not on its way already; False if it failed before."""
        with self._lock:
            if name in self._failed:
                return False
            if name not in self._running:
                self._running.add(name)
                self._pool.submit(self._do, name, work)
        return True

    def close(self) -> None:
        """Wait for what is on its way; nothing more can be given."""
        self._pool.shutdown()

    def _do(self, name: str, work: Callable[[], object]) -> None:
        try:
            work()
        except Exception:
            logger.exception("Work in the background failed: %s", name)
            with self._lock:
                self._failed.add(name)
        finally:
            with self._lock:
                self._running.discard(name)


BACKGROUND = Background()
VIEWS: Recent[str, bytes] = Recent(settings.VIEW_CACHE_BYTES, len)
"""Views as they were sent, by what went into them: what is looked at again is not made again."""
LONG_VIEW = 4_500_000
"""Pixels of a view from which it takes long: a stage of 2560 × 1440 is smaller."""
_places = BoundedSemaphore(THREADS)
_long_places = BoundedSemaphore(max(1, THREADS - 1))


@lru_cache(maxsize=32)
def pyramid(portrait: str) -> Pyramid:
    """The stored levels of a portrait; 404 while there are none."""
    try:
        return Pyramid(settings.LEVELS_ROOT / portrait, portrait)
    except FileNotFoundError as error:
        raise Http404 from error


def found_file(portrait: str) -> Path:
    """Where what was found on a portrait is kept, beside its levels: both can be made again from the original."""
    return Path(settings.LEVELS_ROOT / portrait / "found.npz")


def found(portrait: str) -> Found | None:
    """What was found on a portrait; None while nothing was looked for."""
    try:
        return _found(portrait, found_file(portrait).stat().st_mtime_ns)
    except (FileNotFoundError, PictureError):
        return None


@lru_cache(maxsize=32)
def _found(portrait: str, changed: int) -> Found:
    return Found.load(found_file(portrait))


def stored(portrait: Portrait) -> bool:
    """Whether the portrait's levels are there; they are a cache that can be made again from the original."""
    return (settings.LEVELS_ROOT / str(portrait.pk)).is_dir()


class Seat:
    """A place at the renderer: no more render at once than there are threads, and none holds a connection.

    What takes ``long`` never has all the places: what a hand waits for finds one.
    """

    def __init__(self, long: bool = False):
        self._places = [_long_places, _places] if long else [_places]

    def __enter__(self) -> None:
        connection.close()
        for places in self._places:
            places.acquire()

    def __exit__(self, *error: object) -> None:
        for places in reversed(self._places):
            places.release()


def is_long(frame: Frame) -> bool:
    """Whether a view is larger than a stage's: somebody prints it, or nobody waits with a hand held."""
    return frame.w * frame.h > LONG_VIEW


def renderer(
    portrait: Portrait,
    sheet: Sheet,
    draft: bool = False,
    keep: str | None = None,
    wait: bool = False,
    trying: bool = False,
    maps_of: Renderer | None = None,
) -> Renderer:
    """The renderer of a portrait with a sheet, on this process's cache; ``wait``: nothing is shown meanwhile."""
    key = str(portrait.pk)
    later = None if wait else BACKGROUND
    fineness = DRAFT if draft else FINE
    return Renderer(pyramid(key), sheet, CACHE, fineness, keep, partial(found, key), later, trying, maps_of)


def fits(frame: Frame, portrait: Portrait) -> bool:
    """Whether a frame belongs to the portrait: of its proportions, no larger than it, and inside it."""
    width, height = portrait.facts["width"], portrait.facts["height"]
    inside = frame.x >= 0 and frame.y >= 0 and frame.x + frame.w <= frame.width and frame.y + frame.h <= frame.height
    shape = abs(frame.height - frame.width * height / width) <= 1 + height / width
    return inside and shape and frame.w > 0 and frame.h > 0 and frame.width <= width and frame.height <= height
