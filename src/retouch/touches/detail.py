"""Detail: structure at three sizes, less of it or more, and edges of the picture left as they are."""

from collections.abc import Callable
from math import ceil
from typing import Any, ClassVar

import cv2
import numba
import numpy as np
from pydantic import Field

from retouch.bands import at_once, in_bands
from retouch.colour.logs import LOGS, TOE, exp_of, log_of
from retouch.colour.pigments import FORM
from retouch.frame import Frame, resample
from retouch.kernels import kernel
from retouch.touches.averages import FEW, averager, blurred, box_of, eroded
from retouch.touches.base import SKIN, Heading, Maps, ReadyPlace, ReadyTouch, Wide, found_part
from retouch.touches.gain import CUBE_ROOT, DECODED, LUMA, NO_MASK, luminance, of_light, scaled
from retouch.types import Coverage, Encoded, Floats

EDGES = (0.04, 0.02, 0.03)
"""Standard deviation, in lightness, from which structure of each size counts as an edge of the picture."""
IN_LOGS, COLOURS = 2.0, 2.0
"""Times as much for logs of encoded values, where skin is; and for logs of colours, in which a blemish is no edge."""
FAINT = 0.01
"""Log of light, by ROOT, that half counts as a spot's: beside a highlight all skin has a little more than about it."""
SIGMAS = (1.3, 3.0, 3.0)
"""Of each size's window, in pixels of the map on which it is worked out."""
FINEST_MAP = 2000
"""Pixels on the long side of the largest map: what is finer is worked out on fewer of its pixels."""


def _amount(name: str) -> float:
    schema = {"unit": "%", "step": 1, "scale": 100}
    return Field(0.0, ge=-1, le=1, title=name, json_schema_extra=schema)  # type: ignore[arg-type]


def _size(default: float, name: str, of: str) -> float:
    schema = {"unit": "‰", "step": 0.05, "scale": 1000, "length": of, "layer": name}
    return Field(default, ge=0.0004, le=0.08, title=f"{name} size", json_schema_extra=schema)  # type: ignore[arg-type]


