"""Tone zones: light lifted or held back zone by zone, over an edge-aware base, so that local contrast stays."""

from functools import cached_property, lru_cache
from typing import Any, ClassVar, Self

import cv2
import numpy as np
from numpy.polynomial import Chebyshev, Polynomial
from pydantic import Field
from scipy.ndimage import gaussian_filter1d
from scipy.optimize import isotonic_regression

from retouch.bands import at_once, in_bands
from retouch.colour.encoding import decode, encode
from retouch.colour.logs import ROOT
from retouch.kernels import kernel
from retouch.touches.base import Heading, Maps, Pick, ReadyTouch, Wide
from retouch.touches.gain import DECODED, ENCODED, LOW, LUMA, NO_MASK, PARTS, luminance, of_light
from retouch.types import Coverage, Encoded, Floats

DARKEST, BRIGHTEST = -10.0, 4.0
"""EV from white between which tones are told apart."""
CENTRES = {"deep": -7.0, "shadow": -5.0, "middle": -3.0, "light": -1.4, "bright": 0.0}
"""The middle of each zone, in EV from white: about L = 0.20, 0.31, 0.50, 0.72 and 1 of OKLab."""
RADIUS = 0.016
"""Of the base's window, in long sides: wider than an eyelid, narrower than a cheek."""
EDGE = 0.05
"""Variance in EV² that counts as an edge: what varies by much less is local contrast and is kept."""
LEAST_SLOPE = 0.25
"""How steep the base's tones stay: lifts that would turn two zones round share what is left."""
MAP_SIDE = 400
"""Pixels on the long side of the map of the base."""
STEPS = 64
"""Table entries to one EV."""


def _zone(name: str) -> float:
    schema = {"unit": "EV", "step": 0.05, "soft": 3, "mark": name}
    return Field(0.0, ge=-4, le=4, title=name, json_schema_extra=schema)  # type: ignore[arg-type]


