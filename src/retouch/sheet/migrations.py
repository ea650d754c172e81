"""Older sheets, brought to the version of this program one step at a time."""

from collections.abc import Callable
from math import atan2, cos, degrees, hypot, radians, sin
from typing import Any

from retouch.areas.recipe import SHORTEST
from retouch.types import PictureError

VERSION = 3
PRIMARIES = {"red": 29.2, "green": 142.5, "blue": 264.1}
"""OKLCh hues towards which a colour band of version 1 was drawn, by names of its settings."""


def leaning(value: Any) -> Any:
    """JSON with every colour band of version 1 in it as one of version 2: three pulls become the one that they were."""
    if isinstance(value, list):
        return [leaning(one) for one in value]
    if not isinstance(value, dict):
        return value
    if "centre" not in value or "width" not in value or not PRIMARIES.keys() & value.keys():
        return {name: leaning(one) for name, one in value.items()}
    pulls = [(radians(hue), value.get(name) or 0.0) for name, hue in PRIMARIES.items()]
    a, b = sum(by * cos(hue) for hue, by in pulls), sum(by * sin(hue) for hue, by in pulls)
    band = {name: one for name, one in value.items() if name not in PRIMARIES}
    return {**band, "lean": round(degrees(atan2(b, a)) % 360, 4), "lean_by": round(hypot(a, b), 6)}


def upright(raw: dict[str, Any]) -> dict[str, Any]:
    """A sheet of version 2 has no geometry: its picture is whole and upright."""
    return raw


STEPS: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {1: leaning, 2: upright}
"""From version n to n + 1, by n."""


def migrate(raw: dict[str, Any]) -> dict[str, Any]:
    """A copy of ``raw`` in the current version.

    Raises
    ------
    PictureError
        If the version is missing, or newer than this program.
    """
    version = raw.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise PictureError("This sheet does not say which version of the format it is.")
    if version > VERSION:
        raise PictureError(
            f"This sheet was made by a newer Needlepoint (format {version}; this one reads up to {VERSION})."
        )
    while version < VERSION:
        raw = STEPS[version](raw)
        version += 1
    return {**raw, "version": VERSION}


def healed(raw: dict[str, Any]) -> dict[str, Any]:
    """A stored sheet without what an earlier program let into it and no view survives.

    Its format and version are its own again, and lengths that are shorter than any pixel are none.
    """
    areas = [
        {**area, **{name: 0.0 for name in ("feather", "grow") if 0 < abs(area.get(name) or 0) < SHORTEST}}
        for area in raw.get("areas", [])
    ]
    return {**raw, "areas": areas, "format": "needlepoint-sheet", "version": VERSION}
