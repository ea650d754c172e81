"""Make the choir: ``python -m demo.sitters [--height 1200] [--rays 14] [NAME …]``; see demo/README.md."""

import argparse
import json
import time
from pathlib import Path

import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image

from demo.sitters import skin
from demo.sitters.cast import CHOIR, CLASSES, Sitter
from demo.sitters.guests import GUESTS
from demo.sitters.raw import dng
from demo.sitters.scene import LABEL_RAYS, build, labels, photograph, project
from retouch.colour.encoding import encode
from retouch.colour.icc import profile_bytes
from retouch.colour.spaces import DISPLAY_P3, SRGB, between
from retouch.files.reading import ORIENTATION
from retouch.files.writing import write

DEMO = Path(__file__).parents[1]
LABEL_SIDE = 1000


def main() -> None:
    """Photograph and label the sitters that are named, or all."""
    parser = argparse.ArgumentParser(prog="python -m demo.sitters")
    parser.add_argument("--height", type=int, help="in pixels; each sitter has its own")
    parser.add_argument("--rays", type=int, default=4)
    parser.add_argument("--into", type=Path, default=DEMO, help="the folder for pictures/ and labels/")
    parser.add_argument("--guests", action="store_true", help="the guests, by whom finding is measured")
    parser.add_argument("names", nargs="*")
    options = parser.parse_args()
    for sitter in GUESTS if options.guests else CHOIR:
        if not options.names or sitter.name in options.names:
            start = time.perf_counter()
            make(sitter, options.height or sitter.height, options.rays, options.into)
            print(f"{sitter.name}: {sitter.problem}, {time.perf_counter() - start:.0f} s", flush=True)


def make(
    sitter: Sitter, height: int, rays: int, into: Path, side: int = LABEL_SIDE, label_rays: int = LABEL_RAYS
) -> None:
    """Write the picture into ``pictures`` and what is true of it into ``labels``, ``side`` pixels on the long side."""
    stage = build(sitter)
    size = _size(sitter, side if sitter.proportion < 1 else side / sitter.proportion)
    coverage, people = labels(stage, sitter, *size, rays=label_rays)
    face = np.minimum(coverage[CLASSES.index("face-skin")], people[0])
    linear = photograph(stage, sitter, *_size(sitter, height), rays, face)
    # The grain of a sensor at a middling sensitivity, so that flat places are not flatter than a photograph's.
    rng = np.random.default_rng(sitter.seed)
    strength = sitter.grain * np.sqrt(np.maximum(linear, 0) * 6e-5 + 3e-7)
    linear = linear + strength * rng.standard_normal(linear.shape, np.float32)
    (into / "pictures").mkdir(parents=True, exist_ok=True)
    save(sitter, linear, into / "pictures" / sitter.name)

    (into / "labels").mkdir(exist_ok=True)
    masks = {name: coverage[i] for i, name in enumerate(CLASSES)}
    masks |= {f"person-{i}": mask for i, mask in enumerate(people, 1)}
    np.savez_compressed(into / "labels" / f"{sitter.name}.npz", **masks)
    marks = project(stage, sitter, *_size(sitter, height))
    truth = {
        "problem": sitter.problem,
        "people": [
            {
                "name": who.name,
                "ita": round(skin.ita(who), 1),
                "skin group": skin.group(skin.ita(who)),
                "landmarks": places,
                "parameters": _told(who),
            }
            for who, places in zip((sitter, *sitter.beside), marks, strict=True)
        ],
    }
    (into / "labels" / f"{sitter.name}.json").write_text(json.dumps(truth, indent=1) + "\n")


def _size(sitter: Sitter, height: float) -> tuple[int, int]:
    return round(height * sitter.proportion), round(height)


def _told(sitter: Sitter) -> dict[str, object]:
    told = {name: value for name, value in vars(sitter).items() if name != "beside"}
    return told | {"lights": [vars(light) for light in sitter.lights]}


def save(sitter: Sitter, linear: NDArray[np.float32], path: Path) -> None:
    """Write a linear sRGB picture as the kind of file that the sitter's came as."""
    if sitter.file == "dng":
        path.with_suffix(".dng").write_bytes(dng(linear))
        return
    space = DISPLAY_P3 if sitter.file == "p3" else SRGB
    encoded = np.clip(encode(linear.astype(np.float64) @ between(SRGB, space).T), 0, 1)
    if sitter.file == "tiff16":
        # Twelve bits, as the camera had them, in words of sixteen.
        values = ((encoded * 4095 + 0.5).astype(np.uint16) << 4) * np.uint32(65535) // 65520
        tifffile.imwrite(
            path.with_suffix(".tif"), values.astype(np.uint16), photometric="rgb", compression="zlib",
            compressionargs={"level": 9}, predictor=True, iccprofile=profile_bytes(space), metadata=None,
        )  # fmt: skip
        return
    pixels = (encoded * 255 + 0.5).astype(np.uint8)
    exif = b""
    if sitter.file == "turned":
        # Held upright: the sensor's rows run down the picture, and the file says so.
        pixels, block = np.ascontiguousarray(np.rot90(pixels)), Image.Exif()
        block[ORIENTATION] = 6
        exif = block.tobytes().removeprefix(b"Exif\0\0")
    write(path.with_suffix(".jpg"), pixels, "jpeg", profile_bytes(space), exif, 89)


if __name__ == "__main__":
    main()
