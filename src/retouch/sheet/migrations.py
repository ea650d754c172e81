"""Older sheets, brought to the version of this program one step at a time."""

from collections.abc import Callable
from typing import Any

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
    """A stored sheet with its own format and version, which edits of an earlier program could change."""
    return {**raw, "format": "needlepoint-sheet", "version": VERSION}
