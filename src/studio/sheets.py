"""Edits of a sheet: rows that are committed before anybody is told that they are kept."""

import json
from dataclasses import dataclass
from uuid import UUID, uuid4

from django.db import transaction
from pydantic import TypeAdapter

from retouch.faces import Found
from retouch.faces.own import Own
from retouch.shape.geometry import Placing
from retouch.sheet import Document, Sheet
from retouch.sheet.carry import Carried, carried
from retouch.sheet.changes import Insert, Operation, Put, Remove
from retouch.sheet.preset import Preset, lay
from retouch.sheet.telling import TURNED
from retouch.types import PictureError
from studio.models import Edit, Portrait, Take
from studio.recent import Recent

LEAST_EDITS, MOST_EDITS = 20, 200
"""Edits from one whole document in the history to the next: when they weigh a quarter of it, within these."""
READ_AT_ONCE = 50
DOCUMENTS: Recent[tuple[UUID, int | None], Document] = Recent(64)
"""Documents by portrait and edit (None: the beginning)."""
AT_REVISION: Recent[tuple[UUID, int], Document] = Recent(64)

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
        after, inverse = document_of(row).changed(operations)
        row.revision += 1
        made = OPERATIONS.dump_python(operations, mode="json")
        row.head = _row(row, after, made)
        row.head.inverse = OPERATIONS.dump_python(inverse, mode="json")
        row.head.words = words[:200]
        row.head.save()
        row.finished = _finished(row, after)
        row.save(update_fields=["revision", "head", "finished"])
    DOCUMENTS.put((portrait, row.head_id), after)
    AT_REVISION.put((portrait, row.revision), after)
    return standing(row, operations)


def _row(row: Portrait, after: Document, made: list[dict[str, object]]) -> Edit:
    """The edit after the head of ``row``: with the whole document once those since the last one weigh enough."""
    head = row.head
    since = head.since + 1 if head else 1
    weight = (head.weight if head else 0) + len(json.dumps(made))
    edit = Edit(portrait=row, parent=head, revision=row.revision, operations=made, since=since, weight=weight)
    edit.whole = head.whole if head else 0
    if since >= MOST_EDITS or (since >= LEAST_EDITS and weight >= edit.whole / 4):
        edit.document, edit.since, edit.weight = after.json, 0, 0
        edit.whole = len(json.dumps(after.json))
    return edit


def _finished(row: Portrait, document: Document) -> list[int] | None:
    """The finished picture's size, where it is turned or cut out."""
    geometry = document.sheet.geometry
    if geometry.neutral or not row.facts:
        return None
    return list(Placing(geometry, row.facts["width"], row.facts["height"]).size)


def turn(portrait: UUID, by: int) -> Standing:
    """Turn a portrait by quarters to the right, as one edit."""
    with transaction.atomic():
        row = Portrait.objects.select_for_update().get(pk=portrait)
        geometry = document_of(row).sheet.geometry.turned(by)
        change = Put(path=["geometry"], value=geometry.model_dump(mode="json"))
        return edit(portrait, row.revision, [change], TURNED[by % 4])


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


def _fresh(letter: str) -> str:
    return f"{letter}{uuid4().hex[:10]}"


def laid_on(preset: Preset, portrait: Portrait, own: Own, found: Found | None, only: int = 0) -> Carried:
    """What lays a preset on a portrait's sheet as it stands, after what is there; nothing is kept.

    ``only``: the number of the face that it is meant for; 0: all of them.
    """
    return lay(preset, document_of(portrait).json, _fresh, own, found, only)


def laid_sheet(sheet: Sheet, portrait: Portrait) -> Carried:
    """What lays all touches of another sheet on a portrait's, after what is there; nothing is kept."""
    return carried(sheet.model_dump(mode="json"), [t.id for t in sheet.touches], document_of(portrait).json, _fresh)


def lay_preset(preset: Preset, target: UUID, own: Own, found: Found | None, only: int) -> tuple[Standing, Carried]:
    """Lay a preset on a portrait's sheet, as one edit."""
    with transaction.atomic():
        row = Portrait.objects.select_for_update().get(pk=target)
        laid = laid_on(preset, row, own, found, only)
        return edit(target, row.revision, laid.operations, f"preset: {preset.name}"), laid


