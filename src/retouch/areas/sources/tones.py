"""Some tones of the picture."""

from typing import ClassVar, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from retouch.areas.base import OF_PICTURE, Ground, Part, ReadyPart, Sight, Unit
from retouch.bands import in_bands
from retouch.colour.tones import ramp
from retouch.frame import Frame
from retouch.types import Coverage


class Tones(Part):
    """Where the lightness of the original, or of the picture below, lies on a ramp with two soft ends."""

    title: ClassVar[str] = "tones"
    narrows: ClassVar[bool] = True
    detail: ClassVar[str] = "{ramp%}"
    area_name: ClassVar[str] = "the tones"
    offer: ClassVar[str] = "Some tones"
    by_hand: ClassVar[bool] = False
    starts: ClassVar[tuple[ReadyPart, ...]] = (
        ReadyPart("shadows", {"ramp": (0.0, 0.0, 0.3, 0.55)}),
        ReadyPart("middle tones", {"ramp": (0.2, 0.4, 0.65, 0.85)}),
        ReadyPart("highlights", {"ramp": (0.6, 0.85, 1.0, 1.0)}),
    )
    source: Literal["tones"] = "tones"
    ramp: tuple[Unit, Unit, Unit, Unit] = Field(
        (0.0, 0.0, 0.3, 0.55), title="tones", description="OKLab lightness, not falling",
        json_schema_extra={"control": "ramp"},
    )  # fmt: skip

    of: Ground = OF_PICTURE

    @model_validator(mode="after")
    def _rises(self) -> Self:
        if list(self.ramp) != sorted(self.ramp):
            raise ValueError("the four tones must not fall")
        return self

    def coverage(self, frame: Frame, sight: Sight) -> Coverage:
        """Coverage of the ramp at the picture's lightness on ``frame``."""
        light = sight.lab(frame, self.of)[..., 0]
        out = np.empty(frame.shape, np.float32)

        def work(rows: slice) -> None:
            out[rows] = ramp(light[rows], self.ramp)

        in_bands(work, frame.h)
        return Coverage(out)
