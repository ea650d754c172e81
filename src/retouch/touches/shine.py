"""Shine: the light that skin mirrors, told from the skin's own colour, taken back or laid on."""

from typing import Any, ClassVar

import cv2
import numpy as np
from pydantic import Field

from retouch.bands import in_bands
from retouch.colour.tones import linear
from retouch.kernels import kernel
from retouch.touches.averages import averager, box_of, eroded, guided
from retouch.touches.base import SHINY_SKIN, Heading, Maps, ReadyTouch, Wide
from retouch.touches.gain import LUMA, apply_roots, lab_of, roots_between
from retouch.types import Coverage, Encoded, Floats, Lab

PIXELS = 12
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
PALED = 0.26
"""Share of light that even those mirror, where the skin's colour lies one apart from the lamp's, squared: a surface
mirrors as much on every skin, which is the more beside its own light the darker, and so the more colourful, that is."""
LEFT, UNSURE = 0.1, 0.008
"""Quantile of the mirrored share that is always left, as that of skin that does not shine; and how large it may be
where the skin's colour is one apart from the lamp's, squared: the nearer they are, the more of it may be an error."""
STEADY = 0.06
"""Added to the determinant of the least squares: on skin as pale as the lamp little can be told from its colour."""
FADING, COLOUR_FADING = 0.05, 0.7
"""What far skin counts for beside near skin, for level and for colour: a sheen lies over whole cheeks."""
EDGE = 6e-4
"""Variance of the root of light from which on the mirrored part follows the light's own edges."""
CALM = 0.55
"""Standard deviation, in pixels of the map, of what is finer than the edges that are followed: pores."""
HOT, FEWEST = 0.75, 0.02
"""Light of the skin about over its own below which a pixel shines, and the share of such in all skin from which on they
tell the lamp's colour rather than let it be neutral."""
KNOWN = (0.15, 0.4, 0.2)
"""Mirrored share of light from which on, and at which, the colour that is left is no longer the skin's own: a channel
near its end makes it green; and by how much such a place is brighter than the skin about it."""
LEAST = np.float32(1e-5)
"""Light below which there is none."""
MOST = 8.0
"""Times by which light is lowered or lifted at most."""


