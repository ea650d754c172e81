"""Peak memory of a 24 MP export: ``uv run python -m bench.export``. Prints megabytes, and CPU seconds to REFs."""

import resource
import tempfile
import time
from pathlib import Path

import cv2
import numpy as np

from bench.view import sheet, synthetic
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
        for work, arguments in ((_make, (path,)), *((_export, (path, form, bits)) for form, bits in FORMS)):
            process = spawn.Process(target=work, args=arguments)
            process.start()
            process.join()


FORMS = (("jpeg", 8), ("png", 16), ("tiff", 16))


def _make(path: Path) -> None:
    pixels = (synthetic(*SIZE) * 255 + 0.5).astype(np.uint8)
    write(path, pixels, "jpeg", profile_bytes(SRGB), b"")


def _export(path: Path, form: str, bits: int) -> None:
    blurred = np.random.default_rng(0).random((1000, 1280, 3), np.float32)
    start = time.process_time()
    for _ in range(20):
        cv2.GaussianBlur(blurred, (0, 0), 3)
    ref = (time.process_time() - start) / 20
    start = time.process_time()
    export(read(path), read_sheet(sheet()), Order(form, bits), path.with_suffix(".out"))  # type: ignore[arg-type]
    cpu = (time.process_time() - start) / ref
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(f"24 MP, two touches, {form} {bits} bit: peak {peak:,.0f} MB (≤ 1,200), CPU {cpu:,.0f} × REF")


if __name__ == "__main__":
    main()
