"""A ready touch made for one picture: its place among what was found there, and its lengths by the face."""

from dataclasses import dataclass
from typing import Any

from retouch.faces.form import form_strokes
from retouch.faces.found import Found
from retouch.touches import KINDS
from retouch.touches.base import Kind, ReadyTouch
from retouch.types import PictureError

FACE = 0.33
"""Height of the face, in long sides, for which lengths of ready touches are written."""
DIGITS = 5


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


def rests_on_found(kind: str, title: str, placed: bool) -> bool:
    """Whether a ready touch needs to know what was found on the picture."""
    _, ready = _ready(kind, title)
    place = None if placed else ready.place
    return ready.from_face or (place is not None and any("part" in part for part in place.parts))


def _ready(kind: str, title: str) -> tuple[type[Kind], ReadyTouch]:
    model = KINDS.get(kind)
    ready = next((s for s in model.starts if s.title == title), None) if model is not None else None
    if model is None or ready is None:
        raise PictureError("There is no such ready touch.")
    return model, ready


def started(kind: str, title: str, found: Found | None, of: int = 0, placed: bool = False) -> Started:
    """The ready touch ``title`` of a kind for a picture, on one face (``of``) or on all.

    ``placed``: it will lie where one is already, so that its own place is not asked for.

    Raises
    ------
    PictureError
        If there is no such ready touch, or what it is meant for was not found on this picture.
    """
    model, ready = _ready(kind, title)
    settings = _for_face(model, ready, found, of)
    place = None if placed else ready.place
    parts: list[dict[str, Any]] = []
    for part in place.parts if place is not None else ():
        name = part.get("part")
        if name is not None:
            if found is None or not found.has(name, of):
                # What is taken away need not be there.
                if part.get("join") == "take" or part.get("spare"):
                    continue
                were = "were" if place.name.endswith("s") else "was"  # type: ignore[union-attr]
                raise PictureError(
                    f"{place.name[:1].upper()}{place.name[1:]} {were} not found on this picture. "  # type: ignore[union-attr]
                    "Paint it, and start the touch on what you painted."
                )
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
    settings = dict(ready.settings)
    share = _share(found, of)
    for name, field in model.model_fields.items():
        extra = field.json_schema_extra
        if isinstance(extra, dict) and extra.get("length") not in (None, "pixel"):
            low, high = _limits(model, name)
            value = settings.get(name, field.default) * share
            settings[name] = round(min(max(value, low), high), DIGITS)
    if ready.from_face:
        faces = [] if found is None else [f for n, f in enumerate(found.faces, 1) if f.landmarks and of in (0, n)]
        if not faces:
            raise PictureError("No face was found here of which the form is known. Paint the light yourself.")
        if "eyes" in model.model_fields:
            settings["eyes"] = [
                {"x": round(x, DIGITS), "y": round(y, DIGITS), "radius": round(r, DIGITS)}
                for face in faces
                for x, y, r in face.irises()
            ]
        else:
            settings["strokes"] = form_strokes(faces[0].landmarks)
    return settings


def _limits(model: type[Kind], name: str) -> tuple[float, float]:
    schema = model.model_json_schema()["properties"][name]
    return schema["minimum"], schema["maximum"]


def _share(found: Found | None, of: int) -> float:
    height = None if found is None else found.face_height(of)
    return 1.0 if height is None else height / FACE
