"""The people on the picture, as the program found them."""

from typing import ClassVar, Literal

from pydantic import Field

from retouch.areas.base import Of, Part, Sight, from_found
from retouch.frame import Frame
from retouch.types import Coverage


class FoundPerson(Part):
    """One person, or everybody, from head to foot; or what is behind them all."""

    title: ClassVar[str] = "person"
    narrows: ClassVar[bool] = True
    detail: ClassVar[str] = "found by the program"
    finds: ClassVar[bool] = True
    by_hand: ClassVar[bool] = False
    source: Literal["person"] = "person"
    of: Of = 0
    part: Literal["person", "backdrop"] = Field("person", title="what", json_schema_extra={"control": "choice"})

    def coverage(self, frame: Frame, sight: Sight) -> Coverage:
        """Coverage on ``frame``; nothing while nothing was looked for."""
        return from_found(sight, self.part, self.of, frame)
