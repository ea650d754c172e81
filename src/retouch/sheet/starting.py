"""A ready touch made for one picture: its place among what was found there, and its lengths by the face."""

from dataclasses import dataclass, field
from typing import Any

from retouch.faces.found import Found
from retouch.sheet.by_face import DIGITS, Relation, eyes_of, forms_of, meshes, related, strokes_of
from retouch.sheet.wishes import PLACES
from retouch.touches import KINDS
from retouch.touches.base import Kind, ReadyTouch
from retouch.types import PictureError

FACE = 0.33
"""Height of the face, in long sides, for which lengths of ready touches are written."""


@dataclass(frozen=True)
class Started:
    """A touch ready to be put on a sheet: whole settings, and the area it is meant for.

    ``parts`` are of the area's recipe, none for the whole picture; ``area_name`` is what it is called.
    """

    settings: dict[str, Any]
    strength: float
    blend: str
    area_name: str
    parts: list[dict[str, Any]]
    feather: float


@dataclass(frozen=True)
class Otherwise:
    """What is other than in a ready touch: a place by its key in PLACES, settings over its own, its strength."""

    place: str = ""
    settings: dict[str, Any] = field(default_factory=dict)
    strength: float | None = None


AS_IT_IS = Otherwise()


def rests_on_found(kind: str, title: str, placed: bool, other: Otherwise = AS_IT_IS) -> bool:
    """Whether a ready touch needs to know what was found on the picture."""
    ready = _ready(kind, title, other)[1]
    place = None if placed else ready.place
    return ready.from_face or (place is not None and any("part" in part for part in place.parts))


def lacking(kind: str, title: str, other: Otherwise, found: Found | None, of: int = 0) -> str:
    """A sentence if the place that a ready touch is meant for was not found; nothing if it was, or needs not be."""
    place = _ready(kind, title, other)[1].place
    for part in place.parts if place is not None else ():
        if _must(part) and (found is None or not found.has(part["part"], of)):
            return f"Not found on this picture: {place.name}."  # type: ignore[union-attr]
    return ""


def place_of(kind: str, title: str, other: Otherwise) -> str:
    """What the area is called that a ready touch is meant for; nothing: wherever one is."""
    place = _ready(kind, title, other)[1].place
    return "" if place is None else place.name


def _must(part: dict[str, Any]) -> bool:
    """What is taken away, or spare, need not be there."""
    return "part" in part and part.get("join") != "take" and not part.get("spare")


def _ready(kind: str, title: str, other: Otherwise) -> tuple[type[Kind], ReadyTouch]:
    model = KINDS.get(kind)
    ready = next((s for s in model.starts if s.title == title), None) if model is not None else None
    if model is None or ready is None or (other.place and other.place not in PLACES):
        raise PictureError("There is no such ready touch.")
    return model, ready._replace(
        settings=ready.settings | other.settings,
        strength=ready.strength if other.strength is None else other.strength,
        place=PLACES[other.place] if other.place else ready.place,
    )


def started(
    kind: str, title: str, found: Found | None, of: int = 0, placed: bool = False, other: Otherwise = AS_IT_IS
) -> Started:
    """The ready touch ``title`` of a kind for a picture, on one face (``of``) or on all; ``other``: what is other.

    ``placed``: it will lie where one is already, so that its own place is not asked for.

    Raises
    ------
    PictureError
        If there is no such ready touch, or what it is meant for was not found on this picture.
    """
    model, ready = _ready(kind, title, other)
    settings = _for_face(model, ready, found, of)
    place = None if placed else ready.place
    if place is not None and (said := lacking(kind, title, other, found, of)):
        raise PictureError(f"{said} Paint it, and start the touch on what you painted.")
    parts: list[dict[str, Any]] = []
    for part in place.parts if place is not None else ():
        name = part.get("part")
        if name is not None:
            if found is None or not found.has(name, of):
                continue
            part = {**part, "of": 0 if name == "backdrop" else of}
        parts.append({key: value for key, value in part.items() if key != "spare"})
    if parts:
        parts[0] = {**parts[0], "join": "add"}
    return Started(
        settings=model.model_validate(settings).model_dump(mode="json"),
        strength=ready.strength,
        blend=ready.blend,
        area_name="" if place is None else place.name,
        parts=parts,
        feather=0.0 if place is None else round(place.feather * _share(found, of), DIGITS),
    )


def _for_face(model: type[Kind], ready: ReadyTouch, found: Found | None, of: int) -> dict[str, Any]:
    neutral = model().model_dump(mode="json")
    settings = related(model, neutral | ready.settings, Relation(_share(found, of)))
    faces = meshes(found, of)
    if "forms" in model.model_fields:
        settings["forms"] = forms_of(faces)
    if ready.from_face:
        if not faces:
            raise PictureError("No face was found here of which the form is known. Use strokes of your own.")
        if "forms" in settings:
            return settings
        if "eyes" in model.model_fields:
            settings["eyes"] = eyes_of(faces)
        else:
            settings["strokes"] = strokes_of(faces)
    return settings


def _share(found: Found | None, of: int) -> float:
    height = None if found is None else found.face_height(of)
    return 1.0 if height is None else height / FACE
