"""Presets: saved touches, listed, changed, handed out and brought in as files, and laid on a portrait."""

import json
from datetime import datetime
from pathlib import Path
from typing import Annotated, Any, Literal, cast
from uuid import UUID

from django.core.files.base import ContentFile
from django.db import transaction
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseBase
from django.utils.http import content_disposition_header
from ninja import File, Router, Status
from ninja.files import UploadedFile
from pydantic import BaseModel, Field

from retouch.files.xmp import sheet_in
from retouch.sheet import read_sheet
from retouch.sheet.changes import Operation
from retouch.sheet.preset import MOST_BYTES, PresetName, preset_of, read_preset
from retouch.sheet.preset import Preset as PresetDocument
from retouch.types import PictureError
from studio import owned, sheets, viewing
from studio.api.finding import searched
from studio.carrying import preset_pictures
from studio.models import Preset
from studio.storage import discard, hand_out, room_for

router = Router(tags=["presets"])
MOST = 500
"""Presets of one person."""
Notes = Annotated[str, Field(max_length=2000)]


class PresetIn(BaseModel):
    """Touches or sets of a portrait's sheet at a revision, and what they are to be called."""

    revision: int
    touches: Annotated[list[str], Field(min_length=1, max_length=500)]
    name: PresetName
    notes: Notes = ""


class PresetNamed(BaseModel):
    """A preset's new name and notes."""

    name: PresetName
    notes: Notes = ""


class PresetOut(BaseModel):
    """A preset in the list; ``pictured``: there is a picture before and after."""

    id: int
    name: str
    notes: str
    created: datetime
    pictured: bool


class LayIn(BaseModel):
    """The preset that is laid on a portrait."""

    preset: int


class LaidOut(BaseModel):
    """What lays a preset, or another sheet, on the sheet, to be sent as an edit; and names for a look.

    ``needs_look`` was placed by hand where the preset comes from, ``lacking`` rests on what was not found here.
    """

    operations: list[Operation]
    needs_look: list[str]
    lacking: list[str]


def _out(row: Preset) -> PresetOut:
    fields = ("id", "name", "notes", "created")
    return PresetOut(pictured=bool(row.after), **{f: getattr(row, f) for f in fields})


def _room(request: HttpRequest) -> None:
    if owned.presets(request).count() >= MOST:
        raise PictureError(f"There are {MOST} presets already. Delete some that are not used any more.")
    room_for(0, "No preset was saved; the sheet is kept.")


def _kept(request: HttpRequest, document: PresetDocument) -> Preset:
    raw = document.model_dump(mode="json")
    return Preset.objects.create(owner=owned.person(request), name=document.name, notes=document.notes, document=raw)


@router.get("presets", response=list[PresetOut])
def presets(request: HttpRequest) -> list[PresetOut]:
    """The presets of who is signed in, by name."""
    return [_out(row) for row in owned.presets(request)]


@router.post("portraits/{portrait_id}/saved", response={201: PresetOut})
def save(request: HttpRequest, portrait_id: UUID, data: PresetIn) -> Any:
    """Save touches of a portrait, with their areas, as a preset."""
    portrait = owned.one(owned.portraits(request), portrait_id)
    _room(request)
    sheet = sheets.document_at(portrait.pk, data.revision).json
    document = preset_of(sheet, data.touches, data.name, data.notes, viewing.own_of(str(portrait.pk)))
    with viewing.seat(request, long=True):
        before, after = preset_pictures(document, portrait.pk)
    with transaction.atomic():
        row = _kept(request, document)
        row.before.save("before.jpg", ContentFile(before), save=False)
        row.after.save("after.jpg", ContentFile(after))
    return Status(201, _out(row))


@router.post("presets", response={201: PresetOut})
def bring_in(request: HttpRequest, file: Annotated[UploadedFile, File()]) -> Any:
    """Take a preset in from its file."""
    _room(request)
    if (file.size or 0) > MOST_BYTES:
        raise PictureError(f"This preset is larger than {MOST_BYTES >> 20} MB.")
    return Status(201, _out(_kept(request, read_preset(file.read()))))


@router.patch("presets/{preset_id}", response=PresetOut)
def rename(request: HttpRequest, preset_id: int, data: PresetNamed) -> PresetOut:
    """Give a preset another name or other notes."""
    row: Preset = owned.one(owned.presets(request), preset_id)
    row.name, row.notes = data.name, data.notes
    row.document = row.document | {"name": data.name, "notes": data.notes}
    row.save(update_fields=["name", "notes", "document"])
    return _out(row)


@router.delete("presets/{preset_id}", response={204: None})
def delete(request: HttpRequest, preset_id: int) -> Any:
    """Delete a preset; what it was laid on keeps its touches."""
    discard(owned.one(owned.presets(request), preset_id))
    return Status(204, None)


@router.get("presets/{preset_id}/file", response={200: None})
def preset_file(request: HttpRequest, preset_id: int) -> HttpResponse:
    """The preset as a file of the open format."""
    row: Preset = owned.one(owned.presets(request), preset_id)
    answer = HttpResponse(json.dumps(row.document, indent=1, ensure_ascii=False), content_type="application/json")
    answer["Content-Disposition"] = content_disposition_header(True, f"{row.name}.preset.json") or ""
    return answer


@router.get("presets/{preset_id}/{which}", response={200: None})
def preset_picture(request: HttpRequest, preset_id: int, which: Literal["before", "after"]) -> HttpResponseBase:
    """A small picture of the portrait that the preset was made on, without it or with it."""
    row: Preset = owned.one(owned.presets(request), preset_id)
    picture = row.before if which == "before" else row.after
    if not picture:
        raise Http404
    return hand_out(picture, "image/jpeg")


@router.post("portraits/{portrait_id}/presets", response=LaidOut)
def lay(request: HttpRequest, portrait_id: UUID, data: LayIn) -> LaidOut:
    """A preset made for a portrait's sheet; 425 while what it rests on is looked for. Nothing is saved."""
    portrait = owned.one(owned.portraits(request), portrait_id)
    document = read_preset(owned.one(owned.presets(request), data.preset).document)
    if document.finds:
        searched(portrait)
    laid = sheets.laid_on(document, portrait, viewing.own_of(str(portrait.pk)), viewing.found(str(portrait.pk)))
    return LaidOut(operations=laid.operations, needs_look=laid.by_hand, lacking=laid.lacking)


@router.post("portraits/{portrait_id}/sheets", response=LaidOut)
def lay_sheet(request: HttpRequest, portrait_id: UUID, file: Annotated[UploadedFile, File()]) -> LaidOut:
    """A sheet from a file, or out of a finished picture, made for a portrait's sheet; nothing is saved."""
    portrait = owned.one(owned.portraits(request), portrait_id)
    path = Path(cast(Any, file).temporary_file_path())
    with path.open("rb") as opened:
        written = opened.read(1 << 10).lstrip()[:1] == b"{"
    if written and (file.size or 0) > MOST_BYTES:
        raise PictureError(f"This sheet is larger than {MOST_BYTES >> 20} MB.")
    sheet = read_sheet(path.read_bytes() if written else sheet_in(path))
    laid = sheets.laid_sheet(sheet, portrait)
    return LaidOut(operations=laid.operations, needs_look=laid.by_hand, lacking=laid.lacking)
