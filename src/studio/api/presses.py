"""Presses: ICC profiles with four inks that a photographer brings in, for files and for the soft proof."""

from typing import Annotated, Any

from django.http import HttpRequest
from ninja import File, Router, Status
from ninja.files import UploadedFile
from pydantic import BaseModel

from retouch.colour.press import MOST_BYTES, read_press
from retouch.types import PictureError
from studio import owned
from studio.models import PressProfile

router = Router(tags=["presses"])
MOST = 50


class PressOut(BaseModel):
    """A press, by the name that its profile has."""

    id: int
    name: str


@router.get("presses", response=list[PressOut])
def presses(request: HttpRequest) -> list[PressOut]:
    """One's own presses."""
    return [PressOut(id=row.pk, name=row.name) for row in owned.presses(request)]


@router.post("presses", response={201: PressOut})
def bring_in(request: HttpRequest, file: Annotated[UploadedFile, File()]) -> Any:
    """Take a press in by its ICC profile."""
    if owned.presses(request).count() >= MOST:
        raise PictureError(f"{MOST} presses are the most. Delete one first; nothing was taken in.")
    if (file.size or 0) > MOST_BYTES:
        raise PictureError(f"This profile is larger than {MOST_BYTES >> 20} MB.")
    data = file.read()
    press = read_press(data)
    row = PressProfile.objects.create(owner=owned.person(request), name=press.name[:120], data=data)
    return Status(201, PressOut(id=row.pk, name=row.name))


@router.delete("presses/{press_id}", response={204: None})
def delete(request: HttpRequest, press_id: int) -> Any:
    """Delete a press; files that were made for it stay."""
    owned.one(owned.presses(request), press_id).delete()
    return Status(204, None)
