"""The studio's API: typed by pydantic, described by OpenAPI, guarded by session and CSRF on every call."""

import json
import logging
from secrets import token_hex
from typing import Any

from django.db import DatabaseError, InterfaceError, OperationalError, connection
from django.http import Http404, HttpRequest, HttpResponse
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError
from ninja.parser import Parser
from ninja.security import django_auth
from psycopg_pool import PoolTimeout

from retouch.types import PictureError
from studio.api import (
    accounts,
    batches,
    carrying,
    exports,
    finding,
    history,
    light,
    looking,
    masks,
    painting,
    portraits,
    presets,
    presses,
    repairing,
    sheets,
    sitters,
    sittings,
    starting,
)
from studio.api.finding import StillSearching
from studio.sheets import StaleRevision
from studio.storage import DiskFull, is_full
from studio.strokes import PointsMissing

log = logging.getLogger(__name__)


class Careful(Parser):
    """JSON that can be kept: no NUL, no half of a character, not deeper than can be read."""

    def parse_body(self, request: HttpRequest) -> Any:
        """The body's value; HttpError 422 with a sentence if there is none."""
        try:
            value = json.loads(request.body)
            # UnicodeEncodeError, of halves, is a ValueError too.
            if b"\\u" in request.body and b"\\u0000" in json.dumps(value, ensure_ascii=False).encode():
                raise ValueError("NUL")
        except (ValueError, RecursionError) as error:
            said = "What the page sent cannot be read, or holds signs that cannot be kept. Nothing was changed."
            raise HttpError(422, said) from error
        return value


api = NinjaAPI(title="Needlepoint", version="1", auth=django_auth, docs_url=None, openapi_url=None, parser=Careful())
for router in (
    accounts,
    batches,
    sittings,
    sitters,
    portraits,
    sheets,
    starting,
    history,
    light,
    looking,
    painting,
    repairing,
    finding,
    masks,
    presets,
    presses,
    carrying,
    exports,
):
    api.add_router("", router.router)


def _say(request: HttpRequest, status: int, detail: str, **more: Any) -> HttpResponse:
    return api.create_response(request, {"detail": detail, **more}, status=status)


def _full(request: HttpRequest, error: Exception) -> HttpResponse:
    return _say(request, 507, str(error if isinstance(error, DiskFull) else DiskFull("This was not kept.")))


@api.exception_handler(DatabaseError)
@api.exception_handler(PoolTimeout)
def _database_away(request: HttpRequest, error: Exception) -> HttpResponse:
    """The house brings its database back by itself; whoever could not even reach it may simply ask again."""
    if is_full(error.__cause__):
        return _full(request, error)
    if isinstance(error, PoolTimeout | OperationalError | InterfaceError):
        reached = not isinstance(error, PoolTimeout) and connection.connection is not None
        log.warning("the database is away: %s", error)
        connection.close()
        response = _say(request, 503, "One moment: the studio is bringing its database back. Nothing was lost.")
        if not reached:
            response["Retry-After"] = "1"
        return response
    return _unexpected(request, error)


@api.exception_handler(Exception)
def _unexpected(request: HttpRequest, error: Exception) -> HttpResponse:
    """A sentence with a number that stands in the log; nothing of ours leaks."""
    if is_full(error):
        return _full(request, error)
    number = token_hex(4)
    log.error("no. %s: %s %s", number, request.method, request.path, exc_info=error)
    return _say(
        request, 500, f"Something went wrong here, not with your picture (no. {number}). What was saved is kept."
    )


@api.exception_handler(PictureError)
def _picture_error(request: HttpRequest, error: PictureError) -> HttpResponse:
    if isinstance(error, DiskFull):
        return _full(request, error)
    return _say(request, 422, str(error))


@api.exception_handler(StaleRevision)
def _stale(request: HttpRequest, error: StaleRevision) -> HttpResponse:
    return _say(request, 409, str(error), revision=error.current)


@api.exception_handler(PointsMissing)
def _points_missing(request: HttpRequest, error: PointsMissing) -> HttpResponse:
    return _say(request, 412, "The beginning of this stroke is not here any more; it is sent again.")


@api.exception_handler(StillSearching)
def _still_searching(request: HttpRequest, error: StillSearching) -> HttpResponse:
    what = "Faces and people are still being looked for in this picture."
    return _say(request, 425, f"{what} Nothing was changed: try again in a moment, or paint the place.")


@api.exception_handler(Http404)
def _missing(request: HttpRequest, error: Http404) -> HttpResponse:
    return _say(request, 404, "That is not here, or no longer.")


@api.exception_handler(AuthenticationError)
def _unknown_person(request: HttpRequest, error: AuthenticationError) -> HttpResponse:
    return _say(request, 401, "You are not signed in. Nothing was lost: sign in and go on.")


@api.exception_handler(ValidationError)
def _invalid(request: HttpRequest, error: ValidationError) -> HttpResponse:
    first = error.errors[0]
    where = ".".join(str(p) for p in first["loc"][2:]) if len(first["loc"]) > 2 else ""
    return _say(request, 422, f"{where}: {first['msg']}" if where else str(first["msg"]))


@api.exception_handler(HttpError)
def _refused(request: HttpRequest, error: HttpError) -> HttpResponse:
    if isinstance(error.__cause__, HttpError):
        # The reason why a body cannot be read.
        error = error.__cause__
    return _say(request, error.status_code, str(error))