class Detail(Wide):
    """Three bands of lightness, ``fine`` + ``medium`` + ``coarse`` + what is left = the picture; each scaled.

    A band is what an edge-keeping average of its size takes away from the one before it. So the edges of the picture
    are in none of them, and no amount makes a halo beside hair, lids or lips.
    """

    kind: ClassVar[str] = "detail"
    title: ClassVar[str] = "Detail"
    coarser: ClassVar[int] = 6
    stage: ClassVar[Heading] = "skin"
    sentence: ClassVar[str] = "Detail of {where}: fine {fine}, medium {medium}, coarse {coarse}"
    starts: ClassVar[tuple[ReadyTouch, ...]] = (
        ReadyTouch("Soften the skin", ("detail", "soften", "smooth", "skin", "blemishes", "freckles"),
              {"fine": -0.05, "medium": -1.0, "coarse": -0.2, "medium_size": 0.0045, "edges": 2.5, "spots": 0.95,
               "colour": True},
              place=SKIN),
        ReadyTouch("Soften under the eyes", ("detail", "soften", "lines", "tired", "wrinkles", "eyes"),
              {"fine": -0.1, "medium": -0.5, "coarse": -0.4}, 0.8,
              place=ReadyPlace("under the eyes", (found_part("under-eyes"),))),
        ReadyTouch("Crisp irises", ("detail", "iris", "eyes", "crisp", "sharp"), {"fine": 0.3, "medium": 0.5},
              place=ReadyPlace("the irises", (found_part("irises"),))),
        ReadyTouch("More local contrast", ("detail", "contrast", "structure", "punch"),
              {"medium": 0.2, "coarse": 0.3}),
    )  # fmt: skip

    within: ClassVar[bool] = True
    layers: ClassVar[tuple[str, ...]] = ("fine", "medium", "coarse")

    fine: float = _amount("fine")
    medium: float = _amount("medium")
    coarse: float = _amount("coarse")
    spots: float = Field(
        0.0, ge=0, le=1, title="spots fade",
        description="blemishes and freckles, medium and coarse, by what their colour says of them: forms stay",
        json_schema_extra={"unit": "%", "step": 1, "scale": 100},
    )  # fmt: skip
    fine_size: float = _size(0.0008, "fine", "pore")
    medium_size: float = _size(0.0033, "medium", "blemish")
    coarse_size: float = _size(0.0116, "coarse", "form")
    edges: float = Field(
        1.0, ge=0.3, le=4, title="edges from", description="times the usual step of lightness that counts as an edge",
        json_schema_extra={"unit": "×", "step": 0.05},
    )  # fmt: skip
    colour: bool = Field(False, title="colour too", json_schema_extra={"control": "switch"})

    @property
    def neutral(self) -> bool:
        """No band is changed, whatever its size."""
        return not (self.fine or self.medium or self.coarse or self.spots)

    def _values(self, picture: Encoded, within: Coverage) -> tuple[list[Floats], Floats | None]:
        """What structure is looked for in (h × w each): lightness or all channels; or form, and two of colour times
        the weight (h × w × 2)."""
        if not self.spots:
            return (_planes(picture) if self.colour else [cube_root_lightness(picture)]), None
        form, colours = np.zeros(picture.shape[:2], np.float32), np.zeros((*picture.shape[:2], 2), np.float32)
        box = box_of(within, 8)
        seen = [v[box] for v in (picture, within, form, colours)]

        def work(rows: slice) -> None:
            part, weight, light, ratios = (v[rows] for v in seen)
            _form_and_colours(part, weight, FORM, LOGS, light, ratios)

        in_bands(work, len(seen[0]))
        return [form], colours

    @property
    def finest(self) -> float | None:
        """The size of the finest band that is changed."""
        medium, coarse = self.medium or self.spots, self.coarse or self.spots
        sizes = ((self.fine, self.fine_size), (medium, self.medium_size), (coarse, self.coarse_size))
        return min((size for amount, size in sizes if amount), default=None)

    @property
    def side(self) -> int:
        """See :class:`Wide`."""
        return min(FINEST_MAP, round(SIGMAS[0] / self.fine_size))

    @property
    def depends(self) -> str:
        """The sizes, what counts as an edge, and whether colours are looked at one by one."""
        by = "spots" if self.spots else "colour" if self.colour else "light"
        return f"{self.fine_size} {self.medium_size} {self.coarse_size} {self.edges} {by}"

    def survey(self, small: Encoded, within: Coverage) -> Maps:
        """For each size the local line of its average: a, b with average = a · finer + b (h × w × 2, or 6 by colour).

        Where spots fade there is a fourth, on the medium size's pixels: of the two colours what is finer, and their
        medium and coarse (h × w × 6).

        A cascade of guided filters with Gaussian windows and a steep coefficient, v² / (v² + e⁴), which keeps what is
        above e and takes what is below. Sources: K. He, J. Sun, X. Tang, "Guided image filtering", IEEE TPAMI 35
        (2013); Z. Farbman et al., "Edge-preserving decompositions for multi-scale tone and detail manipulation",
        SIGGRAPH 2008, for the cascade.
        """
        values, colours = self._values(small, within)
        maps, of_colours = [], list[Floats]()
        weight = None if within.min() == 1 else within
        for n, (size, sigma, edge) in enumerate(zip(self._sizes(), SIGMAS, EDGES, strict=True)):
            unit = max(values[0].shape)
            wanted = min(unit, max(1, round(sigma / size)))
            shape = [max(1, round(side * wanted / unit)) for side in values[0].shape[::-1]]
            if wanted < unit:
                values = [_fewer(v, shape) for v in values]
                weight = None if weight is None else Coverage(_fewer(weight, shape))
            if colours is not None and n == 1:
                # What is finer than these pixels is noise of colour, and no spot; and only what lies within counts.
                there = None if weight is None else np.maximum(weight, FEW)
                beside = _planes(_fewer(colours, shape))
                if there is not None:
                    beside = [np.asarray(v / there, np.float32) for v in beside]
                values += beside
                of_colours.append(np.asarray(cv2.merge(beside), np.float32))
            reach = max(0.4, size * max(values[0].shape))
            edge *= self.edges * (IN_LOGS if self.spots else 1)
            edges = [edge * (COLOURS if self.spots and c else 1) for c in range(len(values))]
            lines = [_line(v, weight, reach, e) for v, e in zip(values, edges, strict=True)]
            parts = (lines[:1], lines[1:]) if self.spots else (lines,)
            joined = [np.asarray(cv2.merge([v for line in part for v in line]), np.float32) for part in parts if part]
            maps.append(joined[0])
            of_colours += joined[1:]
            if n < 2:
                values = [a * v + b for v, (a, b) in zip(values, lines, strict=True)]
        if of_colours:
            maps.append(self._colour_bands(*of_colours))
        return tuple(maps)

    def _colour_bands(self, finer: Floats, second: Floats, third: Floats) -> Floats:
        here, wide = (Frame.whole(v.shape[1], v.shape[0]) for v in (second, third))
        out, lines = np.empty((*second.shape[:2], 6), np.float32), resample(third, wide, here)
        in_bands(lambda rows: _part_colours(finer[rows], second[rows], lines[rows], out[rows]), len(out))
        return out

    def ready(self, maps: Maps) -> Maps:
        """See :class:`Wide`: the maps; where spots fade, of colours what is finer and what is added for the medium and
        coarse of them (h × w × 4)."""
        if not self.spots:
            return maps
        *forms, colours = maps
        added = np.empty((*colours.shape[:2], 4), np.float32)
        amounts = np.array([self.medium, self.coarse], np.float32) * self.colour

        def work(rows: slice) -> None:
            _add_colours(colours[rows], amounts, np.float32(self.spots), FORM, added[rows])

        in_bands(work, len(added))
        return *forms, added

    def _sizes(self) -> tuple[float, float, float]:
        medium = max(self.medium_size, self.fine_size)
        return self.fine_size, medium, max(self.coarse_size, medium)

    def bands(self, values: Floats, maps: Maps) -> tuple[Floats, Floats, Floats, Floats]:
        """Fine, medium, coarse and what is left of ``values`` (h × w), by maps at its pixels (h × w × 2 each)."""
        first, second, third = (m[..., :2] for m in maps[:3])
        one = first[..., 0] * values + first[..., 1]
        two = second[..., 0] * one + second[..., 1]
        three = third[..., 0] * two + third[..., 1]
        return values - one, one - two, two - three, three

    def layer(self, name: str, picture: Encoded, maps: Maps) -> Floats:
        """See :class:`Wide`: one of the bands, of the first channel where colours are looked at one by one."""
        values, _ = self._values(picture, Coverage(np.ones(picture.shape[:2], np.float32)))
        return self.bands(values[0], maps)[self.layers.index(name)]

    def apply(self, picture: Encoded, maps: Maps, mask: Coverage | None, strength: float) -> None:
        """See :class:`Wide`: lightness plus its bands' amounts, as a gain of light, so that chromaticity stays.

        Where spots fade, form goes by the bands' amounts, and of colour, with the light that pigment takes along, what
        is more than round about goes by theirs: a highlight is paler, and stays.
        """
        structure = np.array([self.fine, self.medium, self.coarse], np.float32)

        def work(rows: slice) -> None:
            covered = NO_MASK if mask is None else mask[rows]
            seen = picture[rows], *(m[rows] for m in maps), covered, mask is not None, np.float32(strength)
            if self.spots:
                _apply_parted(*seen, structure, np.float32(self.fine * self.colour), FORM, LOGS)
            elif self.colour:
                _apply_each(*seen, structure)
            else:
                _apply(*seen, structure, DECODED, LUMA, CUBE_ROOT)

        in_bands(work, picture.shape[0])


