"""Files that belong to rows: handed out in pieces, and taken away when their row goes."""

import asyncio
import shutil
import time
from collections.abc import AsyncIterator
from errno import EDQUOT, ENOSPC
from pathlib import Path

from django.conf import settings
from django.core.files.storage import Storage
from django.db import transaction
from django.db.models.fields.files import FieldFile
from django.http import StreamingHttpResponse
from django.utils.http import content_disposition_header
from psycopg.errors import DiskFull as DiskFullError

from retouch.types import PictureError
from studio.models import CarriedTo, Export, Portrait, Preset

PIECE = 256 * 1024
MARGIN = 256 * 2**20
"""Bytes that stay free whatever is written: the database must always be able to finish."""
LEVELS_PER_PIXEL = 8
"""Bytes of a portrait's levels for each of its pixels."""


class DiskFull(PictureError):
    """The disk of the studio has no room for what was to be written; says so in a sentence."""

    def __init__(self, what: str):
        super().__init__(f"The studio's disk is full. {what} Make room on it, and try again.")


def room_for(size: int, what: str) -> None:
    """Look whether ``size`` bytes can be written and a margin stays free; DiskFull with ``what`` was kept if not."""
    settings.MEDIA_ROOT.mkdir(parents=True, exist_ok=True)
    if shutil.disk_usage(settings.MEDIA_ROOT).free < size + MARGIN:
        raise DiskFull(what)


def is_full(error: BaseException | None) -> bool:
    """Whether something failed because the disk, or the database's, is full."""
    return isinstance(error, DiskFullError) or (isinstance(error, OSError) and error.errno in (ENOSPC, EDQUOT))


def hand_out(file: FieldFile, kind: str, name: str | None = None) -> StreamingHttpResponse:
    """A stored file as a response, read piece by piece; with ``name``, as a download of that name."""

    async def pieces() -> AsyncIterator[bytes]:
        with await asyncio.to_thread(file.open, "rb") as opened:
            while piece := await asyncio.to_thread(opened.read, PIECE):
                yield piece

    response = StreamingHttpResponse(pieces(), content_type=kind)
    response["Content-Length"] = str(file.size)
    if name and (disposition := content_disposition_header(True, name)):
        response["Content-Disposition"] = disposition
    return response


def forget(portrait: Portrait) -> None:
    """Delete a portrait with its original, its levels and its exported files, once the deletion is committed."""
    files = [portrait.original, portrait.thumbnail, portrait.retouched]
    files += [e.result for e in portrait.exports.defer("document")]
    files += [f for c in portrait.carried.all() for f in (c.before, c.after)]
    kept = [(f.storage, str(f.name)) for f in files if f.name]
    levels = settings.LEVELS_ROOT / str(portrait.pk)
    portrait.delete()

    def remove() -> None:
        _remove(kept)
        shutil.rmtree(levels, ignore_errors=True)

    transaction.on_commit(remove)


def discard(row: Export | Preset) -> None:
    """Delete an export or a preset with its files, once the deletion is committed."""
    files = [row.result] if isinstance(row, Export) else [row.before, row.after]
    kept = [(f.storage, str(f.name)) for f in files if f.name]
    row.delete()
    transaction.on_commit(lambda: _remove(kept))


def _remove(files: list[tuple[Storage, str]]) -> None:
    for storage, name in files:
        storage.delete(name)


def sweep(older: float) -> int:
    """Remove what lies in our folders, is older than ``older`` seconds and belongs to no row; the bytes that it took.

    Originals, levels, exports and small pictures lie in folders named by their rows; what is in the folder for what is
    only made and moved away belongs to whoever works, and to nobody once it is old.
    """
    portraits = {str(pk) for pk in Portrait.objects.values_list("pk", flat=True)}
    exports, presets, carried = (
        {str(pk) for pk in rows.objects.values_list("pk", flat=True)} for rows in (Export, Preset, CarriedTo)
    )
    owners = {
        settings.LEVELS_ROOT: portraits,
        settings.MEDIA_ROOT / "originals": portraits,
        settings.MEDIA_ROOT / "thumbnails": portraits,
        settings.MEDIA_ROOT / "exports": exports,
        settings.MEDIA_ROOT / "presets": presets,
        settings.MEDIA_ROOT / "carried": carried,
        Path(settings.FILE_UPLOAD_TEMP_DIR): set(),
    }
    now, freed = time.time(), 0
    for root, owned in owners.items():
        for path in root.iterdir() if root.is_dir() else ():
            if path.name in owned or now - path.lstat().st_mtime < older:
                continue
            freed += sum(p.lstat().st_size for p in (path, *path.rglob("*")) if not p.is_dir())
            if path.is_dir():
                shutil.rmtree(path, ignore_errors=True)
            else:
                path.unlink(missing_ok=True)
    return freed


def told(size: int) -> str:
    """An amount of bytes in words."""
    return f"{size / 1e9:.1f} GB" if size >= 1e8 else f"{size / 1e6:.1f} MB"
