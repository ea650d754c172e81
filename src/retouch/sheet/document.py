"""A sheet in both its forms, JSON and models, and how a change makes the next one of it."""

from collections.abc import Sequence
from typing import Any

from pydantic import BaseModel, ValidationError

from retouch.sheet.changes import Operation, apply
from retouch.sheet.migrations import healed, migrate
from retouch.sheet.model import Sheet, plain, read_sheet
from retouch.types import NEW, PictureError

ROOM = 20_000
"""How many pieces of documents that are gone are remembered before one starts anew."""
_Pairs = dict[int, tuple[dict[str, Any], BaseModel]]


class Document:
    """A validated sheet: its models, and the JSON that stands for them. Neither is ever changed.

    A change makes a new document that shares with the old one all that the change does not touch: only what is new is
    read and validated, so that a stroke costs the same on a sheet of five thousand.
    """

    def __init__(self, sheet: Sheet, before: "Document | None" = None):
        self.sheet = sheet
        self._most: int = ROOM
        # Documents that follow each other remember together; too much that no one needs any more, and one starts anew.
        if before is None or len(before._by_model) > before._most:
            before = None
        self._by_model: _Pairs = {} if before is None else before._by_model
        self._by_json: _Pairs = {} if before is None else before._by_json
        self.json: dict[str, Any] = self._json_of(sheet)
        self._most = 2 * len(self._by_model) + ROOM if before is None else before._most

    @staticmethod
    def read(raw: dict[str, Any]) -> "Document":
        """A sheet of this or an older version; raises as :func:`retouch.sheet.read_sheet`."""
        return Document(read_sheet(raw))

    @staticmethod
    def stored(raw: dict[str, Any], operations: Sequence[Operation] = ()) -> "Document":
        """A sheet as it was kept once, with what was done to it since.

        What an earlier program let in and this one refuses is put right rather than refused.
        """
        raw = migrate(healed(apply(raw, operations)[0] if operations else raw))
        try:
            return Document(Sheet.model_validate(raw))
        except ValidationError as error:
            raise PictureError(f"This sheet cannot be used: {plain(error)}.") from error

    def changed(self, operations: Sequence[Operation]) -> tuple["Document", list[Operation]]:
        """The document after ``operations``, and the operations that undo them.

        Raises
        ------
        PictureError
            If a path leads nowhere or the result is not a valid sheet.
        """
        raw, inverse = apply(self.json, operations)
        try:
            sheet = Sheet.model_validate({name: self._with_models(value) for name, value in raw.items()}, context=NEW)
        except ValidationError as error:
            raise PictureError(f"This change cannot be made: {plain(error)}.") from error
        return Document(sheet, self), inverse

    def _with_models(self, raw: Any) -> Any:
        """``raw`` with the models that already stand for parts of it."""
        if isinstance(raw, dict):
            known = self._by_json.get(id(raw))
            return known[1] if known else {name: self._with_models(value) for name, value in raw.items()}
        if isinstance(raw, list) and raw and isinstance(raw[0], dict):
            by_json = self._by_json
            return [known[1] if (known := by_json.get(id(v))) else self._with_models(v) for v in raw]
        return raw

    def _json_of(self, value: Any) -> Any:
        """The JSON of a model; of what is known within it, that which is known. All are remembered."""
        if isinstance(value, tuple | list):
            by_model = self._by_model
            return [known[0] if (known := by_model.get(id(v))) else self._json_of(v) for v in value]
        if not isinstance(value, BaseModel):
            return value
        if (known := self._by_model.get(id(value))) is not None:
            return known[0]
        parts = [v for v in value.__dict__.values() if isinstance(v, BaseModel | list)]
        if any(isinstance(v, BaseModel) or (v and isinstance(v[0], BaseModel)) for v in parts):
            raw = {name: self._json_of(getattr(value, name)) for name in type(value).model_fields}
        else:
            raw = value.model_dump(mode="json")
        self._by_model[id(value)] = self._by_json[id(raw)] = raw, value
        return raw
