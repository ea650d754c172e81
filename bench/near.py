"""What the kinds that look at neighbours cost, as ratios against REF: ``uv run python -m bench.near``.

A view of 1280 × 1000 pixels at rest. *Map kept*: only the use of it; *from nothing*: with the map; *draft*: a slider
step while dragging (half the scale, the survey kept); *face*: masked to an ellipse of a fifth of the view.
"""

from collections.abc import Callable

import cv2
import numpy as np

from bench.view import VIEW, InMemory, ratio, synthetic
from retouch.frame import Frame
from retouch.render.cache import Cache
from retouch.render.plan import DRAFT, FINE, Renderer
from retouch.sheet import Sheet, read_sheet
from retouch.touches.dodge_burn import LightStroke

KINDS = {
    "detail": ({"fine": -0.1, "medium": -0.6, "coarse": -0.2}, "medium", 4.0),
    "detail, spots": ({"fine": -0.05, "medium": -1.0, "coarse": -0.2, "colour": True, "spots": 0.95}, "spots", 4.0),
    "even": ({"light": 0.5, "colour": 0.7}, "light", 2.0),
    "shine": ({"amount": 0.6}, "amount", 2.0),
    "sharpen": ({"amount": 0.6, "radius": 0.0008}, "amount", 1.5),
    "haze": ({"amount": 0.5}, "amount", 2.0),
    "blur": ({"radius": 0.008}, "radius", 2.5),
}
ELLIPSE = {"source": "pool", "centre": [0.45, 0.35], "radii": [0.12, 0.15], "softness": 0.4}


def strokes(count: int) -> list[dict]:
    """Light strokes of middling length, all over the view."""
    rng = np.random.default_rng(5)
    out = []
    for _ in range(count):
        x, y = rng.uniform(0.2, 0.65), rng.uniform(0.2, 0.6)
        turn = np.cumsum(0.3 * rng.standard_normal(12)) + rng.uniform(0, 6)
        points = [[float(x + 0.004 * i * np.cos(t)), float(y + 0.004 * i * np.sin(t)), 1] for i, t in enumerate(turn)]
        out.append({"size": 0.03, "softness": 0.9, "flow": 0.07, "darker": bool(rng.integers(2)), "points": points})
    return out


def sheet(kind: str, settings: dict, masked: bool) -> Sheet:
    """One touch, on the whole picture or on an ellipse."""
    areas = [{"id": "a", "parts": [ELLIPSE]}] if masked else []
    touch = {"id": "t", "kind": kind.split(",")[0], "settings": settings, "area": "a" if masked else None}
    return read_sheet({"format": "needlepoint-sheet", "version": 1, "areas": areas, "touches": [touch]})


def main() -> None:
    """Print the table."""
    picture = InMemory(synthetic(2500, 2000))
    whole = Frame.whole(1600, 1280)
    view = Frame(*whole.scale, 160, 140, *VIEW)
    half = Frame(800, 640, 80, 70, 640, 500)
    rng = np.random.default_rng(1)
    blurred = rng.random((1000, 1280, 3), np.float32)

    def ref() -> object:
        return cv2.GaussianBlur(blurred, (0, 0), 3)

    def cost(made: Sheet, at: Frame, cache: Callable[[], Cache], fineness: int = FINE) -> float:
        return ratio(lambda: Renderer(picture, made, cache(), fineness, keep="t").draw(at), ref, 9)

    base = Cache()
    ground = cost(sheet("exposure", {"ev": 0}, False), view, lambda: base)
    print(f"{'the picture alone':<34} {ground:6.2f} × REF, taken off below")
    for kind, (settings, slider, goal) in KINDS.items():
        for masked in (False, True):
            made, kept = sheet(kind, settings, masked), Cache()
            use = cost(made, view, lambda kept=kept: kept) - ground
            fresh = cost(made, view, Cache) - ground
            said = f"{kind}{', face' if masked else ''}"
            limit = goal / 2 if masked else goal
            print(f"{said:<34} {use:6.2f} × REF  ≤ {limit}   from nothing {fresh:5.2f}  ≤ {limit + 10}", flush=True)
        state, kept = {"n": 0}, Cache()

        def step(kind: str = kind, settings: dict = settings, slider: str = slider, kept: Cache = kept,
                 state: dict = state) -> object:  # fmt: skip
            state["n"] += 1
            moved = {**settings, slider: settings[slider] * (1 + 0.001 * state["n"])}
            return Renderer(picture, sheet(kind, moved, False), kept, DRAFT, keep="t").draw(half)

        print(f"{kind + ', a slider step, draft':<34} {ratio(step, ref, 9):6.2f} × REF  ≤ 1", flush=True)
    many, kept = strokes(2000), Cache()
    use = cost(sheet("dodge-burn", {"strokes": many}, False), view, lambda: kept) - ground
    fresh = cost(sheet("dodge-burn", {"strokes": many}, False), view, Cache) - ground
    print(f"{'dodge-burn, 2,000 strokes':<34} {use:6.2f} × REF  ≤ 1.5   from nothing {fresh:5.2f}")
    # As a document does it: one stroke more shares all those before.
    sheets = [sheet("dodge-burn", {"strokes": many}, False)]
    for raw in strokes(20):
        step_ = sheets[-1].touches[0]
        more = step_.settings.with_one_more(LightStroke(**raw))
        sheets.append(sheets[-1].model_copy(update={"touches": [step_.model_copy(update={"settings": more})]}))
    turn = iter(sheets)
    one = ratio(lambda: Renderer(picture, next(turn), kept, keep="t").draw(view), ref, 9) - ground - use
    print(f"{'a new stroke of it, over that':<34} {one:6.2f} × REF  ≤ 0.5")


if __name__ == "__main__":
    main()
