"""Toning: a colour for the shadows, one for the middle, one for the highlights."""

from typing import ClassVar

import numpy as np
from pydantic import Field

from retouch.colour.oklab import from_oklab, to_oklab
from retouch.touches.base import Heading, Point, ReadyTouch
from retouch.types import Encoded, Floats, Lab

FULL = 0.10
"""OKLab chroma that an amount of 1 adds."""


def _hue(title: str, amount: str, neutral: float) -> float:
    schema = {"unit": "°", "step": 1, "control": "hue", "shown_by": amount}
    return Field(neutral, ge=0, le=360, title=title, json_schema_extra=schema)  # type: ignore[arg-type]


def _amount(title: str) -> float:
    schema = {"unit": "%", "step": 1, "scale": 100}
    return Field(0.0, ge=0, le=1, title=title, json_schema_extra=schema)  # type: ignore[arg-type]


class Toning(Point):
    """A colour added in each third of the tones; lightness stands still."""

    kind: ClassVar[str] = "toning"
    title: ClassVar[str] = "Toning"
    stage: ClassVar[Heading] = "finish"
    sentence: ClassVar[str] = (
        "Tone {where}: shadows {shadows_amount}, middle {middle_amount}, highlights {highlights_amount}"
    )
    starts: ClassVar[tuple[ReadyTouch, ...]] = (
        ReadyTouch("Cool shadows, warm light", ("toning", "mood", "look", "colour grade", "split"),
                   {"shadows_hue": 245, "shadows_amount": 0.12, "highlights_hue": 75, "highlights_amount": 0.10}),
        ReadyTouch("Warm the highlights", ("toning", "golden", "warm"),
                   {"highlights_hue": 75, "highlights_amount": 0.15}),
        ReadyTouch("A tint over all", ("sepia", "toning", "tint"), {"middle_hue": 70, "middle_amount": 0.2}),
    )  # fmt: skip

    shadows_hue: float = _hue("shadows hue", "shadows_amount", 245.0)
    shadows_amount: float = _amount("shadows")
    middle_hue: float = _hue("middle hue", "middle_amount", 60.0)
    middle_amount: float = _amount("middle")
    highlights_hue: float = _hue("highlights hue", "highlights_amount", 75.0)
    highlights_amount: float = _amount("highlights")
    reach: float = Field(
        0.5, ge=0.1, le=1, title="reach", description="how far the three run into each other",
        json_schema_extra={"unit": "%", "step": 1, "scale": 100},
    )  # fmt: skip
    balance: float = Field(
        0.0, ge=-1, le=1, title="balance", description="positive: more of the tones count as highlights",
        json_schema_extra={"unit": "%", "step": 1, "scale": 100},
    )  # fmt: skip

    @property
    def neutral(self) -> bool:
        """No colour is added."""
        return not (self.shadows_amount or self.middle_amount or self.highlights_amount)

    def shares(self, lightness: Floats) -> Floats:
        """Shares of shadows, middle and highlights (..., 3) at OKLab lightness (...); they sum to one.

        Two logistic steps divide the tones, a third of the scale to either side of the middle, moved by the balance;
        the reach is their width.
        """
        width = 0.02 + 0.16 * self.reach
        middle = 0.55 - 0.25 * self.balance
        low = 1 / (1 + np.exp(-np.clip((lightness - middle + 0.17) / width * 2, -60, 60)))
        high = 1 / (1 + np.exp(-np.clip((lightness - middle - 0.17) / width * 2, -60, 60)))
        return np.stack([1 - low, low * (1 - high), low * high], axis=-1)

    def rule(self, colours: Encoded) -> Encoded:
        """Encoded working colours ``(..., 3)``: a and b of OKLab are added to by the three colours' shares.

        Towards black the added colour fades with lightness, which black could not carry.
        """
        lab = to_oklab(colours)
        hues = np.radians([self.shadows_hue, self.middle_hue, self.highlights_hue])
        amounts = FULL * np.array([self.shadows_amount, self.middle_amount, self.highlights_amount])
        added = self.shares(lab[..., 0]) @ (amounts[:, None] * np.stack([np.cos(hues), np.sin(hues)], axis=1))
        carried = np.clip(lab[..., :1] / 0.25, 0, 1)
        return from_oklab(Lab(np.concatenate([lab[..., :1], lab[..., 1:] + added * carried], axis=-1)))
