"""Evening: blotches drawn towards the skin round them, and a red cheek or neck towards one tone."""

from typing import ClassVar, Self

import cv2
import numba
import numpy as np
from pydantic import Field

from retouch.bands import at_once, in_bands
from retouch.colour.encoding import decode
from retouch.colour.logs import ROOT, exp_of
from retouch.colour.pigments import taken
from retouch.kernels import kernel
from retouch.touches.averages import blurred, box_of, eroded, low_pass
from retouch.touches.base import BACKDROP, SKIN, Heading, Maps, Pick, ReadyTouch, Wide
from retouch.touches.gain import LUMA, apply_roots
from retouch.types import Coverage, Encoded, Floats

PIXEL = 6
"""Pixels of the map to the smaller size."""
FEWER = 2
"""Pixels of the map to one on which it is told how light follows colour."""
SMALLER, LARGER = 0.155, 0.21
"""Of the low passes, in wavelengths: with these a wave in the middle of the band is kept to 3 %."""
FORMS = 0.115
"""Log of light from which a difference is a form of the face rather than a blotch: 0.025 of lightness on light skin."""
LEAST_COLOUR = 0.002
"""Log of a ratio of channels that is taken for noise of colour."""
DARKEST = 1e-4
"""Linear light below which colours are not told apart."""
MOST = 4.0
"""Times by which light is lifted or lowered at most."""


