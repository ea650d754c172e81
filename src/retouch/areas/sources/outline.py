"""Closed shapes: freehand, by points, or smooth, as SVG path data."""

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from retouch.areas.base import Part, Sight
from retouch.brush.inside import inside_of
from retouch.frame import Frame
from retouch.types import Coverage, Record

Data = Annotated[str, Field(max_length=200_000, pattern=r"^\s*[Mm][MmLlHhVvCcSsQqTtAaZz0-9eE+\-.,\s]*$")]


class Shape(Record):
    """One closed shape; ``take``: cut out of those before it."""

    path: Data = Field(description="SVG path data in long sides from the top left; open ends are closed")
    take: bool = False


class Outline(Part):
    """Shapes filled inside, in their order: each adds to those before it or is cut out of them."""

    title: ClassVar[str] = "outline"
    detail: ClassVar[str] = "{shapes#shape}"
    bare: ClassVar[str] = "nothing drawn yet"
    area_name: ClassVar[str] = "the outline"
    offer: ClassVar[str] = "Draw an outline"
    source: Literal["outline"] = "outline"
    shapes: list[Shape] = Field(
        default_factory=list, max_length=200, title="shapes", json_schema_extra={"control": "stage"}
    )

    def coverage(self, frame: Frame, sight: Sight) -> Coverage:
        """Coverage on ``frame``: of each pixel, the share that lies inside."""
        out = np.zeros(frame.shape, np.float32)
        for shape in self.shapes:
            inside = inside_of(shape.path, frame)
            out = np.minimum(out, 1 - inside) if shape.take else np.maximum(out, inside)
        return Coverage(out)