def cube_root_lightness(picture: Encoded) -> Floats:
    """The cube root of luminance, h × w, of encoded working colours: OKLab's lightness on greys, 0 at least."""
    out = np.empty(picture.shape[:2], np.float32)
    in_bands(lambda rows: _lightness(picture[rows], out[rows], DECODED, LUMA, CUBE_ROOT), picture.shape[0])
    return out


def _planes(values: Floats) -> list[Floats]:
    """The channels of ``values``, each by itself."""
    return [np.asarray(v, np.float32) for v in cv2.split(values)]


def _fewer(values: Floats, shape: list[int]) -> Floats:
    """``values`` (h × w, or × k) on a smaller map."""
    return np.asarray(cv2.resize(values, shape, interpolation=cv2.INTER_AREA), np.float32)


def _line(values: Floats, weight: Coverage | None, sigma: float, edge: float) -> tuple[Floats, Floats]:
    """a and b of one size, over Gaussian windows that see only what lies within ``weight`` (all, if None)."""
    if weight is None:
        return _fitted(values, lambda v: blurred(v, sigma), edge)
    # Where nothing lies within the area there is no structure either: the finer average goes on.
    a, b = np.ones(values.shape, np.float32), np.zeros(values.shape, np.float32)
    box = box_of(weight, ceil(3 * sigma))
    inside = Coverage(eroded(weight)[box])
    if inside.any():
        share, rest = _fitted(np.ascontiguousarray(values[box]), averager(inside, sigma), edge)
        a[box], b[box] = np.where((share == 0) & (rest == 0), np.float32(1), share), rest
    return a, b


