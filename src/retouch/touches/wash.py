"""A wash: a flat colour, a gradient, or the picture itself, laid over with a blend mode."""

from typing import ClassVar, Literal, Self

import numpy as np
from pydantic import Field
from pydantic.config import JsonDict

from retouch.colour.encoding import decode, encode
from retouch.colour.hex import Hex, from_hex, to_hex
from retouch.touches.base import Heading, Pick, Placed, ReadyPlace, ReadyTouch, found_part
from retouch.types import Encoded, Floats, Place, Record

RAMP = 256
IRISES = ReadyPlace("the irises about the pupils", (found_part("irises"), found_part("pupils", "take")), 0.0006)
SKIN_TINTS = (
    ("very light", "#f3d9cb"), ("light", "#e8bfa4"), ("intermediate", "#d3a17e"), ("tan", "#b27e57"),
    ("brown", "#865433"), ("dark", "#5a3520"), ("very dark", "#3a2418"),
)  # fmt: skip
"""Ready colours across the range of human skin."""

WORDS: JsonDict = {"picture": "the picture itself", "colour": "a colour", "gradient": "a gradient"}
LAID: JsonDict = {"control": "wash", "tints": [list(tint) for tint in SKIN_TINTS], "words": WORDS}


class Stop(Record):
    """A colour at a place on the way, 0…1."""

    at: float = Field(ge=0, le=1)
    colour: Hex


class Wash(Placed):
    """A colour, a gradient or the picture itself, as the source of the touch's blend mode."""

    kind: ClassVar[str] = "wash"
    title: ClassVar[str] = "Wash"
    stage: ClassVar[Heading] = "finish"
    sentence: ClassVar[str] = "Lay {of} over {where}"
    starts: ClassVar[tuple[ReadyTouch, ...]] = (
        ReadyTouch("Lay a skin colour", ("wash", "skin", "pale", "tint", "colour"),
              {"of": "colour", "stops": [{"at": 0, "colour": dict(SKIN_TINTS)["intermediate"]}]}, 0.3, "soft-light"),
        ReadyTouch("Lay a gradient", ("gradient", "wash", "sky", "backdrop"),
              {"of": "gradient", "stops": [{"at": 0, "colour": "#8a6a55"}, {"at": 1, "colour": "#6f7178"}]},
              0.3, "soft-light"),
        ReadyTouch("Give the irises their colour back", ("iris", "eyes", "red eyes", "colour", "glow"),
              {"of": "colour", "stops": [{"at": 0, "colour": "#7a5a3c"}]}, 0.5, "color", IRISES),
        ReadyTouch("Lay the picture over itself", ("blend mode", "soft light", "multiply", "screen", "contrast"), {},
              0.3, "soft-light"),
    )  # fmt: skip
    picks: ClassVar[tuple[Pick, ...]] = (Pick("colour", "pick the colour"),)

    of: Literal["picture", "colour", "gradient"] = Field("picture", title="what is laid", json_schema_extra=LAID)
    stops: list[Stop] = Field(
        default_factory=lambda: [Stop(at=0, colour="#808080")],
        min_length=1, max_length=8, title="colours", json_schema_extra={"control": "part"},
    )  # fmt: skip
    shape: Literal["linear", "radial"] = Field("linear", title="shape", json_schema_extra={"control": "part"})
    start: Place = Field(
        (0.2, 0.2), title="from", description="long sides from the top left", json_schema_extra={"control": "part"}
    )
    end: Place = Field((0.6, 0.8), title="to", json_schema_extra={"control": "part"})
    backwards: bool = Field(False, title="backwards", json_schema_extra={"control": "part"})

    @property
    def neutral(self) -> bool:
        """The picture over itself changes nothing by itself; its blend mode may."""
        return self.of == "picture"

    @property
    def everywhere(self) -> bool:
        """Only a gradient depends on the place."""
        return self.of != "gradient"

    def rule(self, colours: Encoded) -> Encoded:
        """The first colour for every colour, or the colours as they are; a gradient is :meth:`laid`."""
        if self.of == "picture":
            return colours
        return Encoded(np.broadcast_to(from_hex(self.stops[0].colour), colours.shape).copy())

    def laid(self, x: Floats, y: Floats) -> tuple[Floats, Floats]:
        """The gradient's colours on ``RAMP`` steps, mixed in linear light, and the way 0…1 at every place (h × w)."""
        stops = sorted(self.stops, key=lambda stop: stop.at)
        linear = np.array([decode(from_hex(stop.colour)) for stop in stops])
        t = np.linspace(0, 1, RAMP)
        t = 1 - t if self.backwards else t
        ramp = encode(np.stack([np.interp(t, [s.at for s in stops], linear[:, i]) for i in range(3)], axis=1))
        (ax, ay), (bx, by) = self.start, self.end
        dx, dy = bx - ax, by - ay
        length = max(dx * dx + dy * dy, 1e-8)
        if self.shape == "linear":
            way = ((x[None, :] - ax) * dx + (y[:, None] - ay) * dy) / length
        else:
            way = np.sqrt(((x[None, :] - ax) ** 2 + (y[:, None] - ay) ** 2) / length)
        return ramp.astype(np.float32), np.clip(way, 0, 1).astype(np.float32)

    def picked(self, name: str, colour: Encoded, entry: int = 0) -> Self:
        """With the colour as that of the stop in hand; the first of those there are, if it is gone."""
        of = "colour" if self.of == "picture" else self.of
        entry = entry if entry < len(self.stops) else 0
        stops = [s.model_copy(update={"colour": to_hex(colour)}) if i == entry else s for i, s in enumerate(self.stops)]
        return self.model_copy(update={"of": of, "stops": stops})
