"""Presets: saved touches with their areas, and what they were made by, for other pictures; an open format."""

import json
from collections.abc import Callable, Sequence
from itertools import count
from typing import Annotated, Any, Literal

from pydantic import Field, StringConstraints, ValidationError, model_validator

from retouch.faces.found import Found
from retouch.faces.own import UNKNOWN, Own
from retouch.sheet.by_face import Relation
from retouch.sheet.carry import Carried, carried
from retouch.sheet.document import Document
from retouch.sheet.migrations import migrate
from retouch.sheet.model import DEEPEST_SET, Set, Sheet, plain
from retouch.types import NEW, PictureError, Record

FORMAT = "needlepoint-preset"
MOST_BYTES = 8 << 20
PresetName = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]


class Face(Record):
    """The face that it was made by: its height in long sides, and its skin's colour in OKLab; none: not known."""

    height: float | None = Field(None, gt=0, le=2)
    colour: tuple[float, float, float] | None = None


class Preset(Record):
    """Saved touches: a sheet of them alone, a name, and the face that they were made by."""

    format: Literal["needlepoint-preset"] = "needlepoint-preset"
    version: Literal[1] = 1
    name: PresetName
    notes: Annotated[str, Field(max_length=2000)] = ""
    face: Face = Face()
    sheet: Sheet

    @model_validator(mode="after")
    def _does_something(self) -> "Preset":
        if not self.sheet.touches:
            raise ValueError("there is no touch in it")
        return self

    @property
    def own(self) -> Own:
        """What the face that it was made by brings."""
        return Own(self.face.height, self.face.colour)

    @property
    def finds(self) -> bool:
        """Whether it rests on what is found on a picture, or follows a face."""
        return self.face != Face() or any(part.finds for area in self.sheet.areas for part in area.known)


def preset_of(sheet: dict[str, Any], touches: Sequence[str], name: str, notes: str = "", own: Own = UNKNOWN) -> Preset:
    """Touches of a sheet (in its JSON form) as a preset, made by a face with its ``own``.

    PictureError if none of them is there. Nobody's name goes along: people are other ones on other pictures.
    """
    numbers: dict[str, count[int]] = {}
    empty = Document(Sheet())

    def fresh(letter: str) -> str:
        return f"{letter}{next(numbers.setdefault(letter, count(1)))}"

    made = empty.changed(carried(sheet, touches, empty.json, fresh).operations)[0].sheet
    face = Face(height=own.height, colour=own.colour)
    return Preset(name=name, notes=notes, face=face, sheet=made)


def read_preset(data: str | bytes | dict[str, Any]) -> Preset:
    """Read a preset of this or an older version of sheets.

    Raises
    ------
    PictureError
        In one sentence: what is wrong and where.
    """
    if isinstance(data, str | bytes) and len(data) > MOST_BYTES:
        raise PictureError(f"This preset is larger than {MOST_BYTES >> 20} MB.")
    try:
        raw = data if isinstance(data, dict) else json.loads(data)
    except (ValueError, RecursionError) as error:
        raise PictureError("This preset is not readable JSON.") from error
    if not isinstance(raw, dict) or raw.get("format") != FORMAT or not isinstance(raw.get("sheet"), dict):
        raise PictureError("This file is not a Needlepoint preset.")
    if raw.get("version") != 1:
        raise PictureError("This preset was made by a newer Needlepoint, or does not say by which.")
    try:
        return Preset.model_validate({**raw, "sheet": migrate(raw["sheet"])}, context=NEW)
    except (ValidationError, RecursionError) as error:
        raise PictureError(f"This preset cannot be used: {plain(error)}.") from error


def lay(
    preset: Preset, into: dict[str, Any], fresh: Callable[[str], str], own: Own = UNKNOWN, found: Found | None = None,
    only: int = 0,
) -> Carried:  # fmt: skip
    """What lays a preset on the sheet ``into`` (JSON) of a picture with a face's ``own``, after what is there.

    It goes in as one set of its name where it has several touches, so that it is weakened and switched in one.
    ``only``: the number of the face that it is meant for; 0: all of them.
    """
    to = Relation.of(own, preset.own, found, only)
    raw, touches = preset.sheet.model_dump(mode="json"), preset.sheet.touches
    if len(touches) > 1 and _depth(touches) < DEEPEST_SET:
        whole = Set(id="preset", name=preset.name, touches=touches)
        raw["touches"] = [whole.model_dump(mode="json")]
    return carried(raw, [touch["id"] for touch in raw["touches"]], into, fresh, to)


def _depth(steps: Sequence[Any]) -> int:
    """How deep sets stand inside each other."""
    return max((1 + _depth(step.touches) for step in steps if isinstance(step, Set)), default=0)
