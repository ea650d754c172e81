"""What shapes cost at a view, as ratios against REF: ``python -m bench.shaping``.

A view of 1280 × 1000 pixels at rest of a picture that is finished but for its shape. *A push dab*: a stroke that grows
by as much as a hand moves in a sixtieth of a second, as the server draws it. The map itself is worked out on its grid
once for every change of a stroke.
"""

from collections.abc import Callable

import cv2
import numpy as np

from bench.near import ELLIPSE
from bench.view import VIEW, InMemory, ratio, synthetic
from retouch.brush.tip import Way
from retouch.frame import Frame
from retouch.render.cache import Cache
from retouch.render.plan import Renderer
from retouch.render.spread import changed
from retouch.sheet import Sheet, read_sheet
from retouch.touches.reshape import ShapeStroke, WetShape


def stroke(n: int, size: float = 0.08) -> dict:
    """A short push somewhere, by chance with the number as its seed."""
    rng = np.random.default_rng(n)
    x, y, dx, dy = *rng.uniform(0.15, 0.65, 2), *rng.uniform(-0.02, 0.02, 2)
    return {"size": size, "softness": 0.8, "flow": 0.4, "points": [[x, y, 1], [x + dx, y + dy, 1]]}


def sheet(count: int, area: bool = False, lift: float = 0.0, size: float = 0.08) -> Sheet:
    """Strokes all over the picture, over a touch of light."""
    areas = [{"id": "a", "parts": [ELLIPSE]}]
    shape = {"id": "s", "kind": "reshape", "settings": {"strokes": [stroke(n, size) for n in range(count)]}}
    light = [{"id": "e", "kind": "exposure", "settings": {"ev": lift}}] if lift else []
    return read_sheet({"format": "needlepoint-sheet", "version": 2, "areas": areas,
                       "touches": [*light, shape | ({"area": "a"} if area else {})]})  # fmt: skip


def main() -> None:
    """Print the table."""
    picture = InMemory(synthetic(2500, 2000))
    view = Frame(1600, 1280, 160, 140, *VIEW)
    blurred = np.random.default_rng(1).random((1000, 1280, 3), np.float32)

    def ref() -> object:
        return cv2.GaussianBlur(blurred, (0, 0), 3)

    def told(what: str, cost: float, goal: str) -> None:
        print(f"{what:<58} {cost:6.2f} × REF  {goal}", flush=True)

    def over(document: Sheet, cache: Cache) -> Callable[[], object]:
        return lambda: Renderer(picture, document, cache, keep="s").draw(view)

    cache = Cache(2**30)
    plain = ratio(lambda: Renderer(picture, sheet(0), cache, keep="s").draw(view), ref)
    told("the picture through the map, ten strokes", ratio(over(sheet(10), cache), ref) - plain, "≤ 1.5")
    told("the same in an area, over its surroundings", ratio(over(sheet(10, True), cache), ref) - plain, "≤ 4")
    many = sheet(1000)
    few, kept = (ratio(over(s, cache), ref) for s in (sheet(10, size=0.7), many))
    told("1,000 strokes kept beside ten as wide", kept / few, "≤ 1.10 (times, not REF)")
    told("the map of 1,000 strokes from nothing", ratio(lambda: over(many, Cache(2**28))(), ref, 2), "")
    told("a slider under it", ratio(_slider(picture, view, 10), ref) - ratio(_slider(picture, view, 0), ref), "≤ 1.6")
    told("a push dab", ratio(_dab(picture, view, cache), ref, 40), "≤ 0.6")


def _slider(picture: InMemory, view: Frame, strokes: int) -> Callable[[], object]:
    cache, lifts = Cache(2**30), iter(np.linspace(0.1, 2, 400))

    def step() -> object:
        return Renderer(picture, sheet(strokes, lift=float(next(lifts))), cache, keep="e", trying=True).draw(view)

    return step


def _dab(picture: InMemory, view: Frame, cache: Cache) -> Callable[[], object]:
    """One pixel of a hand's way after the other at 100 %, the brush as wide as an eye."""
    from studio.strokes import painted_on

    below, wet = sheet(10), WetShape()
    points = np.array([[0.35 + 0.001 * n, 0.4, 1.0] for n in range(60)])
    begun = ShapeStroke(size=0.06, softness=0.8, flow=1.0, points=[(0.35, 0.4, 1.0)])
    Renderer(picture, below, cache, keep="s").draw(view)
    count = iter(range(2, 10_000))

    def dab() -> object:
        n = next(count) % 58 + 2
        grown = begun.growing(Way(points[:n]), f"bench {n}", wet)
        renderer = Renderer(picture, painted_on(below, "s", grown), cache, keep="s", trying=True)
        x, y = points[n - 1, :2]
        new = Frame.whole(*view.scale).within(x - 0.032, y - 0.03, x + 0.03, y + 0.03)
        assert new is not None
        reached = changed(renderer, None, new, new, "s")
        rect = None if reached is None else view.met(reached)
        return rect and renderer.draw(rect)

    return dab


if __name__ == "__main__":
    import os

    import django

    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "studio.settings")
    django.setup()
    main()
