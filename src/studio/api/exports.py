"""Exports: order a finished file, watch it, cancel it, fetch it."""

from datetime import datetime
from typing import Annotated, Any, Literal
from uuid import UUID

from django.db import transaction
from django.http import Http404, HttpRequest, HttpResponseBase
from ninja import Router, Status
from pydantic import BaseModel, Field

from retouch.files.writing import Format
from retouch.render.export import Into, Order
from retouch.render.sized import Medium, Sized
from retouch.types import PictureError
from studio import owned, sheets
from studio.jobs import queue_export
from studio.models import Export, Portrait
from studio.shares import ORDERED, share_for, turn
from studio.storage import discard, hand_out

router = Router(tags=["exports"])
NOT_ORDERED = "No file was ordered; the sheet is kept."
SUFFIX = {"jpeg": "jpg", "png": "png", "tiff": "tif", "webp": "webp", "avif": "avif", "jxl": "jxl", "ora": "ora"}


class FileIn(BaseModel):
    """What kind of file is wanted, how large (``amount``: pixels, megapixels or cm of the long side), and for what."""

    form: Format = "jpeg"
    bits: Literal[8, 16] = 8
    into: Into = "srgb"
    quality: Annotated[int, Field(ge=1, le=100)] = 92
    by: Sized = "full"
    amount: Annotated[float, Field(ge=0, le=100_000)] = 0
    dpi: Annotated[int, Field(ge=30, le=2400)] = 300
    sharpen: Medium = "no"
    press: int | None = None
    """The press whose inks it has, if it goes into one."""
    place: bool = False
    with_sheet: bool = False

    def order(self, portrait: Portrait | None = None) -> Order:
        """As the core takes it, with the credits of a portrait's sitting; PictureError for what no file can hold."""
        said: dict[str, Any] = dict(portrait.sitting.credits) if portrait else {}
        if portrait and said.get("title"):
            said["title"] = said["title"].replace("{name}", portrait.name).replace("{sitting}", portrait.sitting.name)
        return Order(**self.model_dump(include=set(FileIn.model_fields) - {"press"}), **said)

    def told(self, portrait: Portrait) -> dict[str, Any]:
        """What the worker is told of it."""
        mine = portrait.sitting.owner.presses.values_list("pk", flat=True)
        if self.into == "press" and self.press not in mine:
            raise PictureError("Say into which press: this one is not among yours. Nothing was ordered.")
        return vars(self.order(portrait)) | {"press": self.press if self.into == "press" else None}


class OrderIn(FileIn):
    """A file of which revision of the sheet."""

    revision: int


class ExportOut(BaseModel):
    """An export and how far it is; ``progress`` 0…1."""

    id: UUID
    file_name: str
    state: str
    progress: float
    problem: str
    created: datetime
    bytes: int


def _out(export: Export) -> ExportOut:
    fields = ("id", "file_name", "state", "progress", "problem", "created", "bytes")
    return ExportOut(**{f: getattr(export, f) for f in fields})


@router.post("portraits/{portrait_id}/exports", response={201: ExportOut})
def order(request: HttpRequest, portrait_id: UUID, data: OrderIn) -> Any:
    """Order a finished file of the sheet as it stands at a revision."""
    portrait = owned.one(owned.portraits(request), portrait_id)
    if portrait.state != Portrait.State.READY:
        raise PictureError("This portrait is not prepared yet. Wait until its card says ready.")
    priority = turn(owned.person(request), NOT_ORDERED)
    share_for(owned.person(request), 0, NOT_ORDERED)
    wanted = data.told(portrait)
    with transaction.atomic():
        export = Export.objects.create(
            portrait=portrait,
            document=sheets.document_at(portrait_id, data.revision).json,
            order=wanted,
            file_name=f"{portrait.name[:180]}.{SUFFIX[data.form]}",
        )
        queue_export(export, priority)
    return Status(201, _out(export))


@router.get("portraits/{portrait_id}/exports", response=list[ExportOut])
def exports(request: HttpRequest, portrait_id: UUID) -> list[ExportOut]:
    """The exports of a portrait, the newest first."""
    portrait = owned.one(owned.portraits(request), portrait_id)
    return [_out(e) for e in owned.exports(request).filter(portrait=portrait, batch=None)[:20]]


@router.get("exports/{export_id}", response=ExportOut)
def export(request: HttpRequest, export_id: UUID) -> ExportOut:
    """One export."""
    return _out(owned.one(owned.exports(request), export_id))


@router.delete("exports/{export_id}", response={200: ExportOut, 204: None})
def cancel(request: HttpRequest, export_id: UUID) -> Any:
    """Cancel an export that is not finished; one that is (204) is deleted with its file."""
    owned.exports(request).filter(pk=export_id, state__in=ORDERED).update(state=Export.State.CANCELLED)
    export = owned.one(owned.exports(request), export_id)
    if export.state != Export.State.CANCELLED:
        discard(export)
        return Status(204, None)
    return Status(200, _out(export))


@router.get("exports/{export_id}/file", response={200: None})
def file(request: HttpRequest, export_id: UUID) -> HttpResponseBase:
    """The finished file."""
    found = owned.one(owned.exports(request), export_id)
    if found.state != Export.State.READY:
        raise Http404
    return hand_out(found.result, "application/octet-stream", found.file_name)
