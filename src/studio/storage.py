"""Files that belong to rows: handed out in pieces, and taken away when their row goes.

They lie in Django's default storage: folders of this machine, or a store that several machines share.
"""

import asyncio
import shutil
import tempfile
import time
from collections.abc import AsyncIterator, Iterator
from contextlib import contextmanager, suppress
from errno import EDQUOT, ENOSPC
from pathlib import Path
from typing import IO

from django.conf import settings
from django.core.files import File
from django.core.files.storage import FileSystemStorage, Storage, default_storage
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


@contextmanager
def on_disk(file: FieldFile) -> Iterator[Path]:
    """A stored file as one of this machine's, fetched if it lies elsewhere; it is only to be read."""
    if isinstance(file.storage, FileSystemStorage):
        yield Path(file.path)
        return
    with tempfile.NamedTemporaryFile(dir=settings.FILE_UPLOAD_TEMP_DIR) as here:
        with file.open("rb") as there:
            shutil.copyfileobj(there, here, PIECE)
        here.flush()
        yield Path(here.name)


def found_place(portrait: str) -> str:
    """Where in the storage lies what was found on a portrait."""
    return f"found/{portrait}/found"


def replace(place: str, file: IO[bytes]) -> None:
    """Keep a file at a place of the storage, instead of what was there."""
    if default_storage.exists(place):
        default_storage.delete(place)
    default_storage.save(place, File(file))


def bring(place: str, path: Path) -> None:
    """Fetch a stored file to a path of this machine, which is there whole or not at all; FileNotFoundError if none."""
    if not default_storage.exists(place):
        raise FileNotFoundError(place)
    part = path.with_name(f"{path.name}.{time.monotonic_ns()}.part")
    path.parent.mkdir(parents=True, exist_ok=True)
    with default_storage.open(place) as there, part.open("wb") as here:
        shutil.copyfileobj(there, here, PIECE)
    part.replace(path)


def forget(portrait: Portrait) -> None:
    """Delete a portrait with its original, its levels and its exported files, once the deletion is committed."""
    files = [portrait.original, portrait.thumbnail, portrait.retouched]
    files += [e.result for e in portrait.exports.defer("document")]
    files += [f for c in portrait.carried.all() for f in (c.before, c.after)]
    kept = [(f.storage, str(f.name)) for f in files if f.name]
    kept.append((default_storage, found_place(str(portrait.pk))))
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
    freed = 0
    for root, owned in ((settings.LEVELS_ROOT, portraits), (Path(settings.FILE_UPLOAD_TEMP_DIR), set[str]())):
        freed += _sweep_here(root, owned, older)
    owners = {
        "originals": portraits, "thumbnails": portraits, "found": portraits, "exports": exports, "presets": presets,
        "carried": carried,
    }  # fmt: skip
    for folder, owned in owners.items():
        freed += _sweep_stored(folder, owned, older)
    return freed


def _sweep_here(root: Path, owned: set[str], older: float) -> int:
    now, freed = time.time(), 0
    for path in root.iterdir() if root.is_dir() else ():
        if path.name in owned or now - path.lstat().st_mtime < older:
            continue
        freed += sum(p.lstat().st_size for p in (path, *path.rglob("*")) if not p.is_dir())
        if path.is_dir():
            shutil.rmtree(path, ignore_errors=True)
        else:
            path.unlink(missing_ok=True)
    return freed


def _sweep_stored(folder: str, owned: set[str], older: float) -> int:
    now, freed = time.time(), 0
    try:
        rows = default_storage.listdir(folder)[0]
    except FileNotFoundError:
        return 0
    for row in rows:
        for name in () if row in owned else default_storage.listdir(f"{folder}/{row}")[1]:
            place = f"{folder}/{row}/{name}"
            if now - default_storage.get_modified_time(place).timestamp() >= older:
                freed += default_storage.size(place)
                default_storage.delete(place)
        if isinstance(default_storage, FileSystemStorage) and row not in owned:
            _remove_empty(Path(default_storage.path(f"{folder}/{row}")))
    return freed


def _remove_empty(folder: Path) -> None:
    with suppress(OSError):
        folder.rmdir()


def told(size: int) -> str:
    """An amount of bytes in words."""
    return f"{size / 1e9:.1f} GB" if size >= 1e8 else f"{size / 1e6:.1f} MB"
