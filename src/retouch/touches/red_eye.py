"""Red eyes: what a flash reddened in pupils becomes dark again, and the small light stays."""

from typing import ClassVar

import numpy as np
from pydantic import Field
from pydantic.config import JsonDict

from retouch.colour.encoding import decode, encode
from retouch.colour.spaces import SRGB, WORKING, between, to_xyz
from retouch.touches.base import Heading, Point, ReadyPlace, ReadyTouch, found_part
from retouch.types import Encoded, Floats

SHARE: JsonDict = {"unit": "%", "step": 1, "scale": 100}
SPAN = 0.2
"""How much redder than the threshold is red for good."""
GLOW = (0.04, 0.16)
"""Luminance between which a pupil begins to glow, though it is pale."""
LIGHT = (0.45, 0.75)
"""Light of the lesser channels between which a place is the small light itself."""
BRIGHT, EASED = (0.08, 0.35), 0.8
"""Light of the lesser channel between which it is bright, and how far the threshold falls there."""
_NARROW = between(WORKING, SRGB)
"""To sRGB's primaries, in which red is told from skin and brown."""
PUPILS = ReadyPlace(
    "the pupils", (found_part("pupils"), found_part("irises", spare=True), found_part("skin", "take")), 0.0015
)
"""With the irises, whose own colours are not red: a glow is often wider than the pupil that was found. Skin of lids is
red itself."""


class RedEye(Point):
    """The flash that comes back from the retina is taken out: its colour goes and the pupil is dark."""

    kind: ClassVar[str] = "red-eye"
    title: ClassVar[str] = "Red eyes"
    stage: ClassVar[Heading] = "eyes"
    sentence: ClassVar[str] = "Take the flash's red out of {where}: {amount}"
    starts: ClassVar[tuple[ReadyTouch, ...]] = (
        ReadyTouch("Take the red out of pupils", ("red eyes", "flash", "pupils", "red", "glow"), {"amount": 1.0},
              place=PUPILS),
        ReadyTouch("Take a pale glow out of pupils", ("flash", "pupils", "glow", "white", "orange", "eyes"),
              {"amount": 1.0, "pale": 1.0, "darker": 0.5}, place=PUPILS),
    )  # fmt: skip

    amount: float = Field(0.0, ge=0, le=1, title="how much", json_schema_extra=SHARE)
    red: float = Field(
        0.45, ge=0, le=0.95, title="red from", description="share of red light above the other channels",
        json_schema_extra=SHARE,
    )  # fmt: skip
    pale: float = Field(0.0, ge=0, le=1, title="pale glow too", json_schema_extra=SHARE)
    darker: float = Field(0.4, ge=0, le=1, title="darker", json_schema_extra=SHARE)

    @property
    def neutral(self) -> bool:
        """No amount, no change."""
        return self.amount == 0

    def rule(self, colours: Encoded) -> Encoded:
        """Encoded working colours ``(..., 3)`` with reddened ones grey, at the light of their lesser channels.

        In linear light, redness is (R − max(G, B)) / R: a retina lit by a flash gives back red, orange or, near the
        optic disc, a pale yellow; none of it is in the lesser channel, which is the pupil's own dark. What is light in
        all channels is the lamp's reflection on the cornea, and stays.
        """
        light = np.maximum(decode(colours), 0)
        narrow = light @ _NARROW.T
        r, least = narrow[..., 0], np.maximum(narrow[..., 1:].min(-1), 0)
        redness = (r - narrow[..., 1:].max(-1)) / np.maximum(r, 1e-6)
        # A brown iris is dark: round the small light, where it is bright, less red is red already.
        low = self.red * (1 - EASED * _step(least, *BRIGHT))
        glows = self.pale * _step(light @ to_xyz(WORKING)[1], *GLOW) * (1 - _step(least, *LIGHT))
        share = self.amount * np.maximum(_step(redness, low, low + SPAN), glows)[..., None]
        dark = encode(least * (1 - self.darker * (1 - _step(least, *LIGHT))))[..., None]
        return Encoded(np.where(share > 0, colours + share * (dark - colours), colours))


def _step(values: Floats, low: float | Floats, high: float | Floats) -> Floats:
    t = np.clip((values - low) / (high - low), 0, 1)
    return np.asarray(t * t * (3 - 2 * t))
