"""The web process: Django under ASGI, uploads measured before they are read, kernels compiled at its start."""

import json
import os
from typing import Any

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "studio.settings")

from django.conf import settings
from django.core.asgi import get_asgi_application

from retouch.render.warm import warm

django_application = get_asgi_application()

ROOM_FOR_FORM = 64 * 1024


async def application(scope: Any, receive: Any, send: Any) -> None:
    """Refuse a body that is too large, or does not say how large it is, before a byte of it is taken in."""
    if scope["type"] == "http" and scope["method"] in ("POST", "PUT", "PATCH"):
        headers = dict(scope["headers"])
        length = headers.get(b"content-length", b"")
        if not length.isdigit() or b"transfer-encoding" in headers:
            return await _refuse(send, 411, "The browser did not say how large this is. Nothing was taken in.")
        if int(length) > settings.MOST_UPLOAD_BYTES + ROOM_FOR_FORM:
            most = settings.MOST_UPLOAD_BYTES >> 20
            return await _refuse(send, 413, f"This file is larger than {most} MB. Nothing was taken in.")
    await django_application(scope, receive, send)
    return None


async def _refuse(send: Any, status: int, detail: str) -> None:
    body = json.dumps({"detail": detail}).encode()
    headers = [(b"content-type", b"application/json"), (b"content-length", str(len(body)).encode())]
    await send({"type": "http.response.start", "status": status, "headers": [*headers, (b"connection", b"close")]})
    await send({"type": "http.response.body", "body": body})


if os.environ.get("NEEDLEPOINT_WARM", "1") == "1":
    warm()
