"""Views: a rectangle of the picture as the sheet makes it, and the coverage of an area."""

import json
from collections.abc import Sequence
from dataclasses import asdict
from functools import partial
from typing import Annotated, Any, Literal
from uuid import UUID

import cv2
import numpy as np
from django.http import HttpRequest, HttpResponse
from ninja import Query, Router
from pydantic import BaseModel, Field

from retouch.areas.measuring import box_of
from retouch.checks import Check, CheckName, gauges, looked, pixels_seen
from retouch.colour.press import read_press
from retouch.faces.drawn import height
from retouch.frame import Frame
from retouch.render.output import to_jpeg
from retouch.render.plan import Renderer
from retouch.render.probe import histogram, laid_ev, numbers, sample
from retouch.render.seeing import Draw
from retouch.shape.forms import proportions
from retouch.sheet import Sheet, Touch
from retouch.sheet.changes import Operation
from retouch.types import Coverage, Floats, PictureError
from studio import owned, sheets, viewing
from studio.models import Portrait

router = Router(tags=["looking"])

Pixels = Annotated[int, Field(ge=0, le=40_000)]
MOST_VIEW = 16_000_000
SHARE_SIDE = 400
UNFIT = "This view does not fit the picture."


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
    """``show`` the result or the original, looked at in a way that never enters it; ``keep``: the touch in hand.

    ``at``: the result as it stood after this edit, instead of the revision's.
    """

    look: CheckName = "plain"
    size: Annotated[float, Field(ge=0.002, le=0.08)] = 0.008
    """Looking at shading or texture: what parts them, in long sides."""
    into: Literal["srgb", "display-p3"] = "srgb"
    press: int | None = None
    """Looking at the soft proof: the press, instead."""
    pixels: Annotated[int, Field(ge=16, le=40_000)] = 1600
    """Looking at the final picture: its long side."""
    layer: Annotated[str, Field(max_length=40)] = ""
    """Looking at a layer of the touch in hand: its name."""
    show: Literal["result", "original"] = "result"
    keep: str | None = None
    at: int | None = None


class CoverageIn(LookIn):
    """The area whose coverage is wanted, or the touch: its area and its tone limit together."""

    area: str | None = None
    touch: str | None = None


class MeasuresIn(BaseModel):
    """What is measured: a touch, an area, or (neither) the whole sheet."""

    revision: int
    trial: Annotated[list[Operation], Field(max_length=100)] = []
    touch: str | None = None
    area: str | None = None


class GaugeOut(BaseModel):
    """One natural measure, with the range of untouched pictures and a sentence if the change has left it."""

    name: str
    unit: str
    before: float | None
    after: float
    low: float
    high: float
    sentence: str


class DetailOut(BaseModel):
    """Pixels on the long side that are told apart in a print."""

    pixels: int


class PlaceIn(BaseModel):
    """A place in the picture, in long sides from the top left, on a revision with a change that is only tried."""

    revision: int
    trial: Annotated[list[Operation], Field(max_length=100)] = []
    x: Annotated[float, Field(ge=-1, le=2)]
    y: Annotated[float, Field(ge=-1, le=2)]


class NumbersIn(PlaceIn):
    """A place whose numbers are wanted; with ``area`` those before are of what it sees as the picture below.

    ``touch``: one that lays light by strokes, of which is told how much stands there.
    """

    area: str | None = None
    touch: str | None = None


class PointIn(PlaceIn):
    """Pointing with a touch: which of its picks, and how far it is dragged up (−1…1)."""

    touch: str
    pick: str
    by: Annotated[float, Field(ge=-1, le=1)] = 0.0
    entry: Annotated[int, Field(ge=0, le=100)] = 0
    """Which entry of a list it is meant for: the colour stop in hand."""


class PointOut(BaseModel):
    """The touch's settings after pointing, and their value in words."""

    settings: dict[str, Any]
    words: str


class ColourOut(BaseModel):
    """A colour: lightness and chroma 0…100, hue in degrees, sRGB 0…255."""

    lightness: float
    chroma: float
    hue: float
    rgb: tuple[int, int, int]


class NumbersOut(BaseModel):
    """The picture at a place, before and after."""

    before: ColourOut
    after: ColourOut
    ev: float | None = None
    """EV that the touch's strokes have laid there."""


class TonesIn(BaseModel):
    """Whose tones are counted: what lies below a touch under its area, what an area sees as below, or the result.

    ``original``: of the original instead; ``within``: only where this area covers.
    """

    revision: int
    trial: Annotated[list[Operation], Field(max_length=100)] = []
    touch: str | None = None
    area: str | None = None
    original: bool = False
    within: str | None = None


