"""Teach the finder the forms of hair and skin: ``python -m demo.teach_net --small DIR …``; see demo/README.md.

What trees tell at a pixel by its own features (:mod:`demo.teach`), a small network tells by what lies round about it:
a cap sits on a head as hair does, but ends in a brim. It learns from the same changed pictures, whole heads at a time,
which are bent, zoomed and turned besides. The guests are never looked at. Seed and steps are fixed.
"""

import argparse
import zlib
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path

import cv2
import numpy as np
import torch
from torch import Tensor
from torch.nn import functional

from demo.teach import CLASSES, DEMO, PROCESSES, SEED, changed, left_out, views
from demo.unet import Taught, learnt
from retouch.colour.encoding import encode
from retouch.colour.tones import clipped_oklab
from retouch.faces.relative import measured
from retouch.faces.skin_hair import HAIR, NET, SKIN
from retouch.segment.net import OUTLIER, Net
from retouch.types import Encoded, Floats

WIDTHS = 28, 36, 48, 56
"""Channels of each map, the largest first."""
SIDE, BATCH, STEPS = 96, 8, 4500
"""Pixels of what is learnt from at once, how many of it in a step, and how many steps."""
LOUD, UNKNOWN = 0.12, 0.1
"""Standard deviation of what is added to features, and the share of those that are left out."""
CHANCE = 7
"""Its seed; the mean of two networks of other seeds was no better on those left out."""
EMPTY = 12
"""Pixels up to which what is found is none."""
MOST = float(np.finfo(np.float16).max)
"""What half precision holds: a single feature above it would leave no mean to any."""

Lesson = tuple[Floats, np.ndarray, np.ndarray]
"""Features (h × w × f, half precision), where the person may be, and bytes of coverage of each class (4 × h × w)."""


def lesson(label: Path, versions: int) -> list[Lesson]:
    """Maps of everybody on a picture: as it is, and changed; by chance of its own."""
    rng = np.random.default_rng([SEED, zlib.crc32(label.stem.encode())])
    out = []
    for view in views(label):
        for version in range(versions):
            now = changed(view, rng) if version else view
            seen = measured(clipped_oklab(Encoded(encode(now.linear))), now.points, now.own)
            if seen is None:
                continue
            maps, there, box = seen.halved()
            size = seen.there.shape[::-1]
            truth = [cv2.resize(now.truth[name], size, interpolation=cv2.INTER_AREA)[box] for name in CLASSES]
            height, width = there.shape
            wide = [np.pad(t, [(0, 2 * n - m) for n, m in zip(there.shape, t.shape, strict=True)]) for t in truth]
            half = np.stack(wide).reshape(-1, height, 2, width, 2).mean((2, 4))
            out.append((np.clip(maps, -MOST, MOST).astype(np.float16), there, np.round(255 * half).astype(np.uint8)))
    return out


