"""Sittings: the list, and one with its portraits."""

from datetime import datetime
from typing import Annotated, Any
from uuid import UUID

from django.db.models import Count
from django.http import HttpRequest
from ninja import Router, Status
from pydantic import BaseModel, StringConstraints

from studio import owned
from studio.api.portraits import PortraitOut
from studio.carrying import ask_for_card
from studio.models import Portrait, Sitting
from studio.storage import forget

router = Router(tags=["sittings"])
Named = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]


class SittingIn(BaseModel):
    """A sitting's name."""

    name: Named


class SittingOut(BaseModel):
    """A sitting in the list; ``covers`` are ids of portraits that have a thumbnail."""

    id: UUID
    name: str
    created: datetime
    count: int
    covers: list[UUID]


class SittingPage(BaseModel):
    """A sitting with its portraits."""

    id: UUID
    name: str
    portraits: list[PortraitOut]


def _out(sitting: Sitting, count: int) -> SittingOut:
    covers = sitting.portraits.filter(state=Portrait.State.READY).values_list("id", flat=True)[:4]
    return SittingOut(id=sitting.id, name=sitting.name, created=sitting.created, count=count, covers=list(covers))


@router.get("sittings", response=list[SittingOut])
def sittings(request: HttpRequest) -> list[SittingOut]:
    """All sittings, the newest first."""
    return [_out(s, s.count) for s in owned.sittings(request).annotate(count=Count("portraits"))]


@router.post("sittings", response={201: SittingOut})
def make_sitting(request: HttpRequest, data: SittingIn) -> Any:
    """Make a sitting."""
    return Status(201, _out(Sitting.objects.create(owner=owned.person(request), name=data.name), 0))


@router.get("sittings/{sitting_id}", response=SittingPage)
def sitting(request: HttpRequest, sitting_id: UUID) -> SittingPage:
    """One sitting with its portraits."""
    found = owned.one(owned.sittings(request), sitting_id)
    portraits = list(owned.portraits(request).filter(sitting=found))
    for portrait in portraits:
        if portrait.revision != portrait.wanted:
            ask_for_card(portrait.pk)
    return SittingPage(id=found.id, name=found.name, portraits=[PortraitOut.of(p) for p in portraits])


@router.patch("sittings/{sitting_id}", response=SittingOut)
def rename_sitting(request: HttpRequest, sitting_id: UUID, data: SittingIn) -> SittingOut:
    """Rename a sitting."""
    found = owned.one(owned.sittings(request), sitting_id)
    found.name = data.name
    found.save(update_fields=["name"])
    return _out(found, found.portraits.count())


@router.delete("sittings/{sitting_id}", response={204: None})
def delete_sitting(request: HttpRequest, sitting_id: UUID) -> Any:
    """Delete a sitting with its portraits, their originals and their sheets."""
    found = owned.one(owned.sittings(request), sitting_id)
    for portrait in found.portraits.all():
        forget(portrait)
    found.delete()
    return Status(204, None)
