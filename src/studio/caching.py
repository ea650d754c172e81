"""How answers go out: what is somebody's own is kept by nothing on the way, and files of the pages block nobody."""

import asyncio
from collections.abc import AsyncIterator, Iterator

from django.core.handlers.asgi import ASGIRequest
from django.http import FileResponse, HttpRequest, HttpResponse
from django.http.response import HttpResponseBase
from django.utils.deprecation import MiddlewareMixin


class NoStore(MiddlewareMixin):
    """``Cache-Control: no-store`` on every answer of the API that says nothing else."""

    def process_response(self, request: HttpRequest, response: HttpResponse) -> HttpResponse:
        """The answer, with the header."""
        if request.path.startswith("/api/") and not response.has_header("Cache-Control"):
            response["Cache-Control"] = "no-store"
        return response


class PagesAtOnce(MiddlewareMixin):
    """Hands the files of the pages out whole: they are small, and read beside the loop that answers everybody.

    What reads them gives a plain iterator, over which Django would wait on that loop, with a warning.
    """

    def process_response(self, request: HttpRequest, response: HttpResponseBase) -> HttpResponseBase:
        """Read it in a thread, where answers are asynchronous."""
        if isinstance(request, ASGIRequest) and isinstance(response, FileResponse) and not response.is_async:
            response.streaming_content = _whole(iter(response.streaming_content))  # type: ignore[arg-type]
        return response


async def _whole(pieces: Iterator[bytes]) -> AsyncIterator[bytes]:
    yield await asyncio.to_thread(b"".join, pieces)
