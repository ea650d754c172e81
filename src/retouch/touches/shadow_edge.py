"""A shadow's edge: where a hard shadow falls across skin its step of light is lowered, and pores stay."""

from typing import ClassVar

import cv2
import numpy as np
from pydantic import Field
from scipy.sparse import coo_matrix, diags
from scipy.sparse.linalg import splu

from retouch.colour.encoding import decode
from retouch.colour.logs import ROOT
from retouch.touches.averages import box_of
from retouch.touches.base import Heading, Maps, ReadyPlace, ReadyTouch, Wide, found_part
from retouch.touches.gain import apply_roots
from retouch.types import Coverage, Encoded, Floats

BAND = 4
"""Pixels of the map to half the width of an edge's band."""
STEP, TINT = (0.25, 0.4), (0.35, 0.7)
"""Steps of log light between which an edge begins to count; and steps of colour, as shares of it, at which none is."""
SHORTEST = 5.0
"""Length of an edge that counts, in bands."""
FAR, LIT = 10.0, 20.0
"""How far what is drawn out reaches, in bands; and how much more the lit side is kept as it is."""
FEWER = 2
"""Pixels of the map to one on which the light is drawn out."""
DARKEST = 1e-3
FACE = ReadyPlace("the face's light", (found_part("face"), *(found_part(n, "take") for n in ("brows", "hair"))), 0.003)
"""Also skin too dark or too bright to be found as such; eyes and lips are lifted along: their edges are short."""


class ShadowEdge(Wide):
    """The edges of shadows on skin are found, and their step of light is lowered by an amount: not widened.

    A step that is widened smears over the nose's side; lowered, it is the shadow of a larger lamp that remains.
    """

    kind: ClassVar[str] = "shadow-edge"
    title: ClassVar[str] = "Shadow's edge"
    stage: ClassVar[Heading] = "clean"
    sentence: ClassVar[str] = "Soften the shadows' edges on {where} by {amount}"
    starts: ClassVar[tuple[ReadyTouch, ...]] = (
        ReadyTouch("Soften the shadows' edges on a face", ("shadow", "edge", "nose", "hard light", "soften"),
              {"amount": 0.6}, place=FACE),
    )  # fmt: skip
    within: ClassVar[bool] = True

    amount: float = Field(0.0, ge=0, le=1.5, title="how much",
                          json_schema_extra={"unit": "%", "step": 1, "scale": 100, "soft": 1})  # fmt: skip
    width: float = Field(
        0.0145, ge=0.003, le=0.1, title="edge width", description="in long sides",
        json_schema_extra={"unit": "‰", "step": 0.5, "scale": 1000, "soft": 0.05, "length": "form"},
    )  # fmt: skip

    @property
    def neutral(self) -> bool:
        """No amount, no change."""
        return self.amount == 0

    @property
    def side(self) -> int:
        """See :class:`Wide`."""
        return min(1600, round(2 * BAND / self.width))

    @property
    def depends(self) -> str:
        """The width."""
        return str(self.width)

    def survey(self, small: Encoded, within: Coverage) -> Maps:
        """The change of log light that takes the edges' steps away whole, h × w × 3.

        Shading is the median of log light; u minimises Σ |∇u + b·∇S|² + w·u² over the skin, with b the band round the
        edges that were found and w heavier on their lit side, so that the shadow is lifted rather than the light
        lowered. What is finer than the shading is not in S, and stays. Source: the screened Poisson equation, as in
        P. Bhat et al., "Fourier analysis of the 2D screened Poisson equation", ECCV 2008.
        """
        out = np.zeros((*small.shape[:2], 3), np.float32)
        box = box_of(within, 4 * BAND)
        inside = within[box] > 0.5
        if inside.sum() < 100:
            return (out,)
        light = np.maximum(decode(Encoded(np.ascontiguousarray(small[box]))), DARKEST)
        logs = np.log(light).astype(np.float32)
        shading: Floats = np.stack([cv2.medianBlur(np.ascontiguousarray(logs[..., c]), 5) for c in range(3)], axis=-1)
        band, lit = _edges(shading, inside)
        if band.any():
            out[box] = _drawn_out(shading, band, lit, inside)
        return (out,)

    def ready(self, maps: Maps) -> Maps:
        """The roots of the gains of the amount at hand."""
        return (np.exp(np.float32(self.amount * ROOT) * maps[0]),)

    def apply(self, picture: Encoded, maps: Maps, mask: Coverage | None, strength: float) -> None:
        """See :class:`Wide`."""
        apply_roots(picture, maps[0], mask, strength)


