"""Ratios of the view and the export against REF, in one run: ``uv run python -m bench.view``.

REF is one ``cv2.GaussianBlur(σ=3)`` on a 1280×1000×3 float32 picture. Every figure is the median of several runs that
alternate with REF, so that a busy machine slows both.
"""

import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np

from retouch.frame import Frame
from retouch.render.output import to_jpeg
from retouch.render.picture import Pyramid
from retouch.render.plan import Cache, Renderer, table_of
from retouch.render.table import apply_table
from retouch.sheet import read_sheet
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


def ratio(action: Callable[[], object], reference: Callable[[], object], runs: int = 15) -> float:
    """Median over runs of the time of ``action`` to that of ``reference`` beside it."""
    action(), reference()
    ratios = []
    for _ in range(runs):
        a = time.perf_counter()
        reference()
        b = time.perf_counter()
        action()
        ratios.append((time.perf_counter() - b) / (b - a))
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


def main() -> None:
    """Print the table."""
    rng = np.random.default_rng(1)
    blurred = rng.random((1000, 1280, 3), np.float32)

    def ref() -> object:
        return cv2.GaussianBlur(blurred, (0, 0), 3)

    base = synthetic(*VIEW)
    mask = np.ones((1000, 1280), np.float32)
    rows: list[tuple[str, float, str]] = []
    for kind, settings in (
        ("exposure", '{"ev": 0.7}'),
        ("curve", '{"points": [[0, 0], [0.4, 0.5], [1, 1]]}'),
    ):
        table = table_of(kind, settings, "normal", 65)
        rows.append(
            (
                f"{kind}, full mask",
                ratio(lambda t=table: apply_table(base.copy(), t, mask, 0.9), ref),
                "≤ 1.5",
            )
        )
        lattice = table_of(kind, settings, "luminosity", 65)
        rows.append(
            (
                f"{kind}, blended by luminosity",
                ratio(lambda t=lattice: apply_table(base.copy(), t, mask, 0.9), ref),
                "≤ 1.5",
            )
        )
    calm = cv2.GaussianBlur(base, (0, 0), 1.5)
    for name, picture in (("calm", calm), ("grainy", base)):
        for way, draft in (("at rest", False), ("draft", True)):
            rows.append((f"{name} view to JPEG, {way}", ratio(lambda p=picture, d=draft: to_jpeg(p, d), ref), "≤ 0.4"))

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

        rows.append(("slider on the second touch, 24 MP", ratio(slide, ref), ""))
        rows.append(("dab of 300², with JPEG, 24 MP", ratio(dab, ref), "≤ 1.0"))
        rows.append(("view from nothing, 24 MP", ratio(fresh("24"), ref), ""))
        rows.append(("view of 50 MP to view of 12 MP", ratio(fresh("50"), fresh("12")), "≤ 1.15"))
    for name, value, goal in rows:
        print(f"{name:<40} {value:6.2f} × {'REF' if 'to view' not in name else '   '}  {goal}")


if __name__ == "__main__":
    main()