def piece(of: Lesson, rng: np.random.Generator) -> Lesson:
    """A square of :data:`SIDE` of it, mostly about the head."""
    maps, there, truth = of
    height, width = there.shape
    if rng.random() < 0.8:
        # The middle of the face is half its length over the chin.
        away = np.abs(maps[..., 0].astype(np.float32) - 0.5) + np.abs(maps[..., 1].astype(np.float32)) + 9 * ~there
        row, column = np.unravel_index(away.argmin(), away.shape)
        row, column = int(row) + int(rng.integers(-20, 28)), int(column) + int(rng.integers(-28, 29))
    else:
        row, column = int(rng.integers(height)), int(rng.integers(width))
    y, x = (
        int(rng.integers(most - SIDE, 1)) if most < SIDE else min(max(at - SIDE // 2, 0), most - SIDE)
        for at, most in ((row, height), (column, width))
    )
    rows, columns = slice(max(y, 0), y + SIDE), slice(max(x, 0), x + SIDE)
    before = max(-y, 0), max(-x, 0)
    got = there[rows, columns].shape
    room = [(b, SIDE - b - g) for b, g in zip(before, got, strict=True)]
    return (
        np.pad(maps[rows, columns], [*room, (0, 0)]),
        np.pad(there[rows, columns], room),
        np.pad(truth[:, rows, columns], [(0, 0), *room]),
    )


def bent(rng: np.random.Generator) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Rows and columns from which a square of another shape is taken, and where there are any."""
    place = np.mgrid[:SIDE, :SIDE] - SIDE / 2
    turn, zoom = rng.normal(0, 0.25), np.exp(rng.normal(0, 0.18, 2))
    y = (np.cos(turn) * place[0] - np.sin(turn) * place[1]) * zoom[0]
    x = (np.sin(turn) * place[0] + np.cos(turn) * place[1]) * zoom[1]
    for _ in range(2):
        ways = rng.normal(0, 1 / 14, 2)
        wave = np.sin(place[0] * ways[0] + place[1] * ways[1] + rng.uniform(0, 2 * np.pi)) * rng.uniform(0, 3)
        aside = rng.uniform(0, 2 * np.pi)
        y, x = y + wave * np.sin(aside), x + wave * np.cos(aside)
    rows, columns = (np.round(v + SIDE / 2).astype(int) for v in (y, x))
    inside = (rows >= 0) & (columns >= 0) & (rows < SIDE) & (columns < SIDE)
    return rows.clip(0, SIDE - 1), columns.clip(0, SIDE - 1), inside


def turned_into(
    of: Lesson, mean: Floats, spread: Floats, rng: np.random.Generator
) -> tuple[Floats, np.ndarray, Floats]:
    """What one step learns from: features and where they are (f + 1 × SIDE × SIDE), where they count, and the truth."""
    maps, there, truth = of
    values = maps.astype(np.float32)
    if rng.random() < 0.5:
        values, there, truth = values[:, ::-1].copy(), there[:, ::-1], truth[..., ::-1]
        # The second feature is how far aside a pixel lies.
        values[..., 1] *= -1
    known = np.clip((values - mean) / spread, -OUTLIER, OUTLIER).transpose(2, 0, 1)
    each = len(known), 1, 1
    known = known * (1 + rng.normal(0, LOUD, each)) + rng.normal(0, LOUD, each)
    known[rng.random(len(known)) < UNKNOWN] = 0
    rows, columns, inside = bent(rng)
    there = there[rows, columns] & inside
    known = np.concatenate([known[:, rows, columns], np.ones((1, SIDE, SIDE))]) * there
    return known.astype(np.float32), there, truth[:, rows, columns].astype(np.float32) / 255


def loss(scores: Tensor, there: Tensor, truth: Tensor) -> Tensor:
    """Cross entropy, and how little skin and hair overlap with the truth."""
    logs = functional.log_softmax(scores, 1)
    known = truth.sum(1)
    wanted, counts = truth / known[:, None].clamp(min=1e-3), there & (known > 0.6)
    likely, wanted_there = logs.exp() * counts[:, None], wanted * counts[:, None]
    shared = (likely * wanted_there)[:, [SKIN, HAIR]].sum((2, 3))
    either = (likely + wanted_there)[:, [SKIN, HAIR]].sum((2, 3)) - shared
    return -(wanted * logs).sum(1)[counts].mean() + 0.5 * (1 - (shared + 5) / (either + 5)).mean()


def taught(lessons: list[Lesson]) -> Net:
    """The network that has learnt from these, beginning by chance and in an order by chance."""
    torch.manual_seed(CHANCE)
    rng = np.random.default_rng(CHANCE)
    some = np.concatenate([maps[there][::37].astype(np.float32) for maps, there, _ in lessons])
    mean, spread = some.mean(0), some.std(0) + 1e-3

    def batch() -> list[tuple[np.ndarray, ...]]:
        return [turned_into(piece(lessons[rng.integers(len(lessons))], rng), mean, spread, rng) for _ in range(BATCH)]

    return learnt(Taught(len(mean), WIDTHS, len(CLASSES)), batch, loss, STEPS).plain(mean, spread)


def overlaps(net: Net, lessons: list[Lesson]) -> Iterator[tuple[str, float]]:
    """Intersection over union of skin and hair on each map."""
    for maps, there, truth in lessons:
        likely = net.likely(maps.astype(np.float32), there)
        for name, number in (("skin", SKIN), ("hair", HAIR)):
            found, true = (likely[..., number] > 0.5) & there, (truth[number] > 127) & there
            found &= found.sum() > EMPTY
            either = (found | true).sum()
            yield name, float((found & true).sum() / either) if either else 1.0


def main() -> None:
    """Teach, say how well it holds on sitters that were left out, and write the model."""
    parser = argparse.ArgumentParser(prog="python -m demo.teach_net")
    parser.add_argument("--small", type=Path, nargs="+", required=True, help="folders of demo.sitters.rehearsal")
    parser.add_argument("--versions", type=int, default=7)
    parser.add_argument("--into", type=Path, default=NET)
    options = parser.parse_args()
    labels = [p for folder in (*options.small, DEMO) for p in sorted((folder / "labels").glob("*.json"))]
    lessons, others = [], []
    with ProcessPoolExecutor(PROCESSES) as pool:
        for path, got in zip(labels, pool.map(partial(lesson, versions=options.versions), labels), strict=True):
            if left_out(path):
                others += got[:1]
            else:
                lessons += got
            print(path.stem, flush=True)
    net = taught(lessons)
    net.save(options.into)
    rows = list(overlaps(Net.load(options.into), others))
    for name in ("skin", "hair"):
        own = [value for of, value in rows if of == name]
        print(f"{name}: {np.mean(own):.3f} on {len(own)} that were left out")


if __name__ == "__main__":
    main()