class Shine(Wide):
    """Light = d · skin + s · lamp, solved at every place; a share of s over what is to stay everywhere is taken away.

    All skin mirrors a little, and looks like itself by it: ``gleam`` of the way from what may be an error to the median
    stays.

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
              {"amount": 0.95}, place=SHINY_SKIN),
        ReadyTouch("A little more gleam", ("shine", "gleam", "glow", "dewy", "lips"), {"amount": -0.3}),
    )  # fmt: skip
    within: ClassVar[bool] = True

    amount: float = Field(0.0, ge=-1, le=1, title="taken back",
                          json_schema_extra={"unit": "%", "step": 1, "scale": 100})  # fmt: skip
    size: float = Field(
        0.012, ge=0.004, le=0.2, title="highlight size", description="in long sides",
        json_schema_extra={"unit": "‰", "step": 1, "scale": 1000, "soft": 0.08, "length": "highlight"},
    )  # fmt: skip

    gleam: float = Field(
        0.4, ge=0, le=1, title="gleam kept", description="of what all skin mirrors, so that it looks like itself",
        json_schema_extra={"unit": "%", "step": 1, "scale": 100},
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
        """The size, and the gleam."""
        return f"{self.size} {self.gleam}"

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
        clipped = np.empty(weight.shape, np.float32)
        in_bands(lambda rows: _clipped(light[rows], np.array(CLIPPED, np.float32), clipped[rows]), len(light))
        clipped = np.asarray(cv2.dilate(clipped, np.ones((3, 3), np.uint8)))
        # The skin's own colour changes slowly: it is looked for on fewer pixels.
        shape = tuple(max(1, n // FEWER) for n in light.shape[1::-1])
        fewer, free = (
            np.asarray(cv2.resize(v, shape, interpolation=cv2.INTER_AREA), np.float32)
            for v in (light, weight * (1 - clipped))
        )
        colour, own, lamp, base = _skin_of(fewer, free, size / FEWER, self.gleam)
        skin, rest = (np.asarray(cv2.resize(v, light.shape[1::-1]), np.float32) for v in (colour, own))
        level, mirrored = _parted(light, skin, lamp, base)
        # Along the light's own edges, and no finer than these: texture stays in the skin, not in what is taken.
        guide = np.sqrt(cv2.GaussianBlur(level, (0, 0), CALM))
        mirrored = guided(guide, mirrored, max(1, round(size / 5)), EDGE)
        core = np.asarray(cv2.GaussianBlur(clipped, (0, 0), max(0.5, size / PIXELS)))
        out = np.empty_like(light)

        def work(rows: slice) -> None:
            seen = light[rows], level[rows], mirrored[rows], core[rows], skin[rows], rest[rows]
            _without(*seen, lamp, np.float32(base), LUMA, np.array(KNOWN, np.float32), out[rows])

        in_bands(work, len(light))
        return out

    def ready(self, maps: Maps) -> Maps:
        """The roots of the gains that take the amount of the way (h × w × 3).

        Colour goes ahead of lightness, by 1 − (1 − amount)³: half of a grey patch taken back would still be grey.
        """
        is_, matt, weight = maps[0], maps[1], maps[2][..., 0]
        roots = np.ones(is_.shape, np.float32)
        box = box_of(Coverage(weight), 2)
        ahead = 1 - (1 - self.amount) ** 3 if self.amount > 0 else self.amount
        roots[box] = roots_between(Lab(is_[box]), Lab(matt[box]), (self.amount, ahead), MOST)
        return (roots,)

    def apply(self, picture: Encoded, maps: Maps, mask: Coverage | None, strength: float) -> None:
        """See :class:`Wide`."""
        apply_roots(picture, maps[0], mask, strength)


def _skin_of(light: Floats, free: Floats, size: float, gleam: float) -> tuple[Floats, Floats, Floats, float]:
    """Of skin with a lamp in it (linear light h × w × 3; ``free``: where it is skin and not clipped, h × w).

    Its own colour, of luminance 1 (h × w × 3); its own light (h × w); the lamp's colour (3,); the mirrored share of
    light that is left, ``gleam`` (0…1) of the way from what may be an error to the median.
    """
    level = np.maximum(cv2.transform(light, LUMA[None]), LEAST)
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
        mirrored = _parted(light, skin, lamp)[1]
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
    apart = _mean(skin, free) - lamp
    skin = lamp + (skin - lamp) / (1 - min(PALED * float(apart @ apart), 0.3))
    mirrored = _parted(light, skin, lamp)[1]
    lowest, median = (float(v) for v in np.quantile((mirrored / level)[inside], (LEFT, 0.5)))
    lowest = min(lowest, UNSURE / max(float(apart @ apart), 1e-6))
    base = lowest + gleam * (median - lowest)
    over = np.maximum(mirrored - base * level, 0)
    return skin, _about(level - over, trust, size), lamp, base


def _about(values: Floats, trust: Floats, size: float) -> Floats:
    return _joined(averager(Coverage(trust), size)(values), averager(Coverage(trust), 4 * size)(values), FADING)


def _skin(light: Floats, trust: Floats, size: float) -> Floats:
    """The skin's own colour about each pixel, of luminance 1 (h × w × 3)."""
    near, far = (averager(Coverage(trust), n * size)(light) for n in (2, 8))
    colour = _joined(near, far, COLOUR_FADING)
    level = cv2.transform(colour, LUMA[None])
    if level.min() <= LEAST:
        colour[level <= LEAST] = _mean(light, trust)
        level = np.maximum(cv2.transform(colour, LUMA[None]), LEAST)
    colour /= level[..., None]
    return colour


def _joined(near: Floats, far: Floats, fading: float) -> Floats:
    """What is known near by, with a share of what is known farther off, which is all where nothing is near."""
    known = near[..., 1] > 0 if near.ndim == 3 else near > 0
    out = np.asarray(cv2.addWeighted(near, 1 - fading, far, fading, 0), np.float32)
    if not known.all():
        out[~known] = far[~known]
    return out


def _mean(values: Floats, weight: Floats) -> Floats:
    return np.asarray(weight.reshape(-1) @ values.reshape(-1, values.shape[2]) / max(float(weight.sum()), 1e-6))


