"""A thing: what colour holds together under the pointer, or what stands in a box drawn round it."""

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from retouch.areas.base import Part, Sight
from retouch.colour.tones import clipped_oklab
from retouch.frame import Frame
from retouch.segment.cut import boxed
from retouch.segment.guided import follow, guided
from retouch.types import Coverage, Floats, Place, Record

BOX_SIDE = 320
"""Pixels on the long side of the map on which a box is cut."""
AROUND = 0.25
"""How much of its surroundings a box looks at, in shares of its own size."""
KNOWN = ("person", "skin", "hair")
"""What was found and tells things apart."""
Number = Annotated[float, Field(ge=-1, le=2)]


class Click(Record):
    """A region taken in, or out again (``take``), by a place in it."""

    at: Place
    level: Literal["part", "whole"] = "part"
    take: bool = False


class Thing(Part):
    """Regions that were clicked, and what stands out in a box, followed to the picture's edges."""

    title: ClassVar[str] = "thing"
    narrows: ClassVar[bool] = True
    detail: ClassVar[str] = "{box?a box|}, {clicks#click}"
    bare: ClassVar[str] = "nothing clicked yet"
    area_name: ClassVar[str] = "the thing"
    offer: ClassVar[str] = "A thing in the picture"
    finds: ClassVar[bool] = True
    picks: ClassVar[bool] = True
    source: Literal["thing"] = "thing"
    box: tuple[Number, Number, Number, Number] | None = Field(
        None, title="box", description="left, top, right, bottom in long sides",
        json_schema_extra={"control": "box"},
    )  # fmt: skip
    clicks: list[Click] = Field(
        default_factory=list, max_length=100, title="clicks", json_schema_extra={"control": "places"}
    )

    def coverage(self, frame: Frame, sight: Sight) -> Coverage:
        """Coverage on ``frame``: the box first, then the clicks in their order."""
        out = np.zeros(frame.shape, np.float32)
        if self.box is not None:
            left, top, right, bottom = self.box
            out = self._boxed(min(left, right), min(top, bottom), max(left, right), max(top, bottom), frame, sight)
        found = sight.found()
        if found is None or found.regions is None:
            return Coverage(out)
        regions = found.regions
        for click in self.clicks:
            numbers = regions.wholes if click.level == "whole" else regions.parts
            x, y = (int(v * regions.frame.unit) for v in click.at)
            if not (0 <= x < regions.frame.w and 0 <= y < regions.frame.h):
                continue
            number = int(numbers[y, x])

            def line(number: int = number, numbers: np.ndarray = numbers) -> Floats:
                own = (numbers == number).astype(np.float32)
                return guided(sight.original(regions.frame), own, 2)

            kept = sight.once(f"region {click.level} {number} {found.key}", line)
            own = follow(kept, regions.frame, frame, sight.original)
            out = np.minimum(out, 1 - own) if click.take else np.maximum(out, own)
        return Coverage(out)

    def _boxed(self, left: float, top: float, right: float, bottom: float, frame: Frame, sight: Sight) -> Floats:
        side = max(right - left, bottom - top)
        if side <= 0:
            return np.zeros(frame.shape, np.float32)
        whole = sight.scaled(BOX_SIDE / (side * (1 + 2 * AROUND)))
        unit = whole.unit
        x0, y0 = max(0, int((left - AROUND * side) * unit)), max(0, int((top - AROUND * side) * unit))
        x1 = min(whole.width, int(np.ceil((right + AROUND * side) * unit)))
        y1 = min(whole.height, int(np.ceil((bottom + AROUND * side) * unit)))
        if x1 - x0 < 2 or y1 - y0 < 2:
            return np.zeros(frame.shape, np.float32)
        at = Frame(whole.width, whole.height, x0, y0, x1 - x0, y1 - y0)
        found = sight.found()

        def line() -> Floats:
            colours = sight.original(at)
            across, down = at.places()
            inside = ((across >= left) & (across <= right))[None, :] & ((down >= top) & (down <= bottom))[:, None]
            known = [found.coverage(name, 0, at, sight.original) for name in KNOWN] if found is not None else []
            return guided(colours, boxed(clipped_oklab(colours), inside, known).astype(np.float32), 2)

        return follow(sight.once(f"box {self.box} {found and found.key}", line), at, frame, sight.original)
