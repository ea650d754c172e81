"""Evening: blotches drawn towards the skin round them, and a red cheek or neck towards one tone."""

from typing import Any, ClassVar, Self

import cv2
import numpy as np
from pydantic import Field

from retouch.colour.oklab import LAB_TO_LMS, LMS_TO_RGB, to_oklab
from retouch.touches.averages import blurred, box_of, eroded, low_pass
from retouch.touches.base import SKIN, Heading, Maps, Pick, ReadyTouch, Wide
from retouch.touches.gain import ROOT, apply_roots
from retouch.types import Coverage, Encoded, Floats

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
        """OKLab of the skin without what is finer (3), what lies between the sizes (3), and the weight (1).

        Both low passes are of second order, so that what is a quarter of the smaller size or three times the larger
        one stays (a difference of Gaussians takes a tenth of it).
        """
        unit = max(small.shape[:2])
        fine, broad = SMALLER * self.smaller * unit, LARGER * max(self.larger, self.smaller) * unit
        weight = eroded(within)
        out = np.zeros((*small.shape[:2], 7), np.float32)
        box = box_of(within, 2)
        own = Coverage(weight[box])
        if own.any():
            # The lesser mirror: what lies beside the box has no weight and is not needed.
            lab = to_oklab(Encoded(small[box])).astype(np.float32)
            smooth = low_pass(lab, own, fine)
            out[box] = np.concatenate([smooth, smooth - low_pass(lab, own, broad), own[..., None]], axis=-1)
        return (out,)

    def ready(self, maps: Maps) -> Maps:
        """The roots of the gains that bring the skin's colour there to what is wanted (h × w × 3)."""
        smooth, band, weight = maps[0][..., :3], maps[0][..., 3:6], maps[0][..., 6]
        box = box_of(Coverage(weight), 3)
        roots = np.ones(smooth.shape, np.float32)
        if not weight.any():
            return (roots,)
        smooth, band, weight = smooth[box], band[box], weight[box]
        wanted = -band * np.array([self.light, self.colour, self.colour], np.float32)
        if self.keep_forms:
            spared: Floats = 1 / (1 + (np.abs(band[..., 0]) / np.float32(FORMS)) ** 4)
            spared = blurred(spared, 0.3 * PIXEL)
            wanted[..., 0] *= 1 - np.float32(self.keep_forms) * (1 - spared)
        total = weight.sum()
        wanted -= (wanted * weight[..., None]).sum((0, 1)) / total
        if self.tone:
            large = smooth[..., 1:] - band[..., 1:]
            mean = (large * weight[..., None]).sum((0, 1)) / total
            goal = mean if self.towards is None else np.array(self.towards, np.float32)
            wanted[..., 1:] += np.float32(self.tone) * (goal - large)
        known = smooth[..., 0] > 0.02
        before = _light(np.where(known[..., None], smooth, 0.5))
        after = _light(np.where(known[..., None], smooth + wanted, 0.5))
        gains = np.clip(after / np.maximum(before, 1e-4), 1 / MOST, MOST)
        roots[box] = np.where((before > 1e-4) & known[..., None], gains**ROOT, 1)
        return (roots,)

    def layer(self, name: str, picture: Encoded, maps: Maps) -> Floats:
        """See :class:`Wide`: what lies between the sizes, within the area."""
        return np.asarray(maps[0][..., 3] * maps[0][..., 6])

    def apply(self, picture: Encoded, maps: Maps, mask: Coverage | None, strength: float) -> None:
        """See :class:`Wide`."""
        apply_roots(picture, maps[0], mask, strength)

    def picked(self, name: str, colour: Encoded, entry: int = 0) -> Self:
        """The tone of a colour that was pointed at, and towards it if nothing was."""
        _, a, b = to_oklab(colour)
        update: dict[str, Any] = {"towards": (round(float(a), 4), round(float(b), 4)), "tone": self.tone or 0.5}
        return self.model_copy(update=update)


def _light(lab: Floats) -> Floats:
    """Linear working colours of OKLab, h × w × 3."""
    lms = cv2.transform(lab.astype(np.float32), LAB_TO_LMS.astype(np.float32))
    return np.asarray(cv2.transform(lms**3, LMS_TO_RGB.astype(np.float32)), np.float32)
