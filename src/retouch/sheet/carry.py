"""Touches carried from one sheet to another: with the areas they use, under names and ids that are free there."""

import copy
from collections.abc import Callable, Iterable
from typing import Any

from retouch.areas import SOURCES
from retouch.sheet.changes import Insert, Operation
from retouch.touches import KINDS
from retouch.types import PictureError


def carried(
    sheet: dict[str, Any], touches: Iterable[str], into: dict[str, Any], fresh: Callable[[str], str]
) -> tuple[list[Operation], list[str]]:
    """What lays touches of ``sheet`` (both in their JSON form) on the sheet ``into``, after what is there.

    Parameters
    ----------
    touches
        Ids of touches or sets; a set brings what it holds. They keep their order on the sheet.
    fresh
        Gives an id that is free, for a letter.

    Returns
    -------
    tuple
        The operations, and the names of areas and the titles of touches with strokes or patches that were placed by
        hand: they are marked ``needs_look``.

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

    def bring(area: str) -> str:
        if area in names:
            return names[area]
        copied = copy.deepcopy(areas[area])
        names[area] = copied["id"] = fresh("a")
        for part in copied["parts"]:
            part["id"] = fresh("p")
            for name in SOURCES[part["source"]].refers if part["source"] in SOURCES else ():
                part[name] = bring(part[name])
        copied["name"] = _free(copied["name"], taken)
        taken.add(copied["name"])
        # What a newer program knows may have been placed by hand.
        if any(part["source"] not in SOURCES or SOURCES[part["source"]].by_hand for part in copied["parts"]):
            copied["needs_look"] = True
            by_hand.append(copied["name"])
        made.append(Insert(path=["areas"], item=copied))
        return names[area]

    def renew(touch: dict[str, Any]) -> None:
        touch["id"] = fresh("t")
        if touch.get("area") is not None:
            touch["area"] = bring(touch["area"])
        kind = KINDS.get(touch["kind"])
        for name in kind.refers if kind is not None else ():
            if touch["settings"].get(name) is not None:
                touch["settings"][name] = bring(touch["settings"][name])
        if kind is not None and kind.model_validate(touch["settings"]).by_hand:
            touch["needs_look"] = True
            by_hand.append(touch["name"] or kind.title)
        for inner in touch.get("touches", []):
            renew(inner)

    for touch in picked:
        renew(touch)
    return [*made, *(Insert(path=["touches"], item=t) for t in picked)], by_hand


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
