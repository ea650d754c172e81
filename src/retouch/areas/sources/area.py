"""Another area of the same sheet."""

from typing import ClassVar, Literal

from pydantic import Field

from retouch.areas.base import Id, Made, Part, Sight
from retouch.frame import Frame
from retouch.types import Coverage


class OtherArea(Part):
    """The finished coverage of another area, so that one isolated thing serves several recipes."""

    title: ClassVar[str] = "another area"
    detail: ClassVar[str] = "another area"
    made_by: ClassVar[Made] = "area"
    by_hand: ClassVar[bool] = False
    refers: ClassVar[tuple[str, ...]] = ("area",)
    source: Literal["area"] = "area"
    area: Id = Field(description="id of the other area; a circle of areas is refused")

    def coverage(self, frame: Frame, sight: Sight) -> Coverage:
        """Coverage of the other area on ``frame``."""
        return sight.area(self.area, frame)
