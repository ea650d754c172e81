"""An ellipse with a soft edge: a pool of light, or all but it."""

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from retouch.areas.base import Part, Sight, Unit
from retouch.areas.sources.colour import SHARE
from retouch.bands import in_bands
from retouch.frame import Frame
from retouch.types import Coverage, Place

Length = Annotated[float, Field(gt=0, le=4)]
FAR = 1e30
"""Radii from the middle that are told apart at most."""


class Pool(Part):
    """An ellipse, turned; 1 inside, falling to 0 at its edge over its softness."""

    title: ClassVar[str] = "pool"
    detail: ClassVar[str] = "{outside?all but the ellipse|an ellipse}"
    area_name: ClassVar[str] = "the pool"
    offer: ClassVar[str] = "An ellipse"
    source: Literal["pool"] = "pool"
    centre: Place = Field((0.4, 0.4), title="centre", json_schema_extra={"control": "stage"})
    radii: tuple[Length, Length] = Field(
        (0.15, 0.2), title="radii", description="long sides, across and down before it is turned",
        json_schema_extra={"control": "stage"},
    )  # fmt: skip
    turn: float = Field(
        0.0,
        ge=-180,
        le=180,
        title="turned",
        description="degrees clockwise",
        json_schema_extra={"unit": "°", "step": 1},
    )
    softness: Unit = Field(0.6, title="softness", json_schema_extra=SHARE)
    outside: bool = Field(False, title="outside", json_schema_extra={"control": "switch"})

    def coverage(self, frame: Frame, sight: Sight) -> Coverage:
        """Coverage on ``frame``: a smoothstep of the distance in radii, from 1 − softness to 1."""
        x, y = frame.places()
        dx, dy = x - self.centre[0], (y - self.centre[1])[:, None]
        cos, sin = np.cos(np.radians(self.turn)), np.sin(np.radians(self.turn))
        # What columns and rows add to a pixel's distance, in radii; far away all is alike.
        across, down = (
            [np.clip(share / radius, -FAR, FAR).astype(np.float32) for share in shares]
            for radius, shares in zip(self.radii, ((cos * dx, sin * dy), (-sin * dx, cos * dy)), strict=True)
        )
        # An edge of one pixel at least, so that a hard pool is not jagged.
        least = 1 / (frame.unit * min(self.radii))
        edge, lead = (self.softness, 0.0) if self.softness > least else (least, 0.5)
        out = np.empty(frame.shape, np.float32)

        def work(rows: slice) -> None:
            far = np.hypot(across[0] + across[1][rows], down[0] + down[1][rows])
            t = np.clip((1 - far) / np.float32(min(edge, FAR / 10)) + np.float32(lead), 0, 1)
            inside = t * t * (3 - 2 * t)
            out[rows] = 1 - inside if self.outside else inside

        in_bands(work, frame.h)
        return Coverage(out)
