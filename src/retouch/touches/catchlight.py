"""Catchlights: the small reflection of a lamp on the cornea, where there is none or one too dull."""

from collections.abc import Sequence
from math import cos, hypot, radians, sin
from statistics import median
from typing import ClassVar, Literal, Self

import numpy as np
from pydantic import Field
from pydantic.config import JsonDict

from retouch.colour.encoding import decode, encode
from retouch.frame import Frame
from retouch.touches.base import Drawn, Heading, Pick, ReadyPlace, ReadyTouch, Standing, found_part
from retouch.types import Encoded, Floats, Place, Record

SHARE: JsonDict = {"unit": "%", "step": 1, "scale": 100}
BAR = 0.12
"""Half the width of a window's bars, in half its size."""
IRISES = ReadyPlace("the irises", (found_part("irises"), found_part("pupils", spare=True)), 0.0004)
"""They end at lids and lashes, which so lie over the light."""
NEAR, USUAL = 1.5, 0.006
"""Radii within which a click means an iris that was found; and a radius where none is known, in long sides."""


class Eye(Record):
    """Where an iris is: its middle and radius, in long sides."""

    x: float = Field(ge=-1, le=2)
    y: float = Field(ge=-1, le=2)
    radius: float = Field(gt=0, le=0.5)


class Catchlight(Drawn):
    """The same lamp in every eye: it stands on the same side of each, as one that is far away does."""

    kind: ClassVar[str] = "catchlight"
    title: ClassVar[str] = "Catchlight"
    stage: ClassVar[Heading] = "eyes"
    sentence: ClassVar[str] = "Set a light in {where}: {amount}"
    starts: ClassVar[tuple[ReadyTouch, ...]] = (
        ReadyTouch("Set a catchlight in the eyes", ("catchlight", "eyes", "sparkle", "dull eyes", "light"),
              {"amount": 0.7}, place=IRISES, from_face=True),
        ReadyTouch("Set a window's light in the eyes", ("catchlight", "window", "eyes", "softbox"),
              {"amount": 0.6, "form": "window", "size": 0.34}, place=IRISES, from_face=True),
        ReadyTouch("Set a catchlight by a click", ("catchlight", "eyes", "sparkle", "light", "click"), {"amount": 0.7}),
    )  # fmt: skip
    picks: ClassVar[tuple[Pick, ...]] = (Pick("eye", "point at an eye", place=True),)

    eyes: list[Eye] = Field(default_factory=list, max_length=100, json_schema_extra={"control": "part"})
    amount: float = Field(0.0, ge=0, le=1, title="how bright", json_schema_extra=SHARE)
    clock: float = Field(
        -35.0, ge=-180, le=180, title="lamp at", description="degrees clockwise from above, as one sees it",
        json_schema_extra={"unit": "°", "step": 1},
    )  # fmt: skip
    far: float = Field(0.3, ge=0, le=1, title="from the middle", description="in radii of the iris",
                       json_schema_extra=SHARE)  # fmt: skip
    size: float = Field(0.2, ge=0.03, le=1, title="size", description="in radii of the iris", json_schema_extra=SHARE)
    softness: float = Field(0.35, ge=0, le=1, title="softness", json_schema_extra=SHARE)
    form: Literal["round", "window"] = Field("round", title="form", json_schema_extra={"control": "choice"})

    @property
    def neutral(self) -> bool:
        """No eyes, or no light."""
        return self.amount == 0 or not self.eyes

    def pointed(self, name: str, at: Place, irises: Sequence[tuple[float, float, float]]) -> Self:
        """With a light in the eye that was pointed at, or without the one that was there.

        An iris that was found near gives its own middle; else the place is the middle, and the radius that of the
        other eyes.
        """
        x, y = at
        rest = [eye for eye in self.eyes if hypot(eye.x - x, eye.y - y) > eye.radius]
        if len(rest) == len(self.eyes):
            near = next((i for i in irises if hypot(i[0] - x, i[1] - y) < NEAR * i[2]), None)
            known = [eye.radius for eye in self.eyes] or [i[2] for i in irises] or [USUAL]
            x, y, radius = near or (x, y, median(known))
            rest.append(Eye(x=round(x, 5), y=round(y, 5), radius=round(radius, 5)))
        return self.model_copy(update={"eyes": rest})

    def spread(self, frame: Frame) -> Frame:
        """See :class:`Drawn`."""
        return frame

    def reached(self, frame: Frame) -> Frame:
        """See :class:`Drawn`."""
        return frame

    def draw(self, canvas: Encoded, frame: Frame, wanted: Frame, memory: Standing) -> None:
        """See :class:`Drawn`: in linear light, towards white."""
        for eye in self.eyes:
            angle, half = radians(self.clock), self.size * eye.radius
            x, y = eye.x + self.far * eye.radius * sin(angle), eye.y - self.far * eye.radius * cos(angle)
            edge = half + 1 / frame.unit
            part = frame.within(x - edge, y - edge, x + edge, y + edge)
            if part is None:
                continue
            columns, rows = part.places()
            share = self.amount * self._profile((columns - x) / half, (rows - y) / half, 1 / (half * frame.unit))
            below = canvas[part.slices_in(frame)]
            light = decode(below)
            lit = encode(light + share[..., None] * (1 - light))
            below[:] = np.where(share[..., None] > 0, lit, below)

    def _profile(self, x: Floats, y: Floats, pixel: float) -> Floats:
        """How bright the lamp is at places in half its size, h × w; its edge is at least a pixel wide."""
        soft = max(self.softness, pixel)

        def inside(far: Floats, at: float = 1.0) -> Floats:
            t = np.clip((at + soft / 2 - far) / soft, 0, 1)
            return np.asarray(t * t * (3 - 2 * t))

        if self.form == "round":
            return inside(np.hypot(x[None, :], y[:, None]), 1 - soft / 2)
        across, down = np.abs(x)[None, :], np.abs(y)[:, None]
        pane = inside(np.maximum(across, down), 1 - soft / 2)
        return pane * (1 - inside(np.minimum(across, down), BAR))