def take_back(portrait: UUID, step: Edit) -> Standing:
    """Take an edit that only added touches and areas back: undone if it is the last, else what it added goes.

    Areas that something else works on by now stay. PictureError if nothing of it is there any more.
    """
    with transaction.atomic():
        row = Portrait.objects.select_for_update().get(pk=portrait)
        if row.head_id == step.pk:
            return undo(portrait, row.revision)
        document = document_of(row)
        added = [o for o in OPERATIONS.validate_python(step.operations) if isinstance(o, Insert)]
        there = {name: {item["id"] for item in document.json[name]} for name in ("touches", "areas")}
        touches, areas = (
            [o.item["id"] for o in added if o.path == [name] and o.item["id"] in there[name]]
            for name in ("touches", "areas")
        )
        gone: list[Operation] = [Remove(path=["touches", touch]) for touch in touches]
        if not gone:
            raise PictureError("What was carried over is no longer there.")
        # The last that was made may be made of those before it.
        for area in reversed(areas):
            try:
                document.changed([*gone, Remove(path=["areas", area])])
            except PictureError:
                continue
            gone.append(Remove(path=["areas", area]))
        return edit(portrait, row.revision, gone, f"taken back: {step.words}")


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
    row.head = step
    row.revision += 1
    row.finished = _finished(row, document_of(row))
    row.save(update_fields=["revision", "head", "take", "finished"])


def _edit(portrait: UUID, edit: int | None) -> Edit | None:
    if edit is None:
        return None
    step = Edit.objects.filter(portrait=portrait, pk=edit).first()
    if step is None:
        raise PictureError("This point of the history is not there.")
    return step


def forget() -> None:
    """Forget the documents in memory, as a new process has none."""
    DOCUMENTS.clear()
    AT_REVISION.clear()


def document_of(portrait: Portrait) -> Document:
    """The document as it stands."""
    return document_after(portrait.pk, portrait.head_id)


def document_after(portrait: UUID, edit: int | None) -> Document:
    """The document as it stood after an edit (None: at the beginning).

    It starts from the last whole document before, never from the beginning of a long history.
    """
    return DOCUMENTS.made((portrait, edit), lambda: _document_after(portrait, edit))


def _document_after(portrait: UUID, edit: int | None) -> Document:
    _edit(portrait, edit)
    operations: list[Operation] = []
    # An edit is younger than its parent: going back in time one meets the whole way, with other branches between.
    while edit is not None:
        for step in Edit.objects.filter(portrait=portrait, pk__lte=edit).order_by("-pk")[:READ_AT_ONCE]:
            if step.pk != edit:
                continue
            if step.document is not None:
                return Document.stored(step.document, operations)
            operations[:0] = OPERATIONS.validate_python(step.operations)
            edit = step.parent_id
    return Document.stored(Sheet().model_dump(mode="json"), operations)


def _move(portrait: UUID, revision: int, back: bool) -> Standing:
    with transaction.atomic():
        row = _locked(portrait, revision)
        step = row.head if back else _next(row)
        if step is None:
            raise PictureError("There is nothing to undo." if back else "There is nothing to redo.")
        operations = OPERATIONS.validate_python(step.inverse if back else step.operations)
        row.head = step.parent if back else step
        row.revision += 1
        row.finished = _finished(row, document_of(row))
        row.save(update_fields=["revision", "head", "finished"])
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


def document_at(portrait: UUID, revision: int) -> Document:
    """The document of a revision, kept in memory while it is worked on.

    Raises
    ------
    StaleRevision
        If the sheet has moved on and this revision is not in memory.
    """
    known = AT_REVISION.get((portrait, revision))
    if known is not None:
        return known
    row = Portrait.objects.only("revision", "head").get(pk=portrait)
    if row.revision != revision:
        raise StaleRevision(row.revision)
    return AT_REVISION.put((portrait, revision), document_of(row))


def sheet_at(portrait: UUID, revision: int, trial: list[Operation]) -> Sheet:
    """The sheet of a revision with a change that is only being tried."""
    return _tried(document_at(portrait, revision), trial)


def sheet_after(portrait: UUID, edit: int | None, trial: list[Operation]) -> Sheet:
    """The sheet as it stood after an edit, with a change that is only being tried."""
    return _tried(document_after(portrait, edit), trial)


def _tried(document: Document, trial: list[Operation]) -> Sheet:
    return document.changed(trial)[0].sheet if trial else document.sheet
