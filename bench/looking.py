"""What checks and measures cost over the view they are laid on, against REF: ``uv run python -m bench.looking``."""

import statistics
import tempfile
import time
from pathlib import Path
from typing import get_args

import cv2
import numpy as np

from bench.view import InMemory, sheet, synthetic
from retouch.checks import Check, Look, gauges, looked
from retouch.frame import Frame
from retouch.render.cache import Cache
from retouch.render.picture import Pyramid
from retouch.render.plan import Renderer
from retouch.sheet import read_sheet

RUNS = 9


def main() -> None:
    """Print a row for each check: a view of 24 MP at fit, 1280×1000, with a painted exposure over a curve."""
    blurred = np.random.default_rng(1).random((1000, 1280, 3), np.float32)
    with tempfile.TemporaryDirectory() as folder:
        Pyramid.store(InMemory(synthetic(6000, 4690)), Path(folder) / "24")
        picture = Pyramid(Path(folder) / "24", "24")
        frame = Frame.whole(1280, 1001)
        document, cache = read_sheet(sheet()), Cache()

        def timed(look: Look) -> float:
            renderer = Renderer(picture, document, cache)
            start = time.perf_counter()
            looked(renderer, frame, Check(look))
            return time.perf_counter() - start

        def reference() -> float:
            start = time.perf_counter()
            cv2.GaussianBlur(blurred, (0, 0), 3)
            return time.perf_counter() - start

        for look in get_args(Look):
            ratios = []
            for _ in range(RUNS):
                plain, check, ref = timed("plain"), timed(look), reference()
                ratios.append((check - plain) / ref)
            print(f"| {look} over the view | {statistics.median(ratios[1:]):.2f} | ≤ 2 |", flush=True)
        start = time.perf_counter()
        gauges(Renderer(picture, document, cache), "e")
        print(f"| measures of a touch, nobody found | {(time.perf_counter() - start) / reference():.1f} | |")


if __name__ == "__main__":
    main()
