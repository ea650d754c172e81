"""Batches: files of several portraits, ordered together, watched, and fetched as one ZIP."""

from collections.abc import Iterator
from datetime import datetime
from typing import Annotated, Any, Literal, NamedTuple
from uuid import UUID

from django.db import transaction
from django.db.models import Count
from django.http import HttpRequest, HttpResponseBase, StreamingHttpResponse
from django.utils.http import content_disposition_header
from ninja import Router, Status
from pydantic import BaseModel, Field

from retouch.files.naming import Names, name_by
from retouch.types import PictureError
from studio import owned, sheets
from studio.api.carrying import StateIn
from studio.api.exports import SUFFIX, FileIn
from studio.jobs import queue_export
from studio.models import Batch, Export, Portrait, Sitting
from studio.shares import ORDERED, in_hand, share_for, turn
from studio.storage import discard
from studio.zipping import zipped

router = Router(tags=["batches"])
NOT_ORDERED = "No file was ordered; the sheets are kept."
SHOWN = 5
PAPERS = ("contact sheet", "work report")


class BatchOrderIn(FileIn):
    """One kind of file that every portrait gets: what it is called, and the pattern of its files' paths."""

    name: Annotated[str, Field(max_length=40)] = ""
    what: Literal["picture", "masks", "sheet", "contact sheet", "work report"] = "picture"
    """Masks are 16-bit PNGs, one of each area; of the last two there is one PDF of all portraits."""
    columns: Annotated[int, Field(ge=2, le=8)] = 4
    pattern: Annotated[str, Field(min_length=1, max_length=200)] = "{sitting}/{name}"


class BatchIn(BaseModel):
    """The portraits of a sitting, and the orders that each of them gets."""

    to: Annotated[list[UUID], Field(min_length=1, max_length=5_000)]
    orders: Annotated[list[BatchOrderIn], Field(min_length=1, max_length=8)]


class NamesOut(BaseModel):
    """The first paths of each order, and how many files there are in all."""

    names: list[list[str]]
    count: int


class BatchOut(BaseModel):
    """A batch and how far it is."""

    id: UUID
    sitting: UUID
    state: str
    created: datetime
    count: int
    ready: int
    failed: int
    bytes: int


class BatchFileOut(BaseModel):
    """One file of it."""

    id: UUID
    path: str
    state: str
    progress: float
    problem: str
    bytes: int


class BatchPage(BatchOut):
    """A batch with its files."""

    files: list[BatchFileOut]


def _taken(portrait: Portrait) -> str:
    """The day on which a portrait was taken, or came here."""
    said = str(portrait.facts.get("camera", {}).get("taken", ""))[:10].replace(":", "-")
    return said or f"{portrait.created:%Y-%m-%d}"


Document = dict[str, Any]


class _File(NamedTuple):
    """One file that is ordered: of which order and portrait, its path, and what the worker is told of it."""

    of: BatchOrderIn
    portrait: Portrait
    path: str
    told: dict[str, Any]
    document: Document


def _files(sitting: Sitting, portraits: list[Portrait], orders: list[BatchOrderIn]) -> Iterator[_File]:
    names = Names()
    documents = {portrait.pk: sheets.document_of(portrait).json for portrait in portraits}
    for order in orders:
        order.order()
        if order.what in PAPERS:
            path = f"{{sitting}}/{order.name or order.what}"
            of = [[str(pk), document] for pk, document in documents.items()]
            told = {"what": order.what, "of": of, "columns": order.columns}
            yield _File(order, portraits[0], names.free(name_by(path, {"sitting": sitting.name}, ".pdf")), told, {})
            continue
        for number, portrait in enumerate(portraits, 1):
            fields = {
                "name": portrait.name, "sitting": sitting.name, "number": f"{number:03}", "date": _taken(portrait),
                "file": portrait.file_name.rpartition(".")[0] or portrait.file_name, "order": order.name or order.form,
                "sitter": ", ".join(f.sitter.name for f in portrait.faces.all() if f.sitter and f.sitter.name),
            }  # fmt: skip
            document = documents[portrait.pk]
            if order.what == "masks":
                for area in document["areas"]:
                    path = name_by(f"{order.pattern} - {{area}}", fields | {"area": area["name"] or area["id"]}, ".png")
                    yield _File(order, portrait, names.free(path), {"what": "mask", "area": area["id"]}, document)
            elif order.what == "sheet":
                path = names.free(name_by(order.pattern, fields, ".json"))
                yield _File(order, portrait, path, {"what": "sheet"}, document)
            else:
                path = names.free(name_by(order.pattern, fields, f".{SUFFIX[order.form]}"))
                yield _File(order, portrait, path, order.told(portrait), document)


def _wanted(request: HttpRequest, sitting_id: UUID, data: BatchIn) -> tuple[Sitting, list[Portrait]]:
    sitting = owned.one(owned.sittings(request), sitting_id)
    rows = owned.portraits(request).filter(sitting=sitting, pk__in=data.to, state=Portrait.State.READY)
    portraits = list(rows.select_related("head", "sitting").prefetch_related("faces__sitter"))
    if len(portraits) < len(set(data.to)):
        raise PictureError(f"Some of these portraits are gone or not prepared yet. {NOT_ORDERED}")
    return sitting, portraits


