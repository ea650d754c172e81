"""What the program found on a portrait by itself: faces, people, their parts, and the regions of the picture."""

from typing import Any
from uuid import UUID

import cv2
import numpy as np
from django.db import transaction
from django.http import Http404, HttpRequest, HttpResponse
from ninja import Router
from pydantic import BaseModel

from retouch.types import PictureError
from studio import owned, viewing
from studio.jobs import is_search_lost, search_anew
from studio.models import Portrait

router = Router(tags=["finding"])


class FaceOut(BaseModel):
    """A face: its number from the left, its box and its eyes' (x, y, w, h in long sides), and what was found of it.

    Of the ``unsure`` parts much might as well be something else.
    """

    number: int
    box: tuple[float, float, float, float]
    score: float
    eyes: list[tuple[float, float, float, float]]
    axis: list[tuple[float, float]]
    """From the top of the forehead to the chin; nothing if that is not known."""
    closed: list[str]
    mouth_open: bool
    parts: list[str]
    unsure: list[str]


class FoundOut(BaseModel):
    """How far the search is (none, waiting, running, ready, failed), and what it found; while it runs, what is known
    roughly."""

    search: str
    progress: float
    person: bool = False
    faces: list[FaceOut] = []


@router.get("portraits/{portrait_id}/found", response=FoundOut)
def found(request: HttpRequest, portrait_id: UUID) -> FoundOut:
    """What was found; ``none`` where nobody looked, or where what was found is lost: ask for it by POST."""
    portrait = owned.one(owned.portraits(request), portrait_id)
    there = viewing.known(str(portrait.pk))
    if _is_missing(portrait):
        return FoundOut(search=Portrait.Search.NONE, progress=0)
    rough = portrait.search == Portrait.Search.RUNNING
    if there is None or not (rough or portrait.search == Portrait.Search.READY):
        return FoundOut(search=portrait.search, progress=portrait.search_progress)
    summary = there.summary()
    faces = [FaceOut(**{name: face[name] for name in FaceOut.model_fields}) for face in summary["faces"]]
    share = portrait.search_progress if rough else 1
    return FoundOut(search=portrait.search, progress=share, person=summary["person"], faces=faces)


@router.post("portraits/{portrait_id}/found", response=FoundOut)
def search_again(request: HttpRequest, portrait_id: UUID) -> FoundOut:
    """Search if nobody did, if what was found is lost, if it failed, or if it waits and no job stands for it."""
    portrait = owned.one(owned.portraits(request), portrait_id)
    if portrait.state == Portrait.State.READY and (
        portrait.search == Portrait.Search.FAILED or _is_missing(portrait) or is_search_lost(portrait)
    ):
        return _searched(portrait)
    return FoundOut(search=portrait.search, progress=portrait.search_progress)


def _is_missing(portrait: Portrait) -> bool:
    """Whether nobody looked, or what was found is not there any more."""
    if portrait.search == Portrait.Search.READY:
        return viewing.found(str(portrait.pk)) is None
    return portrait.search == Portrait.Search.NONE


@router.get("portraits/{portrait_id}/regions", response={200: None})
def regions(request: HttpRequest, portrait_id: UUID) -> Any:
    """The numbers of the regions at each pixel of a small picture, as a PNG: part in red and green, whole in blue."""
    portrait = owned.one(owned.portraits(request), portrait_id)
    there = viewing.found(str(portrait.pk))
    if there is None or there.regions is None:
        raise Http404
    parts, wholes = there.regions.parts, there.regions.wholes
    bgr = np.stack([wholes & 255, parts >> 8, parts & 255], axis=-1).astype(np.uint8)
    response = HttpResponse(cv2.imencode(".png", bgr)[1].tobytes(), content_type="image/png")
    response["Cache-Control"] = "private, max-age=3600"
    return response


class StillSearching(Exception):
    """What is asked for rests on what is still being looked for."""


def searched(portrait: Portrait) -> None:
    """Go on only if what the program finds on a portrait is there; begin to look for it if nobody did.

    Raises
    ------
    StillSearching
        While it is being looked for.
    PictureError
        If looking for it failed.
    """
    if viewing.found(str(portrait.pk)) is not None:
        return
    if portrait.search == Portrait.Search.FAILED:
        raise PictureError(
            "This area rests on faces or people, and looking for them in this picture failed. Nothing was written. "
            "Search again, and then save it once more."
        )
    if portrait.search in (Portrait.Search.NONE, Portrait.Search.READY):
        _searched(portrait)
    raise StillSearching


def _searched(portrait: Portrait) -> FoundOut:
    with transaction.atomic():
        search_anew(str(portrait.pk))
    return FoundOut(search=Portrait.Search.WAITING, progress=0)
