"""The same face with and without what a touch takes away: ``python -m demo.sitters.pairs``; see demo/README.md.

Of one sitter for each skin group a crop of the face, all from one camera, under two lights: ``plain`` in soft light
with pores alone, and with ``blotches``, with ``blemishes`` (and freckles), with ``marks`` (blemishes and a scar);
``matt`` under a hot lamp without the lobe that mirrors, and ``shine`` with it; a strip of the eyes alone, pupils wide
and ``dark`` or ``red``.
And of some of the choir, in their own light, a square with what repair takes away (``clamp-with``) and without it
(``clamp-without``).
"""

import argparse
from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from demo.sitters.cast import CHOIR, CLASSES, Light, Sitter
from demo.sitters.scene import Crop, build, exposed, gain, labels, project
from retouch.colour.encoding import encode
from retouch.colour.icc import profile_bytes
from retouch.colour.spaces import SRGB
from retouch.files.writing import write

DEMO = Path(__file__).parents[1]
WHO = ("Soprano 3", "Alto 3", "Tenor 2", "Bass 2", "Soprano 2", "Alto 2")
"""One of each group, from very light to dark."""
HEIGHT, SIDE = 2800, 800
FEWER = 4
"""Pixels to one of the sketch by which the exposure is set."""
SOFT = (Light((-5.0, 3.5, 7.0), 2.4, 10.0), Light((7.0, 0.0, 6.0), 4.0, 0.6))
HOT = (Light((-2.5, 5.0, 7.0), 2.0, 14.0), Light((7.0, 0.0, 6.0), 4.0, 0.7))
PLAIN = {
    "blotches": 0.0, "under_eyes": 0.0, "blemishes": 0.0, "freckles": 0.0, "pores": 1.0, "stubble": 0.0, "haze": 0.0,
    "scene": "wall", "ambient": 0.10, "lights": SOFT, "shine": 0.35, "roughness": 0.48, "grain": 0.06, "tilt": 0.0,
    "expression": {},
}  # fmt: skip
VARIANTS = {
    "plain": {},
    "blotches": {"blotches": 10.0, "flush": 0.0, "blotch": 18.0},
    "blemishes": {"blemishes": 1.0, "freckles": 0.35},
    "marks": {"blemishes": 1.0, "scar": 1.0},
    "matt": {"lights": HOT, "shine": 0.0, "roughness": 0.42},
    "shine": {"lights": HOT, "shine": 0.5, "roughness": 0.42},
    "dark": {"wide_pupil": 1.7},
    "red": {"wide_pupil": 1.7, "pupil": (0.55, 0.02, 0.015)},
}
FAINT = {("Soprano 3", "blotches"): {"blotches": 13.0}, ("Alto 2", "blotches"): {"blotches": 20.0}}
"""Where little blood shows, so much more of it that a blotch is as easily seen as on the others (about 1 in OKLab)."""
EYES, STRIP = ("dark", "red"), (0.3, 0.3)
"""Variants of which a strip is enough, and where it begins and how high it is, as shares of the crop."""
LARGE = Light((-8.0, 1.8, 3.5), 0.7 * 20**0.5, 95.0 / 20)
"""Tenor 1's lamp made twenty times as large, as bright in all."""
THINGS = {
    "clamp": ("Alto 3", {"flyaways": 0}, {"flyaways": 0, "clamp": False}, (0.61, 0.73)),
    "stray-hairs": ("Alto 3", {"clamp": False}, {"clamp": False, "flyaways": 0}, (0.40, 0.15)),
    "fuller-hair": ("Alto 3", {"flyaways": 0, "clamp": False, "volume": 0.32}, {"flyaways": 0, "clamp": False},
                    (0.40, 0.15)),
    "shadow": ("Tenor 1", {}, {"lights": (LARGE,)}, (0.40, 0.47)),
    "red-eyes": ("Mezzo 1", {}, {"pupil": (0.004, 0.004, 0.004)}, (0.40, 0.42)),
}  # fmt: skip
"""Whose square, with the thing and without it, and the square's middle in long sides."""
COVERED = {"fuller-hair": "hair"}
"""Of which class it is told as well what it covers, with and without."""


def main() -> None:
    """Photograph the pairs into ``pairs/NAME-VARIANT.jpg``, and where skin is into ``pairs/NAME-skin.png``."""
    parser = argparse.ArgumentParser(prog="python -m demo.sitters.pairs")
    parser.add_argument("--rays", type=int, default=6)
    parser.add_argument("--into", type=Path, default=DEMO / "pairs")
    parser.add_argument("--variants", nargs="*", default=list(VARIANTS), choices=list(VARIANTS))
    parser.add_argument("--things", nargs="*", choices=list(THINGS), help="what repair takes away, instead")
    parser.add_argument("names", nargs="*", default=WHO)
    options = parser.parse_args()
    options.into.mkdir(exist_ok=True)
    if options.things is not None:
        for thing in options.things or THINGS:
            with_and_without(thing, options.rays, options.into)
        return
    for name in options.names:
        make(next(s for s in CHOIR if s.name == name), options.rays, options.into, options.variants)