def _out(row: Batch) -> BatchOut:
    states = dict(row.exports.order_by().values_list("state").annotate(many=Count("pk")))
    size = sum(row.exports.values_list("bytes", flat=True))
    return BatchOut(
        id=row.id, sitting=row.sitting_id, state=row.state, created=row.created, count=sum(states.values()),
        ready=states.get("ready", 0), failed=states.get("failed", 0), bytes=size,
    )  # fmt: skip


@router.post("sittings/{sitting_id}/names", response=NamesOut)
def names(request: HttpRequest, sitting_id: UUID, data: BatchIn) -> NamesOut:
    """How the files of a batch would be called; nothing is ordered."""
    sitting, portraits = _wanted(request, sitting_id, data)
    shown: dict[int, list[str]] = {id(order): [] for order in data.orders}
    count = 0
    for file in _files(sitting, portraits, data.orders):
        count += 1
        if len(shown[id(file.of)]) < SHOWN:
            shown[id(file.of)].append(file.path)
    return NamesOut(names=list(shown.values()), count=count)


@router.post("sittings/{sitting_id}/batches", response={201: BatchOut})
def order(request: HttpRequest, sitting_id: UUID, data: BatchIn) -> Any:
    """Order files of several portraits as their sheets stand now."""
    sitting, portraits = _wanted(request, sitting_id, data)
    person = owned.person(request)
    files = list(_files(sitting, portraits, data.orders))
    if not files:
        raise PictureError(f"There is no area on these portraits to make a mask of. {NOT_ORDERED}")
    turn(person, NOT_ORDERED, len(files))
    share_for(person, 0, NOT_ORDERED)
    with transaction.atomic():
        row = Batch.objects.create(sitting=sitting, orders=[o.model_dump() for o in data.orders])
        Export.objects.bulk_create(
            Export(
                batch=row, portrait=file.portrait, document=file.document, order=file.told,
                file_name=file.path.rpartition("/")[2][-200:], path=file.path,
            )
            for file in files
        )  # fmt: skip
        _begin(row)
    return Status(201, _out(row))


def _begin(batch: Batch) -> None:
    later = in_hand(batch.sitting.owner)
    waiting = batch.exports.filter(state__in=ORDERED).defer("document").order_by("created", "path")
    for number, export in enumerate(waiting):
        queue_export(export, -later - number)


@router.get("sittings/{sitting_id}/batches", response=list[BatchOut])
def batches(request: HttpRequest, sitting_id: UUID) -> list[BatchOut]:
    """The batches of a sitting, the newest first."""
    sitting = owned.one(owned.sittings(request), sitting_id)
    return [_out(row) for row in owned.batches(request).filter(sitting=sitting)[:20]]


@router.get("batches/{batch_id}", response=BatchPage)
def batch(request: HttpRequest, batch_id: UUID) -> BatchPage:
    """One batch with its files."""
    row: Batch = owned.one(owned.batches(request), batch_id)
    fields = tuple(BatchFileOut.model_fields)
    files = row.exports.order_by("path").values(*fields)
    return BatchPage(**_out(row).model_dump(), files=[BatchFileOut(**f) for f in files])


@router.patch("batches/{batch_id}", response=BatchOut)
def steer(request: HttpRequest, batch_id: UUID, data: StateIn) -> BatchOut:
    """Let it pause, go on, or end: files that are finished stay. What was cancelled begins again if it goes on."""
    row: Batch = owned.one(owned.batches(request), batch_id)
    with transaction.atomic():
        row.state = data.state
        row.save(update_fields=["state"])
        unfinished = row.exports.filter(state__in=(*ORDERED, Export.State.CANCELLED, Export.State.FAILED))
        if data.state == "cancelled":
            unfinished.exclude(state=Export.State.FAILED).update(state=Export.State.CANCELLED)
        if data.state == "going":
            unfinished.exclude(state=Export.State.RUNNING).update(state=Export.State.WAITING, progress=0, problem="")
            _begin(row)
    return _out(row)


@router.delete("batches/{batch_id}", response={204: None})
def delete(request: HttpRequest, batch_id: UUID) -> Any:
    """Delete a batch with its files; the portraits and their sheets stay."""
    row: Batch = owned.one(owned.batches(request), batch_id)
    for export in row.exports.defer("document"):
        discard(export)
    row.delete()
    return Status(204, None)


@router.get("batches/{batch_id}/zip", response={200: None})
def as_zip(request: HttpRequest, batch_id: UUID) -> HttpResponseBase:
    """The finished files of a batch as one ZIP, under their paths."""
    row: Batch = owned.one(owned.batches(request).select_related("sitting"), batch_id)
    ready = row.exports.filter(state=Export.State.READY).defer("document").order_by("path")
    files = [(export.path, export.result) for export in ready]
    if not files:
        raise PictureError("No file of it is finished yet.")
    answer = StreamingHttpResponse(zipped(files), content_type="application/zip")
    name = name_by("{sitting}", {"sitting": row.sitting.name}, ".zip")
    answer["Content-Disposition"] = content_disposition_header(True, name) or ""
    return answer
