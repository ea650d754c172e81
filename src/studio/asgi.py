"""The web process: Django under ASGI, uploads measured before they are read, kernels loaded beside its answers."""

import asyncio
import json
import os
import threading
from http.cookies import CookieError, SimpleCookie
from importlib import import_module
from typing import Any

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "studio.settings")

from django.conf import settings
from django.core.asgi import get_asgi_application
from django.db import DatabaseError, connection

from retouch.render.warm import warm

django_application = get_asgi_application()
# Its model is there only once Django is set up.
SessionStore = import_module(settings.SESSION_ENGINE).SessionStore

ROOM_FOR_FORM = 64 * 1024


async def application(scope: Any, receive: Any, send: Any) -> None:
    """Refuse a body that is too large, that does not say how large it is, or a large one of nobody who is signed in,
    before a byte of it is taken in.
    """
    if scope["type"] == "http":
        headers = dict(scope["headers"])
        # Only what by its method has a body must have a size; but any may bring one.
        length = headers.get(b"content-length", b"" if scope["method"] in ("POST", "PUT", "PATCH") else b"0")
        if not length.isdigit() or b"transfer-encoding" in headers:
            return await _refuse(send, 411, "The browser did not say how large this is. Nothing was taken in.")
        if int(length) > settings.MOST_UPLOAD_BYTES + ROOM_FOR_FORM:
            most = settings.MOST_UPLOAD_BYTES >> 20
            return await _refuse(send, 413, f"This file is larger than {most} MB. Nothing was taken in.")
        if int(length) > ROOM_FOR_FORM and not await asyncio.to_thread(_signed_in, headers.get(b"cookie", b"")):
            return await _refuse(send, 401, "You are not signed in. Sign in and go on; nothing was taken in.")
    await django_application(scope, receive, send)
    return None


def _signed_in(cookies: bytes) -> bool:
    """Whether a session belongs to a request; what it may do is looked at later."""
    try:
        held = SimpleCookie(cookies.decode("latin-1")).get(settings.SESSION_COOKIE_NAME)
        return held is not None and SessionStore().exists(held.value)
    except CookieError:
        return False
    except DatabaseError:
        # Whoever answers the request says that the database is away.
        return True
    finally:
        connection.close()


async def _refuse(send: Any, status: int, detail: str) -> None:
    body = json.dumps({"detail": detail}).encode()
    headers = [(b"content-type", b"application/json"), (b"content-length", str(len(body)).encode())]
    await send({"type": "http.response.start", "status": status, "headers": [*headers, (b"connection", b"close")]})
    await send({"type": "http.response.body", "body": body})


def _warm() -> None:
    """An edit needs no kernel: the server answers at once, and whoever starts the house waits for the mark."""
    try:
        warm()
    finally:
        settings.WARM_MARK.parent.mkdir(parents=True, exist_ok=True)
        settings.WARM_MARK.touch()


if os.environ.get("NEEDLEPOINT_WARM", "1") == "1":
    threading.Thread(target=_warm, name="warm", daemon=True).start()
