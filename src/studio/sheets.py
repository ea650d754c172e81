"""Edits of a sheet: rows that are committed before anybody is told that they are kept."""

from dataclasses import dataclass
from functools import lru_cache
from typing import Any
from uuid import UUID, uuid4

from django.db import transaction
from pydantic import TypeAdapter

from retouch.sheet import Sheet, read_sheet
from retouch.sheet.carry import carried
from retouch.sheet.changes import Operation, apply
from retouch.types import PictureError
from studio.models import Edit, Portrait, Take, empty_sheet

WHOLE_EVERY = 20
"""Edits from one whole document in the history to the next."""

OPERATIONS: TypeAdapter[list[Operation]] = TypeAdapter(list[Operation])


class StaleRevision(Exception):
    """The change was made on a revision that is no longer the newest."""

    def __init__(self, current: int):
        super().__init__(f"The sheet was changed elsewhere and now stands at revision {current}.")
        self.current = current


@dataclass(frozen=True)
class Standing:
    """Where a sheet stands: its revision, what undo and redo would take, and what was just applied to the document."""

    revision: int
    undo: str | None
    redo: str | None
    operations: list[Operation]


def edit(portrait: UUID, revision: int, operations: list[Operation], words: str) -> Standing:
    """Apply a change that was made on ``revision`` and keep it with its inverse.

    Raises
    ------
    StaleRevision
        If the sheet has moved on.
    PictureError
        If the change leads nowhere or makes the sheet invalid; nothing is kept then.
    """
    with transaction.atomic():
        row = _locked(portrait, revision)
        row.document, inverse = apply(row.document, operations)
        row.revision += 1
        since = row.head.since + 1 if row.head else 1
        whole = since >= WHOLE_EVERY
        row.head = Edit.objects.create(
            since=0 if whole else since,
            document=row.document if whole else None,
            portrait=row,
            parent=row.head,
            revision=row.revision,
            operations=OPERATIONS.dump_python(operations, mode="json"),
            inverse=OPERATIONS.dump_python(inverse, mode="json"),
            words=words[:200],
        )
        row.save(update_fields=["document", "revision", "head"])
    return standing(row, operations)


def undo(portrait: UUID, revision: int) -> Standing:
    """Take the head's edit back. Raises as :func:`edit`, and PictureError if there is nothing to undo."""
    return _move(portrait, revision, back=True)


def redo(portrait: UUID, revision: int) -> Standing:
    """Do the youngest edit after the head again. Raises as :func:`edit`."""
    return _move(portrait, revision, back=False)


def go(portrait: UUID, revision: int, edit: int | None) -> Standing:
    """Let the sheet stand as it did after ``edit`` (None: at the beginning); nothing of the history is lost.

    Raises as :func:`edit`, and PictureError if there is no such edit.
    """
    with transaction.atomic():
        row = _locked(portrait, revision)
        _stand(row, _edit(portrait, edit))
    return standing(row)


def carry(source: UUID, touches: list[str], target: UUID) -> tuple[Standing, list[str]]:
    """Lay touches of one portrait's sheet on another's, as one edit; returns the areas there that need a look."""

    def fresh(letter: str) -> str:
        return f"{letter}{uuid4().hex[:10]}"

    document = Portrait.objects.only("document").get(pk=source).document
    with transaction.atomic():
        row = Portrait.objects.select_for_update().get(pk=target)
        operations, by_hand = carried(document, touches, row.document, fresh)
        name = Portrait.objects.only("name").get(pk=source).name
        count = sum(o.path == ["touches"] for o in operations)
        what = "a touch" if count == 1 else f"{count} touches"
        return edit(target, row.revision, operations, f"{what} copied from {name}"), by_hand


def new_take(portrait: UUID, revision: int, name: str) -> Take:
    """Start a take where the sheet stands, and open it; what was there before becomes a take as well."""
    with transaction.atomic():
        row = _locked(portrait, revision)
        if row.take is None:
            row.take = Take.objects.create(portrait=row, name="first take", head=row.head)
        else:
            _leave_take(row)
        row.take = Take.objects.create(portrait=row, name=name, head=row.head)
        row.save(update_fields=["take"])
    return row.take


