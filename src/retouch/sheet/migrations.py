"""Older sheets, brought to the version of this program one step at a time."""

from collections.abc import Callable
from typing import Any

from retouch.areas.recipe import SHORTEST
from retouch.types import PictureError

VERSION = 1

STEPS: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {}
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
