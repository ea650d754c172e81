"""Brighten or darken as with more or less light."""

from typing import ClassVar

from pydantic import Field

from retouch.colour.encoding import decode, encode
from retouch.touches.base import Heading, Point, ReadyPlace, ReadyTouch, found_part
from retouch.types import Encoded


class Exposure(Point):
    """Light multiplied by 2^ev, in linear light."""

    kind: ClassVar[str] = "exposure"
    title: ClassVar[str] = "Exposure"
    stage: ClassVar[Heading] = "light"
    sentence: ClassVar[str] = "{ev:Brighten|Darken} {where} by {ev}"
    starts: ClassVar[tuple[ReadyTouch, ...]] = (
        ReadyTouch("Brighten", ("lift", "lighten", "more light", "dodge", "exposure", "too dark"), {"ev": 0.3}),
        ReadyTouch("Lighter irises", ("irises", "eyes", "brighter", "iris", "lighten"), {"ev": 0.4},
              place=ReadyPlace("the irises", (found_part("irises"),), 0.001)),
        ReadyTouch("Lighten under the eyes", ("dark circles", "tired", "under eyes", "lighten"), {"ev": 0.25},
              place=ReadyPlace("under the eyes", (found_part("under-eyes"),), 0.004)),
        ReadyTouch("Darken", ("burn", "less light", "calm", "exposure", "too bright"), {"ev": -0.3}),
    )  # fmt: skip

    ev: float = Field(0.0, ge=-6, le=6, title="exposure", json_schema_extra={"unit": "EV", "step": 0.05, "soft": 3})

    @property
    def channelwise(self) -> bool:
        """Linear light scales in every channel alike."""
        return True

    def rule(self, colours: Encoded) -> Encoded:
        """Encoded working colours ``(..., 3)`` with 2^ev times their light.

        Source: the definition of exposure value, ISO 2720:1974; one EV doubles the light.
        """
        return Encoded(encode(decode(colours) * 2.0**self.ev))
