"""What a dab and an edit cost beside what was painted before: ``uv run python -m bench.painting``.

A dab is all that the server does for one: points taken, sheet with the stroke, rectangle, picture, JPEG.
"""

import os
import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import django
import numpy as np

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "studio.settings")
django.setup()

from bench.view import InMemory, synthetic  # noqa: E402
from retouch.areas.sources.strokes import Stroke  # noqa: E402
from retouch.frame import Frame  # noqa: E402
from retouch.render.cache import Cache  # noqa: E402
from retouch.render.output import to_jpeg  # noqa: E402
from retouch.render.picture import Pyramid  # noqa: E402
from retouch.render.plan import Renderer  # noqa: E402
from retouch.render.spread import changed  # noqa: E402
from retouch.sheet import Document  # noqa: E402
from retouch.sheet.changes import Insert  # noqa: E402
from studio.strokes import Growing, painted  # noqa: E402

DABS = 10_000
BRUSH = {"size": 0.05, "softness": 0.6, "flow": 0.3}
STROKES_AT = ["areas", "a", "parts", "p", "strokes"]


def way(count: int, seed: int = 3) -> np.ndarray:
    """A hand that wanders over the view without an end: points (n × 3)."""
    rng = np.random.default_rng(seed)
    turn = np.cumsum(0.35 * rng.standard_normal(count))
    x = 0.35 + np.cumsum(0.004 * np.cos(turn))
    y = 0.35 + np.cumsum(0.004 * np.sin(turn))
    # Thrown back at the view's borders.
    fold = [0.15 + np.abs((v - 0.15) % 0.8 - 0.4) for v in (x, y)]
    return np.stack([*fold, np.full(count, 0.7)], axis=1)


def document(strokes: int) -> Document:
    """A sheet with an area of so many strokes, and a touch that uses it."""
    points = way(20 * strokes, 5).round(5).tolist()
    own = [{**BRUSH, "points": points[20 * n : 20 * n + 20]} for n in range(strokes)]
    return Document.read({
        "format": "needlepoint-sheet", "version": 1,
        "areas": [{"id": "a", "parts": [{"id": "p", "source": "strokes", "strokes": own}]}],
        "touches": [{"id": "c", "kind": "curve", "settings": {"points": [[0, 0], [0.4, 0.45], [1, 1]]}},
                    {"id": "e", "kind": "exposure", "settings": {"ev": 0.5}, "area": "a"}],
    })  # fmt: skip


def main() -> None:
    """Print the ratios."""
    with tempfile.TemporaryDirectory() as folder:
        Pyramid.store(InMemory(synthetic(4000, 6000)), Path(folder))
        picture = Pyramid(Path(folder), "24")
        frame = Frame(1800, 2700, 260, 500, 1280, 1000)

        class Hand:
            """A stroke that grows on a sheet, dab by dab."""

            def __init__(self, sheet: Document):
                self.sheet, self.cache, self.drawn = sheet.sheet, Cache(), 0
                Renderer(picture, self.sheet, self.cache, keep="e").draw(frame)
                self.growing = Growing(Stroke(**BRUSH, points=[(0, 0, 1)]))

            def dab(self, point: list[float]) -> float:
                """One dab, and the seconds that it took."""
                start, n = time.perf_counter(), self.drawn
                self.growing.add(n, [(point[0], point[1], point[2])])
                self.drawn += 1
                over = painted(self.sheet, "a", "p", self.growing.on(frame, "s"))
                standing = Renderer(picture, self.sheet, self.cache, keep="e")
                renderer = Renderer(picture, over, self.cache, keep="e", trying=True, maps_of=standing)
                new = Frame.whole(*frame.scale).within(*self.growing.reached(n))
                rect = frame.met(changed(renderer, "a", new, new))
                if rect is not None:
                    to_jpeg(renderer.draw(rect), draft=True)
                return time.perf_counter() - start

        def compared(one: Hand, other: Hand, points: list[list[float]]) -> float:
            """Median ratio of the same dabs by ``one`` to those by ``other``, in turns."""
            return statistics.median([one.dab(p) / other.dab(p) for p in points])

        points = way(DABS).tolist()
        old, young = Hand(document(1)), Hand(document(1))
        for point in points[:-300]:
            old.dab(point)
        # The same places for both: how much of a dab lies in the view is not what is measured.
        for hand in (young, old):
            for point in points[-300:-200]:
                hand.dab(point)
        print(f"the last of {DABS} dabs of a stroke to its first    {compared(old, young, points[-200:]):5.2f}  ≤ 1.1")
        few, many = document(50), document(4_999)
        ratio = compared(Hand(many), Hand(few), way(400).tolist()[100:])
        print(f"a dab on 5,000 strokes to one on 50              {ratio:5.2f}  ≤ 1.3")
        stroke = {**BRUSH, "points": way(20, 9).tolist()}

        def edit(sheet: Document) -> Callable[[], object]:
            return lambda: sheet.changed([Insert(path=STROKES_AT, item=stroke)])

        def cost(work: Callable[[], object]) -> float:
            times = []
            for _ in range(60):
                start = time.perf_counter()
                work()
                times.append(time.perf_counter() - start)
            return statistics.median(times)

        a, b = cost(edit(few)), cost(edit(many))
        print(
            f"a change of the document, 5,000 strokes to 50     {b / a:5.2f}  ({1000 * b:.1f} ms beside {1000 * a:.1f})"
        )


if __name__ == "__main__":
    main()
