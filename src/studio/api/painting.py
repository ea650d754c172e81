"""Dabs: what a stroke that is still being painted has changed of the view."""

from typing import Annotated
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from ninja import Router
from pydantic import BaseModel, Field

from retouch.areas.sources.strokes import Stroke
from retouch.brush.stroke import Stroke as BrushStroke
from retouch.checks import Check, CheckName, looked
from retouch.frame import Frame
from retouch.render.output import to_jpeg
from retouch.render.spread import changed
from retouch.sheet.changes import Operation
from retouch.touches.dodge_burn import LightStroke
from retouch.touches.repair import Mending, PatchStroke
from retouch.touches.reshape import ShapeStroke
from retouch.types import PictureError
from studio import viewing
from studio.api.looking import FrameIn, open_view, picture
from studio.strokes import GROWING, Growing, painted, painted_on

router = Router(tags=["painting"])


class DabIn(BaseModel):
    """A stroke as it grows: only its new points are sent, those that stand at ``start``; ``name`` is its own.

    ``revision`` and ``trial`` say on which sheet it is painted; ``area`` and ``part`` (id, or place in the chain), or a
    ``touch`` that owns strokes, in what (a repair's ``patch`` says how); ``frame`` is the whole view, ``keep`` the
    touch in hand.
    """

    revision: int
    trial: Annotated[list[Operation], Field(max_length=100)] = []
    area: str | None = None
    part: str | int = 0
    touch: str | None = None
    stroke: Stroke | LightStroke | ShapeStroke
    patch: Mending | None = None
    name: Annotated[str, Field(min_length=1, max_length=40)]
    start: Annotated[int, Field(ge=0, le=20_000)]
    frame: FrameIn
    keep: str | None = None
    look: CheckName = "plain"
    """How the view is looked at meanwhile."""


@router.post("portraits/{portrait_id}/dabs", response={200: None, 204: None})
def dab(request: HttpRequest, portrait_id: UUID, data: DabIn) -> HttpResponse:
    """The rectangle of the view that the new points have changed, as a JPEG; ``X-Rect`` says where it lies in it.

    412 if points before ``start`` are not here any more: the stroke is then sent from its beginning.
    """
    portrait, sheet, frame = open_view(request, portrait_id, data.revision, data.trial, data.frame)
    # Strokes lie on the upright original.
    upright = viewing.placing_of(portrait, sheet).upright(frame)
    whole = Frame.whole(*upright.scale)
    if (data.touch is not None) != (isinstance(data.stroke, LightStroke | ShapeStroke) or data.patch is not None):
        raise PictureError("A stroke of light or of shape is laid by a touch, any other in an area. It was not kept.")
    begun: BrushStroke = data.stroke
    if data.patch is not None:
        begun = PatchStroke.model_validate(begun.model_dump(include=set(PatchStroke.model_fields)))
    growing = GROWING.made((portrait.pk, data.name), lambda: Growing(begun))
    with viewing.seat(request), growing.lock:
        growing.add(data.start, data.stroke.points)
        stroke = growing.on(upright, data.name)
        if data.touch is not None:
            over = painted_on(sheet, data.touch, stroke, data.patch)
        else:
            over = painted(sheet, data.area or "", data.part, stroke)
        standing = viewing.renderer(portrait, sheet, keep=data.keep)
        renderer = viewing.renderer(portrait, over, keep=data.keep, trying=True, maps_of=standing)
        # Only a clone and paint lie where the stroke is new: the rest of a patch looks at all of it.
        inside = isinstance(begun, PatchStroke) and begun.fill_inside
        since = data.start if data.patch is None or (data.patch.way in ("clone", "paint") and not inside) else 0
        new = whole.within(*growing.reached(since))
        if isinstance(begun, ShapeStroke) and begun.mirror is not None:
            new = whole
        reached = None if new is None else changed(renderer, data.area, new, frame, data.touch)
        rect = None if reached is None else frame.met(reached)
        if rect is None:
            return HttpResponse(status=204)
        response = picture(to_jpeg(looked(renderer, rect, Check(data.look)), draft=True), "image/jpeg")
    response["X-Rect"] = f"{rect.x} {rect.y} {rect.w} {rect.h}"
    return response
