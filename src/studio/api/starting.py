"""Beginning a touch: a ready one made for a portrait, with its place and its lengths by the face."""

from dataclasses import asdict
from typing import Annotated, Any, Literal
from uuid import UUID

from django.http import HttpRequest
from ninja import Query, Router
from pydantic import BaseModel, Field

from retouch.faces import Found
from retouch.sheet.starting import Otherwise, lacking, place_of, rests_on_found, started
from retouch.sheet.wishes import Wish, wishes
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
    place: Annotated[str, Field(max_length=20)] = ""
    settings: Annotated[dict[str, Any], Field(max_length=40)] = {}
    strength: Annotated[float, Field(ge=0, le=1)] | None = None

    @property
    def other(self) -> Otherwise:
        """What is other than in the ready touch, as a wish said it."""
        return Otherwise(self.place, self.settings, self.strength)


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
    if rests_on_found(data.kind, data.title, data.placed, data.other):
        searched(portrait)
    found = viewing.found(str(portrait.pk))
    return StartedOut(**asdict(started(data.kind, data.title, found, data.of, data.placed, data.other)))


class WishIn(BaseModel):
    """What somebody wishes, in everyday words."""

    text: Annotated[str, Field(max_length=200)]


class WishOut(BaseModel):
    """A ready touch that it may mean, with what is other about it.

    ``where``: what its area is called, nothing: wherever one is; ``whole``: the whole picture was named; ``lacks``: a
    sentence if its place was not found on this picture; ``guess``: the wish was not understood, this is only
    like it.
    """

    kind: str
    title: str
    place: str
    settings: dict[str, Any]
    strength: float | None
    where: str
    whole: bool
    guess: bool
    lacks: str


@router.post("portraits/{portrait_id}/wishes", response=list[WishOut])
def wish(request: HttpRequest, portrait_id: UUID, data: WishIn) -> list[WishOut]:
    """The ready touches that a wish may mean, the likeliest first."""
    found = viewing.found(str(owned.one(owned.portraits(request), portrait_id).pk))
    return [_wish(one, found) for one in wishes(data.text)]


def _wish(one: Wish, found: Found | None) -> WishOut:
    other = Otherwise(one.place, one.settings, one.strength)
    # While it is being looked for nobody knows.
    lacks = "" if found is None else lacking(one.kind, one.title, other, found)
    return WishOut(**asdict(one), where=place_of(one.kind, one.title, other), lacks=lacks)


@router.get("sharpening", response=UseOut)
def sharpening(
    request: HttpRequest,
    pixels: Annotated[int, Query(ge=16, le=40_000)],
    medium: Literal["screen", "glossy paper", "matt paper"],
) -> UseOut:
    """Radius and amount of sharpening for a picture of which so many pixels of the long side are seen at last."""
    radius, amount = for_use(pixels, medium)
    return UseOut(radius=radius, amount=amount)
