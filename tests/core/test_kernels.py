"""Kernels are there before somebody waits for them."""

import gc
import subprocess
import sys
from pathlib import Path

import pytest
from numba.core.dispatcher import Dispatcher

from retouch.frame import Frame
from retouch.render.output import to_jpeg
from retouch.render.picture import Pyramid
from retouch.render.plan import Renderer
from retouch.sheet import read_sheet
from retouch.touches import KINDS
from tests.core.test_families import ALL, FULL, PICTURE

ROOT = Path(__file__).resolve().parents[2]
LATE = """
import sys
from retouch.render.warm import warm
from tests.core.test_kernels import compiled, draw_all, stored
warm()
picture = stored(sys.argv[1])
before = compiled()
draw_all(picture)
print({name: count for name, count in compiled().items() if count != before.get(name)})
"""


def compiled() -> dict[str, int]:
    """How many of each of our kernels there are."""
    ours = [d for d in gc.get_objects() if isinstance(d, Dispatcher) and d.py_func.__module__.startswith("retouch.")]
    return {f"{d.py_func.__module__}.{d.py_func.__name__}": len(d.overloads) for d in ours}


def stored(folder: str) -> Pyramid:
    """A picture as the server reads it."""
    Pyramid.store(PICTURE, Path(folder))
    return Pyramid(Path(folder), "grainy")


def draw_all(picture: Pyramid) -> None:
    """Every kind on the whole and in areas that leave rows and columns out, on a view and a rectangle of it."""
    pool = {"source": "pool", "centre": [0.4, 0.4], "radii": [0.2, 0.2]}
    areas = [{"id": "pool", "feather": 0.01, "parts": [pool]}, {"id": "rest", "invert": True, "parts": [pool]}]
    begun = {"format": "needlepoint-sheet", "version": 1, "areas": areas}
    for name in KINDS:
        touch = {"id": "t", "kind": name, "settings": ALL[name].model_dump(), "limit": {"ramp": [0, 0.1, 1, 1]}}
        for area in (None, "pool", "rest"):
            for blend in ("normal", "soft-light"):
                sheet = read_sheet(begun | {"touches": [touch | {"area": area, "blend": blend}]})
                for frame in (FULL, Frame(*FULL.scale, 40, 50, 120, 100)):
                    to_jpeg(Renderer(picture, sheet, fineness=9).draw(frame), draft=frame is FULL)


@pytest.mark.slow
def test_nothing_is_compiled_after_the_server_has_warmed_itself(tmp_path):
    done = subprocess.run(
        [sys.executable, "-c", LATE, str(tmp_path)], cwd=ROOT, capture_output=True, text=True, check=False
    )
    assert (done.stderr, done.stdout.strip()) == ("", "{}")
