"""Colour bands: windows over the hues, each shifting hue, saturation and lightness, and leaning towards another hue."""

from typing import ClassVar, Self

import numpy as np
from pydantic import Field

from retouch.colour.oklab import from_oklab, to_oklab
from retouch.touches.base import Heading, Pick, Point, ReadyPlace, ReadyTouch, found_part
from retouch.types import Encoded, Floats, Lab, Record

GREY, COLOURED = 0.004, 0.07
"""OKLab chroma below which a colour is grey to every band, and above which it is wholly in its band.

Wide on purpose: hue is uncertain where colour is pale, and a steep ramp there is more than a table can follow."""
LEAN = 0.08
"""How far in OKLab's a, b plane a full lean shifts."""
NAMED = {
    "red": (29, 34), "orange": (58, 30), "yellow": (105, 40), "green": (142, 44), "cyan": (195, 44),
    "blue": (260, 48), "magenta": (328, 44), "skin": (52, 44),
}  # fmt: skip
"""Ready windows: centre and width in degrees of OKLCh hue."""


class Band(Record):
    """One window over the hues and what happens in it."""

    centre: float = Field(ge=0, le=360, title="centre", json_schema_extra={"unit": "°", "step": 1})
    width: float = Field(
        40.0, ge=4, le=360, title="width", description="degrees in which it works wholly",
        json_schema_extra={"unit": "°", "step": 1},
    )  # fmt: skip
    soft: float = Field(
        20.0, ge=1, le=120, title="soft edge", description="degrees over which it fades on either side",
        json_schema_extra={"unit": "°", "step": 1},
    )  # fmt: skip
    hue: float = Field(0.0, ge=-60, le=60, title="hue", json_schema_extra={"unit": "°", "step": 0.5})
    saturation: float = Field(
        0.0, ge=-1, le=1, title="saturation", json_schema_extra={"unit": "%", "step": 1, "scale": 100}
    )
    lightness: float = Field(
        0.0, ge=-0.3, le=0.3, title="lightness", json_schema_extra={"unit": "%", "step": 0.5, "scale": 100}
    )
    lean: float = Field(
        0.0, ge=0, le=360, title="leans to", description="the hue towards which all in the band is drawn",
        json_schema_extra={"unit": "°", "step": 1, "hues": True},
    )  # fmt: skip
    lean_by: float = Field(
        0.0, ge=0, le=3, title="how far", json_schema_extra={"unit": "%", "step": 1, "scale": 100, "soft": 1}
    )

    def window(self, hue: Floats) -> Floats:
        """How far hues (degrees, any shape) lie in the band, 0…1: 1 within the width, a smoothstep over the edge."""
        off = np.abs((hue - self.centre + 180) % 360 - 180) - self.width / 2
        t = np.clip(1 - off / self.soft, 0, 1)
        return np.asarray(t * t * (3 - 2 * t))

    @property
    def still(self) -> bool:
        """Whether it changes nothing."""
        return not any((self.hue, self.saturation, self.lightness, self.lean_by))


