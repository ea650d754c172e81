"""Views of a portrait: the one renderer cache of this process, and the pyramids it reads from."""

import logging
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from functools import lru_cache, partial
from pathlib import Path
from threading import Lock
from typing import Any, TypeVar, cast
from uuid import UUID

import numpy as np
from django.conf import settings
from django.db import connection
from django.http import HttpRequest

from retouch.bands import THREADS, be_patient, patiently
from retouch.faces import Found
from retouch.faces.own import UNKNOWN, Own, own
from retouch.frame import Frame
from retouch.render.cache import Cache
from retouch.render.plan import DRAFT, FINE, Renderer
from retouch.shape.geometry import Placing
from retouch.sheet import Sheet
from retouch.types import Encoded, PictureError
from studio.levels import pyramid
from studio.models import Portrait
from studio.recent import Recent
from studio.seats import Seats
from studio.storage import bring, found_place, replace

logger = logging.getLogger(__name__)
Pixels = TypeVar("Pixels", bound="np.ndarray[Any, Any]")

CACHE = Cache(settings.STAGE_CACHE_BYTES)


class Background:
    """Work done one after the other beside the requests, once for each name; a new process does it anew."""

    def __init__(self) -> None:
        self._pool = ThreadPoolExecutor(1, "background", be_patient)
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
"""Pixels of a view from which it takes long, and nobody waits with a hand held: a stage of 2560 × 1440 is smaller."""
PIECE = 1_200_000
"""Pixels of a piece in which such a view is drawn: between two of them others have their turn."""
SEATS = Seats(THREADS)
STAGES = 256 << 20
"""Bytes of stages that are kept while one picture is drawn by itself."""


def found_file(portrait: str) -> Path:
    """Where what was found on a portrait lies on this machine, beside its levels."""
    return Path(settings.LEVELS_ROOT / portrait / "found.npz")


def _first_file(portrait: str) -> Path:
    return found_file(portrait).with_name("first.npz")


def keep_first(portrait: str, found: Found) -> None:
    """Keep what was found roughly, on this machine, until all is found."""
    path = _first_file(portrait)
    part = path.with_suffix(".part")
    found.save(part)
    part.replace(path)


def forget_first(portrait: str) -> None:
    """What was found roughly is not wanted any more."""
    _first_file(portrait).unlink(missing_ok=True)


def keep_found(portrait: str, found: Found) -> None:
    """Keep what was found: in the storage for every machine, and here."""
    path = found_file(portrait)
    part = path.with_suffix(".part")
    found.save(part)
    with part.open("rb") as file:
        replace(found_place(portrait), file)
    part.replace(path)
    forget_first(portrait)


def found(portrait: str) -> Found | None:
    """What was found on a portrait, on whatever machine; None while nothing was looked for."""
    path = found_file(portrait)
    try:
        if not path.exists():
            bring(found_place(portrait), path)
        return _found(path, path.stat().st_mtime_ns)
    except (FileNotFoundError, PictureError):
        return None


def known(portrait: str) -> Found | None:
    """What was found on a portrait, or roughly found as yet; for what is only looked at."""
    there = found(portrait)
    if there is not None:
        return there
    path = _first_file(portrait)
    try:
        return _found(path, path.stat().st_mtime_ns)
    except (FileNotFoundError, PictureError):
        return None


@lru_cache(maxsize=32)
def _found(path: Path, changed: int) -> Found:
    return Found.load(path)


@lru_cache(maxsize=256)
def _own(portrait: str, key: str, changed: int, of: int) -> Own:
    levels = pyramid(portrait)
    return own(known(portrait), Frame.whole(levels.width, levels.height), levels.read, of)


def own_of(portrait: str, of: int = 0) -> Own:
    """What a portrait's face with a number, or (0) all of them, bring: their size and colour, as far as found."""
    for path in (found_file(portrait), _first_file(portrait)):
        if path.exists():
            return _own(portrait, path.name, path.stat().st_mtime_ns, of)
    return UNKNOWN


_in_hand: Recent[str, str] = Recent(256)
"""What was last prepared for a hand, by portrait."""


def prepare(portrait: Portrait, renderer: Renderer, frame: Frame) -> None:
    """Have what the touch in hand works on drawn for a view that was not drawn, beside the requests.

    Who walks from touch to touch has it drawn for the last alone.
    """
    key, name = str(portrait.pk), f"{sorted(renderer.kept_stages)} {renderer.key} {frame}"
    if not renderer.kept_stages:
        return
    _in_hand.put(key, name)
    BACKGROUND(f"prepare {key} {name}", lambda: renderer.prepare(frame) if _in_hand.get(key) == name else None)


@contextmanager
def seat(request: HttpRequest, long: bool = False) -> Iterator[None]:
    """A place at the renderer for who asks: no more render at once than there are threads, none holds a connection."""
    connection.close()
    with SEATS.place(request.user.pk, long):
        yield


def in_turns(request: HttpRequest, frame: Frame, draw: Callable[[Frame], Pixels]) -> Pixels:
    """What ``draw`` gives for a frame, drawn at a place; in pieces, each at a place of its own, if it takes long."""
    if frame.w * frame.h <= LONG_VIEW:
        with seat(request):
            return draw(frame)
    out: Pixels | None = None
    for piece in frame.tiles(PIECE):
        with seat(request, long=True):
            part = patiently(partial(draw, piece))
        if out is None:
            out = cast(Pixels, np.empty((frame.h, frame.w, *part.shape[2:]), part.dtype))
        out[piece.slices_in(frame)] = part
    assert out is not None
    return out


def renderer(
    portrait: Portrait,
    sheet: Sheet,
    draft: bool = False,
    keep: str | None = None,
    wait: bool = False,
    trying: bool = False,
    maps_of: Renderer | None = None,
) -> Renderer:
    """The renderer of a portrait with a sheet, on this process's cache; ``wait``: nothing is shown meanwhile,
    and nothing rests on what was found roughly."""
    key = str(portrait.pk)
    later = None if wait else BACKGROUND
    fineness = DRAFT if draft else FINE
    finds = partial(found if wait else known, key)
    return Renderer(pyramid(key), sheet, CACHE, fineness, keep, finds, later, trying, maps_of)


def placing_of(portrait: Portrait, sheet: Sheet) -> Placing:
    """How the finished picture is cut out of a portrait's original."""
    return Placing(sheet.geometry, portrait.facts["width"], portrait.facts["height"])


def fits(frame: Frame, size: tuple[int, int]) -> bool:
    """Whether a frame belongs to a picture of this size: of its proportions, no larger than it, and inside it."""
    width, height = size
    inside = frame.x >= 0 and frame.y >= 0 and frame.x + frame.w <= frame.width and frame.y + frame.h <= frame.height
    shape = abs(frame.height - frame.width * height / width) <= 1 + height / width
    return inside and shape and frame.w > 0 and frame.h > 0 and frame.width <= width and frame.height <= height


def picture_of(portrait: UUID, sheet: Sheet, side: int) -> Encoded:
    """A portrait with a sheet, ``side`` pixels long, encoded working colours."""
    key = str(portrait)
    made = Renderer(pyramid(key), sheet, Cache(STAGES), found=partial(found, key))
    return Encoded(np.ascontiguousarray(made.draw(made.finished(side))))
