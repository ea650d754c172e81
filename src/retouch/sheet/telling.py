"""What a sheet does, told in its sentences: where, what, how much."""

import re
from collections.abc import Iterator
from typing import Any

from retouch.shape.geometry import Geometry
from retouch.sheet.model import Set, Sheet, Step, Touch, UnknownTouch
from retouch.touches.base import Heading, Kind

WHOLE = "the whole picture"
HEADINGS: dict[Heading, str] = {
    "balance": "Balance", "light": "Light", "clean": "Clean", "skin": "Skin", "eyes": "Eyes and mouth",
    "shape": "Shape", "finish": "Finish",
}  # fmt: skip
PIECE = re.compile(r"\{([^}]+)\}")
LISTED = 3
"""Names that a set's own name lists."""


def told(sheet: Sheet) -> Iterator[tuple[int, str]]:
    """Every touch and set as a sentence, and how deep it stands in sets."""

    def tell(steps: Any, depth: int) -> Iterator[tuple[int, str]]:
        for step in steps:
            yield depth, f"{sentence(step, sheet)}{_besides(step)}"
            if isinstance(step, Set):
                yield from tell(step.touches, depth + 1)

    yield from tell(sheet.touches, 0)
    if said := geometry_words(sheet.geometry):
        yield 0, said


TURNED = ("", "turned to the right", "turned upside down", "turned to the left")


def geometry_words(geometry: Geometry) -> str:
    """How the picture is turned and cut out, as a sentence; nothing of one that is whole and upright."""
    words = [TURNED[geometry.turns]] if geometry.turns else []
    if geometry.straighten:
        side = "left" if geometry.straighten < 0 else "right"
        words.append(f"straightened by {abs(geometry.straighten):.1f}° to the {side}")
    if geometry.crop is not None:
        words.append("cropped")
    said = f"{', '.join(words[:-1])} and {words[-1]}" if len(words) > 1 else "".join(words)
    return f"The picture is {said}" if said else ""


def sentence(step: Touch | Set | UnknownTouch, sheet: Sheet) -> str:
    """The sentence of a touch or a set, or the name it was given."""
    if step.name:
        return step.name
    if isinstance(step, UnknownTouch):
        return f"“{step.kind}”, not understood by this version"
    where = _where(step.area, sheet)
    if isinstance(step, Set):
        return f"{_set_name(step, sheet)} on {where}"
    kind = step.settings

    def fill(piece: re.Match[str]) -> str:
        name, _, words = piece[1].partition(":")
        if name == "where":
            return where
        if words:
            more, less = words.split("|")
            return less if float(getattr(kind, name) or 0) < 0 else more
        return _value(kind, name)

    return PIECE.sub(fill, kind.sentence)


def _where(area: str | None, sheet: Sheet) -> str:
    if area is None:
        return WHOLE
    return next((a.name for a in sheet.areas if a.id == area), "") or "an unnamed area"


def _set_name(step: Set, sheet: Sheet) -> str:
    inner = [s for s in step.touches if not isinstance(s, UnknownTouch)]
    stages = {s.settings.stage if isinstance(s, Touch) else None for s in inner}
    only = stages.pop() if len(stages) == 1 else None
    head = HEADINGS[only] if only else "Together"
    names = [
        _where(s.area, sheet).removeprefix("the ") if s.area
        else s.settings.title.lower() if isinstance(s, Touch) else "a set"
        for s in inner
    ]  # fmt: skip
    held = list(dict.fromkeys(names))
    more = f" and {len(held) - LISTED} more" if len(held) > LISTED else ""
    return f"{head}: {', '.join(held[:LISTED])}{more}" if held else head


def _value(kind: Kind, name: str) -> str:
    value = getattr(kind, name)
    extra = type(kind).model_fields[name].json_schema_extra
    about: dict[str, Any] = extra if isinstance(extra, dict) else {}
    if isinstance(value, str):
        return str(about.get("words", {}).get(value, value))
    if not isinstance(value, int | float):
        many = len(value)
        return f"{many} {'place' if many == 1 else 'places'}"
    shown, step = float(value) * float(about.get("scale", 1)), float(about.get("step", 1))
    text = f"{abs(shown):.{0 if step >= 1 else 1 if step >= 0.1 else 2}f}"
    low = type(kind).model_json_schema()["properties"][name].get("minimum", 0)
    sign = "" if not float(text) else "−" if shown < 0 else "+" if low < 0 else ""
    unit = about.get("unit", "")
    return f"{sign}{text}{f' {unit}' if unit else ''}"


def _besides(step: Step | UnknownTouch) -> str:
    if isinstance(step, UnknownTouch):
        return ""
    said = ["" if step.on else "switched off", f"at {100 * step.strength:.0f} % strength" if step.strength < 1 else ""]
    if step.limit is not None:
        said.append(f"only in tones {' · '.join(f'{100 * v:.0f}' for v in step.limit.ramp)}")
    if isinstance(step, Touch) and step.blend != "normal":
        said.append(f"mixed by {step.blend.replace('color', 'colour').replace('-', ' ')}")
    kept = [one for one in said if one]
    return f" — {', '.join(kept)}" if kept else ""
