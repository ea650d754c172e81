"""Make the choir: ``python -m demo.sitters [--height 1200] [--rays 14] [NAME …]``; see demo/README.md."""

import argparse
import json
import time
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from demo.sitters import skin
from demo.sitters.cast import CHOIR, Sitter
from demo.sitters.scene import CLASSES, build, labels, photograph, project
from retouch.colour.encoding import encode
from retouch.colour.icc import profile_bytes
from retouch.colour.spaces import DISPLAY_P3, SRGB, between
from retouch.files.reading import ORIENTATION
from retouch.files.writing import write

DEMO = Path(__file__).parents[1]
LABEL_HEIGHT = 1000
PROPORTION = 0.8


def main() -> None:
    """Photograph and label the sitters that are named, or all."""
    parser = argparse.ArgumentParser(prog="python -m demo.sitters")
    parser.add_argument("--height", type=int, default=1200)
    parser.add_argument("--rays", type=int, default=14)
    parser.add_argument("names", nargs="*")
    options = parser.parse_args()
    for sitter in CHOIR:
        if not options.names or sitter.name in options.names:
            start = time.perf_counter()
            make(sitter, options.height, options.rays)
            print(f"{sitter.name}: {sitter.problem}, {time.perf_counter() - start:.0f} s", flush=True)


def make(sitter: Sitter, height: int, rays: int) -> None:
    """Write the picture into ``demo/pictures`` and what is true of it into ``demo/labels``."""
    stage = build(sitter)
    width = round(height * PROPORTION)
    linear = photograph(stage, sitter, width, height, rays)
    # The grain of a sensor at a middling sensitivity, so that flat places are not flatter than a photograph's.
    rng = np.random.default_rng(sitter.seed)
    linear = np.asarray(linear, np.float64)
    linear = linear + np.sqrt(np.maximum(linear, 0) * 2e-5 + 1e-7) * rng.standard_normal(linear.shape)
    save(sitter, linear)

    folder = DEMO / "labels"
    folder.mkdir(exist_ok=True)
    size = round(LABEL_HEIGHT * PROPORTION), LABEL_HEIGHT
    coverage = labels(stage, sitter, *size)
    np.savez_compressed(folder / f"{sitter.name}.npz", **{name: coverage[i] for i, name in enumerate(CLASSES)})
    angle = skin.ita(sitter)
    truth = {
        "problem": sitter.problem,
        "ita": round(angle, 1),
        "skin group": skin.group(angle),
        "landmarks": project(stage, sitter, width, height),
        "parameters": vars(sitter) | {"lights": [vars(light) for light in sitter.lights]},
    }
    (folder / f"{sitter.name}.json").write_text(json.dumps(truth, indent=1) + "\n")


def save(sitter: Sitter, linear: NDArray[np.float64]) -> None:
    """Write a linear sRGB picture as the kind of file that the sitter's came as."""
    space = DISPLAY_P3 if sitter.file == "p3" else SRGB
    encoded = np.clip(encode(linear @ between(SRGB, space).T), 0, 1)
    path = DEMO / "pictures" / sitter.name
    if sitter.file == "tiff16":
        write(path.with_suffix(".tif"), (encoded * 65535 + 0.5).astype(np.uint16), "tiff", profile_bytes(space), b"")
        return
    pixels = (encoded * 255 + 0.5).astype(np.uint8)
    exif = b""
    if sitter.file == "turned":
        # Held upright: the sensor's rows run down the picture, and the file says so.
        pixels, block = np.ascontiguousarray(np.rot90(pixels)), Image.Exif()
        block[ORIENTATION] = 6
        exif = block.tobytes().removeprefix(b"Exif\0\0")
    write(path.with_suffix(".jpg"), pixels, "jpeg", profile_bytes(space), exif, 92)


if __name__ == "__main__":
    main()