def make(sitter: Sitter, rays: int, into: Path, variants: list[str]) -> None:
    """Variants of one sitter: seen from one place, and both of a pair exposed alike."""
    width = round(HEIGHT * 0.8)
    plain = replace(sitter, **PLAIN)
    stage = build(plain)
    crop = _crop(project(stage, plain, width, HEIGHT)[0], width)
    skin = labels(stage, plain, width, HEIGHT, crop)[0][CLASSES.index("face-skin")]
    Image.fromarray(skin).save(into / f"{plain.name}-skin.png", optimize=True)
    # The renderer numbers shapes through all stages that are alive.
    del stage
    stop: dict[object, float] = {}
    small = _fewer(crop)
    for name in variants:
        who = replace(plain, **VARIANTS[name] | FAINT.get((sitter.name, name), {}))
        part = _strip(crop) if name in EYES else crop
        picture, _ = exposed(build(who), who, width, HEIGHT, rays, part)
        if who.lights not in stop:
            # Exposed for the soft light as it is plain, for the hot one as it is matt, whichever are asked for.
            same = replace(plain, **VARIANTS["plain" if who.lights == SOFT else "matt"])
            sketch = exposed(build(same), same, width // FEWER, HEIGHT // FEWER, 2 * rays, small)
            stop[who.lights] = gain(*sketch, skin)
        _save(picture * np.float32(stop[who.lights]), who.seed, into / f"{who.name}-{name}.jpg")
        print(f"{who.name}: {name}", flush=True)


def with_and_without(thing: str, rays: int, into: Path) -> None:
    """A square of one sitter with a thing and without it, both exposed as it is with it."""
    name, first, second, (x, y) = THINGS[thing]
    sitter, width = next(s for s in CHOIR if s.name == name), round(HEIGHT * 0.8)
    crop: Crop = (round(x * HEIGHT) - SIDE // 2, round(y * HEIGHT) - SIDE // 2, SIDE, SIDE)
    stop = 0.0
    for said, changes in (("with", first), ("without", second)):
        who = replace(sitter, **changes)
        stage = build(who)
        if not stop:
            face = _fewer(_crop(project(stage, who, width, HEIGHT)[0], width))
            size = width // FEWER, HEIGHT // FEWER
            skin = labels(stage, who, *size, face)[0][CLASSES.index("face-skin")]
            stop = gain(*exposed(stage, who, *size, 2 * rays, face), skin)
        linear = exposed(stage, who, width, HEIGHT, rays, crop)[0] * np.float32(stop)
        if thing in COVERED:
            cover = labels(stage, who, width, HEIGHT, crop)[0][CLASSES.index(COVERED[thing])]
            Image.fromarray(cover).save(into / f"{thing}-{said}.png", optimize=True)
        del stage
        _save(linear, who.seed, into / f"{thing}-{said}.jpg")
        print(f"{thing}, {said}", flush=True)


def _save(linear: NDArray[np.float32], seed: int, path: Path) -> None:
    noise = np.random.default_rng(seed).standard_normal(linear.shape, np.float32)
    linear = linear + 0.3 * np.sqrt(np.maximum(linear, 0) * 6e-5 + 3e-7) * noise
    pixels = (np.clip(encode(linear.astype(np.float64)), 0, 1) * 255 + 0.5).astype(np.uint8)
    write(path, pixels, "jpeg", profile_bytes(SRGB), b"", 92)


def _fewer(crop: Crop) -> Crop:
    x, y, w, h = crop
    return x // FEWER, y // FEWER, w // FEWER, h // FEWER


def _strip(crop: Crop) -> Crop:
    x, y, w, h = crop
    return x, y + round(STRIP[0] * h), w, round(STRIP[1] * h)


def _crop(marks: dict[str, tuple[float, float]], width: int) -> Crop:
    """A square over the middle of the face, from the hairline to the mouth."""
    unit = max(width, HEIGHT)
    x = (marks["iris-left"][0] + marks["iris-right"][0]) / 2 * unit
    y = (marks["iris-left"][1] + marks["iris-right"][1]) / 2 * unit
    return round(x) - SIDE // 2, round(y) - round(0.46 * SIDE), SIDE, SIDE


if __name__ == "__main__":
    main()