class Zones(Wide):
    """EV for five zones of tone, by an edge-aware base; then contrast of the base about a pivot."""

    kind: ClassVar[str] = "zones"
    title: ClassVar[str] = "Tone zones"
    coarser: ClassVar[int] = 6
    stage: ClassVar[Heading] = "light"
    sentence: ClassVar[str] = "Balance the tones of {where}: shadows {shadow}, lights {light}"
    starts: ClassVar[tuple[ReadyTouch, ...]] = (
        ReadyTouch("Open the shadows", ("zones", "shadow", "backlit", "side light", "recover", "dark face"),
              {"deep": 0.3, "shadow": 0.5}),
        ReadyTouch("Bring back the highlights", ("zones", "highlights", "blown", "window", "hot", "recover"),
              {"light": -0.2, "bright": -0.7}),
        ReadyTouch("Even hard light", ("zones", "contrast", "hard", "side light", "nose shadow"),
              {"shadow": 0.4, "middle": 0.15, "bright": -0.3}),
        ReadyTouch("Give back contrast", ("zones", "contrast", "flat", "grey", "haze"), {"contrast": 0.3}),
    )  # fmt: skip
    picks: ClassVar[tuple[Pick, ...]] = (
        Pick("zone", "drag a tone in the picture", drag=True),
        Pick("pivot", "pick the pivot"),
    )

    deep: float = _zone("deep")
    shadow: float = _zone("shadow")
    middle: float = _zone("middle")
    light: float = _zone("light")
    bright: float = _zone("bright")
    contrast: float = Field(
        0.0, ge=-1, le=1, title="contrast", json_schema_extra={"unit": "%", "step": 1, "scale": 100}
    )
    pivot: float = Field(
        -2.5, ge=-8, le=0, title="about", description="the tone that contrast leaves, in EV from white",
        json_schema_extra={"unit": "EV", "step": 0.1, "tone": True},
    )  # fmt: skip

    @property
    def neutral(self) -> bool:
        """No zone is moved and there is no contrast, wherever its pivot is."""
        return not any((self.deep, self.shadow, self.middle, self.light, self.bright, self.contrast))

    @property
    def side(self) -> int:
        """See :class:`Wide`."""
        return MAP_SIDE

    @property
    def depends(self) -> str:
        """The base is the same for all settings."""
        return ""

    def weights(self, base: Floats) -> Floats:
        """How far tones (EV from white, any shape) lie in each zone (..., 5): raised cosines that sum to one."""
        centres = np.array(list(CENTRES.values()))
        base = np.asarray(base, np.float64)
        at = np.interp(base, centres, np.arange(5.0))
        return np.where(
            np.abs(at[..., None] - np.arange(5)) < 1, 0.5 + 0.5 * np.cos(np.pi * (at[..., None] - np.arange(5))), 0.0
        )

    def gain(self, base: Floats) -> Floats:
        """EV to add where the base is ``base`` (EV from white, any shape).

        The zones' EV by their weights, and contrast as ``1.2 · tanh((base − pivot) / 2.4)``. Where zones pull so that a
        brighter base would end darker than a darker one, the nearest tones that rise by LEAST_SLOPE everywhere take
        their place (isotonic regression: R. Barlow et al., "Statistical Inference under Order Restrictions", 1972).
        """
        grid, gains = self._gains
        return np.interp(base, grid, gains)

    @cached_property
    def _gains(self) -> tuple[Floats, Floats]:
        return _gains(self.model_dump_json())

    def raw_gain(self, base: Floats) -> Floats:
        """As :meth:`gain`, before tones are kept in order."""
        zones = self.weights(base) @ np.array([self.deep, self.shadow, self.middle, self.light, self.bright])
        return np.asarray(zones + self.contrast * 1.2 * np.tanh((np.asarray(base) - self.pivot) / 2.4))

    def survey(self, small: Encoded, within: Coverage) -> Maps:
        """The base as a local line of log light: coefficients a, b (h × w × 2) with base = a · EV + b.

        A self-guided filter over windows of RADIUS, its small coefficients used at full size. Sources: K. He, J. Sun,
        X. Tang, "Guided image filtering", IEEE TPAMI 35 (2013); K. He, J. Sun, "Fast guided filter" (2015).
        """
        light = np.empty(small.shape[:2], np.float32)
        in_bands(lambda rows: _lights(small[rows], light[rows], DECODED, LUMA), small.shape[0])
        ev = np.log2(np.clip(light, 2.0**DARKEST, 2.0**BRIGHTEST))
        reach = 2 * max(1, round(RADIUS * max(small.shape[:2]))) + 1

        def mean(values: Floats) -> Floats:
            return np.asarray(cv2.blur(values, (reach, reach), borderType=cv2.BORDER_REFLECT), np.float32)

        middle, squares = at_once(lambda: mean(ev), lambda: mean(ev * ev))
        varies = np.maximum(squares - middle * middle, 0)
        a = varies / (varies + np.float32(EDGE))
        # Windows that see an edge know the base best: they count for more where windows overlap.
        trust = varies + np.float32(0.02 * EDGE)
        slope, rest, total = at_once(
            lambda: mean(a * trust), lambda: mean((middle - a * middle) * trust), lambda: mean(trust)
        )
        return (np.stack([slope / total, rest / total], axis=-1),)

    def rule_with(self, colours: Encoded, survey: Floats) -> Encoded:
        """The reference: encoded working colours h × w × 3, light × 2^gain(base)."""
        ev = light_ev(colours.astype(np.float32))
        gain = self.gain(survey[..., 0] * ev + survey[..., 1])
        return Encoded(encode(decode(colours.astype(np.float64)) * 2.0 ** gain[..., None]))

    def apply(self, picture: Encoded, maps: Maps, mask: Coverage | None, strength: float) -> None:
        """See :class:`Wide`; the same as :meth:`rule_with`, in one pass with the mask."""
        survey = maps[0]
        lifts = np.exp2(self._gains[1]).astype(np.float32)
        roots = np.exp2(self._gains[1] * ROOT).astype(np.float32)

        def work(rows: slice) -> None:
            covered = NO_MASK if mask is None else mask[rows]
            _apply(
                picture[rows], survey[rows], covered, mask is not None, np.float32(strength), roots, lifts,
                DECODED, ENCODED, LUMA, _LOG2,
            )  # fmt: skip

        in_bands(work, picture.shape[0])

    def picked(self, name: str, colour: Encoded, entry: int = 0) -> Self:
        """The pivot at the colour's own tone."""
        ev = float(light_ev(np.asarray(colour, np.float32).reshape(1, 1, 3))[0, 0])
        return self.model_copy(update={"pivot": round(float(np.clip(ev, -8, 0)), 1)})

    def pulled(self, name: str, colour: Encoded, by: float) -> tuple[Self, str]:
        """The zone in which the colour lies most, up or down by 2 EV times ``by``."""
        ev = light_ev(np.asarray(colour, np.float32).reshape(1, 1, 3))
        zone = list(CENTRES)[int(np.argmax(self.weights(ev)[0, 0]))]
        value = round(float(np.clip(getattr(self, zone) + 2 * by, -4, 4)), 2)
        return self.model_copy(update={zone: value}), f"{zone}: {value:+.2f} EV".replace("-", "−")


def light_ev(colours: Floats) -> Floats:
    """EV from white, DARKEST…BRIGHTEST, float32 h × w, of encoded working colours h × w × 3."""
    light = decode(colours.astype(np.float32)) @ LUMA
    return np.asarray(np.clip(np.log2(np.maximum(light, 2.0**DARKEST)), DARKEST, BRIGHTEST).astype(np.float32))


