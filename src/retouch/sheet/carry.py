"""Touches carried from one sheet to another: with the areas they use, under names and ids that are free there."""

import copy
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

from retouch.areas import SOURCES
from retouch.sheet.by_face import Relation, placed_anew, related
from retouch.sheet.changes import Insert, Operation
from retouch.touches import KINDS
from retouch.types import PictureError

WIDEST = 0.5
"""How far an area may be grown or feathered, in long sides."""
SAME = Relation()


@dataclass(frozen=True)
class Carried:
    """What lays touches on a sheet, and what is to be said of it.

    ``by_hand``: names of areas and titles of touches that were placed by hand; they are marked ``needs_look``.
    ``lacking``: names of areas that rest on what was not found on this picture.
    """

    operations: list[Operation]
    by_hand: list[str]
    lacking: list[str]


def carried(
    sheet: dict[str, Any], touches: Iterable[str], into: dict[str, Any], fresh: Callable[[str], str],
    to: Relation = SAME,
) -> Carried:  # fmt: skip
    """What lays touches of ``sheet`` (both in their JSON form) on the sheet ``into``, after what is there.

    Parameters
    ----------
    touches
        Ids of touches or sets; a set brings what it holds. They keep their order on the sheet.
    fresh
        Gives an id that is free, for a letter.
    to
        How the picture of ``into`` stands to that of ``sheet``: lengths follow the face's size and tones its light,
        and what stands on the form of faces finds them again, or those of the one who all is meant for.

    Raises
    ------
    PictureError
        If none of the touches is there.
    """
    wanted = set(touches)
    picked = [copy.deepcopy(t) for t in _topmost(sheet["touches"], wanted)]
    if not picked:
        raise PictureError("The touches to be copied are no longer there.")
    areas = {a["id"]: a for a in sheet["areas"]}
    names: dict[str, str] = {}
    taken = {a["name"] for a in into["areas"]}
    made: list[Operation] = []
    by_hand: list[str] = []
    lacking: list[str] = []

    def bring(area: str) -> str:
        if area in names:
            return names[area]
        copied = copy.deepcopy(areas[area])
        names[area] = copied["id"] = fresh("a")
        copied["feather"] = to.length(copied["feather"], 0, WIDEST)
        copied["grow"] = to.length(copied["grow"], -WIDEST, WIDEST)
        for part in copied["parts"]:
            part["id"] = fresh("p")
            for name in SOURCES[part["source"]].refers if part["source"] in SOURCES else ():
                part[name] = bring(part[name])
            # The lightness that a tones part looks at is called so too.
            if to.only and isinstance(part.get("of"), int):
                part["of"] = to.only
            if part["source"] == "tones":
                part["ramp"] = to.ramp(part["ramp"])
        copied["name"] = _free(copied["name"], taken)
        taken.add(copied["name"])
        # What a newer program knows may have been placed by hand.
        copied["needs_look"] = any(
            part["source"] not in SOURCES or SOURCES[part["source"]].by_hand for part in copied["parts"]
        )
        if copied["needs_look"]:
            by_hand.append(copied["name"])
        if any(_lacks(part, to) for part in copied["parts"]):
            lacking.append(copied["name"])
        made.append(Insert(path=["areas"], item=copied))
        return names[area]

    def renew(touch: dict[str, Any]) -> None:
        touch["id"] = fresh("t")
        if touch.get("area") is not None:
            touch["area"] = bring(touch["area"])
        if touch.get("limit"):
            touch["limit"]["ramp"] = to.ramp(touch["limit"]["ramp"])
        kind = KINDS.get(touch["kind"])
        if kind is not None:
            settings, again = placed_anew(related(kind, touch["settings"], to), to)
            for name in kind.refers:
                if settings.get(name) is not None:
                    settings[name] = bring(settings[name])
            touch["settings"] = settings
            # What was placed by a face stands on the face that was found here, unless there are strokes besides.
            placed = kind.model_validate(settings).by_hand
            touch["needs_look"] = placed and not (_by_faces(settings) and again)
            if touch["needs_look"]:
                by_hand.append(touch["name"] or kind.title)
        for inner in touch.get("touches", []):
            renew(inner)

    for touch in picked:
        renew(touch)
    return Carried([*made, *(Insert(path=["touches"], item=t) for t in picked)], by_hand, lacking)


def _by_faces(settings: dict[str, Any]) -> bool:
    return bool(settings.get("forms") or settings.get("eyes")) and not settings.get("strokes")


def _lacks(part: dict[str, Any], to: Relation) -> bool:
    """Whether a part that must be there stands on what was not found; not known is not missing."""
    finds = part["source"] in SOURCES and SOURCES[part["source"]].finds
    if not finds or "part" not in part or part.get("join") == "take" or not part.get("on", True) or to.found is None:
        return False
    return not to.found.has(part["part"], part["of"])


def _topmost(touches: list[dict[str, Any]], wanted: set[str]) -> list[dict[str, Any]]:
    out = []
    for touch in touches:
        if touch["id"] in wanted:
            out.append(touch)
        else:
            out += _topmost(touch.get("touches", []), wanted)
    return out


def _free(name: str, taken: set[str]) -> str:
    if name not in taken:
        return name
    number = 2
    while f"{name} {number}" in taken:
        number += 1
    return f"{name} {number}"
