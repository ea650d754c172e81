"""Ratios of the view and the export against REF, in one run: ``uv run python -m bench.view``.

REF is one ``cv2.GaussianBlur(σ=3)`` on a 1280×1000×3 float32 picture. Every figure is the median of several runs that
alternate with REF, so that a busy machine slows both.
"""

import statistics
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

import cv2
import numpy as np

from retouch.frame import Frame, resample
from retouch.render.cache import Cache
from retouch.render.lay import lay
from retouch.render.output import to_jpeg
from retouch.render.picture import Pyramid
from retouch.render.plan import Renderer
from retouch.render.table import Table, apply_table, table_of
from retouch.sheet import Sheet, read_sheet
from retouch.touches import KINDS
from retouch.touches.base import Point
from retouch.touches.wash import Stop, Wash
from retouch.touches.zones import Zones
from retouch.types import Floats

VIEW = (1280, 1000)


def synthetic(width: int, height: int) -> Floats:
    """A smooth, many-coloured picture with fine grain, encoded working colours."""
    rng = np.random.default_rng(7)
    base = cv2.resize(rng.random((9, 7, 3), np.float32), (width, height), interpolation=cv2.INTER_CUBIC)
    base += 0.02 * rng.standard_normal((height, width, 1), np.float32)
    return np.clip(base, 0, 1)


class InMemory:
    """Working colours held in memory, as the pyramid's store reads them."""

    key = "synthetic"

    def __init__(self, colours: Floats):
        self.colours = colours
        self.height, self.width = colours.shape[:2]

    def read(self, frame: Frame) -> Floats:
        """A rectangle at full size."""
        return self.colours[frame.y : frame.y + frame.h, frame.x : frame.x + frame.w]


def ratio(
    action: Callable[[], object],
    reference: Callable[[], object],
    runs: int = 15,
    before: Callable[[], object] = lambda: None,
    between: Callable[[], object] = lambda: None,
) -> float:
    """Median over runs of the time of ``action`` to that of ``reference`` beside it.

    What is done ``before`` both and ``between`` them is not counted.
    """
    before(), between(), action(), reference()
    ratios = []
    for _ in range(runs):
        before()
        a = time.perf_counter()
        reference()
        b = time.perf_counter()
        between()
        c = time.perf_counter()
        action()
        ratios.append((time.perf_counter() - c) / (b - a))
    return statistics.median(ratios)


def sheet(ev: float = 0.5, extra: bool = False) -> dict:
    """A whole-picture curve under a painted exposure."""
    points = [[0.2 + 0.02 * i, 0.2 + 0.015 * i, 0.5 + 0.02 * i] for i in range(20)]
    strokes = [{"size": 0.2, "softness": 0.6, "flow": 0.4, "points": points}] * (6 if extra else 5)
    return {
        "format": "needlepoint-sheet", "version": 1,
        "areas": [{"id": "a", "feather": 0.004, "parts": [{"source": "strokes", "strokes": strokes}]}],
        "touches": [
            {"id": "c", "kind": "curve", "settings": {"points": [[0, 0], [0.4, 0.45], [1, 1]]}},
            {"id": "e", "kind": "exposure", "settings": {"ev": ev}, "area": "a"},
        ],
    }  # fmt: skip


POINT = {
    "exposure": {"ev": 0.7},
    "curve": {"points": [(0, 0), (0.4, 0.5), (1, 1)]},
    "levels": {"black": 0.03, "middle": 1.2, "white": 0.95},
    "white-balance": {"warmth": 20, "tint": 4},
    "saturation": {"amount": 0.3, "pale": 0.5},
    "colour-bands": {"bands": [{"centre": 60, "saturation": -0.2}]},
    "toning": {"shadows_amount": 0.2, "highlights_amount": 0.1},
    "wash": {"of": "colour", "stops": [{"at": 0, "colour": "#b27e57"}]},
}
ZONES = {"shadow": 1.2, "light": -0.2, "contrast": 0.2}
ORDER = ("exposure", "white-balance", "zones", "curve", "saturation", "zones", "colour-bands", "toning", "zones",
         "levels", "zones", "exposure")  # fmt: skip
BARE = (1, 2, 4, 12)
"""Those of them that work on the whole picture; the others in three painted areas."""
TWELVE = (
    ("from nothing", 0, False, "9–11"),
    ("a draft from nothing", 0, True, ""),
    ("slider on the 1st, draft", 1, True, "2.7"),
    ("slider on the 4th", 4, False, "7.3"),
    ("slider on the 4th, draft", 4, True, "2.5"),
    ("slider on the 10th", 10, False, "3.2"),
    ("slider on the 12th", 12, False, "1.0"),
    ("slider on the 12th, draft", 12, True, "0.2"),
)
"""What is done with twelve touches, eight point and four wide, and what a trial took for it, × REF."""


