"""Saturation: more or less colour, the pale colours first if wanted, skin spared if wanted."""

from typing import ClassVar

import numpy as np
from pydantic import Field
from pydantic.config import JsonDict

from retouch.colour.oklab import from_oklab, to_oklab
from retouch.touches.base import Heading, Point, ReadyPlace, ReadyTouch, found_part
from retouch.types import Encoded, Lab

PALE = 0.09
"""OKLab chroma at which "pale first" has fallen to 1/e; skin lies at 0.04 to 0.09."""
SKIN_HUE, SKIN_REACH = 52.0, 30.0
"""Middle and half width, in degrees of OKLCh hue, of human skin from very light to very dark."""
SHARE: JsonDict = {"unit": "%", "step": 1, "scale": 100}


class Saturation(Point):
    """Chroma in OKLCh multiplied; lightness and hue stand still."""

    kind: ClassVar[str] = "saturation"
    title: ClassVar[str] = "Saturation"
    stage: ClassVar[Heading] = "balance"
    sentence: ClassVar[str] = "Give {where} {amount:more|less} colour: {amount}"
    starts: ClassVar[tuple[ReadyTouch, ...]] = (
        ReadyTouch("More colour, pale first", ("saturation", "colour", "washed out", "dull"),
              {"amount": 0.2, "pale": 0.8}),
        ReadyTouch("Less colour", ("desaturate", "calm", "too colourful", "red", "yellow teeth"), {"amount": -0.2}),
        ReadyTouch("More colour, but not the skin", ("clothes", "vivid"), {"amount": 0.2, "spare_skin": 1.0}),
        ReadyTouch("Richer lips", ("lips", "mouth", "colour", "pale", "richer"), {"amount": 0.25},
              place=ReadyPlace("the lips", (found_part("lips"),), 0.002)),
        ReadyTouch("Black and white", ("grey", "monochrome", "without colour"), {"amount": -1.0}),
    )  # fmt: skip

    amount: float = Field(0.0, ge=-1, le=2, title="colour", json_schema_extra={**SHARE, "soft": 1})
    pale: float = Field(0.0, ge=0, le=1, title="pale first", json_schema_extra=SHARE)
    spare_skin: float = Field(0.0, ge=0, le=1, title="spare skin", json_schema_extra=SHARE)

    @property
    def neutral(self) -> bool:
        """No amount, no change."""
        return self.amount == 0

    def rule(self, colours: Encoded) -> Encoded:
        """Encoded working colours ``(..., 3)`` with OKLCh chroma × (1 + amount × share).

        The share is ``exp(−(C / 0.09)²)`` as far as pale colours come first, and falls to 0 within the hues of skin
        by a raised cosine as far as these are spared.
        """
        lab = to_oklab(colours)
        chroma = np.hypot(lab[..., 1], lab[..., 2])
        share = 1 - self.pale + self.pale * np.exp(-((chroma / PALE) ** 2))
        off = np.degrees(np.arctan2(lab[..., 2], lab[..., 1])) - SKIN_HUE
        off = np.abs((off + 180) % 360 - 180)
        skin = 0.5 + 0.5 * np.cos(np.pi * np.clip(off / (2 * SKIN_REACH), 0, 1))
        share = share * (1 - self.spare_skin * skin)
        factor = np.maximum(1 + self.amount * share, 0)
        return from_oklab(Lab(np.concatenate([lab[..., :1], lab[..., 1:] * factor[..., None]], axis=-1)))
