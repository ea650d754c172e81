"""A stroke as it stands in a sheet: points with pressure, never pixels."""

from functools import cached_property
from typing import Annotated, Any, Literal, Self

import numpy as np
from pydantic import Field, ValidationInfo, field_validator

from retouch.brush.tip import Tip, Way, Wet, lay
from retouch.frame import Frame
from retouch.types import Floats, Record, is_new

LONGEST = 200
"""The longest way of a stroke, in long sides."""

Coordinate = Annotated[float, Field(ge=-4, le=5)]
Share = Annotated[float, Field(ge=0, le=1)]


class Stroke(Record):
    """One stroke of the brush.

    The coverage of a pixel is ``ceiling × tip × (1 − (1 − flow)^passes)``, where ``tip`` is the tip's profile at the
    stroke's nearest point and ``passes`` (≥ 1 under the stroke) counts how often the stroke went over the pixel.
    So a straight pass builds exactly ``flow × ceiling`` along its middle, crossing it again builds more, the soft
    edge keeps its profile, and the result depends neither on the picture's scale nor on the pointer's speed.
    """

    size: float = Field(gt=0, le=2, description="diameter, in long sides")
    softness: Share = Field(0.5, description="share of the radius over which the edge falls off")
    flow: Share = Field(1.0, description="what one pass builds")
    ceiling: Share = Field(1.0, description="the most coverage this stroke can build")
    erase: bool = Field(False, description="takes away instead")
    pressure: Literal["none", "size", "flow"] = Field("none", description="what the pen's pressure changes")
    points: list[tuple[Coordinate, Coordinate, Share]] = Field(
        min_length=1, max_length=20_000, description="x, y in long sides from the top left; pressure 0…1"
    )

    @field_validator("points")
    @classmethod
    def _short_enough(cls, points: list[Any], info: ValidationInfo) -> list[Any]:
        if is_new(info) and Way(np.array(points, np.float64)).length > LONGEST:
            raise ValueError(f"this stroke is longer than {LONGEST} times the picture: paint it in several")
        return points

    @cached_property
    def way(self) -> Way:
        """Its points, and how far along each lies."""
        return Way(np.array(self.points, np.float64))

    @cached_property
    def tip(self) -> Tip:
        """How it lays itself down."""
        return Tip(self.size, self.softness, self.flow, self.ceiling, self.erase, self.pressure)

    @property
    def spreads(self) -> float:
        """How far from its points it may reach, in diameters."""
        return 0.5

    @property
    def looks_back(self) -> bool:
        """Whether new points change what was laid before them."""
        return False

    def growing(self, way: Way, name: str, wet: Any) -> Self:
        """This stroke with another way, while it is being painted: ``name`` stands for it, ``wet`` is what was laid."""
        stroke = self.model_copy()
        stroke.__dict__.update(way=way, digest=name, wet=wet)
        return stroke

    def lay(self, out: Floats, frame: Frame) -> None:
        """Lay it on the coverage ``out`` (float32, ``frame.shape``), in place."""
        wet: Wet | None = self.__dict__.get("wet")
        if wet is not None and wet.frame.holds(frame):
            wet.lay(out, self.tip, self.way, frame)
        else:
            lay(out, self.tip, self.way, frame)
