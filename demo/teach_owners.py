"""Teach the finder whose each pixel of a crowd is: ``python -m demo.teach_owners --figures DIR``; see demo/README.md.

Its pictures are put together: single people (``demo.sitters.rehearsal --figures``) are cut out by their exact labels,
each recoloured and lit by chance, and put side by side, before and behind each other, on a backdrop. Rendered crowds
and the guests are never learnt from. Seed and steps are fixed.
"""

import argparse
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import NamedTuple

import cv2
import numpy as np
import torch
from torch import Tensor
from torch.nn import functional

from demo.sitters.noise import noise
from demo.teach import CLASSES, PROCESSES, SEED, View, changed
from demo.unet import Taught, learnt
from retouch.colour.encoding import decode, encode
from retouch.colour.tones import clipped_oklab
from retouch.faces import mesh
from retouch.faces.bodies import crowd, seen, window
from retouch.faces.finding import find
from retouch.faces.found import Found
from retouch.faces.owners import MINE, NET
from retouch.files.reading import read
from retouch.frame import Frame
from retouch.render.picture import Decoded
from retouch.segment.net import OUTLIER, Net
from retouch.types import Encoded, Floats

SIZE = 40.0
"""Pixels to the length of a figure's face."""
MOST, SHOWN = 5, 0.55
"""People at most, and the share of a face that is seen when it is found."""
SPACING, HEIGHTS, SIZES = (0.65, 2.3), 0.45, 0.1
"""How far apart people stand and how unlike their heights are, in lengths of a face, and the spread of their sizes."""
STRIPED = 0.35
"""The share of jerseys that have stripes; others have prints."""
UNFOUND, MESHLESS = 0.04, 0.06
"""Shares of faces that are not found, or of which no mesh is."""
WIDTHS = 24, 32, 40, 48
"""Channels of each map of the network, the largest first."""
PICTURES, BATCH, STEPS, CHANCE = 1200, 6, 2400, 7
"""How many are put together, bodies in a step of learning and steps, and the seed of what the network begins with."""
LOUD, UNKNOWN, UNTOLD = 0.1, 0.08, 0.4
"""Standard deviation of what is added to features, the share of those that are left out, and of pictures on which none
of what rules tell is known."""
ASIDE = 6
"""Every so many-th figure is left out."""
SIDED, RULES = (0, 13), (11, 16, 17)
"""The features that are on the other side in a mirror, and those that rules tell."""

Lesson = tuple[Floats, np.ndarray, np.ndarray]
"""Features (h × w × f, half precision), where anybody is, and bytes of coverage of the one (h × w)."""


class Put(NamedTuple):
    """A picture that was put together: OKLab, everybody's coverage, meshes and boxes of who is found, and whose it is.

    ``whose`` (h × w) is 0 for nobody's, the number of a face, or -1 where somebody is whose face is not found.
    """

    lab: Floats
    person: Floats
    meshes: list[Floats]
    boxes: list[tuple[float, ...]]
    whose: np.ndarray


def figure(label: Path) -> View | None:
    """A person to be cut out; none if no mesh of the face is found."""
    path = next((label.parents[1] / "pictures").glob(f"{label.stem}.*"))
    picture = Decoded(read(path))
    marks = _mesh(picture)
    if not len(marks):
        return None
    share = min(1.0, SIZE / (mesh.upright(marks)[1] * max(picture.width, picture.height)))
    at = Frame.whole(round(picture.width * share), round(picture.height * share))
    with np.load(label.with_suffix(".npz")) as stored:
        size = at.width, at.height
        masks = {n: cv2.resize(stored[n], size, interpolation=cv2.INTER_AREA).astype(np.float32) / 255 for n in stored}
    linear = decode(picture.read(at)).astype(np.float32)
    kinds = CLASSES | {"cloth": ("clothing",), "behind": ("backdrop",)}
    truth = {name: np.asarray(np.minimum(sum(masks[k] for k in of), 1)) for name, of in kinds.items()}
    return View(label.stem, linear, marks * at.unit, 1 - truth["behind"], truth)


class _Known(Exception):
    """Meshes are: the rest of what can be found is not waited for."""


def _mesh(picture: Decoded) -> Floats:
    """The first face's, in long sides."""

    def enough(found: Found) -> None:
        raise _Known(found.faces)

    try:
        faces = find(picture, first=enough).faces
    except _Known as known:
        (faces,) = known.args
    return next((np.array(face.landmarks) for face in faces if face.landmarks), np.zeros((0, 3)))


