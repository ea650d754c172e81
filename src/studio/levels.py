"""The levels of portraits on this machine: only cache, made from the original wherever they are missing."""

import shutil
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from threading import Lock
from uuid import uuid4

from django.conf import settings
from django.http import Http404

from retouch.render.picture import Pyramid
from studio.apart import Apart, store_levels
from studio.models import Portrait
from studio.storage import on_disk

DECODING = Apart(store_levels, settings.DECODE_BYTES, settings.DECODE_SECONDS)
_LOCK = Lock()


def store(portrait: Portrait, tell: Callable[[float], None]) -> Path:
    """Decode a portrait's original and store its levels; what of it was here before is replaced.

    PictureError for a file that cannot be decoded. What ``tell`` raises ends the work; nothing is left of it then.
    """
    folder = settings.LEVELS_ROOT / str(portrait.pk)
    part = settings.LEVELS_ROOT / f"{portrait.pk}.{uuid4().hex}.part"
    decode = DECODING.run if settings.DECODE_APART else store_levels
    try:
        with on_disk(portrait.original) as path:
            decode(path, part, tell)
        shutil.rmtree(folder, ignore_errors=True)
        part.rename(folder)
    finally:
        shutil.rmtree(part, ignore_errors=True)
    return Path(folder)


@lru_cache(maxsize=32)
def pyramid(portrait: str) -> Pyramid:
    """The stored levels of a portrait, made now if this machine has none; 404 if there is nothing to make them of."""
    folder = settings.LEVELS_ROOT / portrait
    try:
        return Pyramid(folder, portrait)
    except FileNotFoundError:
        pass
    row = Portrait.objects.filter(pk=portrait, state=Portrait.State.READY).exclude(original="").first()
    if row is None:
        raise Http404
    # Several may ask for it at once.
    with _LOCK:
        try:
            return Pyramid(folder, portrait)
        except FileNotFoundError:
            return Pyramid(store(row, lambda share: None), portrait)
