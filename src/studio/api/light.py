"""The same light: how far portraits have drifted from a chosen one, and the first touches that bring them back."""

from dataclasses import asdict
from typing import Annotated
from uuid import UUID, uuid4

from django.db import transaction
from django.http import HttpRequest
from ninja import Router
from pydantic import BaseModel, Field

from retouch.checks.drift import Drift, begun, drift
from retouch.faces.traits import SKIN
from retouch.sheet.changes import Insert, Operation
from retouch.types import Encoded, PictureError
from studio import owned, sheets
from studio.carrying import ask_for_card
from studio.models import Face, Portrait

router = Router(tags=["light"])
UNKNOWN = "No face was found on it whose skin could be measured."
FAR = "Its light is too far from the other's to be the same one drifting."


class LightIn(BaseModel):
    """Portraits of a sitting, and the one whose light they are to have."""

    like: UUID
    to: Annotated[list[UUID], Field(min_length=1, max_length=5_000)]


class DriftOut(BaseModel):
    """What brings a portrait to the light of the chosen one: EV, mired and tint; ``ita`` degrees lighter than there.

    Nothing of it with a ``problem``. ``same`` says whether it is the same sitter: skin differs between people.
    """

    portrait: UUID
    name: str
    same: bool
    seen: bool = False
    """Whether somebody would see it."""
    ev: float = 0
    warmth: float = 0
    tint: float = 0
    ita: float = 0
    problem: str = ""


def _face(portrait: Portrait, sitter: int | None) -> Face | None:
    """The face by which a portrait's light is measured: of this sitter, or else the largest."""
    faces = [f for f in portrait.faces.all() if f.traits[SKIN] is not None]
    mine = [f for f in faces if sitter is not None and f.sitter_id == sitter]
    return max(mine or faces, key=lambda f: float(f.box[3]), default=None)


def _skin(portrait: Portrait, face: Face) -> Encoded:
    lightness, a, b = face.traits[SKIN : SKIN + 3]
    return begun((lightness, a, b), sheets.document_of(portrait).sheet)


def _drifts(request: HttpRequest, sitting_id: UUID, data: LightIn) -> list[tuple[Portrait, DriftOut, Drift | None]]:
    sitting = owned.one(owned.sittings(request), sitting_id)
    rows = owned.portraits(request).filter(sitting=sitting, state=Portrait.State.READY)
    rows = rows.select_related("head").prefetch_related("faces")
    like: Portrait = owned.one(rows, data.like)
    model = _face(like, None)
    if model is None:
        raise PictureError(f"{like.name}: {UNKNOWN} Choose another portrait.")
    there = _skin(like, model)
    out = []
    for portrait in rows.filter(pk__in=data.to).exclude(pk=like.pk):
        face = _face(portrait, model.sitter_id)
        same = face is not None and face.sitter_id is not None and face.sitter_id == model.sitter_id
        told, found = DriftOut(portrait=portrait.pk, name=portrait.name, same=same), None
        if face is None:
            told.problem = UNKNOWN
        else:
            found = drift(_skin(portrait, face), there)
            if found is None:
                told.problem = FAR
            else:
                told = told.model_copy(update={**asdict(found), "seen": bool(found.touches)})
        out.append((portrait, told, found))
    return out


@router.post("sittings/{sitting_id}/drifts", response=list[DriftOut])
def drifts(request: HttpRequest, sitting_id: UUID, data: LightIn) -> list[DriftOut]:
    """How far portraits are from the light of one of them, by the colour of the skin; nothing is changed."""
    return [told for _, told, _ in _drifts(request, sitting_id, data)]


@router.post("sittings/{sitting_id}/same-light", response=list[DriftOut])
def same_light(request: HttpRequest, sitting_id: UUID, data: LightIn) -> list[DriftOut]:
    """Bring portraits to the light of one of them: by ordinary touches, the first on each sheet, as one edit each."""
    all_of_them = _drifts(request, sitting_id, data)
    name = owned.one(owned.portraits(request), data.like).name
    with transaction.atomic():
        for portrait, _, found in all_of_them:
            made: list[Operation] = [
                Insert(path=["touches"], index=at, item={"id": f"t{uuid4().hex[:10]}", **touch})
                for at, touch in enumerate(found.touches if found else [])
            ]
            if made:
                sheets.edit(portrait.pk, portrait.revision, made, f"same light as {name}")
                ask_for_card(portrait.pk)
    return [told for _, told, _ in all_of_them]
