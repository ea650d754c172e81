"""Settings that follow a face: lengths by its height, places by its landmarks, tones by its own light."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import log2
from typing import Any

from retouch.faces.form import form_of, form_strokes
from retouch.faces.found import Face, Found
from retouch.faces.own import Own
from retouch.touches.base import Kind

DIGITS = 5
MOST = 8.0
"""How many times larger or smaller, at most, a face may be for lengths to follow it."""


@dataclass(frozen=True)
class Relation:
    """How a picture stands to the one that something was made on.

    ``size``: the heights of the faces, here to there; ``light``: the lightness (OKLab) of their skin; both 1 where
    nothing is known. ``found``: what was found here. ``only``: the number of the face that all is meant for; 0: all of
    them.
    """

    size: float = 1.0
    light: float = 1.0
    found: Found | None = None
    only: int = 0

    @staticmethod
    def of(here: Own, there: Own, found: Found | None, only: int = 0) -> "Relation":
        """How a picture with one's own ``here`` stands to one with ``there``."""
        size = here.height / there.height if here.height and there.height else 1.0
        light = here.light / there.light if here.light and there.light else 1.0
        return Relation(min(max(size, 1 / MOST), MOST), min(max(light, 1 / MOST), MOST), found, only)

    def length(self, value: float, low: float, high: float) -> float:
        """A length in long sides, within its limits."""
        return round(min(max(value * self.size, low), high), DIGITS) if value else value

    def ramp(self, four: Sequence[float]) -> list[float]:
        """The four lightnesses of a ramp; one that ends at black or white still does.

        As light is scaled, OKLab is scaled by its cube root, so that zones keep their place about the face's own.
        """
        return [v if v in (0.0, 1.0) else round(min(v * self.light, 1.0), DIGITS) for v in four]

    def exposure(self, value: float, low: float, high: float) -> float:
        """A tone in EV from white, within its limits."""
        return round(min(max(value + 3 * log2(self.light), low), high), DIGITS)


def related(model: type[Kind], settings: dict[str, Any], to: Relation) -> dict[str, Any]:
    """Whole settings with their lengths and tones as they are meant on another picture."""
    out = dict(settings)
    for name, field in model.model_fields.items():
        extra = field.json_schema_extra
        if not isinstance(extra, dict):
            continue
        if extra.get("length") not in (None, "pixel"):
            out[name] = to.length(out[name], *_limits(model, name))
        elif extra.get("tone"):
            out[name] = to.exposure(out[name], *_limits(model, name))
    return out


def _limits(model: type[Kind], name: str) -> tuple[float, float]:
    schema = model.model_json_schema()["properties"][name]
    return schema["minimum"], schema["maximum"]


def meshes(found: Found | None, of: int = 0) -> list[Face]:
    """The faces of which the form is known: that with a number, or (0) all."""
    return [] if found is None else [f for n, f in enumerate(found.faces, 1) if f.landmarks and of in (0, n)]


def forms_of(faces: Sequence[Face]) -> list[dict[str, object]]:
    """Where the parts of faces lie, as settings of a shape."""
    return [form_of(face.landmarks) for face in faces]


def eyes_of(faces: Sequence[Face]) -> list[dict[str, float]]:
    """The irises of faces, as settings of a light in them."""
    return [
        {"x": round(x, DIGITS), "y": round(y, DIGITS), "radius": round(r, DIGITS)}
        for face in faces
        for x, y, r in face.irises()
    ]


def strokes_of(faces: Sequence[Face]) -> list[dict[str, object]]:
    """Strokes that give the first of the faces form."""
    return form_strokes(faces[0].landmarks)


def placed_anew(settings: dict[str, Any], to: Relation) -> tuple[dict[str, Any], bool]:
    """Settings whose forms and eyes are those of the faces that they are meant for, and whether all could be had."""
    out, had = dict(settings), True
    for name, make in (("forms", forms_of), ("eyes", eyes_of)):
        if settings.get(name):
            again = make(meshes(to.found, to.only))
            out[name] = again or settings[name]
            had = had and bool(again)
    return out, had
