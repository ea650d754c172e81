"""Mask pictures and outlines: taken in as parts of an area, and written from an area."""

from pathlib import Path
from typing import Annotated, Any, Literal, cast
from uuid import UUID

import cv2
import numpy as np
from django.http import HttpRequest, HttpResponse
from django.utils.http import content_disposition_header
from ninja import File, Router
from ninja.files import UploadedFile
from pydantic import BaseModel, Field

from retouch.areas.sources.file import packed
from retouch.areas.sources.outline import Outline, Shape
from retouch.bands import patiently
from retouch.files.reading import look, read
from retouch.files.svg import SvgShape, read_svg, write_svg
from retouch.frame import Frame
from retouch.sheet.changes import Operation
from retouch.types import Coverage, PictureError
from studio import sheets, viewing
from studio.api.finding import searched
from studio.api.looking import ready

router = Router(tags=["masks"])
PROPORTION = 0.01
SMALL_MASK = 16_000_000
"""Pixels of a mask picture that are read however small the portrait is: it is kept at 2000 on its long side anyway."""


class MaskOut(BaseModel):
    """A mask picture as the settings of a ``file`` part."""

    name: str
    png: str


class AreaIn(BaseModel):
    """Which area is wanted as a picture, of which revision, at how many bits."""

    revision: int
    trial: Annotated[list[Operation], Field(max_length=100)] = []
    area: str
    bits: Literal[8, 16] = 8
    shaped: bool = True
    """As it lies on the finished picture, or on the upright original."""


class OutlineOut(BaseModel):
    """The shapes of a drawing as the settings of an ``outline`` part."""

    shapes: list[Shape]


class PartIn(BaseModel):
    """Which outline is wanted as a drawing, of which revision."""

    revision: int
    trial: Annotated[list[Operation], Field(max_length=100)] = []
    area: str
    part: str


@router.post("portraits/{portrait_id}/masks", response=MaskOut)
def take_in(request: HttpRequest, portrait_id: UUID, file: Annotated[UploadedFile, File()]) -> MaskOut:
    """Read a mask picture of the portrait's proportions; nothing is kept until it becomes a part."""
    portrait = ready(request, portrait_id)
    path = Path(cast(Any, file).temporary_file_path())
    facts = look(path)
    wanted = portrait.facts["width"] / portrait.facts["height"]
    if abs(facts.width / facts.height / wanted - 1) > PROPORTION:
        raise PictureError(
            f"This mask picture has other proportions ({facts.width} × {facts.height}) than the portrait "
            f"({portrait.facts['width']} × {portrait.facts['height']}). Nothing was changed."
        )
    most_pixels = max(SMALL_MASK, portrait.facts["width"] * portrait.facts["height"])
    if facts.width * facts.height > most_pixels:
        raise PictureError(
            f"This mask picture ({facts.width} × {facts.height}) is larger than the portrait "
            f"({portrait.facts['width']} × {portrait.facts['height']}). Save it smaller; nothing was changed."
        )
    with viewing.seat(request, long=True):
        raw = patiently(lambda: read(path)).raw
    most = np.iinfo(raw.dtype).max if np.issubdtype(raw.dtype, np.integer) else 1
    grey = raw[..., :3].mean(axis=-1, dtype=np.float32) / np.float32(most)
    return MaskOut(name=(file.name or "mask")[-200:], png=packed(grey))


@router.post("portraits/{portrait_id}/mask", response={200: None})
def hand_out(request: HttpRequest, portrait_id: UUID, data: AreaIn) -> HttpResponse:
    """An area's coverage at the portrait's own size, as a grey PNG to keep.

    425 while what it is made of is still being looked for: ask again.
    """
    portrait = ready(request, portrait_id)
    sheet = sheets.sheet_at(portrait_id, data.revision, data.trial)
    area = next((a for a in sheet.areas if a.id == data.area), None)
    if area is None:
        raise PictureError("This area is no longer there.")
    if any(part.finds for name in sheet.rests_on(area.id) for part in sheet.area(name).known):
        searched(portrait)
    renderer = viewing.renderer(portrait, sheet, wait=True)
    upright = Frame.whole(portrait.facts["width"], portrait.facts["height"])
    whole = Frame.whole(*renderer.size) if data.shaped else upright

    def covered(at: Frame) -> Coverage:
        return renderer.area(area.id, at)

    if data.shaped:
        coverage = viewing.in_turns(request, whole, lambda at: renderer.shapes.shown(covered, at))
    else:
        coverage = viewing.in_turns(request, whole, covered)
    most, kind = (255, np.uint8) if data.bits == 8 else (65535, np.uint16)
    png = cv2.imencode(".png", (np.clip(coverage, 0, 1) * most + 0.5).astype(kind))[1].tobytes()
    response = HttpResponse(png, content_type="image/png")
    name = f"{portrait.name} {area.name or 'area'}.png"
    response["Content-Disposition"] = content_disposition_header(True, name) or "attachment"
    return response


@router.post("portraits/{portrait_id}/outlines", response=OutlineOut)
def take_in_outline(request: HttpRequest, portrait_id: UUID, file: Annotated[UploadedFile, File()]) -> OutlineOut:
    """Read an SVG drawing of the portrait's proportions; nothing is kept until it becomes part of an outline."""
    portrait = ready(request, portrait_id)
    with viewing.seat(request, long=True):
        data = file.read()
        shapes = patiently(lambda: read_svg(data, portrait.facts["width"], portrait.facts["height"]))
    return OutlineOut(shapes=[Shape(path=s.path, take=s.take) for s in shapes])


@router.post("portraits/{portrait_id}/outline", response={200: None})
def hand_out_outline(request: HttpRequest, portrait_id: UUID, data: PartIn) -> HttpResponse:
    """An outline as an SVG drawing of the portrait's size, to keep."""
    portrait = ready(request, portrait_id)
    sheet = sheets.sheet_at(portrait_id, data.revision, data.trial)
    parts = [p for a in sheet.areas if a.id == data.area for p in a.parts if isinstance(p, Outline)]
    part = next((p for p in parts if p.id == data.part), None)
    if part is None:
        raise PictureError("This outline is no longer there.")
    shapes = [SvgShape(s.path, s.take) for s in part.shapes]
    svg = write_svg(shapes, portrait.facts["width"], portrait.facts["height"])
    response = HttpResponse(svg, content_type="image/svg+xml")
    response["Content-Disposition"] = content_disposition_header(True, f"{portrait.name} outline.svg") or "attachment"
    return response