def striped(view: View, rng: np.random.Generator) -> View:
    """Now and then in a jersey with stripes."""
    if rng.random() > STRIPED:
        return view
    length = mesh.upright(view.points)[1]
    height, width = view.linear.shape[:2]
    y, x = np.mgrid[:height, :width]
    slope, many = rng.normal(0, 0.2), 2 * np.pi * rng.uniform(2.0, 9.0)
    wave = 0.06 * noise(_places(height, width), rng.uniform(0.5, 2), int(rng.integers(1 << 30)), 2)
    stripe = np.sin(many * ((y + slope * x) / length + wave.reshape(height, width))) > rng.uniform(-0.4, 0.4)
    light = view.linear.mean(-1)
    cloth = view.truth["cloth"]
    usual = float(np.median(light[cloth > 0.9])) if (cloth > 0.9).any() else 1.0
    colour = usual * np.exp(rng.uniform(np.log(0.1), np.log(4))) * rng.uniform(0.4, 1.6, 3)
    new = colour * np.clip(light / max(usual, 1e-4), 0.05, 5.0)[..., None] ** 0.8
    linear = view.linear + (cloth * stripe)[..., None] * (new - view.linear)
    return replace(view, linear=linear.astype(np.float32))


def put(figures: list[View], rng: np.random.Generator) -> Put | None:
    """Some of them on one picture, by chance; none if fewer than two are found."""
    count = int(rng.integers(2, MOST + 1))
    chosen = [striped(changed(figures[i], rng), rng) for i in rng.choice(len(figures), count, replace=False)]
    side = np.concatenate([[0], np.cumsum(rng.uniform(*SPACING, count - 1))]) * SIZE * rng.uniform(0.7, 1.1)
    low = rng.normal(0, HEIGHTS, count) * SIZE
    width, height = int(side[-1] + SIZE * rng.uniform(2.0, 8.0)), int(SIZE * rng.uniform(3.2, 6.2))
    side += (width - side[-1]) / 2 + rng.normal(0, 0.4) * SIZE
    base = SIZE * rng.uniform(1.4, 2.4)
    out = np.broadcast_to(np.exp(rng.uniform(np.log(0.02), np.log(0.7))) * rng.uniform(0.5, 1.5, 3), (height, width, 3))
    rough = noise(_places(height, width), rng.uniform(0.5, 5), int(rng.integers(1 << 30)), 3).reshape(height, width, 1)
    out = (out * (1 + 0.2 * rough)).astype(np.float32)
    person, whose, places = np.zeros((height, width), np.float32), np.zeros((height, width), int), {}
    # Who stands lower mostly stands before the others.
    for number in np.argsort(low + rng.normal(0, 0.8, count) * SIZE):
        view = chosen[number]
        scale, mirrored = np.exp(rng.normal(0, SIZES)), bool(rng.random() < 0.5)
        chin = view.points[mesh.CHIN]
        to = np.array([side[number], base + low[number]])
        way = np.array([[-scale if mirrored else scale, 0, 0], [0, scale, 0]])
        way[:, 2] = to - way[:, :2] @ chin
        alpha, colours = _moved(1 - view.truth["behind"], way, width, height), _moved(view.linear, way, width, height)
        gain = np.exp(rng.normal(0, 0.15)) * np.exp(rng.normal(0, 0.03, 3))
        # A shadow of who stands before falls on who stands behind.
        shade = cv2.GaussianBlur(np.roll(alpha, rng.integers(-6, 7, 2), (0, 1)), (0, 0), rng.uniform(1, 8))
        out = out * (1 - rng.uniform(0, 0.7) * shade)[..., None]
        out = out + alpha[..., None] * (colours * gain - out)
        person = np.maximum(person, alpha)
        whose[alpha > 0.5] = number + 1
        places[number] = view.points[:, :2] @ way[:, :2].T + way[:, 2]
    out = (out * rng.uniform(0.8, 1.25, 3)).astype(np.float32)
    if rng.random() < 0.5:
        out = cv2.GaussianBlur(out, (0, 0), rng.uniform(0.3, 1.0))
    out = out + rng.uniform(0, 0.02) * np.sqrt(np.maximum(out, 1e-4)) * rng.standard_normal(out.shape)
    meshes, boxes, named = [], [], np.full(count + 1, -1)
    named[0] = 0
    for number in rng.permutation(count):
        points = places[number]
        x, y = np.round(points[list(mesh.OVAL)]).astype(int).T
        within = (x >= 0) & (y >= 0) & (x < width) & (y < height)
        face = np.zeros(whose.shape, np.uint8)
        cv2.fillPoly(face, [np.stack([x, y], axis=1).astype(np.int32)], 1)
        shows = (whose[face > 0] == number + 1).mean() if within.all() and face.any() else 0
        if shows < SHOWN or rng.random() < UNFOUND:
            continue
        length = mesh.upright(points)[1]
        corner = points.mean(0) - length / 2 + rng.normal(0, 0.04, 2) * length
        boxes.append((*corner, length, length))
        meshes.append(np.zeros((0, 2)) if rng.random() < MESHLESS else points)
        named[number + 1] = len(boxes)
    if len(boxes) < 2:
        return None
    if rng.random() < 0.5:
        person = np.clip((cv2.GaussianBlur(person, (0, 0), rng.uniform(0.5, 2)) - 0.5) * 2 + 0.5, 0, 1)
    lab = clipped_oklab(Encoded(np.clip(encode(out.astype(np.float64)), 0, 1)))
    return Put(lab.astype(np.float32), person, meshes, boxes, named[whose])


def _places(height: int, width: int) -> Floats:
    y, x = np.mgrid[:height, :width] / SIZE
    return np.stack([x.ravel(), y.ravel(), 0 * x.ravel()], axis=1)


