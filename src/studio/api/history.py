"""The history of a sheet: every edit in words, any point of it again, marks, and takes."""

from typing import Annotated, Any
from uuid import UUID

from django.http import HttpRequest, HttpResponse, JsonResponse
from ninja import Router, Status
from pydantic import BaseModel, Field

from retouch.types import PictureError
from studio import owned, sheets
from studio.api.sheets import Stale, StandingOut, standing_out
from studio.models import Edit, Mark, Portrait, Take

router = Router(tags=["history"])
MOST_MARKS = 200
MOST_TAKES = 24

Name = Annotated[str, Field(min_length=1, max_length=80)]


class EditOut(BaseModel):
    """One edit: the one it was made on (none: the beginning), its words, and when it was made, in ISO 8601."""

    id: int
    parent: int | None
    words: str
    created: str


class MarkOut(BaseModel):
    """A named point; without an edit, the beginning."""

    id: int
    edit: int | None
    name: str


class TakeOut(BaseModel):
    """A take, and the edit at which it stands."""

    id: int
    name: str
    head: int | None


class HistoryOut(BaseModel):
    """The history as a tree of edits, the oldest first; ``head``: where the sheet stands, ``take``: the open one."""

    edits: list[EditOut]
    head: int | None
    marks: list[MarkOut]
    takes: list[TakeOut]
    take: int | None


class GoIn(BaseModel):
    """The point to go to (none: the beginning), and the revision on which that was asked."""

    revision: int
    edit: int | None = None


class MarkIn(BaseModel):
    """A point (none: the beginning) and its name."""

    edit: int | None = None
    name: Name


class TakeIn(BaseModel):
    """The new take's name, and the revision on which it was asked for."""

    revision: int
    name: Name


class OpenIn(BaseModel):
    """The revision on which a take was opened."""

    revision: int


class Named(BaseModel):
    """A new name."""

    name: Name


@router.get("portraits/{portrait_id}/history", response=HistoryOut)
def history(request: HttpRequest, portrait_id: UUID) -> HttpResponse:
    """Every edit in words with its parent, where the sheet stands, marks and takes."""
    row: Portrait = owned.one(owned.portraits(request), portrait_id)
    edits = Edit.objects.filter(portrait=row).values_list("id", "parent_id", "words", "created")
    takes = [
        {"id": t.pk, "name": t.name, "head": row.head_id if t.pk == row.take_id else t.head_id} for t in row.takes.all()
    ]
    # Passed on as it is: a long history is read often and was written by us.
    return JsonResponse(
        {
            "edits": [{"id": i, "parent": p, "words": w, "created": c.isoformat()} for i, p, w, c in edits],
            "head": row.head_id,
            "marks": [{"id": m.pk, "edit": m.edit_id, "name": m.name} for m in row.marks.all()],
            "takes": takes,
            "take": row.take_id,
        }
    )


@router.post("portraits/{portrait_id}/go", response={200: StandingOut, 409: Stale})
def go(request: HttpRequest, portrait_id: UUID, data: GoIn) -> Any:
    """Let the sheet stand as it did at a point of its history, earlier or later."""
    owned.one(owned.portraits(request), portrait_id)
    return standing_out(sheets.go(portrait_id, data.revision, data.edit))


@router.post("portraits/{portrait_id}/marks", response={201: MarkOut})
def mark(request: HttpRequest, portrait_id: UUID, data: MarkIn) -> Any:
    """Name a point."""
    row: Portrait = owned.one(owned.portraits(request), portrait_id)
    if row.marks.count() >= MOST_MARKS:
        raise PictureError(f"A sheet has at most {MOST_MARKS} marks. Delete some first.")
    if data.edit is not None and not Edit.objects.filter(portrait=row, pk=data.edit).exists():
        raise PictureError("This point of the history is not there.")
    made = Mark.objects.create(portrait=row, edit_id=data.edit, name=data.name)
    return Status(201, MarkOut(id=made.pk, edit=made.edit_id, name=made.name))


@router.delete("portraits/{portrait_id}/marks/{mark_id}", response={204: None})
def unmark(request: HttpRequest, portrait_id: UUID, mark_id: int) -> Any:
    """Take a mark away; the point stays."""
    owned.one(owned.portraits(request), portrait_id)
    owned.one(Mark.objects.filter(portrait=portrait_id), mark_id).delete()
    return Status(204, None)


@router.post("portraits/{portrait_id}/takes", response={201: TakeOut, 409: Stale})
def new_take(request: HttpRequest, portrait_id: UUID, data: TakeIn) -> Any:
    """Start a take from where the sheet stands, and open it."""
    row: Portrait = owned.one(owned.portraits(request), portrait_id)
    if row.takes.count() >= MOST_TAKES:
        raise PictureError(f"A portrait has at most {MOST_TAKES} takes. Delete some first.")
    made = sheets.new_take(portrait_id, data.revision, data.name)
    return Status(201, TakeOut(id=made.pk, name=made.name, head=made.head_id))


@router.post("portraits/{portrait_id}/takes/{take_id}/open", response={200: StandingOut, 409: Stale})
def open_take(request: HttpRequest, portrait_id: UUID, take_id: int, data: OpenIn) -> Any:
    """Leave the open take as it stands, and open this one."""
    owned.one(owned.portraits(request), portrait_id)
    take = owned.one(Take.objects.filter(portrait=portrait_id), take_id)
    return standing_out(sheets.open_take(portrait_id, data.revision, take))


@router.patch("portraits/{portrait_id}/takes/{take_id}", response=TakeOut)
def name_take(request: HttpRequest, portrait_id: UUID, take_id: int, data: Named) -> TakeOut:
    """Rename a take."""
    owned.one(owned.portraits(request), portrait_id)
    take = owned.one(Take.objects.filter(portrait=portrait_id), take_id)
    take.name = data.name
    take.save(update_fields=["name"])
    return TakeOut(id=take.pk, name=take.name, head=take.head_id)


@router.delete("portraits/{portrait_id}/takes/{take_id}", response={204: None})
def delete_take(request: HttpRequest, portrait_id: UUID, take_id: int) -> Any:
    """Delete a take that is not open; its edits stay in the history."""
    row: Portrait = owned.one(owned.portraits(request), portrait_id)
    take = owned.one(Take.objects.filter(portrait=portrait_id), take_id)
    if row.take_id == take.pk:
        raise PictureError("This take is open. Open another one first.")
    take.delete()
    return Status(204, None)
