"""Repair: where a patch takes its pixels from, chosen once and then kept in the sheet."""

from functools import partial
from secrets import token_hex
from typing import Annotated, Any
from uuid import UUID

from django.http import Http404, HttpRequest
from ninja import Router, Status
from ninja.errors import HttpError
from pydantic import BaseModel, Field

from retouch.bands import patiently
from retouch.render.mending import filling_for, outlines_of, snapped, source_for
from retouch.sheet import Sheet
from retouch.sheet.changes import Operation
from retouch.touches.repair import Filling, Offset, Patch, PatchStroke
from studio import owned, sheets, viewing
from studio.api.looking import ready, there
from studio.under_way import NotWanted, UnderWay

FILLINGS = UnderWay()
router = Router(tags=["repairing"])


class PatchSourceIn(BaseModel):
    """A patch of the repair ``touch``, in the sheet already or not, that wants a source.

    ``avoid``: sources that it had and that are not wanted; ``near``: the best fit near the one that it has;
    ``within``: the area that it may take from.
    """

    revision: int
    trial: Annotated[list[Operation], Field(max_length=100)] = []
    touch: str
    patch: Patch
    avoid: Annotated[list[tuple[Offset, Offset]], Field(max_length=50)] = []
    near: bool = False
    within: str | None = None


class PatchSourceOut(BaseModel):
    """From each place of the patch to its source, in long sides, and how far the forms under a spot stay."""

    source: tuple[float, float]
    forms: float


@router.post("portraits/{portrait_id}/sources", response=PatchSourceOut)
def source(request: HttpRequest, portrait_id: UUID, data: PatchSourceIn) -> PatchSourceOut:
    """A source for a patch, of the picture as it lies below it; nothing is saved."""
    portrait = ready(request, portrait_id)
    sheet = sheets.sheet_at(portrait_id, data.revision, data.trial)
    there(sheet, data.touch, None)
    _areas_there(sheet, data.within)
    with viewing.seat(request):
        renderer = viewing.renderer(portrait, sheet, keep=data.touch, wait=data.within is not None)
        if data.near:
            return PatchSourceOut(source=snapped(renderer, data.touch, data.patch), forms=data.patch.forms)
        return PatchSourceOut(**source_for(renderer, data.touch, data.patch, data.avoid, data.within)._asdict())


def _areas_there(sheet: Sheet, *areas: str | None) -> None:
    for area in areas:
        if area is not None:
            there(sheet, None, area)


class FillingIn(BaseModel):
    """What the repair ``touch`` is to fill: the strokes of a patch, or an area; ``seed``: which try.

    ``within``: the area that it may be made up from. ``name``: under which it can be asked how far it is, and let go.
    """

    revision: int
    trial: Annotated[list[Operation], Field(max_length=100)] = []
    touch: str
    patch: Patch | None = None
    area: str | None = None
    within: str | None = None
    seed: Annotated[int, Field(ge=0, le=10_000)] = 0
    name: Annotated[str, Field(max_length=40)] = ""


class HowFarOut(BaseModel):
    """How much of some work is done, 0…1."""

    share: float


@router.post("portraits/{portrait_id}/fillings", response=Filling)
def filling(request: HttpRequest, portrait_id: UUID, data: FillingIn) -> Filling:
    """What fills a patch or an area, of the picture as it lies below; nothing is saved. 410 once it was let go."""
    portrait = ready(request, portrait_id)
    sheet = sheets.sheet_at(portrait_id, data.revision, data.trial)
    there(sheet, data.touch, None)
    _areas_there(sheet, data.area, data.within)
    # One that nobody asks about must not share its end with another of the same portrait.
    name = (portrait.pk, data.name or token_hex(8))
    try:
        with viewing.seat(request, long=True), FILLINGS.work(name):
            renderer = viewing.renderer(portrait, sheet, keep=data.touch, wait=bool(data.area or data.within))
            asked = (data.touch, data.patch, data.area, data.seed, data.within, partial(FILLINGS.tell, name))
            return patiently(lambda: filling_for(renderer, *asked))
    except NotWanted as error:
        raise HttpError(410, "This filling was let go.") from error


@router.get("portraits/{portrait_id}/fillings/{name}", response=HowFarOut)
def how_far(request: HttpRequest, portrait_id: UUID, name: str) -> HowFarOut:
    """How far a filling is that is being made."""
    share = FILLINGS.share((owned.one(owned.portraits(request), portrait_id).pk, name))
    if share is None:
        raise Http404
    return HowFarOut(share=share)


@router.delete("portraits/{portrait_id}/fillings/{name}", response={204: None})
def let_go(request: HttpRequest, portrait_id: UUID, name: str) -> Any:
    """A filling that is being made is not wanted any more."""
    FILLINGS.let_go((owned.one(owned.portraits(request), portrait_id).pk, name))
    return Status(204, None)


class PatchOutlinesIn(BaseModel):
    """An area in which a patch of the repair ``touch`` is to lie."""

    revision: int
    trial: Annotated[list[Operation], Field(max_length=100)] = []
    touch: str
    area: str


class PatchOutlinesOut(BaseModel):
    """The area's outlines as strokes of a patch."""

    strokes: list[PatchStroke]


@router.post("portraits/{portrait_id}/patch-outlines", response=PatchOutlinesOut)
def outlines(request: HttpRequest, portrait_id: UUID, data: PatchOutlinesIn) -> PatchOutlinesOut:
    """An area as a patch's outlines; nothing is saved."""
    portrait = ready(request, portrait_id)
    sheet = sheets.sheet_at(portrait_id, data.revision, data.trial)
    there(sheet, data.touch, None)
    there(sheet, None, data.area)
    with viewing.seat(request):
        renderer = viewing.renderer(portrait, sheet, keep=data.touch, wait=True)
        return PatchOutlinesOut(strokes=outlines_of(renderer, data.touch, data.area))