def _moved(of: Floats, way: Floats, width: int, height: int) -> Floats:
    """Of a figure, at its place; below its picture it goes on as its last row is."""
    longer = cv2.copyMakeBorder(of, 0, int(4 * SIZE), 0, 0, cv2.BORDER_REPLICATE)
    return np.asarray(cv2.warpAffine(longer, way, (width, height), flags=cv2.INTER_LINEAR))


def lessons(seed: int, figures: list[View]) -> list[Lesson]:
    """What the network sees of everybody on one picture by chance, where anybody is, and where it is the one."""
    one = put(figures, np.random.default_rng([SEED, seed]))
    if one is None:
        return []
    of = crowd(one.lab, one.person, one.meshes, one.boxes)
    size = of.covered.shape[::-1]
    out = []
    for number in range(len(of.bodies)):
        maps, there = seen(of, number)
        own = cv2.resize((one.whose == number + 1).astype(np.float32), size, interpolation=cv2.INTER_AREA)
        out.append((maps.astype(np.float16), there, np.round(255 * window(of, number, own)).astype(np.uint8)))
    return out


def turned_into(of: Lesson, mean: Floats, spread: Floats, rng: np.random.Generator) -> tuple[np.ndarray, ...]:
    """What one step learns from: features and where they are (f + 1 × h × w), where they count, and the truth."""
    maps, there, truth = of
    values = maps.astype(np.float32)
    if rng.random() < 0.5:
        values, there, truth = values[:, ::-1].copy(), there[:, ::-1], truth[:, ::-1]
        values[..., list(SIDED)] *= -1
    known = np.clip((values - mean) / spread, -OUTLIER, OUTLIER).transpose(2, 0, 1)
    each = len(known), 1, 1
    known = known * (1 + rng.normal(0, LOUD, each)) + rng.normal(0, LOUD, each)
    known[rng.random(len(known)) < UNKNOWN] = 0
    if rng.random() < UNTOLD:
        known[list(RULES)] = 0
    known = np.concatenate([known, np.ones((1, *there.shape))]) * there
    return known.astype(np.float32), there.copy(), truth.astype(np.float32) / 255


def loss(scores: Tensor, there: Tensor, truth: Tensor) -> Tensor:
    """Cross entropy, and how little the body overlaps with the truth."""
    logs = functional.log_softmax(scores, 1)
    wanted = torch.stack([1 - truth, truth], 1)
    likely, own = logs[:, MINE].exp() * there, truth * there
    shared = (likely * own).sum((1, 2))
    either = (likely + own).sum((1, 2)) - shared
    return -(wanted * logs).sum(1)[there].mean() + 0.5 * (1 - (shared + 5) / (either + 5)).mean()


def taught(all_: list[Lesson]) -> Net:
    """The network that has learnt from these, beginning by chance and in an order by chance."""
    torch.manual_seed(CHANCE)
    rng = np.random.default_rng(CHANCE)
    some = np.concatenate([maps[there][::37].astype(np.float32) for maps, there, _ in all_])
    mean, spread = some.mean(0), some.std(0) + 1e-3
    net = Taught(len(mean), WIDTHS, 2)

    def batch() -> list[tuple[np.ndarray, ...]]:
        return [turned_into(all_[rng.integers(len(all_))], mean, spread, rng) for _ in range(BATCH)]

    return learnt(net, batch, loss, STEPS).plain(mean, spread)


def left_out(view: View) -> bool:
    """Whether nothing is learnt from a figure."""
    return int(view.name.split()[-1]) % ASIDE == 0


def main() -> None:
    """Teach, say how well it holds on figures that were left out, and write the model."""
    parser = argparse.ArgumentParser(prog="python -m demo.teach_owners")
    parser.add_argument("--figures", type=Path, required=True, help="a folder of demo.sitters.rehearsal --figures")
    parser.add_argument("--pictures", type=int, default=PICTURES)
    parser.add_argument("--into", type=Path, default=NET)
    options = parser.parse_args()
    labels = sorted((options.figures / "labels").glob("*.json"))
    with ProcessPoolExecutor(PROCESSES) as pool:
        people = [view for view in pool.map(figure, labels) if view is not None]
        known = [view for view in people if not left_out(view)]
        others = [view for view in people if left_out(view)]
        most = options.pictures
        all_ = [one for got in pool.map(partial(lessons, figures=known), range(most), chunksize=20) for one in got]
        aside = [one for got in pool.map(partial(lessons, figures=others), range(most, most + 40)) for one in got]
    print(f"{len(people)} people on {most} pictures, {len(all_)} lessons", flush=True)
    net = taught(all_)
    net.save(options.into)
    values = []
    for maps, there, truth in aside:
        likely = Net.load(options.into).likely(maps.astype(np.float32), there)[..., MINE]
        found, true = (likely > 0.5) & there, (truth > 127) & there
        values.append((found & true).sum() / max((found | true).sum(), 1))
    print(f"{np.mean(values):.3f} on {len(values)} bodies of people that were left out")


if __name__ == "__main__":
    main()