class Even(Wide):
    """What lies between two sizes is drawn towards the skin round it; what is finer or larger stays.

    Works within its area alone, and never moves the area's mean.
    """

    kind: ClassVar[str] = "even"
    title: ClassVar[str] = "Evening"
    coarser: ClassVar[int] = 6
    stage: ClassVar[Heading] = "skin"
    sentence: ClassVar[str] = "Even {where}: light by {light}, colour by {colour}"
    starts: ClassVar[tuple[ReadyTouch, ...]] = (
        ReadyTouch("Even the skin", ("even", "blotches", "patchy", "uneven", "skin", "red spots"),
              {"light": 0.05, "colour": 1.0, "brown": 0.28, "larger": 0.14}, place=SKIN),
        ReadyTouch("Even the backdrop", ("backdrop", "folds", "stains", "even", "studio", "paper", "background"),
              {"light": 0.8, "colour": 0.8, "smaller": 0.008, "larger": 0.25}, place=BACKDROP),
        ReadyTouch("Bring a red cheek or neck to the face's tone", ("even", "red", "cheek", "neck", "tone", "flush"),
              {"tone": 0.5}, place=SKIN),
    )  # fmt: skip
    picks: ClassVar[tuple[Pick, ...]] = (Pick("towards", "pick the tone"),)
    within: ClassVar[bool] = True
    layers: ClassVar[tuple[str, ...]] = ("between",)

    light: float = Field(0.0, ge=0, le=1, title="light", json_schema_extra={"unit": "%", "step": 1, "scale": 100})
    colour: float = Field(0.0, ge=0, le=1, title="colour", json_schema_extra={"unit": "%", "step": 1, "scale": 100})
    smaller: float = Field(
        0.006, ge=0.0032, le=0.2, title="larger than", description="in long sides",
        json_schema_extra={"unit": "‰", "step": 0.5, "scale": 1000, "soft": 0.05, "length": "pore", "layer": "between"},
    )  # fmt: skip
    larger: float = Field(
        0.1, ge=0.0032, le=0.6, title="smaller than", description="in long sides",
        json_schema_extra={"unit": "‰", "step": 1, "scale": 1000, "soft": 0.3, "length": "cheek",
                           "layer": "between"},
    )  # fmt: skip
    brown: float = Field(
        1.0, ge=0, le=1, title="brown too", description="how far patches of tan and freckles go along with red ones",
        json_schema_extra={"unit": "%", "step": 1, "scale": 100},
    )  # fmt: skip
    keep_forms: float = Field(
        1.0, ge=0, le=1, title="keep forms", description="spare what differs in light as nose and lids do",
        json_schema_extra={"unit": "%", "step": 1, "scale": 100},
    )  # fmt: skip
    tone: float = Field(
        0.0, ge=0, le=1, title="to one tone", description="how far larger differences of colour go",
        json_schema_extra={"unit": "%", "step": 1, "scale": 100},
    )  # fmt: skip
    towards: tuple[float, float] | None = Field(
        None,
        title="tone",
        description="logs (to base e) of red and of blue light over green; none: the area's own mean",
        json_schema_extra={"control": "picked"},
    )

    @property
    def neutral(self) -> bool:
        """Nothing is evened, whatever the sizes."""
        return not (self.light or self.colour or self.tone)

    @property
    def finest(self) -> float | None:
        """A quarter of the smaller size."""
        return self.smaller / 4

    @property
    def side(self) -> int:
        """See :class:`Wide`."""
        return round(PIXEL / self.smaller)

    @property
    def depends(self) -> str:
        """The sizes."""
        return f"{self.smaller} {self.larger}"

    def survey(self, small: Encoded, within: Coverage) -> Maps:
        """Logs of light, of red over green and of blue over green: without what is finer (h × w × 3), and what of them
        lies between the sizes (h × w × 3); the weight (h × w × 1); and by how much light follows colour (1 × 1 × 2).

        Shading moves the first alone, the skin's pigments all three. Both low passes are of second order, so that what
        is a quarter of the smaller size or three times the larger one stays (a difference of Gaussians takes a tenth).

        A blotch is darker as far as it is more colourful: how much darker, is the regression of light on colour in what
        is hardly larger than the smaller size, where light has next to no forms.
        """
        unit = max(small.shape[:2])
        fine, broad = SMALLER * self.smaller * unit, LARGER * max(self.larger, self.smaller) * unit
        weight = eroded(within)
        logs, between = np.zeros((2, *small.shape[:2], 3), np.float32)
        along = np.zeros((1, 1, 2), np.float32)
        box = box_of(within, 2)
        own = Coverage(weight[box])
        if own.any():
            values = np.empty((*own.shape, 3), np.float32)
            in_bands(lambda rows: _logs(small[box][rows], LUMA, _DECODED, _LOGS, values[rows]), len(values))

            def explained() -> Floats:
                # What is so large is told on fewer pixels, and without what is finer than a blotch.
                size = max(1, own.shape[1] // FEWER), max(1, own.shape[0] // FEWER)
                few, there = (
                    np.asarray(cv2.resize(v, size, interpolation=cv2.INTER_AREA), np.float32) for v in (values, own)
                )
                few = blurred(few, fine / FEWER)
                near = few - low_pass(few, Coverage(there), self.smaller * unit / FEWER)
                return _explained(near, there * (np.abs(near[..., 0]) < FORMS))

            logs[box], large, along[0, 0] = at_once(
                lambda: low_pass(values, own, fine), lambda: low_pass(values, own, broad), explained
            )
            np.subtract(logs[box], large, out=between[box])
        return logs, between, weight[..., None], along

    def ready(self, maps: Maps) -> Maps:
        """The roots of the gains that bring the skin's light there to what is wanted (h × w × 3).

        Evening colour takes the light along that colour explains, evening light takes all light; what colour does not
        explain is shading, of which forms are spared. Blood and melanin change colour in two ways of their own, so that
        red patches can go and brown ones stay. Source: :mod:`retouch.colour.pigments`.
        """
        logs, band, weight, along = maps[0], maps[1], maps[2][..., 0], maps[3][0, 0]
        box = box_of(Coverage(weight), 3)
        roots = np.ones(logs.shape, np.float32)
        if not weight.any():
            return (roots,)
        logs, band, weight = (np.ascontiguousarray(v[box]) for v in (logs, band, weight))
        settings = np.array([self.light, self.colour, self.tone, *along, *taken(1.0, self.brown).ravel()], np.float32)
        spared: Floats = np.ones(weight.shape, np.float32)
        if self.keep_forms and self.light:
            spared = np.empty(weight.shape, np.float32)
            in_bands(lambda rows: _blotches(band[rows], along, spared[rows]), len(band))
            spared = 1 - np.float32(self.keep_forms) * (1 - blurred(spared, 0.3 * PIXEL))
        sums = np.sum(in_bands(lambda r: _sums(logs[r], band[r], weight[r], spared[r], settings), len(band)), axis=0)
        sums = sums[:5] / max(float(sums[5]), 1e-9)
        goal = sums[3:] if self.towards is None else np.array(self.towards)
        out = np.empty_like(logs)
        mean, goal = sums[:3].astype(np.float32), goal.astype(np.float32)

        def work(rows: slice) -> None:
            _roots(logs[rows], band[rows], spared[rows], settings, mean, goal, LUMA, out[rows])

        in_bands(work, len(out))
        roots[box] = out
        return (roots,)

    def layer(self, name: str, picture: Encoded, maps: Maps) -> Floats:
        """See :class:`Wide`: what lies between the sizes, within the area."""
        return np.asarray(np.exp(maps[0][..., 0] / 3) / 3 * maps[1][..., 0] * maps[2][..., 0])

    def apply(self, picture: Encoded, maps: Maps, mask: Coverage | None, strength: float) -> None:
        """See :class:`Wide`."""
        apply_roots(picture, maps[0], mask, strength)

    def picked(self, name: str, colour: Encoded, entry: int = 0) -> Self:
        """The tone of a colour that was pointed at, and towards it if nothing was."""
        red, green, blue = np.maximum(decode(np.asarray(colour, np.float64)), DARKEST)
        tone = round(float(np.log(red / green)), 4), round(float(np.log(blue / green)), 4)
        return self.model_copy(update={"towards": tone, "tone": self.tone or 0.5})


def _explained(band: Floats, weight: Floats) -> Floats:
    """By how much light follows colour: the regression of the first of ``band`` on the two others (2,)."""
    colours = band[..., 1:].reshape(-1, 2)
    weighted = colours * weight.reshape(-1, 1)
    square = weighted.T @ colours
    # Where there is no colour to speak of, it explains nothing.
    square += np.eye(2, dtype=np.float32) * max(float(weight.sum()) * LEAST_COLOUR**2, 1e-9)
    return np.asarray(np.linalg.solve(square, weighted.T @ band[..., 0].reshape(-1)), np.float32)


_DECODED = np.maximum(decode(np.linspace(0, 1, 65536)), DARKEST).astype(np.float32)
_LOGS = np.log(_DECODED)


@kernel(fastmath=True)
def _logs(picture, luma, decoded, logs, out):  # type: ignore[no-untyped-def]
    """Logs of luminance, of red over green and of blue over green, of encoded values."""
    last = np.float32(decoded.shape[0] - 1)
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            r = np.uint64(min(max(picture[y, x, 0], np.float32(0)), np.float32(1)) * last + np.float32(0.5))
            g = np.uint64(min(max(picture[y, x, 1], np.float32(0)), np.float32(1)) * last + np.float32(0.5))
            b = np.uint64(min(max(picture[y, x, 2], np.float32(0)), np.float32(1)) * last + np.float32(0.5))
            out[y, x, 0] = np.log(luma[0] * decoded[r] + luma[1] * decoded[g] + luma[2] * decoded[b])
            out[y, x, 1], out[y, x, 2] = logs[r] - logs[g], logs[b] - logs[g]


@kernel(fastmath=True)
def _blotches(band, along, out):  # type: ignore[no-untyped-def]
    """How far what differs in light, less what colour explains, is too little for a form, 0…1."""
    for y in range(band.shape[0]):
        for x in range(band.shape[1]):
            off = (band[y, x, 0] - along[0] * band[y, x, 1] - along[1] * band[y, x, 2]) * np.float32(1 / FORMS)
            out[y, x] = 1 / (1 + off * off * off * off)


@numba.njit(nogil=True, cache=True, fastmath=True)
def _wanted(band, spared, settings):  # type: ignore[no-untyped-def]
    """What evening changes of one place's logs: light, red over green, blue over green."""
    red, blue = settings[5] * band[1] + settings[6] * band[2], settings[7] * band[1] + settings[8] * band[2]
    pigment = settings[3] * red + settings[4] * blue
    light = -max(settings[0], settings[1]) * pigment - settings[0] * spared * (band[0] - pigment)
    return light, -settings[1] * red, -settings[1] * blue


@kernel(fastmath=True)
def _sums(logs, band, weight, spared, settings):  # type: ignore[no-untyped-def]
    """Sums over the area of what evening would change (3), of the colours without what lies between the sizes (2), and
    of the weight."""
    out = np.zeros(6)
    for y in range(logs.shape[0]):
        for x in range(logs.shape[1]):
            w = weight[y, x]
            if w == 0:
                continue
            out[5] += w
            light, red, blue = _wanted(band[y, x], spared[y, x], settings)
            out[0] += w * light
            out[1] += w * red
            out[2] += w * blue
            for c in range(2):
                out[3 + c] += w * (logs[y, x, 1 + c] - band[y, x, 1 + c])
    return out


@kernel(fastmath=True)
def _roots(logs, band, spared, settings, mean, goal, luma, out):  # type: ignore[no-untyped-def]
    most = np.float32(np.log(MOST))
    for y in range(logs.shape[0]):
        for x in range(logs.shape[1]):
            light, red, blue = _wanted(band[y, x], spared[y, x], settings)
            light -= mean[0]
            red += settings[2] * (goal[0] - (logs[y, x, 1] - band[y, x, 1])) - mean[1]
            blue += settings[2] * (goal[1] - (logs[y, x, 2] - band[y, x, 2])) - mean[2]
            # Luminance goes as is wanted, whatever red and blue do to it: green makes up for them.
            r, b = luma[0] * exp_of(logs[y, x, 1]), luma[2] * exp_of(logs[y, x, 2])
            green = light - (r * red + b * blue) / (r + luma[1] + b)
            for c in range(3):
                gain = green + red if c == 0 else green if c == 1 else green + blue
                out[y, x, c] = exp_of(min(max(gain, -most), most) * np.float32(ROOT))
