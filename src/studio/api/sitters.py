"""Sitters: who is who in a sitting. Faces are grouped by likeness; the photographer names and corrects."""

from typing import Annotated, Any
from uuid import UUID

import numpy as np
from django.db import transaction
from django.db.models import Count
from django.http import HttpRequest, HttpResponse
from ninja import Router
from pydantic import BaseModel, Field, StringConstraints

from retouch.frame import Frame
from retouch.render.output import to_jpeg
from retouch.types import PictureError
from studio import owned, who
from studio.levels import pyramid
from studio.models import Face, Sitter, Sitting

router = Router(tags=["sitters"])
FACE_SIDE, ROUND = 160, 1.7
"""Pixels of a face's picture, and how much of its box is round it."""


class SitterOut(BaseModel):
    """A sitter, and on how many portraits; without a name until the photographer gives one."""

    id: int
    name: str
    count: int


class SeenOut(BaseModel):
    """A face on a portrait; ``said``: the photographer said whose it is."""

    id: int
    portrait: UUID
    portrait_name: str
    said: bool


class GroupOut(SitterOut):
    """A sitter with the faces that are held to be theirs."""

    faces: list[SeenOut]


class WhoOut(BaseModel):
    """Who is who: the groups, faces that are set aside, and how many portraits were not looked through yet."""

    groups: list[GroupOut]
    aside: list[SeenOut]
    fresh: int
    """Faces that belong to no group yet."""
    waiting: int


class NameIn(BaseModel):
    """A sitter's name; nothing takes it away."""

    name: Annotated[str, StringConstraints(strip_whitespace=True, max_length=120)]


class WhoseIn(BaseModel):
    """Faces, and whose they are: a sitter's, somebody else's (``new``), or nobody's who counts."""

    faces: Annotated[list[int], Field(min_length=1, max_length=5_000)]
    sitter: int | None = None
    new: bool = False


def sitters_of(sitting: Sitting) -> list[SitterOut]:
    """The sitters of a sitting."""
    rows = sitting.sitters.annotate(count=Count("faces__portrait", distinct=True))
    return [SitterOut(id=row.pk, name=row.name, count=row.count) for row in rows]


def _who(sitting: Sitting) -> WhoOut:
    groups = {row.id: GroupOut(**row.model_dump(), faces=[]) for row in sitters_of(sitting)}
    aside, fresh = [], 0
    fields = ("pk", "portrait_id", "portrait__name", "said", "sitter_id")
    for pk, portrait, name, said, sitter in Face.objects.filter(portrait__sitting=sitting).values_list(*fields):
        one = SeenOut(id=pk, portrait=portrait, portrait_name=name, said=said)
        if sitter is not None:
            groups[sitter].faces.append(one)
        elif said:
            aside.append(one)
        else:
            fresh += 1
    # Named ones first, by name, then who is on most portraits.
    order = sorted(groups.values(), key=lambda g: (not g.name, g.name.casefold(), -g.count, g.id))
    unsearched = sitting.portraits.filter(state="ready").exclude(search__in=("ready", "failed")).count()
    return WhoOut(groups=order, aside=aside, fresh=fresh, waiting=unsearched + who.behind(sitting))


@router.get("sittings/{sitting_id}/sitters", response=WhoOut)
def sitters(request: HttpRequest, sitting_id: UUID) -> WhoOut:
    """Who is who in a sitting."""
    return _who(owned.one(owned.sittings(request), sitting_id))


@router.post("sittings/{sitting_id}/sitters", response=WhoOut)
def group(request: HttpRequest, sitting_id: UUID) -> WhoOut:
    """Group the faces that nobody spoke of; named groups and what was corrected stay."""
    sitting = owned.one(owned.sittings(request), sitting_id)
    who.group(sitting)
    return _who(sitting)


@router.patch("sitters/{sitter_id}", response=WhoOut)
def name(request: HttpRequest, sitter_id: int, data: NameIn) -> WhoOut:
    """Name a sitter; with the name of another of the sitting, both are one."""
    row: Sitter = owned.one(owned.sitters(request).select_related("sitting"), sitter_id)
    with transaction.atomic():
        same = row.sitting.sitters.filter(name__iexact=data.name).exclude(pk=row.pk).first() if data.name else None
        if same is not None:
            _alone(row.faces.values_list("portrait_id", flat=True), same)
            row.faces.update(sitter=same)
            row.delete()
        else:
            row.name = data.name
            row.save(update_fields=["name"])
    return _who(row.sitting)


@router.post("sittings/{sitting_id}/faces", response=WhoOut)
def move(request: HttpRequest, sitting_id: UUID, data: WhoseIn) -> WhoOut:
    """Say whose faces these are."""
    sitting = owned.one(owned.sittings(request), sitting_id)
    with transaction.atomic():
        faces = Face.objects.filter(portrait__sitting=sitting, pk__in=data.faces)
        if faces.count() < len(set(data.faces)):
            raise PictureError("Some of these faces are no longer in this sitting. Nothing was moved.")
        sitter = None
        if data.new:
            sitter = Sitter.objects.create(sitting=sitting)
        elif data.sitter is not None:
            sitter = owned.one(owned.sitters(request).filter(sitting=sitting), data.sitter)
        if sitter is not None:
            _alone(faces.values_list("portrait_id", flat=True), sitter, data.faces)
        faces.update(sitter=sitter, said=True)
        who.tidy(sitting)
    return _who(sitting)


def _alone(portraits: Any, sitter: Sitter, but: list[int] = []) -> None:  # noqa: B006
    """PictureError if somebody would be twice on a portrait."""
    portraits = list(portraits)
    there = sitter.faces.filter(portrait__in=portraits).exclude(pk__in=but)
    twice = len(portraits) > len(set(portraits)) or there.exists()
    if twice:
        raise PictureError("Two of these faces are on one portrait: they cannot be the same sitter. Nothing was moved.")


@router.get("faces/{face_id}/picture", response={200: None})
def picture(request: HttpRequest, face_id: int) -> HttpResponse:
    """A face as it came, a JPEG of at most 160 pixels."""
    row: Face = owned.one(owned.faces(request), face_id)
    levels = pyramid(str(row.portrait_id))
    x, y, w, h = row.box
    unit = max(levels.width, levels.height)
    half = ROUND * max(w, h) / 2
    share = min(1.0, FACE_SIDE / (2 * half * unit))
    width, height = max(1, round(levels.width * share)), max(1, round(levels.height * share))
    scaled = max(width, height)
    left, top = (max(0, round((m - half) * scaled)) for m in (x + w / 2, y + h / 2))
    right = min(width, round((x + w / 2 + half) * scaled))
    bottom = min(height, round((y + h / 2 + half) * scaled))
    frame = Frame(width, height, left, top, max(1, right - left), max(1, bottom - top))
    answer = HttpResponse(to_jpeg(np.ascontiguousarray(levels.read(frame))), content_type="image/jpeg")
    answer["Cache-Control"] = "private, max-age=31536000, immutable"
    return answer
