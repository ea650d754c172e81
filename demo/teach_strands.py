"""Teach the finder strands: ``python -m demo.teach_strands --small DIR …``; see demo/README.md.

Where it is in doubt whether something is hair, a small perceptron tells each of the picture's own pixels, and two
others tell them again. They learn from the same changed pictures as the other models, at the scale of the map that is
found at, from what those have told there: so they are taught first. The guests are never looked at. Seed and steps are
fixed.
"""

import argparse
import zlib
from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from itertools import pairwise
from pathlib import Path
from typing import NamedTuple

import numpy as np
import torch
from torch import nn
from torch.nn import functional

from bench.finding import overlap
from demo.teach import DEMO, PROCESSES, SEED, View, changed, left_out, views
from demo.unet import THREADS
from retouch.colour.encoding import encode
from retouch.faces import mesh, strands
from retouch.faces.finding import UNIT
from retouch.faces.look import colours_near, laid, looked
from retouch.faces.outlines import grown
from retouch.faces.skin_hair import settled
from retouch.frame import Frame, resample
from retouch.segment.guided import followed
from retouch.segment.net import OUTLIER
from retouch.segment.perceptron import Perceptron
from retouch.types import Encoded, Floats

CLASSES = (("skin",), ("hair",), ("other", "features"))
PIXELS = 8000
"""Of one version of a face."""
MODELS = ((64, 32), 6000), ((96, 48), 6000), ((128, 64), 8000)
"""Widths of the layers between features and classes and how many steps, of the first and of those that tell again."""
BATCH, RATE, DECAY, LOUD = 4096, 3e-3, 1e-2, 0.05
"""Pixels in a step, rate and decay of AdamW, and standard deviation of what is added to features."""
HAIR = 1.5
"""How much hair counts beside the rest: of strands more is missed than seen where there is none."""
CHANCE = 1
"""Its seed."""
HEAD = 3.0
"""How far round about the face anything is learnt from, in lengths of the face."""
BESIDE, SURE = 0.02, 0.6
"""How far from where hair may be it is learnt what is none, in lengths of the face; and how much of a pixel must be of
one class."""

Lesson = tuple[Floats, np.ndarray]
"""Features (n × f, half precision) and classes (n) of some pixels."""


def headed(view: View) -> View:
    """The part of a view that is learnt from."""
    _, length = mesh.upright(view.points)
    middle, reach = view.points.mean(0), HEAD * length
    x, y = (max(0, int(at - reach)) for at in middle)
    part = slice(y, int(middle[1] + reach) + 1), slice(x, int(middle[0] + reach) + 1)
    truth = {name: mask[part] for name, mask in view.truth.items()}
    return View(view.name, view.linear[part], view.points - [x, y], view.own[part], truth)


class Seen(NamedTuple):
    """Somebody before strands are told: what :func:`retouch.faces.strands.seen` is given, where it is learnt from and
    where hair is in doubt; skin and hair as they would be without (h × w × 2) are ``along``."""

    against: Floats
    way: Floats
    points: Floats
    own: Floats
    told: Floats
    along: Floats
    counts: np.ndarray
    doubt: np.ndarray

    def values(self, where: np.ndarray) -> Floats:
        """What pixels are told by at first."""
        return strands.seen(self.against, self.way, self.points, self.own, self.told, self.along, where)

    def values_again(self, first: Perceptron, where: np.ndarray) -> Floats:
        """What they are told by when all have been told once."""
        once = self.along.copy()
        once[self.doubt] = first.likely(self.values(np.flatnonzero(self.doubt)))[:, :2]
        again = strands.seen_again(self.against, self.way, self.points, once, where)
        return np.concatenate([self.values(where), again], axis=1)


def seen(view: View) -> Seen:
    """What is seen on a view."""
    colours = Encoded(np.clip(encode(view.linear), 0, 1).astype(np.float32))
    own = view.own.astype(np.float32)
    height, width = own.shape
    frame = Frame.whole(width, height)
    marks = view.points / frame.unit
    look = looked(lambda at: Encoded(resample(colours, frame, at)), width, height, marks, frame, own)
    told = laid(look.told, look.at, frame)
    along = np.dstack([followed(laid(line, look.at, frame), colours) for line in look.lines])
    _, length = mesh.upright(view.points)
    hair = told[..., strands.HAIR]
    counts = grown(hair > strands.DOUBT, BESIDE * length) & ~grown(hair > 0.95, -BESIDE * length) & (own > 0.04)
    near = colours_near(look, frame, colours)
    return Seen(*near, view.points, own, told, along, counts, strands.doubtful(told, along, own))


def truth(view: View) -> Floats:
    """Coverage of each class (h × w × 3)."""
    return np.dstack([sum(view.truth[name] for name in names) for names in CLASSES])


