"""Portraits that are prepared: the first of a picture through the real jobs, others as rows beside its files."""

import hashlib
import os
import shutil
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import transaction
from django.test import Client

from studio.jobs import search_anew
from studio.models import Portrait
from tests.plugin import VAR
from tests.studio.talk import upload, work

FILES = ("original", "thumbnail")
FIELDS = ("bytes", "facts", "state", "progress")
_made: dict[str, dict[str, Any]] = {}


def prepared(client: Client, sitting: Any, file_name: str, data: bytes) -> Portrait:
    """A portrait of a sitting that was uploaded and prepared, and waits for its search."""
    name = hashlib.sha256(data).hexdigest()[:32]
    kept = VAR / "prepared" / name
    if name not in _made:
        key = upload(client, sitting, file_name, data).json()["id"]
        work()
        row = Portrait.objects.get(pk=key)
        shutil.rmtree(kept, ignore_errors=True)
        shutil.copytree(settings.LEVELS_ROOT / key, kept / "levels")
        for field in FILES:
            shutil.copy(getattr(row, field).path, kept / field)
        _made[name] = {field: getattr(row, field) for field in FIELDS}
        return row
    row = Portrait(sitting=sitting, name=Path(file_name).stem, file_name=file_name, **_made[name])
    shutil.copytree(kept / "levels", settings.LEVELS_ROOT / str(row.pk), copy_function=os.link)
    for field in FILES:
        place = f"{field}s/{row.pk}/{field}"
        (settings.MEDIA_ROOT / place).parent.mkdir(parents=True)
        os.link(kept / field, settings.MEDIA_ROOT / place)
        setattr(row, field, place)
    with transaction.atomic():
        row.save()
        search_anew(str(row.pk))
    return row