class TonesOut(BaseModel):
    """How often values occur: 64 steps of lightness and of each channel, 72 of hue; 1 is the most frequent."""

    lightness: list[float]
    red: list[float]
    green: list[float]
    blue: list[float]
    hues: list[float]


@router.post("portraits/{portrait_id}/view", response={200: None})
def view(request: HttpRequest, portrait_id: UUID, data: ViewIn) -> HttpResponse:
    """The rectangle as a JPEG in the working space; a draft is rendered with coarser tables."""
    portrait, sheet, frame = open_view(request, portrait_id, data.revision, data.trial, data.frame)
    # What one compares with is turned and cut out alike.
    if data.show == "original":
        sheet = Sheet(geometry=sheet.geometry)
    elif data.at is not None:
        before = sheets.sheet_after(portrait_id, data.at, data.trial)
        sheet = before.model_copy(update={"geometry": sheet.geometry})
    renderer = viewing.renderer(portrait, sheet, data.draft, data.keep, trying=bool(data.trial))
    layer = (data.keep, data.layer) if data.keep is not None and data.layer else None
    press = None
    if data.look == "proof" and data.press is not None:
        press = read_press(bytes(owned.one(owned.presses(request), data.press).data))
    check = Check(data.look, data.size, data.into, press, data.pixels, layer)
    key = f"{renderer.key} {frame} {check}"
    known = None if data.draft else viewing.VIEWS.get(key)
    if known is None:
        made = to_jpeg(viewing.in_turns(request, frame, lambda at: looked(renderer, at, check)), draft=data.draft)
        response = picture(made if data.draft else viewing.VIEWS.put(key, made), "image/jpeg")
    else:
        response = picture(known, "image/jpeg")
    # Touches of which this scale shows less than there is, and from which zoom on they are seen.
    unseen = {} if data.show == "original" else renderer.unseen(frame)
    if unseen:
        response["X-Unseen"] = json.dumps({touch: round(share, 4) for touch, share in unseen.items()})
    response = _waiting(response, renderer)
    if known is not None:
        viewing.prepare(portrait, renderer, frame)
    return response


class ShapeIn(BaseModel):
    """Of which revision, with a change that is only tried, the shape is wanted."""

    revision: int
    trial: Annotated[list[Operation], Field(max_length=100)] = []


@router.post("portraits/{portrait_id}/shape", response={200: None})
def shape(request: HttpRequest, portrait_id: UUID, data: ShapeIn) -> HttpResponse:
    """From where the finished picture takes its content: what one needs to point at it.

    ``X-Shapes`` is a list, in the shapes' order, of ``[width, height, x, y, w, h, covered]``: a grid over the whole
    picture, the rectangle of it that moves anything, and whether a coverage follows. The body holds for each
    float32 h × w × 2 moves in long sides and, if so, h × w bytes of coverage. ``X-Ended``: touches of which a stroke
    was cut short. ``X-Moved``: how far parts of a face moved against each other at most, as a share of its height.
    """
    portrait = ready(request, portrait_id)
    sheet = sheets.sheet_at(portrait_id, data.revision, data.trial)
    renderer = viewing.renderer(portrait, sheet, trying=bool(data.trial))
    with viewing.seat(request):
        heads, body = [], b""
        for bend in renderer.shapes.covered(renderer.shapes.grid):
            grid = renderer.shapes.grid
            rect = bend.within(grid) or Frame(*grid.scale, 0, 0, 1, 1)
            heads.append([*grid.scale, rect.x, rect.y, rect.w, rect.h, bend.covered is not None])
            at = rect.slices_in(grid)
            body += bend.moves[at].tobytes()
            if bend.covered is not None:
                body += (np.clip(bend.covered[at], 0, 1) * 255 + 0.5).astype(np.uint8).tobytes()
        response = picture(body, "application/octet-stream")
        response["X-Shapes"] = json.dumps(heads)
        response["X-Ended"] = json.dumps(renderer.shapes.ended)
        moved = [proportions_of(renderer, face.landmarks) for face in getattr(renderer.found(), "faces", ())
                 if face.landmarks]  # fmt: skip
    if moved:
        response["X-Moved"] = f"{max(moved):.5f}"
    return response


def proportions_of(renderer: Renderer, landmarks: Sequence[tuple[float, float]]) -> float:
    """How far a face's parts have moved against each other, as a share of its height."""
    before = np.array(landmarks, np.float64)
    after = np.stack(renderer.shapes.forth(before[:, 0].copy(), before[:, 1].copy()), axis=-1)
    return proportions(before, after, height(landmarks))


