"""Views: a rectangle of the picture as the sheet makes it, and the coverage of an area."""

from typing import Annotated, Literal
from uuid import UUID

import cv2
import numpy as np
from django.http import HttpRequest, HttpResponse
from ninja import Router
from pydantic import BaseModel, Field

from retouch.frame import Frame
from retouch.render.output import to_jpeg
from retouch.sheet import Sheet
from retouch.sheet.changes import Operation
from retouch.types import Floats, PictureError
from studio import owned, sheets, viewing
from studio.jobs import prepare_anew
from studio.models import Portrait

router = Router(tags=["looking"])

Pixels = Annotated[int, Field(ge=0, le=40_000)]
MOST_VIEW = 16_000_000
SHARE_SIDE = 400


class FrameIn(BaseModel):
    """A rectangle in pixels of the whole picture drawn at ``width`` × ``height``, at most the picture's own size."""

    width: Pixels
    height: Pixels
    x: Pixels
    y: Pixels
    w: Pixels
    h: Pixels


class LookIn(BaseModel):
    """What is looked at: a revision, a change that is only tried, and the rectangle."""

    revision: int
    trial: Annotated[list[Operation], Field(max_length=100)] = []
    frame: FrameIn
    draft: bool = False


class ViewIn(LookIn):
    """``show`` the result or the original; ``keep`` is the id of the touch in hand."""

    show: Literal["result", "original"] = "result"
    keep: str | None = None


class CoverageIn(LookIn):
    """The area whose coverage is wanted."""

    area: str


@router.post("portraits/{portrait_id}/view", response={200: None})
def view(request: HttpRequest, portrait_id: UUID, data: ViewIn) -> HttpResponse:
    """The rectangle as an sRGB JPEG; a draft is rendered with coarser tables."""
    portrait, frame = _open(request, portrait_id, data.frame)
    sheet = sheets.sheet_at(portrait_id, data.revision, data.trial) if data.show == "result" else Sheet()
    with viewing.Seat():
        picture = viewing.renderer(portrait, sheet, data.draft, data.keep).draw(frame)
        return _picture(to_jpeg(picture, draft=data.draft), "image/jpeg")


@router.post("portraits/{portrait_id}/coverage", response={200: None})
def coverage(request: HttpRequest, portrait_id: UUID, data: CoverageIn) -> HttpResponse:
    """The coverage of an area as a grey PNG; the header ``X-Share`` tells its share of the whole picture, 0…1."""
    portrait, frame = _open(request, portrait_id, data.frame)
    sheet = sheets.sheet_at(portrait_id, data.revision, data.trial)
    if all(a.id != data.area for a in sheet.areas):
        raise PictureError("This area is no longer there.")
    with viewing.Seat():
        renderer = viewing.renderer(portrait, sheet)
        small = Frame.whole(*_fit(portrait, SHARE_SIDE))
        share = float(renderer.area(data.area, small).mean())
        response = _picture(_png(renderer.area(data.area, frame)), "image/png")
    response["X-Share"] = f"{share:.6f}"
    return response


def _open(request: HttpRequest, portrait_id: UUID, data: FrameIn) -> tuple[Portrait, Frame]:
    portrait = owned.one(owned.portraits(request), portrait_id)
    if portrait.state != Portrait.State.READY:
        raise PictureError("This portrait is not prepared yet. Wait until its card says ready.")
    if not viewing.stored(portrait):
        prepare_anew(portrait)
        raise PictureError(
            "This portrait's working copy was lost and is being made anew. Its sheet is kept; reload soon."
        )
    frame = Frame(**data.model_dump())
    if not viewing.fits(frame, portrait) or frame.w * frame.h > MOST_VIEW:
        raise PictureError("This view does not fit the picture.")
    return portrait, frame


def _fit(portrait: Portrait, side: int) -> tuple[int, int]:
    width, height = portrait.facts["width"], portrait.facts["height"]
    share = min(1.0, side / max(width, height))
    return max(1, round(width * share)), max(1, round(height * share))


def _png(mask: Floats) -> bytes:
    grey = (np.clip(mask, 0, 1) * 255 + 0.5).astype(np.uint8)
    return cv2.imencode(".png", grey, [cv2.IMWRITE_PNG_COMPRESSION, 1])[1].tobytes()


def _picture(data: bytes, kind: str) -> HttpResponse:
    response = HttpResponse(data, content_type=kind)
    response["Cache-Control"] = "no-store"
    return response
