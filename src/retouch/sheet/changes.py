"""Edits as data: small operations on a sheet, each with its inverse.

A path names its way by field and by id: ``["touches", "t1", "settings", "ev"]``. Where list items carry no id
(strokes, curve points) the step is their index. Every operation gives back the operation that undoes it, so that a
row in the history holds both ways.
"""

import copy
from collections.abc import Sequence
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from retouch.types import PictureError

Path = Annotated[list[str | int], Field(min_length=1, max_length=24)]


class _Operation(BaseModel):
    model_config = ConfigDict(extra="forbid")
    path: Path


class Put(_Operation):
    """Set the field at ``path`` to ``value``; ``None`` with ``gone`` takes the field out."""

    op: Literal["put"] = "put"
    value: Any = None
    gone: bool = False


class Insert(_Operation):
    """Insert ``item`` into the list at ``path``, at ``index`` (at the end if none)."""

    op: Literal["insert"] = "insert"
    item: Any
    index: int | None = Field(None, ge=0)


class Remove(_Operation):
    """Remove the list item at ``path``."""

    op: Literal["remove"] = "remove"


class Move(_Operation):
    """Move the list item at ``path`` into the list ``into``, to stand at ``index`` there afterwards."""

    op: Literal["move"] = "move"
    into: Path
    index: int = Field(ge=0)


Operation = Annotated[Put | Insert | Remove | Move, Field(discriminator="op")]


def apply(sheet: dict[str, Any], operations: Sequence[Operation]) -> tuple[dict[str, Any], list[Operation]]:
    """Apply ``operations`` in order to a sheet in its JSON form, whatever they make of it.

    Returns
    -------
    tuple
        The changed sheet, which shares with ``sheet`` what was not changed, and the operations that undo the change.

    Raises
    ------
    PictureError
        If a path leads nowhere.
    """
    changed = copy.copy(sheet)
    inverse: list[Operation] = []
    for operation in operations:
        inverse.insert(0, _apply_one(changed, operation))
    return changed, inverse


def _apply_one(sheet: dict[str, Any], operation: Operation) -> Operation:
    if isinstance(operation, Insert):
        items = _list(sheet, operation.path)
        index = len(items) if operation.index is None else min(operation.index, len(items))
        items.insert(index, operation.item)
        return Remove(path=[*operation.path, _name(operation.item, index)])
    parent, step = _resolve(sheet, operation.path[:-1]), operation.path[-1]
    if isinstance(operation, Put):
        if not isinstance(parent, dict) or not isinstance(step, str):
            raise _lost(operation.path)
        before = Put(path=operation.path, value=parent.get(step), gone=step not in parent)
        if operation.gone:
            parent.pop(step, None)
        else:
            parent[step] = operation.value
        return before
    index = _index(parent, step, operation.path)
    item = parent.pop(index)
    if isinstance(operation, Remove):
        return Insert(path=operation.path[:-1], item=item, index=index)
    into = _list(sheet, operation.into)
    place = min(operation.index, len(into))
    into.insert(place, item)
    return Move(path=[*operation.into, _name(item, place)], into=operation.path[:-1], index=index)


def _resolve(sheet: dict[str, Any], path: list[str | int]) -> Any:
    """What stands at ``path``; every container on the way is replaced by a copy, so the old sheet stays as it was."""
    node: Any = sheet
    for step in path:
        if isinstance(node, list):
            step = _index(node, step, path)
        elif not (isinstance(node, dict) and step in node):
            raise _lost(path)
        node[step] = copy.copy(node[step])
        node = node[step]
    return node


def _list(sheet: dict[str, Any], path: list[str | int]) -> list[Any]:
    node = _resolve(sheet, path)
    if not isinstance(node, list):
        raise _lost(path)
    return node


def _index(items: Any, step: str | int, path: list[str | int]) -> int:
    if isinstance(items, list):
        if isinstance(step, int) and 0 <= step < len(items):
            return step
        for index, item in enumerate(items):
            if isinstance(item, dict) and item.get("id") == step:
                return index
    raise _lost(path)


def _name(item: Any, index: int) -> str | int:
    return item["id"] if isinstance(item, dict) and isinstance(item.get("id"), str) else index


def _lost(path: list[str | int]) -> PictureError:
    what = {"areas": "area", "touches": "touch"}.get(str(path[0]), "part of the sheet")
    return PictureError(f"The {what} that this change was meant for is no longer there.")