@lru_cache(maxsize=16)
def _gains(settings: str) -> tuple[Floats, Floats]:
    zones = Zones.model_validate_json(settings)
    grid = np.linspace(DARKEST, BRIGHTEST, round((BRIGHTEST - DARKEST) * STEPS) + 1)
    wanted = grid + zones.raw_gain(grid)
    # Only tones that pictures hold count much: the deepest are noise, the brightest headroom.
    # What was asked for holds, and neighbours that were not moved make room.
    counts = (np.exp(-0.5 * ((grid + 3) / 3) ** 2) + 0.02) * (0.05 + np.abs(wanted - grid))
    rising = isotonic_regression(wanted - LEAST_SLOPE * grid, weights=counts).x + LEAST_SLOPE * grid
    turned = np.abs(rising - wanted).max() > 1e-9
    gain = rising - grid
    return grid, gaussian_filter1d(gain, 0.15 * STEPS, mode="nearest") if turned else gain


_LOG2 = Chebyshev.interpolate(np.log2, 9, [1, 2]).convert(kind=Polynomial).coef.astype(np.float32)
"""Of numbers from 1 to 2, by their powers: 1e-7 away."""


@kernel(fastmath=True)
def _lights(picture: Any, out: Any, decoded: Any, luma: Any):  # type: ignore[no-untyped-def]
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            out[y, x] = luminance(picture[y, x], decoded, luma)


@kernel(fastmath=True)
def _apply(picture, survey, mask, masked, strength, roots, lifts, decoded, encoded, luma, log2):  # type: ignore[no-untyped-def]
    # Row by row in passes that do one thing each: what looks nothing up is done for several pixels at once.
    width = picture.shape[1]
    values, weights = np.empty(3 * width, np.float32), np.empty(3 * width, np.float32)
    scales = np.empty(3 * width, np.float32)
    deep = np.empty(3 * width, np.int32)
    lights, wholes, lift = np.empty(width, np.float32), np.empty(width, np.float32), np.empty(width, np.float32)
    bits, part = lights.view(np.int32), np.empty(width, np.int32)
    mantissas = part.view(np.float32)
    darkest, top = np.float32(2.0**DARKEST), np.float32(roots.shape[0] - 2)
    toe, linear = np.float32(0.055), np.float32(0.0405)
    for y in range(picture.shape[0]):
        for x in range(width):
            m = strength
            if masked:
                m *= mask[y, x]
            for c in range(3):
                values[3 * x + c], weights[3 * x + c] = picture[y, x, c], m
            lights[x] = darkest if m == 0 else max(luminance(picture[y, x], decoded, luma), darkest)
        for x in range(width):
            wholes[x] = np.float32((bits[x] >> 23) - 127)
            part[x] = (bits[x] & 0x7FFFFF) | 0x3F800000
        for x in range(width):
            power = log2[-1]
            for n in range(8, -1, -1):
                power = power * mantissas[x] + log2[n]
            wholes[x] += power
        for x in range(width):
            base = survey[y, x, 0] * wholes[x] + survey[y, x, 1]
            u = min(max((base - np.float32(DARKEST)) * np.float32(STEPS), np.float32(0)), top)
            k = np.uint64(u)
            u -= np.float32(k)
            lift[x] = lifts[k] + u * (lifts[k + np.uint64(1)] - lifts[k])
            root = roots[k] + u * (roots[k + np.uint64(1)] - roots[k])
            for c in range(3):
                scales[3 * x + c] = root
        some = np.int32(0)
        for i in range(3 * width):
            v, m, root = values[i], weights[i], scales[i]
            # Both ends on the power part of the curve: scaling light scales v + 0.055 by the root.
            changed = (abs(v) + toe) * root - toe
            stays = (root == 1) | (m == 0)
            low = (not stays) & ((abs(v) <= linear) | (changed <= linear))
            values[i] = v if stays | low else v + m * ((changed if v >= 0 else -changed) - v)
            deep[i] = low
            some |= np.int32(low)
        for x in range(width):
            for c in range(3):
                i = 3 * x + c
                v = values[i]
                if some and deep[i]:
                    u = min((abs(v) - np.float32(LOW)) * np.float32(PARTS), np.float32(decoded.shape[0] - 2))
                    k = np.uint64(u)
                    light = decoded[k] + (u - np.float32(k)) * (decoded[k + np.uint64(1)] - decoded[k])
                    changed = of_light(light * lift[x], encoded)
                    v += weights[i] * ((changed if v >= 0 else -changed) - v)
                picture[y, x, c] = v
