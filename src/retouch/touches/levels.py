"""Levels: which value becomes black, which white, and where the middle goes."""

from typing import ClassVar, Self

import numpy as np
from pydantic import Field, model_validator

from retouch.touches.base import Heading, Pick, Point, ReadyTouch
from retouch.types import Encoded

CLOSEST = 0.02


def _end(title: str, neutral: float, **beside: str) -> float:
    schema = {"unit": "", "step": 0.01, "gap": CLOSEST, **beside}
    return Field(neutral, ge=0, le=1, title=title, json_schema_extra=schema)  # type: ignore[arg-type]


class Levels(Point):
    """Encoded values stretched from black…white to the output ends, with a gamma between."""

    kind: ClassVar[str] = "levels"
    title: ClassVar[str] = "Levels"
    stage: ClassVar[Heading] = "balance"
    sentence: ClassVar[str] = "Set the ends of {where}: black {black}, middle {middle}, white {white}"
    starts: ClassVar[tuple[ReadyTouch, ...]] = (
        ReadyTouch(
            "Set black and white", ("levels", "ends", "range", "flat", "washed out"), {"black": 0.02, "white": 0.97}
        ),
        ReadyTouch("Lighten the middle", ("gamma", "midtones", "levels"), {"middle": 1.15}),
        ReadyTouch("Take depth from black", ("matt", "fade", "output"), {"out_black": 0.06}),
    )
    picks: ClassVar[tuple[Pick, ...]] = (Pick("black", "pick black"), Pick("white", "pick white"))

    black: float = _end("black", 0.0, under="white", mark="black")
    middle: float = Field(
        1.0, ge=0.2, le=5, title="middle", json_schema_extra={"unit": "", "step": 0.01, "soft": 2.5, "mark": "middle"}
    )
    white: float = _end("white", 1.0, over="black", mark="white")
    out_black: float = _end("black to", 0.0, under="out_white")
    out_white: float = _end("white to", 1.0, over="out_black")

    @model_validator(mode="after")
    def _apart(self) -> Self:
        if self.white - self.black < CLOSEST - 1e-9 or self.out_white - self.out_black < CLOSEST - 1e-9:
            raise ValueError("black must stay darker than white by 0.02 at least")
        return self

    @property
    def channelwise(self) -> bool:
        """Every channel is stretched alike."""
        return True

    def rule(self, colours: Encoded) -> Encoded:
        """Encoded working colours ``(..., 3)``: ``out_black + span · ((v − black) / (white − black))^(1/middle)``.

        Beyond white the line goes on with the slope of the ends, so headroom keeps its steps; below black is black.
        """
        t = (colours - self.black) / (self.white - self.black)
        inside = np.clip(t, 0, 1) ** (1 / self.middle)
        beyond = np.maximum(t - 1, 0) + (np.minimum(t, 0) if self.black == 0 else 0.0)
        return Encoded(np.asarray(self.out_black + (self.out_white - self.out_black) * (inside + beyond)))

    def picked(self, name: str, colour: Encoded, entry: int = 0) -> Self:
        """Black or white set to the mean of the colour's channels, as far as the other end allows."""
        value = float(np.clip(np.mean(colour), 0, 1))
        if name == "black":
            changed = {"black": round(min(value, self.white - CLOSEST), 3)}
        else:
            changed = {"white": round(max(value, self.black + CLOSEST), 3)}
        return self.model_validate(self.model_dump() | changed)