def lesson(label: Path, versions: int, first: Perceptron | None = None) -> list[Lesson]:
    """Pixels of everybody on a picture: as it is, and changed; by chance of its own.

    Where the ``first`` model is given, those in doubt, and what is seen when that has told them.
    """
    rng = np.random.default_rng([SEED, zlib.crc32(label.stem.encode()), 2])
    out = []
    for view in views(label, UNIT):
        head = headed(view)
        for version in range(versions):
            now = changed(head, rng) if version else head
            of, true = seen(now), truth(now)
            places = np.flatnonzero((of.doubt if first else of.counts) & (true.max(-1) > SURE))
            places = rng.choice(places, min(PIXELS, len(places)), replace=False)
            values = of.values_again(first, places) if first else of.values(places)
            out.append((values.astype(np.float16), true.argmax(-1).ravel()[places]))
    return out


def taught(widths: tuple[int, ...], steps: int, x: Floats, y: np.ndarray) -> Perceptron:
    """The perceptron of such layers that has learnt from these, beginning by chance and in an order by chance."""
    torch.manual_seed(CHANCE)
    torch.set_num_threads(THREADS)
    order = torch.Generator().manual_seed(CHANCE)
    mean, spread = x.mean(0, dtype=np.float64), x.std(0, dtype=np.float64) + 1e-3
    wide = pairwise((x.shape[1], *widths))
    net = nn.Sequential(*(part for way in wide for part in (nn.Linear(*way), nn.ReLU())), nn.Linear(widths[-1], 3))
    way = torch.optim.AdamW(net.parameters(), lr=RATE, weight_decay=DECAY)
    values = torch.from_numpy(np.clip((x - mean) / spread, -OUTLIER, OUTLIER).astype(np.float32))
    kinds, weight = torch.from_numpy(y.astype(np.int64)), torch.tensor([1, HAIR, 1])
    for step in range(steps):
        for group in way.param_groups:
            group["lr"] = RATE * min(1, step / 100 + 0.05) * (0.5 * (1 + np.cos(np.pi * step / steps)) + 0.01)
        some = torch.randint(len(values), (BATCH,), generator=order)
        here = values[some]
        scores = net(here + LOUD * torch.randn(here.shape, generator=order))
        loss = functional.cross_entropy(scores, kinds[some], weight)
        way.zero_grad()
        loss.backward()
        way.step()
        if step % 1000 == 0:
            print(f"step {step} of {steps}: {loss.item():.3f}", flush=True)
    layers = [(one.weight.detach().numpy().T, one.bias.detach().numpy()) for one in net[::2]]
    return Perceptron(mean.astype(np.float32), spread.astype(np.float32), layers)


def overlaps(first: Perceptron, second: Sequence[Perceptron], view: View) -> Iterator[tuple[str, float, float]]:
    """Intersection over union of skin and hair on a view, without them and with them."""
    of, true = seen(view), truth(view) > 0.5
    parted = of.along.copy()
    parted[of.doubt] = strands.again(second, of.values_again(first, np.flatnonzero(of.doubt)))
    before, after = (settled(way[..., 0], way[..., 1], view.points, view.own) for way in (of.along, parted))
    for number, name in enumerate(("skin", "hair")):
        yield name, overlap(before[number] > 0.5, true[..., number]), overlap(after[number] > 0.5, true[..., number])


def main() -> None:
    """Teach, say how well it holds on sitters that were left out, and write the models."""
    parser = argparse.ArgumentParser(prog="python -m demo.teach_strands")
    parser.add_argument("--small", type=Path, nargs="+", required=True, help="folders of demo.sitters.rehearsal")
    parser.add_argument("--versions", type=int, default=3)
    parser.add_argument("--into", type=Path, nargs=3, default=(strands.FIRST, *strands.SECOND))
    options = parser.parse_args()
    labels = [p for folder in (*options.small, DEMO) for p in sorted((folder / "labels").glob("*.json"))]
    own = [label for label in labels if not left_out(label)]

    def lessons(first: Perceptron | None = None) -> list[np.ndarray]:
        with ProcessPoolExecutor(PROCESSES) as pool:
            got = pool.map(partial(lesson, versions=options.versions, first=first), own)
            return [np.concatenate(part) for part in zip(*(one for some in got for one in some), strict=True)]

    models: list[Perceptron] = []
    for path, (widths, steps) in zip(options.into, MODELS, strict=True):
        if len(models) < 2:
            learnt = lessons(*models)
        taught(widths, steps, *learnt).save(path)
        models.append(Perceptron.load(path))
    others = (headed(view) for label in labels if left_out(label) for view in views(label, UNIT))
    rows = [row for view in others for row in overlaps(models[0], models[1:], view)]
    for name in ("skin", "hair"):
        before, after = np.mean([values for of, *values in rows if of == name], axis=0)
        print(f"{name}: {before:.3f} → {after:.3f} on those that were left out")


if __name__ == "__main__":
    main()