def _use(table: Table, mask: Floats, picture: Floats) -> None:
    apply_table(picture, table, mask, 0.9)


def _twelve(number: int, turn: int) -> Sheet:
    """A sheet of twelve touches of which one is a little different every time."""
    touches = [
        {"id": f"t{i}", "kind": kind, "settings": dict(POINT.get(kind, ZONES)),
         "strength": 0.8 + 0.0001 * (turn if i == number else 0), "area": None if i in BARE else f"a{i % 3}"}
        for i, kind in enumerate(ORDER, 1)
    ]  # fmt: skip
    areas = [
        {"id": f"a{i}", "parts": [{"source": "strokes", "strokes": [
            {"size": 0.16, "softness": 0.6, "points": [[0.25 + 0.03 * i, 0.3, 1], [0.35, 0.42 + 0.04 * i, 1]]}]}]}
        for i in range(3)
    ]  # fmt: skip
    return read_sheet({"format": "needlepoint-sheet", "version": 1, "areas": areas, "touches": touches})


def main() -> None:
    """Print the table."""
    rng = np.random.default_rng(1)
    blurred = rng.random((1000, 1280, 3), np.float32)

    def ref() -> object:
        return cv2.GaussianBlur(blurred, (0, 0), 3)

    base = synthetic(*VIEW)
    mask = np.ones((1000, 1280), np.float32)
    rows: list[tuple[str, float, str]] = []
    laid = base.copy()

    def on_fresh(change: Callable[[Floats], object]) -> float:
        return ratio(lambda: change(laid), ref, before=lambda: np.copyto(laid, base))

    for kind, settings in POINT.items():
        touch = KINDS[kind].model_validate(settings)
        assert isinstance(touch, Point)
        for mode in ("normal", "luminosity") if kind == "exposure" else ("normal",):
            table = table_of(touch, mode, 65)
            rows.append((f"{kind}, {mode}, full mask", on_fresh(partial(_use, table, mask)), "≤ 1.3"))
    zones = Zones.model_validate(ZONES)
    map_size = (zones.side, zones.side * VIEW[1] // VIEW[0])
    small = cv2.resize(base, map_size, interpolation=cv2.INTER_AREA)
    on_map = Frame.whole(*map_size)
    all_in = np.ones(small.shape[:2], np.float32)
    (survey,) = zones.survey(small, all_in)
    whole = Frame.whole(*VIEW)

    def all_of_zones(picture: Floats) -> None:
        zones.apply(picture, (resample(zones.survey(small, all_in)[0], on_map, whole),), mask, 0.9)

    def kept_map(picture: Floats) -> None:
        zones.apply(picture, (resample(survey, on_map, whole),), mask, 0.9)

    rows.append(("zones with its map, full mask", on_fresh(all_of_zones), "≤ 2.5"))
    rows.append(("zones, map kept", on_fresh(kept_map), ""))
    gradient = Wash(of="gradient", stops=[Stop(at=0, colour="#8a6a55"), Stop(at=1, colour="#203050")])
    across, down = whole.places()
    rows.append(
        (
            "gradient in soft light",
            on_fresh(lambda p: lay(p, *gradient.laid(across, down), "soft-light", mask, 0.9)),
            "",
        )
    )
    calm = cv2.GaussianBlur(base, (0, 0), 1.5)
    last = table_of(KINDS["exposure"].model_validate({"ev": 0.001}), "normal", 65)
    for name, picture in (("calm", calm), ("grainy", base)):
        for way, draft in (("at rest", False), ("draft", True)):
            # As it comes: after the last touch was laid, by threads that are at work.
            drawn = partial(apply_table, picture.copy(), last, None, 1.0)
            for when, between in ((", after the last touch", drawn), ("", lambda: None)):
                made = ratio(lambda p=drawn.args[0], d=draft: to_jpeg(p, d), ref, between=between)
                rows.append((f"{name} view to JPEG, {way}{when}", made, "≤ 0.4"))

    with tempfile.TemporaryDirectory() as folder:
        pyramids = {}
        for name, size in (("12", (3000, 4000)), ("24", (4000, 6000)), ("50", (5800, 8700))):
            Pyramid.store(InMemory(synthetic(*size)), Path(folder) / name)
            pyramids[name] = Pyramid(Path(folder) / name, name)

        def view_of(name: str, share: float) -> Frame:
            p = pyramids[name]
            w, h = round(p.width * share), round(p.height * share)
            return Frame(w, h, (w - 1280) // 2, (h - 1000) // 2, 1280, 1000)

        frame = view_of("24", 0.45)
        cache = Cache()
        state = {"ev": 0.5}

        def slide() -> object:
            state["ev"] += 0.001
            return Renderer(pyramids["24"], read_sheet(sheet(state["ev"])), cache, keep="e").draw(frame)

        def dab() -> object:
            state["ev"] += 0.001
            small = Frame(frame.width, frame.height, frame.x + 200, frame.y + 200, 300, 300)
            return to_jpeg(Renderer(pyramids["24"], read_sheet(sheet(state["ev"], True)), cache, keep="e").draw(small))

        def fresh(name: str) -> Callable[[], object]:
            def draw() -> object:
                p = pyramids[name]
                w, h = round(p.width * 2400 / p.width), round(p.height * 2400 / p.width)
                view = Frame(w, h, 400, 400, 1280, 1000)
                return Renderer(p, read_sheet(sheet()), Cache(), keep="e").draw(view)

            return draw

        def ground() -> None:
            renderer = Renderer(pyramids["24"], _twelve(0, 0), Cache())
            renderer.original(frame)
            for name in ("a0", "a1", "a2"):
                renderer.area(name, frame)

        rows.append(("the picture and three areas alone", ratio(ground, ref, 9), ""))
        for label, number, draft, goal in TWELVE:
            kept, moved = Cache(), {"n": 0}

            def twelve(number: int = number, draft: bool = draft, kept: Cache = kept, moved: dict = moved) -> object:
                moved["n"] += 1
                view = view_of("24", 0.225) if draft else frame
                view = Frame(view.width, view.height, 200, 200, 640, 500) if draft else view
                changed = _twelve(number, moved["n"])
                use = kept if number else Cache()
                return Renderer(pyramids["24"], changed, use, 33 if draft else 65, keep=f"t{number}").draw(view)

            rows.append((f"twelve touches: {label}", ratio(twelve, ref, 9), goal))

        kept, moved = Cache(), {"n": 0}
        Renderer(pyramids["24"], read_sheet(sheet()), kept).original(frame)

        def area_with(part: Callable[[float], dict], at: Frame = frame) -> Callable[[], object]:
            def draw() -> object:
                moved["n"] += 1
                parts = [part(0.0001 * moved["n"])]
                own = {"format": "needlepoint-sheet", "version": 1, "areas": [{"id": "a", "parts": parts}]}
                return Renderer(pyramids["24"], read_sheet(own), kept).area("a", at)

            return draw

        near = Frame(frame.width, frame.height, frame.x + 200, frame.y + 200, 200, 200)
        x, y = (near.x + 100) / near.unit, (near.y + 100) / near.unit
        for label, part, goal in (
            ("a changed tone part", lambda t: {"source": "tones", "ramp": [0, 0, 0.3 + t, 0.6]}, "≤ 1.5"),
            ("a changed colour part", lambda t: {"source": "colour", "reach": 0.3 + t,
                                                 "samples": [{"lab": [0.5, 0.05, 0.05]}]}, "≤ 1.5"),
            ("a box round a thing", lambda t: {"source": "thing", "box": [0.3 + t, 0.2, 0.6, 0.5]}, "≤ 6"),
        ):  # fmt: skip
            rows.append((label, ratio(area_with(part), ref, 9), goal))
        segment = area_with(
            lambda t: {"source": "strokes", "strokes": [{"size": 0.03, "flow": 0.5, "keep_edges": True,
                       "points": [[x, y, 1], [x + 0.01 + t, y, 1]]}]}, near
        )  # fmt: skip
        rows.append(("a segment kept to edges, dab of 200²", ratio(segment, ref, 9), "≤ 1.5"))
        rows.append(("slider on the second touch, 24 MP", ratio(slide, ref), ""))
        rows.append(("dab of 300², with JPEG, 24 MP", ratio(dab, ref), "≤ 1.0"))
        rows.append(("view from nothing, 24 MP", ratio(fresh("24"), ref), ""))
        rows.append(("view of 50 MP to view of 12 MP", ratio(fresh("50"), fresh("12")), "≤ 1.15"))
    for name, value, goal in rows:
        print(f"{name:<40} {value:6.2f} × {'REF' if 'to view' not in name else '   '}  {goal}")


if __name__ == "__main__":
    main()