def _fitted(values: Floats, mean: Callable[[Floats], Floats], edge: float) -> tuple[Floats, Floats]:
    middle, squares = at_once(lambda: mean(values), lambda: mean(values * values))
    in_bands(lambda rows: _coefficients(middle[rows], squares[rows], np.float32(edge**4)), len(middle))
    share, rest = at_once(lambda: mean(squares), lambda: mean(middle))
    return share, rest


@kernel(fastmath=True)
def _coefficients(middle, squares, edge):  # type: ignore[no-untyped-def]
    """From means of values and of their squares to the line's a (in ``squares``) and b (in ``middle``), in place."""
    for y in range(middle.shape[0]):
        for x in range(middle.shape[1]):
            mean = middle[y, x]
            varies = max(squares[y, x] - mean * mean, np.float32(0))
            varies *= varies
            a = varies / (varies + edge)
            squares[y, x], middle[y, x] = a, mean - a * mean


@kernel(fastmath=True)
def _lightness(picture: Any, out: Any, decoded: Any, luma: Any, curve: Any):  # type: ignore[no-untyped-def]
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            out[y, x] = of_light(luminance(picture[y, x], decoded, luma), curve)


@kernel(fastmath=True)
def _apply(picture, first, second, third, mask, masked, strength, amounts, decoded, luma, curve):  # type: ignore[no-untyped-def]
    fine, medium, coarse = amounts[0], amounts[1], amounts[2]
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            m = strength
            if masked:
                m *= mask[y, x]
            if m == 0:
                continue
            light = luminance(picture[y, x], decoded, luma)
            if light <= np.float32(1e-6):
                continue
            value = of_light(light, curve)
            one = first[y, x, 0] * value + first[y, x, 1]
            two = second[y, x, 0] * one + second[y, x, 1]
            three = third[y, x, 0] * two + third[y, x, 1]
            more = fine * (value - one) + medium * (one - two) + coarse * (two - three)
            if more == 0:
                continue
            # Light goes as the cube of lightness, encoded values as its root of 2.4: t ** 1.25.
            t = max(np.float32(1) + more / value, np.float32(0.05))
            root = t * np.sqrt(np.sqrt(t))
            for c in range(3):
                v = picture[y, x, c]
                picture[y, x, c] = v + m * (scaled(v, root) - v)


