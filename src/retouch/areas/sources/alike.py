"""What looks like the places that were pointed at, connected with them or anywhere."""

from typing import ClassVar, Literal

import cv2
import numpy as np
from pydantic import Field

from retouch.areas.base import Part, Sight, Unit
from retouch.areas.sources.colour import FULL, LIGHT, SHARE
from retouch.frame import Frame, resample
from retouch.types import Coverage, Floats, Place

LIKENESS_UNIT = 900
"""Pixels on the long side of the map on which likeness is followed from place to place."""
DISC = 2
SOFT = 0.35
"""Share of the tolerance over which likeness fades."""


class Alike(Part):
    """Colours within a tolerance of those at some points of the original."""

    title: ClassVar[str] = "alike"
    narrows: ClassVar[bool] = True
    detail: ClassVar[str] = "{points#point}"
    bare: ClassVar[str] = "nothing pointed at yet"
    area_name: ClassVar[str] = "what is alike"
    offer: ClassVar[str] = "What is alike"
    picks: ClassVar[bool] = True
    source: Literal["alike"] = "alike"
    points: list[Place] = Field(
        default_factory=list, max_length=50, title="points", description="long sides from the top left",
        json_schema_extra={"control": "places"},
    )  # fmt: skip
    tolerance: Unit = Field(0.2, title="tolerance", json_schema_extra=SHARE)
    touching: bool = Field(True, title="touching only", json_schema_extra={"control": "switch"})

    def coverage(self, frame: Frame, sight: Sight) -> Coverage:
        """Coverage on ``frame``: of the likest point, followed on a map of LIKENESS_UNIT, at the frame's scale."""
        share = min(1.0, LIKENESS_UNIT / frame.unit)
        small = Frame.whole(max(1, round(frame.width * share)), max(1, round(frame.height * share)))
        lab = sight.lab(small)
        here = lab if small == frame else sight.lab(frame)
        out = np.zeros(frame.shape, np.float32)
        for x, y in self.points:
            column = int(np.clip(x * small.unit, 0, small.w - 1))
            row = int(np.clip(y * small.unit, 0, small.h - 1))
            around = (slice(max(0, row - DISC), row + DISC + 1), slice(max(0, column - DISC), column + DISC + 1))
            picked = np.median(lab[around].reshape(-1, 3), axis=0)
            covered = self._like(here, picked)
            if self.touching:
                joined = _connected(self._like(lab, picked) > 0.02, row, column)
                covered = covered * resample(joined, small, frame)
            np.maximum(out, covered, out=out)
        return Coverage(out)

    def _like(self, lab: Floats, picked: Floats) -> Floats:
        off = lab - picked
        distance = np.sqrt((LIGHT * off[..., 0]) ** 2 + off[..., 1] ** 2 + off[..., 2] ** 2) / FULL
        t = np.clip((self.tolerance - distance) / max(SOFT * self.tolerance, 1e-4), 0, 1).astype(np.float32)
        return t * t * (3 - 2 * t)


def _connected(like: np.ndarray, row: int, column: int) -> Floats:
    """The part of a boolean map that hangs together with a place, a pixel wider than it is: 0 or 1."""
    like = cv2.morphologyEx(like.astype(np.uint8), cv2.MORPH_CLOSE, np.ones((3, 3), np.uint8))
    _, names = cv2.connectedComponents(like, connectivity=8)
    own = names[row, column]
    joined = ((names == own) & (own > 0)).astype(np.uint8)
    return cv2.dilate(joined, np.ones((3, 3), np.uint8)).astype(np.float32)
