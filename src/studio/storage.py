"""Files that belong to rows: handed out in pieces, and taken away when their row goes."""

import asyncio
import shutil
from collections.abc import AsyncIterator

from django.conf import settings
from django.db import transaction
from django.db.models.fields.files import FieldFile
from django.http import StreamingHttpResponse
from django.utils.http import content_disposition_header

from studio.models import Portrait

PIECE = 256 * 1024


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
    files = [portrait.original, portrait.thumbnail, *(e.result for e in portrait.exports.defer("document"))]
    kept = [(f.storage, str(f.name)) for f in files if f.name]
    levels = settings.LEVELS_ROOT / str(portrait.pk)
    portrait.delete()

    def sweep() -> None:
        for storage, name in kept:
            storage.delete(name)
        shutil.rmtree(levels, ignore_errors=True)

    transaction.on_commit(sweep)
