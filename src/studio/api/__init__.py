"""The studio's API: typed by pydantic, described by OpenAPI, guarded by session and CSRF on every call."""

from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError
from ninja.security import django_auth

from retouch.types import PictureError
from studio.api import (
    accounts,
    exports,
    finding,
    history,
    looking,
    masks,
    painting,
    portraits,
    repairing,
    sheets,
    sittings,
    starting,
)
from studio.api.finding import StillSearching
from studio.sheets import StaleRevision
from studio.strokes import PointsMissing

api = NinjaAPI(title="Needlepoint", version="1", auth=django_auth, docs_url=None, openapi_url=None)
for router in (
    accounts,
    sittings,
    portraits,
    sheets,
    starting,
    history,
    looking,
    painting,
    repairing,
    finding,
    masks,
    exports,
):
    api.add_router("", router.router)


def _say(request: HttpRequest, status: int, detail: str, **more: Any) -> HttpResponse:
    return api.create_response(request, {"detail": detail, **more}, status=status)


@api.exception_handler(PictureError)
def _picture_error(request: HttpRequest, error: PictureError) -> HttpResponse:
    return _say(request, 422, str(error))


@api.exception_handler(StaleRevision)
def _stale(request: HttpRequest, error: StaleRevision) -> HttpResponse:
    return _say(request, 409, str(error), revision=error.current)


@api.exception_handler(PointsMissing)
def _points_missing(request: HttpRequest, error: PointsMissing) -> HttpResponse:
    return _say(request, 412, "The beginning of this stroke is not here any more; it is sent again.")


@api.exception_handler(StillSearching)
def _still_searching(request: HttpRequest, error: StillSearching) -> HttpResponse:
    return _say(request, 425, "Faces and people are still being looked for in this picture.")


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
    return _say(request, error.status_code, str(error))
