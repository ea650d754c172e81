"""Blur: a softened backdrop, in linear light, of what lies in the area and of nothing beside it."""

from typing import ClassVar, Literal

import cv2
import numpy as np
from pydantic import Field

from retouch.bands import in_bands
from retouch.colour.encoding import decode, encode
from retouch.frame import Frame
from retouch.kernels import kernel
from retouch.touches.averages import FEW, eroded
from retouch.touches.base import BACKDROP, Heading, Maps, ReadyTouch, Wide
from retouch.touches.gain import NO_MASK
from retouch.types import Coverage, Encoded, Floats, Place

PIXELS = 6
"""Pixels of the map to the blur's radius."""
FINEST_MAP = 2000
"""Pixels on the long side of the largest map."""
LEVELS = 3
"""Maps of a blur that grows: the whole radius, a half and a quarter; below that it runs out into the picture."""
RISE = 256
"""Pixels on the long side of the map that says how far it has grown."""


class Blur(Wide):
    """The average of light over a disc or a Gaussian, weighted by where the touch works.

    So small lights stay bright, and the sitter never glows into a softened backdrop.
    """

    kind: ClassVar[str] = "blur"
    title: ClassVar[str] = "Blur"
    stage: ClassVar[Heading] = "finish"
    sentence: ClassVar[str] = "Blur {where} by {radius}"
    starts: ClassVar[tuple[ReadyTouch, ...]] = (
        ReadyTouch("Soften the backdrop", ("blur", "backdrop", "background", "soften", "depth", "calm"),
              {"radius": 0.008}, 0.8, place=BACKDROP),
        ReadyTouch("Soften along a fade", ("blur", "depth", "fade", "tilt"), {"radius": 0.006, "grows": True}, 0.8,
              place=BACKDROP),
    )  # fmt: skip
    within: ClassVar[bool] = True

    radius: float = Field(
        0.0, ge=0, le=0.1, title="radius", description="in long sides; of a Gaussian two standard deviations",
        json_schema_extra={"unit": "‰", "step": 0.5, "scale": 1000, "soft": 0.03, "length": "blur"},
    )  # fmt: skip
    form: Literal["disc", "gaussian"] = Field("disc", title="by", json_schema_extra={"control": "choice"})
    grows: bool = Field(False, title="grows along a fade", json_schema_extra={"control": "switch"})
    start: Place = Field(
        (0.4, 0.75),
        title="from",
        description="where it is nothing, in long sides",
        json_schema_extra={"control": "part"},
    )
    end: Place = Field(
        (0.4, 0.25), title="to", description="where it has grown whole", json_schema_extra={"control": "part"}
    )

    @property
    def neutral(self) -> bool:
        """No radius, no blur."""
        return self.radius == 0

    @property
    def finest(self) -> float | None:
        """The radius."""
        return self.radius

    @property
    def side(self) -> int:
        """See :class:`Wide`."""
        levels = LEVELS if self.grows else 1
        return min(FINEST_MAP, round((1 << (levels - 1)) * PIXELS / max(self.radius, 1e-3)))

    def survey(self, small: Encoded, within: Coverage) -> Maps:
        """Encoded colours of the blurred picture (h × w × 3) for every level, and how far it has grown (h × w × 1)."""
        # Light above white counts: a lamp out of focus is a bright disc.
        light, weight = decode(small.astype(np.float32)), eroded(within)
        maps = []
        for level in range(LEVELS if self.grows else 1):
            unit = max(small.shape[:2])
            radius = self.radius / 2**level
            side = min(unit, max(1, round(PIXELS / radius)))
            shape = tuple(max(1, round(n * side / unit)) for n in small.shape[1::-1])
            # Averaged with its weight: a pixel of the map that lies half on the sitter is all backdrop.
            near = cv2.resize(weight, shape, interpolation=cv2.INTER_AREA)
            colours = cv2.resize(light * weight[..., None], shape, interpolation=cv2.INTER_AREA)
            total, mean = (self._averaged(np.asarray(v), radius * max(shape)) for v in (near, colours))
            known = total > FEW
            mean = np.where(known[..., None], mean / np.maximum(total, FEW)[..., None], 0)
            maps.append(np.concatenate([encode(mean), known[..., None]], axis=-1).astype(np.float32))
        return (*maps, self._rise(*small.shape[:2]))

    def _averaged(self, values: Floats, radius: float) -> Floats:
        if self.form == "gaussian":
            return np.asarray(cv2.GaussianBlur(values, (0, 0), max(radius / 2, 0.1), borderType=cv2.BORDER_REFLECT))
        return np.asarray(cv2.filter2D(values, -1, _disc(radius), borderType=cv2.BORDER_REFLECT))

    def _rise(self, height: int, width: int) -> Floats:
        if not self.grows:
            return np.ones((1, 1, 1), np.float32)
        scale = RISE / max(height, width)
        x, y = Frame.whole(max(1, round(width * scale)), max(1, round(height * scale))).places()
        way = np.subtract(self.end, self.start)
        along = ((x[None] - self.start[0]) * way[0] + (y[:, None] - self.start[1]) * way[1]) / max(way @ way, 1e-6)
        # Not cut off here: between pixels it goes on in a straight line.
        return np.asarray(along[..., None], np.float32)

    def apply(self, picture: Encoded, maps: Maps, mask: Coverage | None, strength: float) -> None:
        """See :class:`Wide`; between two levels mixed as the radius lies between theirs."""
        levels, rise = maps[:-1], maps[-1]
        second, third = (levels[1], levels[2]) if self.grows else (levels[0], levels[0])

        def work(rows: slice) -> None:
            covered = NO_MASK if mask is None else mask[rows]
            _apply(picture[rows], levels[0][rows], second[rows], third[rows], rise[rows], self.grows, covered,
                   mask is not None, np.float32(strength))  # fmt: skip

        in_bands(work, picture.shape[0])


def _disc(radius: float) -> Floats:
    """A disc of ``radius`` pixels as a window that sums to 1; its rim is soft over a pixel."""
    reach = int(np.ceil(radius))
    y, x = np.mgrid[-reach : reach + 1, -reach : reach + 1]
    window = np.clip(radius + 0.5 - np.hypot(x, y), 0, 1).astype(np.float32)
    return np.asarray(window / window.sum(), np.float32)


@kernel(fastmath=True)
def _apply(picture, whole, half, quarter, rise, grows, mask, masked, strength):  # type: ignore[no-untyped-def]
    one, four = np.float32(1), np.float32(4)
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            m = strength
            if masked:
                m *= mask[y, x]
            # Where nothing lies within reach that belongs to the area, nothing is known.
            m *= whole[y, x, 3]
            if m == 0:
                continue
            if not grows:
                for c in range(3):
                    picture[y, x, c] += m * (whole[y, x, c] - picture[y, x, c])
                continue
            size = min(max(rise[y, x, 0], np.float32(0)), one)
            if size == 0:
                continue
            for c in range(3):
                v = picture[y, x, c]
                if size <= np.float32(0.25):
                    out = v + four * size * (quarter[y, x, c] - v)
                elif size <= np.float32(0.5):
                    out = quarter[y, x, c] + (four * size - one) * (half[y, x, c] - quarter[y, x, c])
                else:
                    out = half[y, x, c] + (size + size - one) * (whole[y, x, c] - half[y, x, c])
                picture[y, x, c] = v + m * (out - v)
