"""Windows on one portrait follow each other: where its sheet stands, as server-sent events (WHATWG HTML, 9.2)."""

import asyncio
import json
import time
from collections import Counter
from collections.abc import AsyncIterator
from uuid import UUID

from asgiref.sync import sync_to_async
from django.db import connection
from django.http import HttpRequest, HttpResponseBase, JsonResponse, StreamingHttpResponse
from django.views.decorators.http import require_safe

from studio.models import Portrait

LOOK = 0.4
"""Seconds between two looks at where it stands."""
BEAT = 15.0
"""Seconds of silence after which a sign of life is sent, so that nothing on the way closes the line."""
AT_MOST = 600.0
"""Seconds after which the page asks anew, so that somebody who was signed out meanwhile hears no more."""
MOST_WINDOWS, MOST_WINDOWS_OF_ALL = 30, 300
_windows: Counter[int] = Counter()


@require_safe
async def following(request: HttpRequest, portrait_id: UUID) -> HttpResponseBase:
    """An event with revision and words for where the sheet stands now, and for each time it stands elsewhere."""
    user = await request.auser()
    if not user.is_authenticated:
        return JsonResponse({"detail": "You are not signed in. Nothing was lost: sign in and go on."}, status=401)
    if await asyncio.to_thread(_standing, portrait_id, user.pk) is None:
        return JsonResponse({"detail": "That is not here, or no longer."}, status=404)
    if _windows[user.pk] >= MOST_WINDOWS or _windows.total() >= MOST_WINDOWS_OF_ALL:
        return JsonResponse({"detail": "Too many windows are open. This one follows no other."}, status=429)
    return StreamingHttpResponse(_events(portrait_id, user.pk), content_type="text/event-stream")


async def _events(portrait: UUID, owner: int) -> AsyncIterator[str]:
    _windows[owner] += 1
    try:
        # Who it is was asked on the request's own thread, which stands as long as the stream: its connection to the
        # database goes back now, or a dozen windows would hold all that there are.
        await sync_to_async(lambda: connection.close())()
        began = said = time.monotonic()
        last = None
        while time.monotonic() - began < AT_MOST:
            now = await asyncio.to_thread(_standing, portrait, owner)
            if now is None:
                return
            if now != last or time.monotonic() - said > BEAT:
                yield f"data: {json.dumps({'revision': now[0], 'words': now[1]})}\n\n" if now != last else ": here\n\n"
                last, said = now, time.monotonic()
            await asyncio.sleep(LOOK)
    finally:
        _windows[owner] -= 1


def _standing(portrait: UUID, owner: int) -> tuple[int, str] | None:
    """Revision and words of the last edit, of somebody's own portrait."""
    try:
        rows = Portrait.objects.filter(pk=portrait, sitting__owner=owner)
        row = rows.values_list("revision", "head__words").first()
        return None if row is None else (row[0], row[1] or "")
    finally:
        connection.close()
