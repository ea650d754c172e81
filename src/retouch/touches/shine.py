"""Shine: the light that skin mirrors, told from the skin's own colour, taken back or laid on."""

from typing import Any, ClassVar

import cv2
import numpy as np
from pydantic import Field

from retouch.colour.tones import linear
from retouch.touches.averages import averager, box_of, eroded, guided
from retouch.touches.base import SHINY_SKIN, Heading, Maps, ReadyTouch, Wide
from retouch.touches.gain import LUMA, apply_roots, lab_of, roots_between
from retouch.types import Coverage, Encoded, Floats, Lab

PIXELS = 16
"""Pixels of the map to the size of a highlight."""
FINEST_MAP = 2000
"""Pixels on the long side of the largest map."""
ROUNDS = 3
FEWER = 4
"""Pixels of the map to one on which the skin's own colour is looked for."""
CLIPPED = (0.90, 0.98)
"""Linear light of the largest channel between which a pixel goes over into a clipped core."""
USUAL = 0.10
"""Mirrored share of light over the usual one at which skin counts to 1/e when its own colour is looked for."""
PUREST, MOST_COLOURFUL = 0.95, 1.6
"""Which quantile of the skin's chroma counts as its own, and how far over its mean it may lie."""
LEFT, UNSURE = 0.1, 0.006
"""Quantile of the mirrored share that is left everywhere, as that of skin that does not shine; and how large it may be
where the skin's colour is one apart from the lamp's, squared: the nearer they are, the more of it may be an error."""
STEADY = 0.06
"""Added to the determinant of the least squares: on skin as pale as the lamp little can be told from its colour."""
FADING, COLOUR_FADING = 0.05, 0.7
"""What far skin counts for beside near skin, for level and for colour: a sheen lies over whole cheeks."""
EDGE = 6e-4
"""Variance of the root of light from which on the mirrored part follows the light's own edges."""
CALM = 0.5
"""Standard deviation, in pixels of the map, of what is finer than the edges that are followed: pores."""
HOT, FEWEST = 0.75, 50
"""Light of the skin about over its own below which a pixel shines, and how many such tell the lamp's colour."""
MOST = 8.0
"""Times by which light is lowered or lifted at most."""


