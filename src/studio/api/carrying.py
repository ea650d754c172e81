"""Carrying over: a preset, or touches of one portrait, to others of the sitting; and what became of it."""

from datetime import datetime
from typing import Annotated, Any, Literal
from uuid import UUID

from django.db import transaction
from django.db.models import Count
from django.http import Http404, HttpRequest, HttpResponseBase
from ninja import Router, Status
from pydantic import BaseModel, Field, model_validator

from retouch.sheet.preset import Preset, preset_of
from retouch.types import PictureError
from studio import carrying, owned, sheets, viewing
from studio.models import CarriedTo, CarryOver, Portrait
from studio.shares import turn
from studio.storage import hand_out, room_for

router = Router(tags=["carrying over"])
NOTHING = "Nothing was carried over."


class CarryIn(BaseModel):
    """A preset, or touches of a portrait at a revision; and the portraits of the sitting that they go to.

    With a ``sitter`` they are meant for that one's face alone where others are on the portrait as well.
    """

    preset: int | None = None
    portrait: UUID | None = None
    revision: int = 0
    touches: Annotated[list[str], Field(max_length=500)] = []
    to: Annotated[list[UUID], Field(min_length=1, max_length=5_000)]
    sitter: int | None = None

    @model_validator(mode="after")
    def _one_of_both(self) -> "CarryIn":
        if (self.preset is None) == (self.portrait is None):
            raise ValueError("either a preset or a portrait's touches are carried over")
        return self


class CarryOverOut(BaseModel):
    """A carry-over: how many portraits there are, and how many of them are in each state."""

    id: UUID
    sitting: UUID
    name: str
    state: str
    created: datetime
    count: int
    done: int
    failed: int


class CarriedOut(BaseModel):
    """One portrait of it: how far it is, and what is to be said.

    ``by_hand`` was placed by hand where it comes from, ``lacking`` rests on what was not found; both are names.
    """

    id: int
    portrait: UUID
    name: str
    state: str
    by_hand: list[str]
    lacking: list[str]
    problem: str
    verdict: str


class CarryOverPage(CarryOverOut):
    """A carry-over with its portraits."""

    portraits: list[CarriedOut]


class StateIn(BaseModel):
    """Whether it goes on."""

    state: Literal["going", "paused", "cancelled"]


class VerdictIn(BaseModel):
    """What the photographer thinks of it; undone: it is taken back there."""

    verdict: Literal["", "fits", "needs work", "undone"]


def _out(row: CarryOver) -> CarryOverOut:
    states = dict(row.portraits.order_by().values_list("state").annotate(many=Count("pk")))
    ended = states.get(CarriedTo.State.DONE, 0), states.get(CarriedTo.State.FAILED, 0)
    fields = ("id", "name", "state", "created")
    return CarryOverOut(
        sitting=row.sitting_id, count=sum(states.values()), done=ended[0], failed=ended[1],
        **{f: getattr(row, f) for f in fields},
    )  # fmt: skip


def _one(row: CarriedTo) -> CarriedOut:
    fields = ("id", "state", "by_hand", "lacking", "problem", "verdict")
    return CarriedOut(portrait=row.portrait_id, name=row.portrait.name, **{f: getattr(row, f) for f in fields})


def _document(request: HttpRequest, data: CarryIn) -> tuple[str, dict[str, Any]]:
    if data.preset is not None:
        row = owned.one(owned.presets(request), data.preset)
        return row.name, row.document
    portrait: Portrait = owned.one(owned.portraits(request), data.portrait)
    sheet = sheets.document_at(portrait.pk, data.revision).json
    name = f"touches of {portrait.name}"[:120]
    document: Preset = preset_of(sheet, data.touches, name, "", viewing.own_of(str(portrait.pk)))
    return name, document.model_dump(mode="json")