def _edges(shading: Floats, inside: np.ndarray) -> tuple[Floats, Floats]:
    """The band round shadows' edges, 0…1, and how far a place lies on the lit side, 0…1 (h × w)."""
    level = _mean(shading)
    smooth: Floats = np.asarray(cv2.GaussianBlur(shading, (0, 0), 1.0))
    gx, gy = (cv2.Sobel(_mean(smooth), cv2.CV_32F, *d, ksize=3, scale=1 / 8) for d in ((1, 0), (0, 1)))
    steep = np.hypot(gx, gy) + 1e-6
    height, width = level.shape
    x, y = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
    nx, ny = gx / steep, gy / steep

    def at(far: float) -> Floats:
        return np.asarray(cv2.remap(smooth, x + far * nx, y + far * ny, cv2.INTER_LINEAR,
                                    borderMode=cv2.BORDER_REPLICATE))  # fmt: skip

    def known(far: float) -> np.ndarray:
        there = cv2.remap(inside.astype(np.float32), x + far * nx, y + far * ny, cv2.INTER_LINEAR)
        return np.asarray(there > 0.5)

    across = at(BAND) - at(-BAND)
    step, channels = _mean(across), cv2.split(across)
    tint = (np.maximum.reduce(channels) - np.minimum.reduce(channels)) / np.maximum(step, 1e-3)
    # Narrow: most of the step lies within the band, not beyond it.
    beyond = _mean(at(3 * BAND) - at(-3 * BAND))
    ridge = (steep >= _along(steep, nx, ny, x, y, 1)) & (steep >= _along(steep, nx, ny, x, y, -1))
    strength = np.clip((step - STEP[0]) / (STEP[1] - STEP[0]), 0, 1)
    strength *= 1 - np.clip((tint - TINT[0]) / (TINT[1] - TINT[0]), 0, 1)
    strength *= (step > 0.55 * beyond) & known(BAND) & known(-BAND) & inside
    seeds = ((strength > 0.2) & ridge).astype(np.uint8)
    joined = cv2.dilate(seeds, np.ones((3, 3), np.uint8))
    _, numbers, stats, _ = cv2.connectedComponentsWithStats(joined, connectivity=8)
    long = np.maximum(stats[:, cv2.CC_STAT_WIDTH], stats[:, cv2.CC_STAT_HEIGHT]) >= SHORTEST * 2 * BAND
    long[0] = False
    line = (seeds > 0) & long[numbers]
    reach = cv2.dilate(np.where(line, strength, 0).astype(np.float32), np.ones((2 * BAND + 1, 2 * BAND + 1), np.uint8))
    band = cv2.GaussianBlur(reach, (0, 0), BAND / 2)
    around = cv2.GaussianBlur(level, (0, 0), 2.0 * BAND)
    lit = 1 / (1 + np.exp(-8 * (level - around)))
    return np.asarray(np.clip(band, 0, 1), np.float32), np.asarray(lit, np.float32)


def _mean(colours: Floats) -> Floats:
    return np.asarray(cv2.transform(colours, np.full((1, 3), 1 / 3, np.float32)))


def _along(values: Floats, nx: Floats, ny: Floats, x: Floats, y: Floats, far: float) -> Floats:
    return np.asarray(cv2.remap(values, x + far * nx, y + far * ny, cv2.INTER_LINEAR))


def _drawn_out(shading: Floats, band: Floats, lit: Floats, inside: np.ndarray) -> Floats:
    """u of each channel (h × w × 3): the least-squares answer on a map of fewer pixels."""
    height, width = band.shape
    size = max(2, width // FEWER), max(2, height // FEWER)
    values = cv2.resize(shading, size, interpolation=cv2.INTER_AREA)
    weight = cv2.resize(band, size, interpolation=cv2.INTER_AREA)
    side = cv2.resize(lit, size, interpolation=cv2.INTER_AREA)
    skin = cv2.resize(inside.astype(np.float32), size, interpolation=cv2.INTER_AREA) > 0.5
    number = np.full(skin.shape, -1, np.int64)
    count = int(skin.sum())
    number[skin] = np.arange(count)
    reach = FAR * 2 * BAND / FEWER
    hold = (1 + (LIT - 1) * side[skin]) / reach**2
    matrix = diags(hold).tocsc()
    right = np.zeros((count, 3))
    for axis in (0, 1):
        one, two = (np.s_[:-1], np.s_[1:]) if axis == 0 else (np.s_[:, :-1], np.s_[:, 1:])
        both = (number[one] >= 0) & (number[two] >= 0)
        a, b = number[one][both], number[two][both]
        share = np.minimum(weight[one], weight[two])[both]
        wanted = -share[:, None] * (values[two] - values[one])[both]
        ones = np.ones(len(a))
        matrix = (
            matrix
            + coo_matrix(
                (
                    np.concatenate([ones, ones, -ones, -ones]),
                    (np.concatenate([a, b, a, b]), np.concatenate([a, b, b, a])),
                ),
                shape=(count, count),
            ).tocsc()
        )
        for c in range(3):
            right[:, c] += np.bincount(b, wanted[:, c], count) - np.bincount(a, wanted[:, c], count)
    answer = splu(matrix).solve(right)
    small = np.zeros((*skin.shape, 3), np.float32)
    small[skin] = answer
    # Beyond the skin it runs out evenly, so that no rim is cut where it is used.
    share = cv2.GaussianBlur(skin.astype(np.float32), (0, 0), 2.0)
    spread = cv2.GaussianBlur(small, (0, 0), 2.0) / np.maximum(share, 1e-3)[..., None]
    small = np.where(skin[..., None], small, spread * np.clip(2 * share, 0, 1)[..., None]).astype(np.float32)
    return np.asarray(cv2.resize(small, (width, height), interpolation=cv2.INTER_LINEAR), np.float32)
