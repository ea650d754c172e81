"""Peak memory of a 24 MP export: ``uv run python -m bench.export``. Prints megabytes, and CPU seconds to REFs."""

import resource
import tempfile
import time
from pathlib import Path

import cv2
import numpy as np

from bench.mending import patch
from bench.near import ELLIPSE
from bench.near import KINDS as NEAR
from bench.shaping import stroke
from bench.view import POINT, sheet, synthetic
from retouch.colour.icc import profile_bytes
from retouch.colour.spaces import SRGB
from retouch.files.reading import read
from retouch.files.writing import write
from retouch.render.export import Order, export
from retouch.sheet import read_sheet

SIZE = (4000, 6000)


def main() -> None:
    """Export once to JPEG and once to 16-bit TIFF, each in a process of its own."""
    from multiprocessing import get_context

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "in.jpg"
        spawn = get_context("spawn")
        works = [(_make, (path,)), *((_export, (path, form, bits, "two")) for form, bits in FORMS)]
        works += [
            (_export, (path, "jpeg", 8, which))
            for which in ("twelve point", "six point and six near", "repair", "shape")
        ]
        for work, arguments in works:
            process = spawn.Process(target=work, args=arguments)
            process.start()
            process.join()


FORMS = (("jpeg", 8), ("png", 16), ("tiff", 16))


def _touches(which: str) -> dict:
    """Twelve point touches, or six of them and six kinds that look at neighbours, on the whole picture and in areas."""
    if which == "two":
        return sheet()
    if which == "repair":
        repair = {"id": "r", "kind": "repair", "settings": {"patches": patches(), "size": 0.01}}
        return sheet() | {"touches": [repair, *sheet()["touches"]]}
    if which == "shape":
        strokes = [stroke(n, 0.15) for n in range(100)]
        shape = {"id": "s", "kind": "reshape", "settings": {"strokes": strokes}, "area": "a"}
        return {
            "format": "needlepoint-sheet",
            "version": 2,
            "areas": [{"id": "a", "parts": [ELLIPSE]}],
            "touches": [shape],
        }
    kinds = ("white-balance", "curve", "saturation", "colour-bands", "toning", "exposure")
    steps = [(kind, POINT[kind]) for kind in kinds]
    others = steps if which == "twelve point" else [(kind, settings) for kind, (settings, _, _) in NEAR.items()]
    touches = [
        {"id": f"t{n}", "kind": kind, "settings": settings, "area": "a" if n % 2 else None}
        for n, (kind, settings) in enumerate([*steps, *others])
    ]
    areas = [{"id": "a", "parts": [ELLIPSE]}]
    return {"format": "needlepoint-sheet", "version": 1, "areas": areas, "touches": touches}


def patches() -> list[dict]:
    """Three hundred patches of all ways that need no filling, all over the picture; three of them from far away."""
    rng = np.random.default_rng(7)
    ways = ("heal", "clone", "smear", "paint")
    return [
        patch(ways[n % 4], 0.006 + 0.024 * (n % 20 == 0), n, tuple(rng.uniform(0.1, 0.6, 2)),
              source=[0.3 if n % 100 == 0 else 0.03, 0.02], of=("everything", "shading")[n % 3 == 0])
        for n in range(300)
    ]  # fmt: skip


def _make(path: Path) -> None:
    pixels = (synthetic(*SIZE) * 255 + 0.5).astype(np.uint8)
    write(path, pixels, "jpeg", profile_bytes(SRGB), b"")


def _export(path: Path, form: str, bits: int, which: str) -> None:
    blurred = np.random.default_rng(0).random((1000, 1280, 3), np.float32)
    start = time.process_time()
    for _ in range(20):
        cv2.GaussianBlur(blurred, (0, 0), 3)
    ref = (time.process_time() - start) / 20
    start = time.process_time()
    export(read(path), read_sheet(_touches(which)), Order(form, bits), path.with_suffix(".out"))  # type: ignore[arg-type]
    cpu = (time.process_time() - start) / ref
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(f"24 MP, {which} touches, {form} {bits} bit: peak {peak:,.0f} MB (≤ 1,200), CPU {cpu:,.0f} × REF")


if __name__ == "__main__":
    main()
