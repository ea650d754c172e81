"""Portraits: upload, facts, thumbnail."""

from datetime import datetime
from pathlib import Path
from typing import Annotated, Any, Literal, cast
from uuid import UUID

from django.conf import settings
from django.db import transaction
from django.http import Http404, HttpRequest, HttpResponseBase
from ninja import File, Router, Status
from ninja.errors import HttpError
from ninja.files import UploadedFile
from pydantic import BaseModel, StringConstraints

from retouch.files.reading import look
from retouch.types import PictureError
from studio import owned
from studio.jobs import prepare_anew, queue_preparation
from studio.logs import about
from studio.models import Portrait
from studio.shares import share_for, turn
from studio.storage import LEVELS_PER_PIXEL, forget, hand_out, room_for

router = Router(tags=["portraits"])
NOT_TAKEN = "This file was not taken in; all else is kept."


class FactsOut(BaseModel):
    """What the file says of itself; sizes in pixels, upright."""

    format: str
    width: int
    height: int
    bits: int
    channels: int
    orientation: int
    profile: str
    camera: dict[str, str]
    headroom: float = 0.0
    """EV above white that the file still holds; 0 for all but raw files."""


class PortraitIn(BaseModel):
    """A portrait's new name, or its flag; what is left out stays."""

    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200)] | None = None
    flag: Literal["", "keep", "maybe", "leave out"] | None = None


class PortraitOut(BaseModel):
    """A portrait's card. ``facts`` are there once the file could be looked at.

    ``steps`` touches are seen on its picture as retouched; 0: nothing was done, and the thumbnail shows it.
    ``shown`` is the revision that is seen there; it is behind ``revision`` while the picture is made. ``sitters`` are
    those who are known to be on it, from left to right.
    """

    id: UUID
    sitting: UUID
    name: str
    file_name: str
    bytes: int
    state: str
    progress: float
    problem: str
    created: datetime
    revision: int
    shown: int
    steps: int
    retouched: bool
    """Whether there is a picture of it as it is retouched, turned or cropped."""
    finished: list[int] | None
    """Width and height as it is turned and cropped; none: those of the file."""
    flag: str
    sitters: list[int]
    facts: FactsOut | None

    @staticmethod
    def of(portrait: Portrait) -> "PortraitOut":
        """The card of a row."""
        fields = (
            "id", "name", "file_name", "bytes", "state", "progress", "problem", "created", "revision", "shown", "steps",
            "flag", "finished",
        )  # fmt: skip
        facts = FactsOut(**portrait.facts) if portrait.facts else None
        sitters = [face.sitter_id for face in portrait.faces.all() if face.sitter_id is not None]
        return PortraitOut(
            sitting=portrait.sitting_id,
            facts=facts,
            sitters=sitters,
            retouched=bool(portrait.retouched),
            **{f: getattr(portrait, f) for f in fields},
        )


@router.post("sittings/{sitting_id}/portraits", response={201: PortraitOut})
def upload(request: HttpRequest, sitting_id: UUID, file: Annotated[UploadedFile, File()]) -> Any:
    """Take one file in. A file that cannot be read becomes a card that says why; nothing of it is kept."""
    sitting = owned.one(owned.sittings(request), sitting_id)
    if (file.size or 0) > settings.MOST_UPLOAD_BYTES:
        raise HttpError(413, f"This file is larger than {settings.MOST_UPLOAD_BYTES >> 20} MB.")
    file_name = (file.name or "picture")[-200:]
    portrait = Portrait(sitting=sitting, name=file_name.rsplit(".", 1)[0][:200], file_name=file_name)
    portrait.bytes = file.size or 0
    try:
        with about(portrait.pk):
            portrait.facts = vars(look(Path(cast(Any, file).temporary_file_path())))
    except PictureError as error:
        portrait.state, portrait.problem = Portrait.State.FAILED, str(error)
        portrait.save()
        return Status(201, PortraitOut.of(portrait))
    pixels = portrait.facts["width"] * portrait.facts["height"]
    size = portrait.bytes + LEVELS_PER_PIXEL * pixels
    share_for(owned.person(request), size, NOT_TAKEN)
    room_for(size, NOT_TAKEN)
    priority = turn(owned.person(request), NOT_TAKEN)
    portrait.original.save("original", file, save=False)
    with transaction.atomic():
        portrait.save()
        queue_preparation(portrait, priority)
    return Status(201, PortraitOut.of(portrait))


@router.get("portraits/{portrait_id}", response=PortraitOut)
def portrait(request: HttpRequest, portrait_id: UUID) -> PortraitOut:
    """One portrait's card."""
    return PortraitOut.of(owned.one(owned.portraits(request), portrait_id))


@router.patch("portraits/{portrait_id}", response=PortraitOut)
def change_portrait(request: HttpRequest, portrait_id: UUID, data: PortraitIn) -> PortraitOut:
    """Rename a portrait, or flag it."""
    found = owned.one(owned.portraits(request), portrait_id)
    changed = data.model_dump(exclude_none=True)
    for name, value in changed.items():
        setattr(found, name, value)
    found.save(update_fields=list(changed))
    return PortraitOut.of(found)


@router.delete("portraits/{portrait_id}", response={204: None})
def delete_portrait(request: HttpRequest, portrait_id: UUID) -> Any:
    """Delete a portrait with its original, its sheet and its exports."""
    forget(owned.one(owned.portraits(request), portrait_id))
    return Status(204, None)


@router.post("portraits/{portrait_id}/preparation", response=PortraitOut)
def prepare_again(request: HttpRequest, portrait_id: UUID) -> PortraitOut:
    """Try the preparation again after it failed."""
    found = owned.one(owned.portraits(request), portrait_id)
    if found.state == Portrait.State.FAILED and found.original:
        prepare_anew(found)
    return PortraitOut.of(found)


@router.get("portraits/{portrait_id}/thumbnail", response={200: None})
def thumbnail(request: HttpRequest, portrait_id: UUID) -> HttpResponseBase:
    """The thumbnail, a JPEG of at most 480 pixels."""
    found = owned.one(owned.portraits(request), portrait_id)
    if not found.thumbnail:
        raise Http404
    response = hand_out(found.thumbnail, "image/jpeg")
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    return response


@router.get("portraits/{portrait_id}/retouched", response={200: None})
def retouched(request: HttpRequest, portrait_id: UUID) -> HttpResponseBase:
    """The portrait as it is retouched, a JPEG of at most 480 pixels; the thumbnail while nothing was done."""
    found = owned.one(owned.portraits(request), portrait_id)
    picture = found.retouched or found.thumbnail
    if not picture:
        raise Http404
    response = hand_out(picture, "image/jpeg")
    # Its address names the revision.
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    return response


@router.get("portraits/{portrait_id}/original", response={200: None})
def original(request: HttpRequest, portrait_id: UUID) -> HttpResponseBase:
    """The original file, byte for byte as it came."""
    found = owned.one(owned.portraits(request), portrait_id)
    if not found.original:
        raise Http404
    return hand_out(found.original, "application/octet-stream", found.file_name)