@router.post("portraits/{portrait_id}/coverage", response={200: None})
def coverage(request: HttpRequest, portrait_id: UUID, data: CoverageIn) -> HttpResponse:
    """The coverage of an area, or of a touch, as a grey PNG.

    ``X-Share`` tells its share of the picture, 0…1, ``X-Box`` where that lies: x, y, width and height in long sides.
    """
    portrait, sheet, frame = open_view(request, portrait_id, data.revision, data.trial, data.frame)
    there(sheet, data.touch, data.area)
    renderer = viewing.renderer(portrait, sheet, trying=bool(data.trial))

    def covered(at: Frame) -> Coverage:
        return renderer.shapes.shown(unshaped, at)

    def unshaped(at: Frame) -> Coverage:
        return renderer.area(data.area, at) if data.area is not None else renderer.reach(data.touch or "", at)

    whole = renderer.finished(SHARE_SIDE)
    small = viewing.in_turns(request, whole, covered)
    response = picture(_png(viewing.in_turns(request, frame, covered)), "image/png")
    response["X-Share"] = f"{float(small.mean()):.6f}"
    # A length is a share of the original's long side, however much of it is cut out.
    unit = whole.unit * max(portrait.facts["width"], portrait.facts["height"]) / max(renderer.size)
    if (box := box_of(small, unit)) is not None:
        response["X-Box"] = " ".join(f"{side:.5f}" for side in box)
    return _waiting(response, renderer)


class SilhouetteIn(BaseModel):
    """An area, and the rectangle on which its coverage is wanted."""

    area: str
    frame: FrameIn


class SilhouettesIn(BaseModel):
    """The small coverages that are wanted at once, of a revision with a change that is only tried."""

    revision: int
    trial: Annotated[list[Operation], Field(max_length=100)] = []
    wanted: Annotated[list[SilhouetteIn], Field(min_length=1, max_length=100)]


@router.post("portraits/{portrait_id}/silhouettes", response={200: None})
def silhouettes(request: HttpRequest, portrait_id: UUID, data: SilhouettesIn) -> HttpResponse:
    """The coverages of areas, below each other in their order as one grey PNG, each at its left.

    An area that is no longer there covers nothing.
    """
    portrait = ready(request, portrait_id)
    sheet = sheets.sheet_at(portrait_id, data.revision, data.trial)
    renderer = viewing.renderer(portrait, sheet, trying=bool(data.trial))
    frames = [frame_of(renderer.size, one.frame) for one in data.wanted]
    shape = sum(frame.h for frame in frames), max(frame.w for frame in frames)
    if shape[0] * shape[1] > MOST_VIEW:
        raise PictureError(UNFIT)
    out = np.zeros(shape, np.float32)
    top = 0
    for one, frame in zip(data.wanted, frames, strict=True):
        if one.area in sheet.by_id:
            with viewing.seat(request):
                covered = renderer.shapes.shown(partial(renderer.area, one.area), frame)
            out[top : top + frame.h, : frame.w] = covered
        top += frame.h
    return picture(_png(out), "image/png")


@router.post("portraits/{portrait_id}/point", response=PointOut)
def point(request: HttpRequest, portrait_id: UUID, data: PointIn) -> PointOut:
    """What a touch becomes when one points with it at a place of the picture below it, and drags; nothing is saved."""
    portrait = ready(request, portrait_id)
    sheet = sheets.sheet_at(portrait_id, data.revision, data.trial)
    there(sheet, data.touch, None)
    step = next(s for s in sheet.steps() if s.id == data.touch)
    picks = step.settings.picks if isinstance(step, Touch) else ()
    pick = next((p for p in picks if p.name == data.pick), None)
    if pick is None or not isinstance(step, Touch):
        raise PictureError("This touch cannot be pointed with in that way.")
    with viewing.seat(request):
        renderer = viewing.renderer(portrait, sheet, keep=data.touch)
        if pick.place:
            irises = [iris for face in getattr(renderer.found(), "faces", ()) for iris in face.irises()]
            settings = step.settings.pointed(pick.name, (data.x, data.y), irises)
            return PointOut(settings=settings.model_dump(mode="json"), words="")
        colour = sample(renderer, data.x, data.y, partial(renderer.below, data.touch))
        if pick.drag:
            settings, words = step.settings.pulled(pick.name, colour, data.by)
        else:
            settings, words = step.settings.picked(pick.name, colour, data.entry), ""
    return PointOut(settings=settings.model_dump(mode="json"), words=words)


