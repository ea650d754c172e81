"""Files that belong to rows: taken away when their row goes."""

import shutil

from django.conf import settings
from django.db import transaction

from studio.models import Portrait


def forget(portrait: Portrait) -> None:
    """Delete a portrait with its original, its levels and its exported files, once the deletion is committed."""
    files = [portrait.original, portrait.thumbnail, *(e.result for e in portrait.exports.defer("document"))]
    kept = [(f.storage, f.name) for f in files if f]
    levels = settings.LEVELS_ROOT / str(portrait.pk)
    portrait.delete()

    def sweep() -> None:
        for storage, name in kept:
            storage.delete(name)
        shutil.rmtree(levels, ignore_errors=True)

    transaction.on_commit(sweep)
