"""Sittings: the list, and one with its portraits."""

from datetime import datetime
from typing import Annotated, Any, Literal
from uuid import UUID

from django.db.models import Count, F, Func, Q, QuerySet, Value
from django.db.models.fields.json import KT
from django.db.models.functions import Coalesce, Collate
from django.http import HttpRequest
from ninja import Query, Router, Status
from pydantic import BaseModel, Field, StringConstraints

from studio import owned, sheets
from studio.api.portraits import PortraitOut
from studio.api.sitters import SitterOut, sitters_of
from studio.carrying import ask_for_card
from studio.models import Portrait, Sitting
from studio.storage import forget

router = Router(tags=["sittings"])
Named = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]


class SittingIn(BaseModel):
    """A sitting's name."""

    name: Named


Said = Annotated[str, StringConstraints(strip_whitespace=True, max_length=400)]


class CreditsIn(BaseModel):
    """What the files of a sitting say of themselves; {name} and {sitting} may stand in the title."""

    title: Said = ""
    creator: Said = ""
    rights: Said = ""
    email: Said = ""
    web: Said = ""


class SittingChange(BaseModel):
    """A sitting's new name, or its credits; what is left out stays."""

    name: Named | None = None
    credits: CreditsIn | None = None


class SittingOut(BaseModel):
    """A sitting in the list; ``covers`` are ids of portraits that have a thumbnail."""

    id: UUID
    name: str
    created: datetime
    count: int
    covers: list[UUID]


class SittingPage(BaseModel):
    """A sitting, how many portraits it has, and how many of them are not prepared or not searched yet."""

    id: UUID
    name: str
    credits: CreditsIn
    count: int
    unready: int
    unsearched: int
    sitters: list[SitterOut]


class Listed(BaseModel):
    """Which portraits of a sitting are meant, and in which order; of one ``sitter``, or of all."""

    only: Literal["all", "touched", "untouched", "unflagged", "keep", "maybe", "leave out"] = "all"
    sitter: int | None = None
    order: Literal["added", "name", "taken"] = "added"


class Part(Listed):
    """Some of them: ``many``, from the one with the number ``start`` (from 0)."""

    start: Annotated[int, Field(ge=0)] = 0
    many: Annotated[int, Field(ge=1, le=200)] = 60


class PartOut(BaseModel):
    """Some portraits of a list, and how many are on it in all."""

    count: int
    portraits: list[PortraitOut]


class FlagIn(BaseModel):
    """Portraits, and the flag they get; nothing takes it away."""

    to: Annotated[list[UUID], Field(min_length=1, max_length=5_000)]
    flag: Literal["", "keep", "maybe", "leave out"]


class NamedOut(BaseModel):
    """A portrait's id and name."""

    id: UUID
    name: str


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
    """One sitting; its portraits are listed in parts."""
    found = owned.one(owned.sittings(request), sitting_id)
    unready = Q(state__in=(Portrait.State.WAITING, Portrait.State.PREPARING))
    unsearched = Q(state=Portrait.State.READY) & ~Q(search__in=(Portrait.Search.READY, Portrait.Search.FAILED))
    many = found.portraits.aggregate(
        count=Count("pk"), unready=Count("pk", filter=unready), unsearched=Count("pk", filter=unsearched)
    )
    credit = CreditsIn(**found.credits)
    return SittingPage(id=found.id, name=found.name, credits=credit, sitters=sitters_of(found), **many)


def _listed(request: HttpRequest, sitting_id: UUID, wanted: Listed) -> QuerySet[Portrait]:
    rows = owned.portraits(request).filter(sitting=owned.one(owned.sittings(request), sitting_id))
    if wanted.sitter is not None:
        rows = rows.filter(faces__sitter=wanted.sitter).distinct()
    if wanted.only in ("touched", "untouched"):
        rows = rows.filter(steps__gt=0) if wanted.only == "touched" else rows.filter(steps=0)
    elif wanted.only != "all":
        rows = rows.filter(flag="" if wanted.only == "unflagged" else wanted.only)
    if wanted.order == "name":
        return rows.order_by(Collate("name", "natural"), "created", "pk")
    if wanted.order == "taken":
        came = Func(F("created"), Value("YYYY:MM:DD HH24:MI:SS"), function="to_char")
        return rows.order_by(Coalesce(KT("facts__camera__taken"), came), "created", "pk")
    return rows.order_by("created", "name", "pk")


@router.get("sittings/{sitting_id}/cards", response=PartOut)
def portraits(request: HttpRequest, sitting_id: UUID, wanted: Query[Part]) -> PartOut:
    """Some of a sitting's portraits."""
    rows = _listed(request, sitting_id, wanted)
    part = list(rows.prefetch_related("faces")[wanted.start : wanted.start + wanted.many])
    for portrait in part:
        if portrait.revision != portrait.wanted:
            ask_for_card(portrait.pk)
    return PartOut(count=rows.count(), portraits=[PortraitOut.of(p) for p in part])


@router.get("sittings/{sitting_id}/index", response=list[NamedOut])
def index(request: HttpRequest, sitting_id: UUID, wanted: Query[Listed]) -> list[NamedOut]:
    """The ids and names of a sitting's prepared portraits, as they are listed."""
    rows = _listed(request, sitting_id, wanted).filter(state=Portrait.State.READY)
    return [NamedOut(id=pk, name=name) for pk, name in rows.values_list("pk", "name")]


@router.post("sittings/{sitting_id}/flags", response={204: None})
def flag(request: HttpRequest, sitting_id: UUID, data: FlagIn) -> Any:
    """Flag portraits of a sitting."""
    sitting = owned.one(owned.sittings(request), sitting_id)
    owned.portraits(request).filter(sitting=sitting, pk__in=data.to).update(flag=data.flag)
    return Status(204, None)


class TurnIn(BaseModel):
    """Which portraits are turned, by how many quarters to the right."""

    to: Annotated[list[UUID], Field(min_length=1, max_length=1000)]
    by: Literal[1, 2, 3]


@router.post("sittings/{sitting_id}/turns", response={204: None})
def turn(request: HttpRequest, sitting_id: UUID, data: TurnIn) -> Any:
    """Turn portraits of a sitting, each as an edit of its sheet; those that are not prepared yet stay as they are."""
    sitting = owned.one(owned.sittings(request), sitting_id)
    rows = owned.portraits(request).filter(sitting=sitting, pk__in=data.to, state=Portrait.State.READY)
    for portrait in rows.values_list("pk", flat=True):
        sheets.turn(portrait, data.by)
        ask_for_card(portrait)
    return Status(204, None)


@router.patch("sittings/{sitting_id}", response=SittingOut)
def change_sitting(request: HttpRequest, sitting_id: UUID, data: SittingChange) -> SittingOut:
    """Rename a sitting, or say what its files are to say of themselves."""
    found = owned.one(owned.sittings(request), sitting_id)
    changed = data.model_dump(exclude_none=True)
    for name, value in changed.items():
        setattr(found, name, value)
    found.save(update_fields=list(changed))
    return _out(found, found.portraits.count())


@router.delete("sittings/{sitting_id}", response={204: None})
def delete_sitting(request: HttpRequest, sitting_id: UUID) -> Any:
    """Delete a sitting with its portraits, their originals and their sheets."""
    found = owned.one(owned.sittings(request), sitting_id)
    for portrait in found.portraits.all():
        forget(portrait)
    found.delete()
    return Status(204, None)