@router.post("portraits/{portrait_id}/numbers", response=NumbersOut)
def numbers_at(request: HttpRequest, portrait_id: UUID, data: NumbersIn) -> NumbersOut:
    """The picture at a place in numbers: the original, and as the sheet makes it."""
    portrait = ready(request, portrait_id)
    sheet = sheets.sheet_at(portrait_id, data.revision, data.trial)
    if data.area is not None:
        there(sheet, None, data.area)
    with viewing.seat(request):
        renderer = viewing.renderer(portrait, sheet)
        below = renderer.original if data.area is None else renderer.stage_of(data.area)[1]
        colours = [sample(renderer, data.x, data.y, draw) for draw in (below, None)]
        ev = None if data.touch is None else laid_ev(renderer, data.touch, data.x, data.y)
    before, after = (ColourOut(**asdict(numbers(c))) for c in colours)
    return NumbersOut(before=before, after=after, ev=ev)


@router.post("portraits/{portrait_id}/tones", response=TonesOut)
def tones(request: HttpRequest, portrait_id: UUID, data: TonesIn) -> TonesOut:
    """A histogram of what a touch works on, or of the finished picture."""
    portrait = ready(request, portrait_id)
    sheet = sheets.sheet_at(portrait_id, data.revision, data.trial)
    for touch, area in ((data.touch, None), (None, data.area), (None, data.within)):
        if touch is not None or area is not None:
            there(sheet, touch, area)
    with viewing.seat(request):
        renderer = viewing.renderer(portrait, sheet, keep=data.touch)
        if data.touch is not None:
            return TonesOut(**asdict(histogram(renderer, touch=data.touch)))
        draw: Draw = renderer.original if data.original else renderer.draw
        if data.area is not None:
            draw = renderer.stage_of(data.area)[1]
        return TonesOut(**asdict(histogram(renderer, draw, data.within)))


@router.post("portraits/{portrait_id}/measures", response=list[GaugeOut])
def measures(request: HttpRequest, portrait_id: UUID, data: MeasuresIn) -> list[GaugeOut]:
    """What a touch, an area or the whole sheet did to skin, eyes and teeth."""
    portrait = ready(request, portrait_id)
    sheet = sheets.sheet_at(portrait_id, data.revision, data.trial)
    if data.touch is not None or data.area is not None:
        there(sheet, data.touch, data.area)
    with viewing.seat(request):
        return [GaugeOut(**asdict(g)) for g in gauges(viewing.renderer(portrait, sheet), data.touch, data.area)]


@router.get("detail", response=DetailOut)
def detail(
    request: HttpRequest,
    size: Annotated[float, Query(ge=1, le=1000)],
    distance: Annotated[float, Query(ge=1, le=10_000)],
) -> DetailOut:
    """How many pixels an eye tells apart on the long side of a print; ``size`` and ``distance`` in centimetres."""
    return DetailOut(pixels=pixels_seen(size, distance))


def there(sheet: Sheet, touch: str | None, area: str | None) -> None:
    if area is not None and all(a.id != area for a in sheet.areas):
        raise PictureError("This area is no longer there.")
    if area is None and all(s.id != touch for s in sheet.steps()):
        raise PictureError("This touch is no longer there.")


def ready(request: HttpRequest, portrait_id: UUID) -> Portrait:
    """The portrait, if it is theirs and can be drawn."""
    portrait: Portrait = owned.one(owned.portraits(request), portrait_id)
    if portrait.state != Portrait.State.READY:
        raise PictureError("This portrait is not prepared yet. Wait until its card says ready.")
    return portrait


def open_view(
    request: HttpRequest, portrait_id: UUID, revision: int, trial: list[Operation], wanted: FrameIn
) -> tuple[Portrait, Sheet, Frame]:
    """A portrait that can be drawn, its sheet, and the rectangle of the finished picture that is looked at."""
    portrait = ready(request, portrait_id)
    sheet = sheets.sheet_at(portrait_id, revision, trial)
    return portrait, sheet, frame_of(viewing.placing_of(portrait, sheet).size, wanted)


def frame_of(size: tuple[int, int], data: FrameIn) -> Frame:
    frame = Frame(**data.model_dump())
    if not viewing.fits(frame, size) or frame.w * frame.h > MOST_VIEW:
        raise PictureError(UNFIT)
    return frame


def _png(mask: Floats) -> bytes:
    grey = (np.clip(mask, 0, 1) * 255 + 0.5).astype(np.uint8)
    return cv2.imencode(".png", grey, [cv2.IMWRITE_PNG_COMPRESSION, 1])[1].tobytes()


def picture(data: bytes, kind: str) -> HttpResponse:
    return HttpResponse(data, content_type=kind)


def _waiting(response: HttpResponse, renderer: Renderer) -> HttpResponse:
    """Tell with ``X-Waiting`` that something is shown meanwhile that is still being worked out: ask again."""
    if renderer.waiting:
        response["X-Waiting"] = "hair"
    return response
