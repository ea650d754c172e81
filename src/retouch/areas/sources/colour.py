"""Colours of the picture like some that were picked."""

from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field
from pydantic.config import JsonDict

from retouch.areas.base import OF_PICTURE, Ground, Part, ReadyPart, Sight, Unit
from retouch.bands import in_bands
from retouch.frame import Frame
from retouch.types import Coverage, Floats, Record

LIGHT = 0.35
"""How much a difference of lightness counts beside one of colour: light falls unevenly on one and the same thing."""
FULL = 0.35
"""OKLab distance that a reach of 1 spans."""
GREY = 0.02
"""OKLab chroma below which hue says nothing."""

Channel = Annotated[float, Field(ge=-2, le=2)]


class Sample(Record):
    """A picked colour in OKLab; ``take``: its like is left out instead."""

    lab: tuple[Channel, Channel, Channel]
    take: bool = False


def _samples(*colours: tuple[float, float]) -> dict[str, Any]:
    """Settings for hues (degrees) at some chroma, of any lightness."""
    at = [(0.6, c * np.cos(np.radians(h)), c * np.sin(np.radians(h))) for h, c in colours]
    return {"hue_only": True, "samples": [{"lab": [round(float(v), 4) for v in lab]} for lab in at]}


SHARE: JsonDict = {"unit": "%", "step": 1, "scale": 100}


class Colour(Part):
    """Colours near the picked ones: by hue alone, or by the whole colour."""

    title: ClassVar[str] = "colour"
    narrows: ClassVar[bool] = True
    detail: ClassVar[str] = "{samples#sample}"
    bare: ClassVar[str] = "nothing picked yet"
    area_name: ClassVar[str] = "the colours"
    offer: ClassVar[str] = "Some colours"
    by_hand: ClassVar[bool] = False
    starts: ClassVar[tuple[ReadyPart, ...]] = (
        ReadyPart("skin", _samples((45, 0.06), (58, 0.06)) | {"reach": 0.25}),
        ReadyPart("reds", _samples((25, 0.15)) | {"reach": 0.3}),
        ReadyPart("yellows", _samples((95, 0.13)) | {"reach": 0.3}),
        ReadyPart("greens", _samples((142, 0.15)) | {"reach": 0.4}),
        ReadyPart("blues", _samples((255, 0.13)) | {"reach": 0.4}),
    )
    picks: ClassVar[bool] = True
    source: Literal["colour"] = "colour"
    samples: list[Sample] = Field(
        default_factory=list, max_length=24, title="samples", json_schema_extra={"control": "samples"}
    )
    reach: Unit = Field(0.15, title="reach", json_schema_extra=SHARE)
    soft: Unit = Field(0.5, title="soft edge", json_schema_extra=SHARE)
    hue_only: bool = Field(False, title="hue only", json_schema_extra={"control": "switch"})

    of: Ground = OF_PICTURE

    def coverage(self, frame: Frame, sight: Sight) -> Coverage:
        """Coverage of the picture's colours on ``frame``: see :meth:`likeness`."""
        lab = sight.lab(frame, self.of)
        out = np.empty(frame.shape, np.float32)

        def work(rows: slice) -> None:
            out[rows] = self.likeness(lab[rows])

        in_bands(work, frame.h)
        return Coverage(out)

    def likeness(self, lab: Floats) -> Floats:
        """How far OKLab colours (h × w × 3, float32) belong to the samples, 0…1.

        The distance to a sample is Euclidean in OKLab with lightness counting ``LIGHT``; by hue alone it is the angle
        between the hues as a share of half a turn, and greys belong to nothing. Within reach × (1 − soft) coverage is
        1, at the reach 0, a smoothstep between. Samples add up by their maximum; those to be left out take theirs.
        """
        covered, left = np.zeros(lab.shape[:2], np.float32), np.zeros(lab.shape[:2], np.float32)
        if self.hue_only:
            chroma = np.hypot(lab[..., 1], lab[..., 2])
            hue = np.arctan2(lab[..., 2], lab[..., 1])
            colourful = _smooth((chroma - GREY / 2) / GREY)
        for sample in self.samples:
            if self.hue_only:
                own = np.arctan2(sample.lab[2], sample.lab[1])
                angle = np.abs((hue - own + np.pi) % (2 * np.pi) - np.pi)
                share: Floats = self._within(angle / np.float32(np.pi)) * colourful
            else:
                off = lab - np.array(sample.lab, np.float32)
                share = self._within(np.sqrt((LIGHT * off[..., 0]) ** 2 + off[..., 1] ** 2 + off[..., 2] ** 2) / FULL)
            target = left if sample.take else covered
            np.maximum(target, share, out=target)
        return np.minimum(covered, 1 - left)

    def _within(self, distance: Floats) -> Floats:
        reach = max(self.reach, 1e-3)
        return _smooth((reach - distance) / np.float32(max(self.soft, 0.02) * reach))


def _smooth(t: Floats) -> Floats:
    t = np.clip(t, 0, 1).astype(np.float32)
    return t * t * (3 - 2 * t)