class Shine(Wide):
    """Light = d · skin + s · lamp, solved at every place; a share of s over what may be an error is taken away.

    Source: S. Shafer, "Using color to separate reflection components", Color Research and Application 10 (1985), with
    the skin's colour taken from unshiny skin round about. Where channels are at their end the level and colour of the
    skin round about take their place.
    """

    kind: ClassVar[str] = "shine"
    title: ClassVar[str] = "Shine"
    coarser: ClassVar[int] = 6
    stage: ClassVar[Heading] = "skin"
    sentence: ClassVar[str] = "{amount:Calm|Raise} the shine of {where}: {amount}"
    starts: ClassVar[tuple[ReadyTouch, ...]] = (
        ReadyTouch("Calm the shine", ("shine", "shiny", "highlight", "hot", "sweat", "forehead", "flash", "grease"),
              {"amount": 0.85}, place=SHINY_SKIN),
        ReadyTouch("A little more gleam", ("shine", "gleam", "glow", "dewy", "lips"), {"amount": -0.3}),
    )  # fmt: skip
    within: ClassVar[bool] = True

    amount: float = Field(0.0, ge=-1, le=1, title="taken back",
                          json_schema_extra={"unit": "%", "step": 1, "scale": 100})  # fmt: skip
    size: float = Field(
        0.012, ge=0.004, le=0.2, title="size of a highlight", description="in long sides",
        json_schema_extra={"unit": "‰", "step": 1, "scale": 1000, "soft": 0.08, "length": "highlight"},
    )  # fmt: skip

    @property
    def neutral(self) -> bool:
        """No amount, no change."""
        return self.amount == 0

    @property
    def side(self) -> int:
        """See :class:`Wide`."""
        return min(FINEST_MAP, round(PIXELS / self.size))

    @property
    def depends(self) -> str:
        """The size."""
        return str(self.size)

    def survey(self, small: Encoded, within: Coverage) -> Maps:
        """OKLab of the skin as it is and without what it mirrors (h × w × 3), and the weight."""
        own, without = np.zeros((2, *small.shape[:2], 3), np.float32)
        share = np.zeros((*small.shape[:2], 1), np.float32)
        box = box_of(within, 2)
        weight = Coverage(eroded(within)[box])
        if weight.sum() < 9:
            return own, without, share
        light = linear(Encoded(np.ascontiguousarray(small[box])))
        matt = self._matt(light, weight, self.size * max(small.shape[:2]))
        own[box], without[box], share[box] = lab_of(light), lab_of(matt), weight[..., None]
        return own, without, share

    def _matt(self, light: Floats, weight: Coverage, size: float) -> Floats:
        """Linear light (h × w × 3) less what is mirrored; ``size`` in pixels."""
        top = light.max(-1)
        clipped = np.clip((top - CLIPPED[0]) / (CLIPPED[1] - CLIPPED[0]), 0, 1).astype(np.float32)
        clipped = np.asarray(cv2.dilate(clipped, np.ones((3, 3), np.uint8)))
        # The skin's own colour changes slowly: it is looked for on fewer pixels.
        shape = tuple(max(1, n // FEWER) for n in light.shape[1::-1])
        fewer, free = (
            np.asarray(cv2.resize(v, shape, interpolation=cv2.INTER_AREA), np.float32)
            for v in (light, weight * (1 - clipped))
        )
        colour, own, lamp, base = _skin_of(fewer, free, size / FEWER)
        skin, rest = (np.asarray(cv2.resize(v, light.shape[1::-1]), np.float32) for v in (colour, own))
        level = np.maximum(cv2.transform(light, LUMA[None]), 1e-5)
        mirrored = np.maximum(_mirrored(light, skin, lamp) - base * level, 0)
        # Along the light's own edges, and no finer than these: texture stays in the skin, not in what is taken.
        guide = np.sqrt(cv2.GaussianBlur(level, (0, 0), CALM))
        mirrored = np.clip(guided(guide, mirrored, max(1, round(size / 5)), EDGE), 0, 0.95 * level)
        matt = np.maximum(light - mirrored[..., None] * lamp, 0.05 * light)
        core = cv2.GaussianBlur(clipped, (0, 0), max(0.5, size / PIXELS))[..., None]
        return np.asarray(matt + core * (skin * rest[..., None] - matt), np.float32)

    def ready(self, maps: Maps) -> Maps:
        """The roots of the gains that take the amount of the way (h × w × 3).

        Colour goes ahead of lightness, by 1 − (1 − amount)³: half of a grey patch taken back would still be grey.
        """
        is_, matt, weight = maps[0], maps[1], maps[2][..., 0]
        roots = np.ones(is_.shape, np.float32)
        box = box_of(Coverage(weight), 2)
        is_, matt = is_[box], matt[box]
        ahead = 1 - (1 - self.amount) ** 3 if self.amount > 0 else self.amount
        wanted = is_ + (matt - is_) * np.array([self.amount, ahead, ahead], np.float32)
        roots[box] = roots_between(Lab(is_), Lab(wanted), MOST)
        return (roots,)

    def apply(self, picture: Encoded, maps: Maps, mask: Coverage | None, strength: float) -> None:
        """See :class:`Wide`."""
        apply_roots(picture, maps[0], mask, strength)


def _skin_of(light: Floats, free: Floats, size: float) -> tuple[Floats, Floats, Floats, float]:
    """Of skin with a lamp in it (linear light h × w × 3; ``free``: where it is skin and not clipped, h × w).

    Its own colour, of luminance 1 (h × w × 3); its own light (h × w); the lamp's colour (3,); the mirrored share of
    light that is left.
    """
    level = np.maximum(light @ LUMA, 1e-5)
    inside = free > 0.5
    if inside.sum() < 9:
        return light / level[..., None], level, np.ones(3, np.float32), 0.0
    # To begin with, what is much brighter than the skin about it is no measure of its colour.
    usual = averager(Coverage(free), 2 * size)(level)
    trust = free * np.exp(-((np.maximum(level / np.maximum(usual, 1e-5) - 1, 0) / 0.3) ** 2))
    lamp, base = np.ones(3, np.float32), 0.0
    for _ in range(ROUNDS):
        skin = _skin(light, trust, size)
        around = _about(level, trust, size)
        lamp = _lamp(light, around / level, inside, _mean(skin, trust))
        mirrored = _mirrored(light, skin, lamp)
        base = float(np.quantile((mirrored / level)[inside], 0.25))
        over = np.maximum(mirrored - base * level, 0)
        trust = free * np.exp(-((over / level / USUAL) ** 2))
    skin = _skin(light, trust, size)
    # Skin mirrors a little of its surroundings everywhere: its most colourful parts show its own colour best.
    middle = _mean(skin, trust)
    way = middle / max(float(middle @ LUMA), 1e-5) - lamp
    colourful = (light / level[..., None] - lamp) @ way / max(float(way @ way), 1e-9)
    own = float(np.clip(np.quantile(colourful[inside & (trust > 0.5)], PUREST), 1, MOST_COLOURFUL))
    skin = lamp + own * (skin - lamp)
    mirrored = _mirrored(light, skin, lamp)
    apart = _mean(skin, free) - lamp
    base = min(float(np.quantile((mirrored / level)[inside], LEFT)), UNSURE / max(float(apart @ apart), 1e-6))
    over = np.maximum(mirrored - base * level, 0)
    return skin, _about(level - over, trust, size), lamp, base


def _about(values: Floats, trust: Floats, size: float) -> Floats:
    return _joined(averager(Coverage(trust), size)(values), averager(Coverage(trust), 4 * size)(values), FADING)


def _skin(light: Floats, trust: Floats, size: float) -> Floats:
    """The skin's own colour about each pixel, of luminance 1 (h × w × 3)."""
    near, far = (averager(Coverage(trust), n * size)(light) for n in (2, 8))
    colour = _joined(near, far, COLOUR_FADING)
    colour = np.where((colour @ LUMA)[..., None] > 1e-5, colour, _mean(light, trust))
    return np.asarray(colour / np.maximum(colour @ LUMA, 1e-5)[..., None], np.float32)


def _joined(near: Floats, far: Floats, fading: float) -> Floats:
    """What is known near by, with a share of what is known farther off, which is all where nothing is near."""
    known = near.max(-1) > 0 if near.ndim == 3 else near > 0
    share = np.where(known, 1 - fading, 0).astype(np.float32)
    if near.ndim == 3:
        share = share[..., None]
    return share * near + (1 - share) * far


def _mean(values: Floats, weight: Floats) -> Floats:
    return np.asarray((values * weight[..., None]).sum((0, 1)) / max(float(weight.sum()), 1e-6))


def _lamp(light: Floats, rest: Floats, inside: Any, skin: Floats) -> Floats:
    """The lamp's colour, of luminance 1, from shining skin; ``rest`` is the light of the skin about over a pixel's own.

    light / luminance is a straight line in ``rest``, from the lamp's colour (all is mirrored: 0) to the skin's (1). The
    line is fitted and carried on to 0: R. T. Tan, K. Nishino, K. Ikeuchi, "Color constancy through inverse-intensity
    chromaticity space", JOSA A 21 (2004). The lamp is then brought onto the line from neutral to the skin: it is seldom
    of another hue, and noise is.
    """
    hot = inside & (rest < HOT)
    if hot.sum() < FEWEST:
        return np.ones(3, np.float32)
    colours, x = light[hot] / (light[hot] @ LUMA)[:, None], rest[hot]
    off = x - x.mean()
    slope = off @ (colours - colours.mean(0)) / max(float(off @ off), 1e-6)
    seen = colours.mean(0) - slope * x.mean()
    seen = seen / max(float(seen @ LUMA), 1e-5)
    way = skin / max(float(skin @ LUMA), 1e-5) - 1
    share = np.clip((seen - 1) @ way / max(float(way @ way), 1e-9), -0.2, 0.5)
    return np.asarray(1 + share * way, np.float32)


def _mirrored(light: Floats, skin: Floats, lamp: Floats) -> Floats:
    """The share s of least squares, steadied, of ``light`` = d · ``skin`` + s · ``lamp``, at least 0 (h × w)."""
    cc, ce, ee = (skin * skin).sum(-1), skin @ lamp, float(lamp @ lamp)
    ci, ei = (skin * light).sum(-1), light @ lamp
    s = (cc * ei - ce * ci) / (cc * ee - ce * ce + STEADY)
    return np.asarray(np.clip(s, 0, ei / ee), np.float32)