def _lamp(light: Floats, rest: Floats, inside: Any, skin: Floats) -> Floats:
    """The lamp's colour, of luminance 1, from shining skin; ``rest`` is the light of the skin about over a pixel's own.

    light / luminance is a straight line in ``rest``, from the lamp's colour (all is mirrored: 0) to the skin's (1). The
    line is fitted and carried on to 0: R. T. Tan, K. Nishino, K. Ikeuchi, "Color constancy through inverse-intensity
    chromaticity space", JOSA A 21 (2004). The lamp is then brought onto the line from neutral to the skin: it is seldom
    of another hue, and noise is.
    """
    hot = inside & (rest < HOT)
    if hot.sum() < 9:
        return np.ones(3, np.float32)
    colours, x = light[hot] / (light[hot] @ LUMA)[:, None], rest[hot]
    off = x - x.mean()
    slope = off @ (colours - colours.mean(0)) / max(float(off @ off), 1e-6)
    seen = colours.mean(0) - slope * x.mean()
    seen = seen / max(float(seen @ LUMA), 1e-5)
    way = skin / max(float(skin @ LUMA), 1e-5) - 1
    share = np.clip((seen - 1) @ way / max(float(way @ way), 1e-9), -0.2, 0.5)
    share *= 1 / (1 + (FEWEST * inside.sum() / hot.sum()) ** 2)
    return np.asarray(1 + share * way, np.float32)


def _parted(light: Floats, skin: Floats, lamp: Floats, base: float = 0.0) -> tuple[Floats, Floats]:
    """Luminance, at least a little, and the share s of light = d · ``skin`` + s · ``lamp`` (h × w each).

    Of s is taken what is over ``base`` times the luminance; at least 0.
    """
    level, mirrored = np.empty((2, *light.shape[:2]), np.float32)
    lamp = np.asarray(lamp, np.float32)
    in_bands(
        lambda rows: _solve(light[rows], skin[rows], lamp, np.float32(base), LUMA, level[rows], mirrored[rows]),
        len(light),
    )
    return level, mirrored


@kernel(fastmath=True)
def _clipped(light, ends, out):  # type: ignore[no-untyped-def]
    for y in range(light.shape[0]):
        for x in range(light.shape[1]):
            top = max(light[y, x, 0], light[y, x, 1], light[y, x, 2])
            out[y, x] = min(max((top - ends[0]) / (ends[1] - ends[0]), np.float32(0)), np.float32(1))


@kernel(fastmath=True)
def _solve(light, skin, lamp, base, luma, level, mirrored):  # type: ignore[no-untyped-def]
    """Least squares, steadied."""
    ee = lamp[0] * lamp[0] + lamp[1] * lamp[1] + lamp[2] * lamp[2]
    for y in range(light.shape[0]):
        for x in range(light.shape[1]):
            cc, ce, ci, ei, of = np.float32(0), np.float32(0), np.float32(0), np.float32(0), np.float32(0)
            for c in range(3):
                own, seen = skin[y, x, c], light[y, x, c]
                cc += own * own
                ce += own * lamp[c]
                ci += own * seen
                ei += lamp[c] * seen
                of += luma[c] * seen
            s = (cc * ei - ce * ci) / (cc * ee - ce * ce + np.float32(STEADY))
            level[y, x] = max(of, LEAST)
            mirrored[y, x] = max(min(max(s, np.float32(0)), ei / ee) - base * level[y, x], np.float32(0))


@kernel(fastmath=True)
def _without(light, level, mirrored, core, skin, rest, lamp, base, luma, known, out):  # type: ignore[no-untyped-def]
    """Light less what is mirrored, of the skin's colour where that is most; in a clipped core, the skin round about.

    Skin about a core keeps the share ``base`` of the lamp: so does what takes the core's place.
    """
    for y in range(light.shape[0]):
        for x in range(light.shape[1]):
            gone = min(max(mirrored[y, x], np.float32(0)), np.float32(0.95) * level[y, x])
            unknown = min(max((gone / level[y, x] - known[0]) / (known[1] - known[0]), np.float32(0)), np.float32(1))
            # A hair is as grey, but not as bright.
            bright = (level[y, x] / max(rest[y, x], np.float32(1e-5)) - 1) / known[2]
            unknown *= min(max(bright, np.float32(0)), np.float32(1))
            left = np.float32(0)
            for c in range(3):
                seen = light[y, x, c]
                out[y, x, c] = max(seen - gone * lamp[c], np.float32(0.05) * seen)
                left += luma[c] * out[y, x, c]
            # Nor is it darker there than the skin round about.
            left += unknown * max(rest[y, x] - left, np.float32(0))
            for c in range(3):
                matt, own = out[y, x, c], skin[y, x, c] + base * (lamp[c] - skin[y, x, c])
                matt += unknown * (own * left - matt)
                out[y, x, c] = matt + core[y, x] * (own * rest[y, x] - matt)