class ColourBands(Point):
    """Changes held to windows over the hues of the picture below; greys stay grey."""

    kind: ClassVar[str] = "colour-bands"
    title: ClassVar[str] = "Colour bands"
    stage: ClassVar[Heading] = "balance"
    sentence: ClassVar[str] = "Shift colours of {where}: {bands}"
    starts: ClassVar[tuple[ReadyTouch, ...]] = (
        ReadyTouch("Calm red skin", ("red", "blotchy", "redness", "skin", "flushed"),
              {"bands": [{"centre": 25, "width": 30, "saturation": -0.15, "hue": 4}]}),
        ReadyTouch("Take yellow out", ("yellow", "teeth", "whiten", "eyes"),
              {"bands": [{"centre": 95, "width": 60, "soft": 25, "saturation": -0.4, "lightness": 0.02}]}),
        ReadyTouch("Whiten the teeth", ("teeth", "whiten", "yellow", "smile", "mouth"),
              {"bands": [{"centre": 95, "width": 60, "soft": 25, "saturation": -0.4, "lightness": 0.02}]},
              place=ReadyPlace("the teeth", (found_part("teeth"),), 0.001)),
        ReadyTouch("Clear the eye whites", ("eyes", "whites", "red", "veins", "clear", "bloodshot"),
              {"bands": [{"centre": 20, "width": 80, "soft": 25, "saturation": -0.5, "lightness": 0.02}]},
              place=ReadyPlace("the eye whites", (found_part("eye-whites"),), 0.001)),
        ReadyTouch("Warm the skin", ("pale", "skin", "washed out", "healthy"),
              {"bands": [{"centre": 52, "width": 44, "saturation": 0.15}]}),
        ReadyTouch("Shift one colour", ("hue", "colour", "selective", "balance"), {"bands": []}),
    )  # fmt: skip
    picks: ClassVar[tuple[Pick, ...]] = (Pick("band", "drag a colour in the picture", drag=True),)

    bands: list[Band] = Field(
        default_factory=list,
        max_length=12,
        title="bands",
        description="windows over OKLCh hue",
        json_schema_extra={"control": "bands", "named": [[name, *window] for name, window in NAMED.items()]},
    )

    @property
    def neutral(self) -> bool:
        """No band changes anything."""
        return all(band.still for band in self.bands)

    def rule(self, colours: Encoded) -> Encoded:
        """Encoded working colours ``(..., 3)``; every band sees the hue and chroma of what is below the touch.

        In OKLCh: hue and lightness are added to, chroma is multiplied, and a lean shifts a and b towards its hue; each
        by the band's window × a smoothstep of chroma that leaves greys alone.
        """
        lab = to_oklab(colours)
        light, a, b = lab[..., 0].copy(), lab[..., 1], lab[..., 2]
        chroma = np.hypot(a, b)
        hue = np.degrees(np.arctan2(b, a)) % 360
        t = np.clip((chroma - GREY) / (COLOURED - GREY), 0, 1)
        coloured = t * t * (3 - 2 * t)
        turn, more, aside = np.zeros_like(light), np.zeros_like(light), np.zeros((2, *light.shape))
        for band in self.bands:
            if band.still:
                continue
            share = band.window(hue) * coloured
            turn += share * band.hue
            more += share * band.saturation
            light += share * band.lightness
            if band.lean_by:
                aside[0] += share * band.lean_by * LEAN * np.cos(np.radians(band.lean))
                aside[1] += share * band.lean_by * LEAN * np.sin(np.radians(band.lean))
        angle, chroma = np.radians(hue + turn), chroma * np.maximum(1 + more, 0)
        moved = np.stack([light, chroma * np.cos(angle) + aside[0], chroma * np.sin(angle) + aside[1]], axis=-1)
        # Where nothing changed the colour is given back as it came, not as it went through OKLab.
        still = (turn == 0) & (more == 0) & (light == lab[..., 0]) & (aside == 0).all(0)
        return Encoded(np.where(still[..., None], colours, from_oklab(Lab(moved))))

    def at(self, hue: float) -> int | None:
        """The band in which a hue lies most; None if it lies in none at least half."""
        shares = [float(band.window(np.array(hue))) for band in self.bands]
        best = int(np.argmax(shares)) if shares else 0
        return best if shares and shares[best] >= 0.5 else None

    def picked(self, name: str, colour: Encoded, entry: int = 0) -> Self:
        """With a band round the colour's hue, if none is there yet."""
        hue = _hue(colour)
        if self.at(hue) is not None or len(self.bands) >= 12:
            return self
        return type(self)(bands=[*self.bands, Band(centre=round(hue), width=30, soft=20)])

    def pulled(self, name: str, colour: Encoded, by: float) -> tuple[Self, str]:
        """More (up) or less (down) saturation in the band of the colour."""
        bands = list(self.picked(name, colour).bands)
        index = type(self)(bands=bands).at(_hue(colour))
        if index is None:
            return self, "no room for another band"
        before = self.bands[index].saturation if index < len(self.bands) else 0.0
        amount = round(float(np.clip(before + by, -1, 1)), 3)
        bands[index] = bands[index].model_copy(update={"saturation": amount})
        return type(self)(bands=bands), f"hue {_hue(colour):.0f}°: saturation {100 * amount:+.0f} %".replace("-", "−")


def _hue(colour: Floats) -> float:
    lab = to_oklab(Encoded(np.asarray(colour)))
    return float(np.degrees(np.arctan2(lab[2], lab[1])) % 360)
