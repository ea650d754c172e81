"""How the tests talk to the studio."""

import hmac
import struct
import time
from base64 import b32decode
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test import Client
from procrastinate.contrib.django import app

PASSWORD = "kittiwake-over-marsh"
JSON = "application/json"


def work(*queues: str) -> None:
    """Run every job that waits, as a worker would, and come back when none is left; searches only if asked."""
    with app.replace_connector(app.connector.get_worker_connector()) as worker:
        worker.run_worker(
            queues=list(queues) or ["studio"],
            wait=False,
            install_signal_handlers=False,
            listen_notify=False,
            concurrency=1,
        )


def now_instead_of_later() -> None:
    """Let the jobs that are to be tried again in a moment be tried now."""
    with connection.cursor() as cursor:
        cursor.execute("UPDATE procrastinate_jobs SET scheduled_at = NULL WHERE status = 'todo'")


def upload(client: Client, sitting: Any, name: str, data: bytes) -> Any:
    """Send one file to a sitting."""
    return client.post(f"/api/sittings/{sitting.pk}/portraits", {"file": SimpleUploadedFile(name, data)})


def edit(client: Client, portrait: Any, revision: int, *operations: dict, words: str = "an edit") -> Any:
    """Send a change of the sheet."""
    body = {"revision": revision, "operations": list(operations), "words": words}
    return client.post(f"/api/portraits/{portrait.pk}/edits", body, JSON)


def move(client: Client, portrait: Any, way: str, revision: int) -> Any:
    """Undo or redo."""
    return client.post(f"/api/portraits/{portrait.pk}/{way}", {"revision": revision}, JSON)


def put(path: list, value: Any) -> dict:
    """Set a field."""
    return {"op": "put", "path": path, "value": value}


def insert(path: list, item: Any) -> dict:
    """Insert an item at the end of a list."""
    return {"op": "insert", "path": path, "item": item}


def exposure(name: str = "t1", ev: float = 1.0, **more: Any) -> dict:
    """A touch as the interface sends it."""
    return {"id": name, "kind": "exposure", "settings": {"ev": ev}, **more}


def sheet(client: Client, portrait: Any) -> Any:
    """The sheet as it stands."""
    return client.get(f"/api/portraits/{portrait.pk}/sheet").json()


def frame(width: int = 300, height: int = 375, **part: int) -> dict:
    """A frame of the whole picture, or a part of it."""
    return {"width": width, "height": height, "x": 0, "y": 0, "w": width, "h": height, **part}


def look(client: Client, portrait: Any, revision: int, what: str = "view", **more: Any) -> Any:
    """Ask for a view or a coverage."""
    body = {"revision": revision, "frame": frame(), **more}
    return client.post(f"/api/portraits/{portrait.pk}/{what}", body, JSON)


def content(answer: Any) -> bytes:
    """All of a file that is handed out in pieces."""
    return b"".join(answer)


def code_of(secret: str) -> str:
    """What an authenticator shows now: RFC 6238 by hand."""
    count = struct.pack(">Q", int(time.time()) // 30)
    digest = hmac.digest(b32decode("".join(secret.split())), count, "sha1")
    start = digest[-1] & 15
    return f"{(struct.unpack('>I', digest[start : start + 4])[0] & 0x7FFFFFFF) % 10**6:06}"
