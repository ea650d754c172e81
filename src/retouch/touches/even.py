"""Evening: blotches drawn towards the skin round them, and a red cheek or neck towards one tone."""

from typing import Any, ClassVar, Self

import numba
import numpy as np
from pydantic import Field

from retouch.bands import at_once
from retouch.colour.oklab import to_oklab
from retouch.colour.tones import clipped_oklab
from retouch.touches.averages import blurred, box_of, eroded, low_pass
from retouch.touches.base import SKIN, Heading, Maps, Pick, ReadyTouch, Wide
from retouch.touches.gain import apply_roots, roots_between
from retouch.types import Coverage, Encoded, Floats, Lab

PIXEL = 8
"""Pixels of the map to the smaller size."""
SMALLER, LARGER = 0.155, 0.21
"""Of the low passes, in wavelengths: with these a wave in the middle of the band is kept to 3 %."""
FORMS = 0.025
"""Lightness from which a difference is a form of the face rather than a blotch."""
MOST = 4.0
"""Times by which light is lifted or lowered at most."""


class Even(Wide):
    """What lies between two sizes is drawn towards the skin round it; what is finer or larger stays.

    Works within its area alone, and never moves the area's mean.
    """

    kind: ClassVar[str] = "even"
    title: ClassVar[str] = "Evening"
    stage: ClassVar[Heading] = "skin"
    sentence: ClassVar[str] = "Even {where}: light by {light}, colour by {colour}"
    starts: ClassVar[tuple[ReadyTouch, ...]] = (
        ReadyTouch("Even the skin", ("even", "blotches", "patchy", "uneven", "skin", "red spots"),
              {"light": 0.4, "colour": 0.7}, place=SKIN),
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
        0.05, ge=0.0032, le=0.6, title="smaller than", description="in long sides",
        json_schema_extra={"unit": "‰", "step": 1, "scale": 1000, "soft": 0.3, "length": "cheek",
                           "layer": "between"},
    )  # fmt: skip
    keep_forms: float = Field(
        1.0, ge=0, le=1, title="keep forms", description="spare what differs in light as nose and lids do",
        json_schema_extra={"unit": "%", "step": 1, "scale": 100},
    )  # fmt: skip
    tone: float = Field(
        0.0, ge=0, le=1, title="towards one tone", description="how far larger differences of colour go",
        json_schema_extra={"unit": "%", "step": 1, "scale": 100},
    )  # fmt: skip
    towards: tuple[float, float] | None = Field(
        None,
        title="tone",
        description="OKLab a and b; none: the area's own mean",
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
        """OKLab of the skin without what is finer, what lies between the sizes, and the weight (h × w × 3, 3 and 1).

        Both low passes are of second order, so that what is a quarter of the smaller size or three times the larger
        one stays (a difference of Gaussians takes a tenth of it).
        """
        unit = max(small.shape[:2])
        fine, broad = SMALLER * self.smaller * unit, LARGER * max(self.larger, self.smaller) * unit
        weight = eroded(within)
        colours, between = np.zeros((2, *small.shape[:2], 3), np.float32)
        box = box_of(within, 2)
        own = Coverage(weight[box])
        if own.any():
            # The lesser mirror: what lies beside the box has no weight and is not needed.
            lab = clipped_oklab(Encoded(np.ascontiguousarray(small[box])))
            smooth, large = at_once(lambda: low_pass(lab, own, fine), lambda: low_pass(lab, own, broad))
            colours[box], between[box] = smooth, smooth - large
        return colours, between, weight[..., None]

    def ready(self, maps: Maps) -> Maps:
        """The roots of the gains that bring the skin's colour there to what is wanted (h × w × 3)."""
        smooth, band, weight = maps[0], maps[1], maps[2][..., 0]
        box = box_of(Coverage(weight), 3)
        roots = np.ones(smooth.shape, np.float32)
        if not weight.any():
            return (roots,)
        smooth, band, weight = (np.ascontiguousarray(v[box]) for v in (smooth, band, weight))
        spared: Floats = np.ones(weight.shape, np.float32)
        if self.keep_forms and self.light:
            square = (band[..., 0] * np.float32(1 / FORMS)) ** 2
            square *= square
            square += 1
            spared = 1 - np.float32(self.keep_forms) * (1 - blurred(1 / square, 0.3 * PIXEL))
        settings = np.array([self.light, self.colour, self.tone], np.float32)
        sums = _sums(smooth, band, weight, spared, settings)
        goal = sums[3:] if self.towards is None else np.array(self.towards)
        wanted = np.empty_like(smooth)
        _wanted(smooth, band, spared, settings, sums[:3], goal.astype(np.float32), wanted)
        roots[box] = roots_between(Lab(smooth), Lab(wanted), MOST)
        return (roots,)

    def layer(self, name: str, picture: Encoded, maps: Maps) -> Floats:
        """See :class:`Wide`: what lies between the sizes, within the area."""
        return np.asarray(maps[1][..., 0] * maps[2][..., 0])

    def apply(self, picture: Encoded, maps: Maps, mask: Coverage | None, strength: float) -> None:
        """See :class:`Wide`."""
        apply_roots(picture, maps[0], mask, strength)

    def picked(self, name: str, colour: Encoded, entry: int = 0) -> Self:
        """The tone of a colour that was pointed at, and towards it if nothing was."""
        _, a, b = to_oklab(colour)
        update: dict[str, Any] = {"towards": (round(float(a), 4), round(float(b), 4)), "tone": self.tone or 0.5}
        return self.model_copy(update=update)


@numba.njit(nogil=True, cache=True, fastmath=True)
def _sums(smooth, band, weight, spared, settings):  # type: ignore[no-untyped-def]
    """The area's means of what evening would change (3), and of a and b without what lies between the sizes (2)."""
    out, total = np.zeros(5), 0.0
    for y in range(smooth.shape[0]):
        for x in range(smooth.shape[1]):
            w = weight[y, x]
            if w == 0:
                continue
            total += w
            out[0] -= w * settings[0] * spared[y, x] * band[y, x, 0]
            for c in range(1, 3):
                out[c] -= w * settings[1] * band[y, x, c]
                out[2 + c] += w * (smooth[y, x, c] - band[y, x, c])
    return out / max(total, 1e-9)


@numba.njit(nogil=True, cache=True, fastmath=True)
def _wanted(smooth, band, spared, settings, mean, goal, out):  # type: ignore[no-untyped-def]
    for y in range(smooth.shape[0]):
        for x in range(smooth.shape[1]):
            light = settings[0] * spared[y, x] * band[y, x, 0]
            out[y, x, 0] = smooth[y, x, 0] - light - np.float32(mean[0])
            for c in range(1, 3):
                large = smooth[y, x, c] - band[y, x, c]
                change = settings[2] * (goal[c - 1] - large) - settings[1] * band[y, x, c] - np.float32(mean[c])
                out[y, x, c] = smooth[y, x, c] + change
