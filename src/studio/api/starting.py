"""Beginning a touch: a ready one made for a portrait, with its place and its lengths by the face."""

from dataclasses import asdict
from typing import Annotated, Any, Literal
from uuid import UUID

from django.http import HttpRequest
from ninja import Query, Router
from pydantic import BaseModel, Field

from retouch.sheet.starting import rests_on_found, started
from retouch.touches.sharpen import for_use
from studio import owned, viewing
from studio.api.finding import searched

router = Router(tags=["starting"])


class StartIn(BaseModel):
    """A ready touch of a kind, for one face (from 1) or (0) for everybody; ``placed``: it lies where one is already."""

    kind: str
    title: str
    of: Annotated[int, Field(ge=0, le=100)] = 0
    placed: bool = False


class StartedOut(BaseModel):
    """The touch's whole settings, and the parts of the area that it is meant for; no parts: wherever one is."""

    settings: dict[str, Any]
    strength: float
    blend: str
    area_name: str
    parts: list[dict[str, Any]]
    feather: float


class UseOut(BaseModel):
    """How a picture is sharpened for its use."""

    radius: float
    amount: float


@router.post("portraits/{portrait_id}/starts", response=StartedOut)
def start(request: HttpRequest, portrait_id: UUID, data: StartIn) -> StartedOut:
    """A ready touch made for this portrait; 425 while what it rests on is being looked for. Nothing is saved."""
    portrait = owned.one(owned.portraits(request), portrait_id)
    if rests_on_found(data.kind, data.title, data.placed):
        searched(portrait)
    return StartedOut(**asdict(started(data.kind, data.title, viewing.found(str(portrait.pk)), data.of, data.placed)))


@router.get("sharpening", response=UseOut)
def sharpening(
    request: HttpRequest,
    pixels: Annotated[int, Query(ge=16, le=40_000)],
    medium: Literal["screen", "glossy paper", "matt paper"],
) -> UseOut:
    """Radius and amount of sharpening for a picture of which so many pixels of the long side are seen at last."""
    radius, amount = for_use(pixels, medium)
    return UseOut(radius=radius, amount=amount)