@router.post("sittings/{sitting_id}/carry-overs", response={201: CarryOverOut})
def carry(request: HttpRequest, sitting_id: UUID, data: CarryIn) -> Any:
    """Carry a preset, or touches, over to portraits of a sitting, as one job."""
    sitting = owned.one(owned.sittings(request), sitting_id)
    wanted = set(data.to) - {data.portrait}
    to = list(owned.portraits(request).filter(sitting=sitting, pk__in=wanted))
    if len(to) < len(wanted) or not to:
        raise PictureError(f"Some of these portraits are no longer in this sitting. {NOTHING}")
    room_for(0, NOTHING)
    turn(owned.person(request), NOTHING, len(to))
    name, document = _document(request, data)
    faces: dict[UUID, int] = {}
    if data.sitter is not None:
        sitter = owned.one(owned.sitters(request).filter(sitting=sitting), data.sitter)
        beside = Portrait.objects.filter(sitting=sitting).annotate(many=Count("faces")).filter(many__gt=1)
        faces = dict(sitter.faces.filter(portrait__in=beside.values("pk")).values_list("portrait_id", "number"))
    with transaction.atomic():
        row = CarryOver.objects.create(sitting=sitting, name=name, document=document)
        CarriedTo.objects.bulk_create(
            CarriedTo(carry_over=row, portrait=portrait, face=faces.get(portrait.pk, 0)) for portrait in to
        )
        carrying.begin(row)
    return Status(201, _out(row))


@router.get("sittings/{sitting_id}/carry-overs", response=list[CarryOverOut])
def carry_overs(request: HttpRequest, sitting_id: UUID) -> list[CarryOverOut]:
    """What was carried over in a sitting, the newest first."""
    sitting = owned.one(owned.sittings(request), sitting_id)
    return [_out(row) for row in owned.carry_overs(request).filter(sitting=sitting)[:20]]


@router.get("carry-overs/{carry_over_id}", response=CarryOverPage)
def carry_over(request: HttpRequest, carry_over_id: UUID) -> CarryOverPage:
    """One carry-over, with what became of it on each portrait."""
    row: CarryOver = owned.one(owned.carry_overs(request), carry_over_id)
    portraits = owned.carried(request).filter(carry_over=row)
    return CarryOverPage(**_out(row).model_dump(), portraits=[_one(one) for one in portraits])


@router.patch("carry-overs/{carry_over_id}", response=CarryOverOut)
def steer(request: HttpRequest, carry_over_id: UUID, data: StateIn) -> CarryOverOut:
    """Let it pause, go on, or end; what was carried over already stays."""
    row: CarryOver = owned.one(owned.carry_overs(request), carry_over_id)
    with transaction.atomic():
        row.state = data.state
        row.save(update_fields=["state"])
        if data.state == "going":
            carrying.begin(row)
    return _out(row)


@router.post("carried/{carried_id}/verdict", response=CarriedOut)
def judge(request: HttpRequest, carried_id: int, data: VerdictIn) -> CarriedOut:
    """Say what became of it on one portrait; undone: it is taken back there, as an edit that can be undone."""
    row: CarriedTo = owned.one(owned.carried(request).select_related("edit"), carried_id)
    with transaction.atomic():
        if data.verdict == "undone" != row.verdict:
            if row.edit is None:
                raise PictureError("Nothing was carried over to this portrait.")
            sheets.take_back(row.portrait_id, row.edit)
            carrying.ask_for_card(row.portrait_id)
        elif row.verdict == "undone" != data.verdict:
            raise PictureError("It was taken back there. Open the portrait and undo that, or carry it over again.")
        row.verdict = data.verdict
        row.save(update_fields=["verdict"])
    return _one(row)


@router.get("carried/{carried_id}/{which}", response={200: None})
def picture(request: HttpRequest, carried_id: int, which: Literal["before", "after"]) -> HttpResponseBase:
    """A portrait before it was carried over to, or after: a JPEG of at most 1000 pixels."""
    row: CarriedTo = owned.one(owned.carried(request), carried_id)
    found = row.before if which == "before" else row.after
    if not found:
        raise Http404
    response = hand_out(found, "image/jpeg")
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    return response
