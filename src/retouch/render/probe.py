"""Reading the picture at a place, and counting its tones: what pointing and judging need."""

from dataclasses import dataclass

import numpy as np

from retouch.colour.encoding import decode, encode
from retouch.colour.oklab import to_oklab
from retouch.colour.spaces import SRGB, WORKING, between
from retouch.frame import Frame
from retouch.render.plan import Renderer
from retouch.render.seeing import Draw
from retouch.sheet import Touch
from retouch.touches.base import Drawn
from retouch.types import Encoded, Floats

VIEW_SIDE = 1600
"""Pixels on the long side at which a place is read: a disc of RADIUS of them, whatever the zoom."""
RADIUS = 3
COUNT_SIDE = 400
BINS = 64
HUES = 72


@dataclass(frozen=True)
class Numbers:
    """A colour in numbers: OKLCh lightness 0…100, chroma 0…100 (of 0.4), hue in degrees, and sRGB 0…255."""

    lightness: float
    chroma: float
    hue: float
    rgb: tuple[int, int, int]


@dataclass(frozen=True)
class Histogram:
    """How often values occur, each list with 1 for its most frequent; ``hues`` are weighted by chroma."""

    lightness: list[float]
    red: list[float]
    green: list[float]
    blue: list[float]
    hues: list[float]


def size(renderer: Renderer, side: int) -> tuple[int, int]:
    """Width and height of the whole picture with at most ``side`` pixels on its long side."""
    width, height = renderer.picture.width, renderer.picture.height
    share = min(1.0, side / max(width, height))
    return max(1, round(width * share)), max(1, round(height * share))


def laid_ev(renderer: Renderer, touch: str, x: float, y: float) -> float | None:
    """EV that a touch's own strokes have laid at (x, y) in long sides; None if it lays no light, or is not there."""
    step = next((s for s in renderer.sheet.steps() if s.id == touch), None)
    if not isinstance(step, Touch) or not isinstance(step.settings, Drawn):
        return None
    whole = Frame.whole(*size(renderer, VIEW_SIDE))
    column, row = (int(np.clip(v * whole.unit, 0, most - 1)) for v, most in ((x, whole.width), (y, whole.height)))
    ev = step.settings.ev(Frame(whole.width, whole.height, column, row, 1, 1), renderer)
    return None if ev is None else float(ev[0, 0])


def sample(renderer: Renderer, x: float, y: float, draw: Draw | None = None) -> Encoded:
    """The mean encoded working colour (3,) of a small disc at (x, y) in long sides, of the stage ``draw`` or finished.

    Places are those of the upright original: what was moved is read where it lay.

    A place outside the picture is read at its border.
    """
    whole = Frame.whole(*size(renderer, VIEW_SIDE))
    column = int(np.clip(x * whole.unit, 0, whole.width - 1))
    row = int(np.clip(y * whole.unit, 0, whole.height - 1))
    at = Frame(whole.width, whole.height, column, row, 1, 1).grown(RADIUS)
    picture = (draw or renderer.unmoved)(at)
    rows, columns = np.ogrid[: at.h, : at.w]
    disc = np.hypot(rows + at.y - row, columns + at.x - column) <= RADIUS + 0.3
    return Encoded(np.asarray(picture[disc].mean(axis=0, dtype=np.float64)))


def numbers(colour: Encoded) -> Numbers:
    """An encoded working colour (3,) in numbers."""
    light, a, b = to_oklab(Encoded(np.asarray(colour, np.float64)))
    srgb = np.clip(encode(between(WORKING, SRGB) @ decode(np.asarray(colour, np.float64))), 0, 1)
    red, green, blue = (int(v * 255 + 0.5) for v in srgb)
    chroma = float(np.hypot(a, b))
    hue = float(np.degrees(np.arctan2(b, a)) % 360) if chroma > 1e-4 else 0.0
    return Numbers(round(100 * float(light), 1), round(250 * chroma, 1), round(hue, 1), (red, green, blue))


def histogram(
    renderer: Renderer, draw: Draw | None = None, area: str | None = None, touch: str | None = None
) -> Histogram:
    """The tones and hues of the stage ``draw``, or of the finished picture; with ``area`` where that covers.

    With ``touch``: below it, where its area covers (its tone limit aside).
    """
    frame = Frame.whole(*size(renderer, COUNT_SIDE))
    if touch is not None:
        draw, area = renderer.stage(touch)[1], renderer.area_of(touch)
    picture = (draw or renderer.unmoved)(frame)
    weight = np.ones(frame.shape, np.float32) if area is None else renderer.area(area, frame, touch)
    lab = to_oklab(picture)
    chroma = np.hypot(lab[..., 1], lab[..., 2])
    hue = np.degrees(np.arctan2(lab[..., 2], lab[..., 1])) % 360

    def count(values: Floats, high: float, bins: int, by: Floats) -> list[float]:
        counts = np.histogram(np.clip(values, 0, high), bins=bins, range=(0, high), weights=by)[0]
        most = counts.max()
        return [round(float(v), 4) for v in counts / most] if most > 0 else [0.0] * bins

    red, green, blue = (count(picture[..., i], 1, BINS, weight) for i in range(3))
    return Histogram(count(lab[..., 0], 1, BINS, weight), red, green, blue, count(hue, 360, HUES, weight * chroma))