def open_take(portrait: UUID, revision: int, take: Take) -> Standing:
    """Leave the open take as it stands, and open another. Raises as :func:`edit`."""
    with transaction.atomic():
        row = _locked(portrait, revision)
        if row.take_id == take.pk:
            return standing(row)
        _leave_take(row)
        take.refresh_from_db()
        row.take = take
        _stand(row, take.head)
    return standing(row)


def _leave_take(row: Portrait) -> None:
    if row.take is not None:
        row.take.head = row.head
        row.take.save(update_fields=["head"])


def _stand(row: Portrait, step: Edit | None) -> None:
    row.document = document_after(row.pk, step.pk if step else None)
    row.head = step
    row.revision += 1
    row.save(update_fields=["document", "revision", "head", "take"])


def _edit(portrait: UUID, edit: int | None) -> Edit | None:
    if edit is None:
        return None
    step = Edit.objects.filter(portrait=portrait, pk=edit).first()
    if step is None:
        raise PictureError("This point of the history is not there.")
    return step


@lru_cache(maxsize=64)
def document_after(portrait: UUID, edit: int | None) -> dict[str, Any]:
    """The document as it stood after an edit (None: at the beginning); not to be changed.

    It starts from the last whole document before, never from the beginning of a long history.
    """
    step = _edit(portrait, edit)
    operations: list[Operation] = []
    while step is not None and step.document is None:
        operations[:0] = OPERATIONS.validate_python(step.operations)
        step = step.parent
    start = empty_sheet() if step is None or step.document is None else step.document
    return apply(start, operations)[0] if operations else start


def _move(portrait: UUID, revision: int, back: bool) -> Standing:
    with transaction.atomic():
        row = _locked(portrait, revision)
        step = row.head if back else _next(row)
        if step is None:
            raise PictureError("There is nothing to undo." if back else "There is nothing to redo.")
        operations = OPERATIONS.validate_python(step.inverse if back else step.operations)
        row.document, _ = apply(row.document, operations)
        row.head = step.parent if back else step
        row.revision += 1
        row.save(update_fields=["document", "revision", "head"])
    return standing(row, operations)


def standing(portrait: Portrait, operations: list[Operation] | None = None) -> Standing:
    """Where the sheet of ``portrait`` stands."""
    following = _next(portrait)
    return Standing(
        portrait.revision,
        portrait.head.words if portrait.head else None,
        following.words if following else None,
        operations or [],
    )


def _locked(portrait: UUID, revision: int) -> Portrait:
    row = Portrait.objects.select_for_update(of=("self",)).select_related("head", "take").get(pk=portrait)
    if row.revision != revision:
        raise StaleRevision(row.revision)
    return row


def _next(portrait: Portrait) -> Edit | None:
    return Edit.objects.filter(portrait=portrait, parent=portrait.head_id).order_by("-id").first()


@lru_cache(maxsize=32)
def document_at(portrait: UUID, revision: int) -> dict[str, Any]:
    """The document of a revision, kept in memory while it is worked on; not to be changed.

    Raises
    ------
    StaleRevision
        If the sheet has moved on and this revision is not in memory.
    """
    row = Portrait.objects.only("document", "revision").get(pk=portrait)
    if row.revision != revision:
        raise StaleRevision(row.revision)
    return row.document


def sheet_at(portrait: UUID, revision: int, trial: list[Operation]) -> Sheet:
    """The sheet of a revision with a change that is only being tried."""
    return _tried(document_at(portrait, revision), trial)


def sheet_after(portrait: UUID, edit: int | None, trial: list[Operation]) -> Sheet:
    """The sheet as it stood after an edit, with a change that is only being tried."""
    return _tried(document_after(portrait, edit), trial)


def _tried(document: dict[str, Any], trial: list[Operation]) -> Sheet:
    if trial:
        document, _ = apply(document, trial)
    return read_sheet(document)
