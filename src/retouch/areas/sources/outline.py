"""Closed shapes: freehand, by points, or smooth, as SVG path data."""

from typing import Annotated, ClassVar, Literal

import numpy as np
import pyvips
from pydantic import Field

from retouch.areas.base import Part, Sight
from retouch.frame import Frame
from retouch.types import Coverage, Floats, Record

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


def inside_of(path: str, frame: Frame) -> Floats:
    """The inside of SVG path data (even–odd) as coverage on ``frame``, drawn by librsvg.

    Source: SVG 2, chapter 9: path data is drawn up to its first mistake, so that nothing before it is lost.
    """
    x, y, w, h = (v / frame.unit for v in (frame.x, frame.y, frame.w, frame.h))
    svg = (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{frame.w}" height="{frame.h}" viewBox="{x} {y} {w} {h}" '
        f'preserveAspectRatio="none"><path d="{path}" fill="#fff" fill-rule="evenodd"/></svg>'
    )
    alpha = pyvips.Image.svgload_buffer(svg.encode(), unlimited=True)[3]
    return np.asarray(alpha.numpy(), np.float32) / np.float32(255)