@kernel(fastmath=True)
def _apply_each(picture, first, second, third, mask, masked, strength, amounts):  # type: ignore[no-untyped-def]
    fine, medium, coarse = amounts[0], amounts[1], amounts[2]
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            m = strength
            if masked:
                m *= mask[y, x]
            if m == 0:
                continue
            for c in range(3):
                value = picture[y, x, c]
                one = first[y, x, 2 * c] * value + first[y, x, 2 * c + 1]
                two = second[y, x, 2 * c] * one + second[y, x, 2 * c + 1]
                three = third[y, x, 2 * c] * two + third[y, x, 2 * c + 1]
                more = fine * (value - one) + medium * (one - two) + coarse * (two - three)
                picture[y, x, c] = value + m * more


@kernel(fastmath=True)
def _form_and_colours(picture, weight, of_colour, logs, form, colours):  # type: ignore[no-untyped-def]
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            green = log_of(picture[y, x, 1], logs)
            red, blue = log_of(picture[y, x, 0], logs) - green, log_of(picture[y, x, 2], logs) - green
            form[y, x] = green + of_colour[0] * red + of_colour[1] * blue
            colours[y, x, 0], colours[y, x, 1] = weight[y, x] * red, weight[y, x] * blue


@numba.njit(nogil=True, cache=True, fastmath=True)
def _share(pigment, spots):  # type: ignore[no-untyped-def]
    """How far a place fades that has so much more pigment than what is round about."""
    if pigment <= 0:
        return np.float32(0)
    square = pigment * pigment
    return spots * square / (square + np.float32(FAINT * FAINT))


@kernel(fastmath=True)
def _part_colours(finer, second, third, out):  # type: ignore[no-untyped-def]
    """Of two colours what is finer than the medium size, the medium and the coarse band, by the lines of either."""
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            for c in range(2):
                one = finer[y, x, c]
                two = second[y, x, 2 * c] * one + second[y, x, 2 * c + 1]
                out[y, x, c], out[y, x, 2 + c] = one, one - two
                out[y, x, 4 + c] = two - (third[y, x, 2 * c] * two + third[y, x, 2 * c + 1])


@kernel(fastmath=True)
def _add_colours(bands, amounts, spots, form, out):  # type: ignore[no-untyped-def]
    """What is finer of two colours, and what is added for their medium and coarse by ``amounts``, and ``spots``."""
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            near = _share(form[0] * bands[y, x, 2] + form[1] * bands[y, x, 3], spots)
            far = _share(form[0] * bands[y, x, 4] + form[1] * bands[y, x, 5], spots)
            near, far = amounts[0] - near * (1 + amounts[0]), amounts[1] - far * (1 + amounts[1])
            for c in range(2):
                out[y, x, c] = bands[y, x, c]
                out[y, x, 2 + c] = near * bands[y, x, 2 + c] + far * bands[y, x, 4 + c]


@kernel(fastmath=True)
def _apply_parted(picture, first, second, third, added, mask, masked, strength, amounts, fine, form, logs):  # type: ignore[no-untyped-def]
    """Form by ``amounts`` (3,), what is fine of colour by ``fine``, and of the rest what is added."""
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            m = strength
            if masked:
                m *= mask[y, x]
            if m == 0:
                continue
            green = log_of(picture[y, x, 1], logs)
            red, blue = log_of(picture[y, x, 0], logs) - green, log_of(picture[y, x, 2], logs) - green
            value = green + form[0] * red + form[1] * blue
            one = first[y, x, 0] * value + first[y, x, 1]
            two = second[y, x, 0] * one + second[y, x, 1]
            three = third[y, x, 0] * two + third[y, x, 1]
            rise = amounts[0] * (value - one) + amounts[1] * (one - two) + amounts[2] * (two - three)
            redder = fine * (red - added[y, x, 0]) + added[y, x, 2]
            bluer = fine * (blue - added[y, x, 1]) + added[y, x, 3]
            rise -= form[0] * redder + form[1] * bluer
            for c in range(3):
                by = rise + redder if c == 0 else rise if c == 1 else rise + bluer
                v = picture[y, x, c]
                picture[y, x, c] = v + m * (v + TOE) * (exp_of(by) - np.float32(1))
