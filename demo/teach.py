"""Teach the finder what skin and hair are: ``python -m demo.teach --small DIR …``; see demo/README.md.

Its pictures are the choir and small sitters by chance (``demo.sitters.rehearsal``), each many times: by their exact
labels hair, cloth, backdrop and skin are recoloured and necklines cut anew, and the light, the camera and the file
are changed by chance. The guests (``demo.sitters.guests``) are never looked at. The seed is fixed.
"""

import argparse
import json
import re
import zlib
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import cv2
import numpy as np
from sklearn.ensemble import HistGradientBoostingClassifier

from demo.sitters.noise import noise
from retouch.colour.encoding import decode, encode
from retouch.colour.tones import clipped_oklab
from retouch.faces import mesh
from retouch.faces.finding import find
from retouch.faces.relative import measured
from retouch.faces.skin_hair import MODEL, around
from retouch.files.reading import read
from retouch.frame import Frame, resample
from retouch.render.picture import Decoded
from retouch.segment.trees import Trees
from retouch.types import Encoded, Floats

DEMO = Path(__file__).parent
CLASSES = {
    "skin": ("skin", "face-skin"),
    "hair": ("hair",),
    "other": ("clothing", "things", "backdrop"),
    "features": ("lips", "teeth", "mouth", "eye-whites", "irises", "pupils", "brows", "lashes"),
}
HAIR = ((0.012, 0.01, 0.009), (0.03, 0.02, 0.014), (0.08, 0.045, 0.025), (0.18, 0.1, 0.055), (0.35, 0.22, 0.11),
        (0.5, 0.38, 0.22), (0.25, 0.07, 0.025), (0.3, 0.3, 0.3), (0.72, 0.7, 0.67), (0.6, 0.57, 0.5), (0.05, 0.1, 0.35),
        (0.45, 0.15, 0.2), (0.08, 0.3, 0.12))  # fmt: skip
PIXELS = 2600
"""Of one version of a face."""
ROUNDS = 150
SEED, PROCESSES = 20261126, 2
ASIDE, UNTAUGHT = 4, ("Bass 2",)
"""Every so many-th sitter by chance is left out, and those of the choir that are named."""


@dataclass
class View:
    """One person on one picture: linear colours (h × w × 3), the mesh in its pixels, and coverages by exact labels."""

    name: str
    linear: Floats
    points: Floats
    own: Floats
    truth: dict[str, Floats]


def views(label: Path, unit: int | None = None) -> Iterator[View]:
    """Everybody on the picture that a file of labels is about: as skin and hair are looked for, or all of the picture
    with up to ``unit`` pixels on its long side."""
    folder = label.parents[1]
    path = next((folder / "pictures").glob(f"{label.stem}.*"))
    picture = Decoded(read(path))
    found = find(picture)
    with np.load(label.with_suffix(".npz")) as masks:
        masks = {name: masks[name] for name in masks}
    for number, person in enumerate(json.loads(label.read_text())["people"], 1):
        nose = np.array(person["landmarks"]["nose-tip"])
        for of, face in enumerate(found.faces, 1):
            if not face.landmarks:
                continue
            marks = np.array(face.landmarks)
            if np.hypot(*(marks[mesh.NOSE[0]] - nose)) > 0.05:
                continue
            person_map = found.maps[f"person-{of}"]
            at = around(marks, person_map, picture.width, picture.height)
            if unit is not None:
                share = min(1.0, unit / max(picture.width, picture.height))
                at = Frame.whole(round(share * picture.width), round(share * picture.height))
            own = resample(person_map.coverage.astype(np.float32) / 255, person_map.frame, at)
            height, width = masks["skin"].shape
            whole = Frame.whole(width, height)
            truth = {n: resample(m.astype(np.float32)[..., None] / 255, whole, at)[..., 0] for n, m in masks.items()}
            mine = truth.get(f"person-{number}")
            linear = decode(picture.read(at)).astype(np.float32)
            yield View(person["name"], linear, marks * at.unit - [at.x, at.y], own, {
                name: np.minimum(sum(truth[k] for k in kinds), 1) * (1 if name == "other" or mine is None else mine)
                for name, kinds in (CLASSES | {"cloth": ("clothing",), "behind": ("backdrop",)}).items()
            })  # fmt: skip


def changed(view: View, rng: np.random.Generator) -> View:
    """Another picture of the same person, whose truth is as exact."""
    out, truth = view.linear.copy(), {n: m.copy() for n, m in view.truth.items()}
    up, length = mesh.upright(view.points)
    y, x = np.mgrid[: out.shape[0], : out.shape[1]] + 0.5
    chin = view.points[mesh.CHIN]
    height = ((x - chin[0]) * up[0] + (y - chin[1]) * up[1]) / length
    aside = ((x - chin[0]) * -up[1] + (y - chin[1]) * up[0]) / length
    flesh = np.median(out[truth["skin"] > 0.95], axis=0) if (truth["skin"] > 0.95).any() else np.full(3, 0.3)
    level = float(flesh.mean()) / 0.3
    where = np.stack([x.ravel(), y.ravel(), 0 * x.ravel()], axis=1) / length

    def tone(mask: Floats, power: float, blur: float = 0.0) -> Floats:
        light = out.mean(-1)
        if blur:
            light = cv2.GaussianBlur(light, (0, 0), blur * length)
        usual = np.median(light[mask > 0.9]) if (mask > 0.9).any() else light.mean()
        return np.clip(light / max(float(usual), 1e-4), 0.05, 5.0)[..., None] ** power

    def painted(mask: Floats, colour: Floats, power: float, blur: float = 0.0) -> None:
        nonlocal out
        new = np.asarray(colour, np.float32) * tone(mask, power, blur).astype(np.float32)
        out += (mask[..., None] * (new - out)).astype(np.float32)

    def like_flesh() -> Floats:
        return flesh * np.exp(rng.normal(0, 0.35)) * np.exp(rng.normal(0, 0.06, 3))

    if rng.random() < 0.35:
        # A neckline: cloth within a U or a V becomes skin.
        wide, deep, sharp = rng.uniform(0.35, 1.5), rng.uniform(0.25, 1.4), rng.uniform(1.0, 3.0)
        below = np.clip(-height / deep, 0, 1)
        opening = np.clip((wide * (1 - below**sharp) - np.abs(aside - rng.normal(0, 0.1))) / 0.02, 0, 1) * (height < 0)
        opening = opening.astype(np.float32) * truth["cloth"]
        neck = (truth["skin"] > 0.9) & (height < -0.05)
        colour = np.median(out[neck], axis=0) if neck.sum() > 50 else flesh
        painted(opening, colour * np.exp(rng.normal(0, 0.1)), 0.6, 0.05)
        truth["skin"] += opening
        truth["cloth"] -= opening
        truth["other"] -= opening
    elif rng.random() < 0.2:
        # A high collar.
        line = -rng.uniform(0.08, 0.5)
        collar = np.clip((line - height) / 0.02, 0, 1).astype(np.float32) * truth["skin"]
        painted(
            collar, np.median(out[truth["cloth"] > 0.9], axis=0) if (truth["cloth"] > 0.9).any() else like_flesh(), 0.8
        )
        truth["skin"] -= collar
        truth["cloth"] += collar
        truth["other"] += collar
    if rng.random() < 0.75:
        colour = like_flesh() if rng.random() < 0.2 else level * np.array(HAIR[rng.integers(len(HAIR))])
        painted(truth["hair"], colour, rng.uniform(0.75, 1.1))
    if rng.random() < 0.8:

        def any_colour() -> Floats:
            if rng.random() < 0.33:
                return like_flesh()
            return level * np.exp(rng.uniform(np.log(0.02), np.log(0.7))) * rng.uniform(0.4, 1.6, 3)

        painted(truth["cloth"], any_colour(), rng.uniform(0.6, 1.0))
        if rng.random() < 0.33:
            size = rng.uniform(2, 14)
            print_ = noise(where, size, int(rng.integers(1 << 30)), 2).reshape(x.shape) > rng.uniform(-0.2, 0.3)
            painted(truth["cloth"] * print_.astype(np.float32), any_colour(), 0.9)
        if rng.random() < 0.5:
            # What is worn on the head has a colour of its own, often that of somebody's hair.
            worn = level * np.array(HAIR[rng.integers(len(HAIR))]) if rng.random() < 0.4 else any_colour()
            painted(truth["cloth"] * (height > 0.05), worn, rng.uniform(0.6, 1.0))
    if rng.random() < 0.7:
        mask = truth["behind"]
        kind = rng.random()
        colour = (
            like_flesh()
            if kind < 0.25
            else level * np.exp(rng.uniform(np.log(0.02), np.log(0.8))) * rng.uniform(0.5, 1.5, 3)
        )
        painted(mask, colour, rng.uniform(0.3, 1.0))
        if kind > 0.6:
            rough = 1 + rng.uniform(0.1, 0.6) * noise(where, rng.uniform(0.6, 8), int(rng.integers(1 << 30)), 3)
            out = out * (1 + mask[..., None] * (rough.reshape(x.shape)[..., None] - 1)).astype(np.float32)
    if rng.random() < 0.7:
        flesh_mask = np.minimum(truth["skin"] + truth["features"], 1)
        gain = np.exp(rng.normal(0, 0.3)) * np.exp(rng.normal(0, [0.05, 0.1, 0.13]))
        out = out * (1 + flesh_mask[..., None] * (gain - 1)).astype(np.float32)
    person = 1 - truth["behind"]
    if rng.random() < 0.4:
        # Light from one side; the shadow is redder, as skin's is.
        side, where_to = rng.choice([-1, 1]), rng.uniform(-0.4, 0.4)
        dark = 1 / (1 + np.exp(-(side * aside - where_to) / rng.uniform(0.04, 0.3)))
        shade = np.log(1 - rng.uniform(0.3, 0.88) * dark)[..., None] * np.array(
            [1.0, rng.uniform(1, 1.25), rng.uniform(1, 1.4)]
        )
        out = out * np.exp(person[..., None] * shade).astype(np.float32)
    if rng.random() < 0.3:
        out = out * (1 - rng.uniform(0.3, 0.9) * truth["behind"])[..., None]
    out = out * np.float32(2.0 ** rng.normal(0, 0.7)) * rng.uniform(0.78, 1.28, 3).astype(np.float32)
    out = out + np.float32(rng.uniform(0, 0.05) if rng.random() < 0.3 else 0)
    if rng.random() < 0.4:
        out = cv2.GaussianBlur(out, (0, 0), rng.uniform(0.4, max(0.4, 0.008 * length)))
    out = out + rng.uniform(0, 0.012) * np.sqrt(np.maximum(out, 1e-4)) * rng.standard_normal(out.shape)
    encoded = np.clip(encode(out.astype(np.float64)), 0, 1)
    if rng.random() < 0.5:
        _, data = cv2.imencode(
            ".jpg", (encoded * 255).astype(np.uint8), [cv2.IMWRITE_JPEG_QUALITY, int(rng.integers(45, 95))]
        )
        encoded = cv2.imdecode(data, cv2.IMREAD_COLOR).astype(np.float64) / 255
    own = view.own
    if rng.random() < 0.3:
        own = np.clip((cv2.GaussianBlur(own, (0, 0), 0.012 * length) - 0.5) * 2 + 0.5 + rng.normal(0, 0.4), 0, 1)
    middle = view.points.mean(0)
    turn = rng.normal(0, 0.02)
    spin = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    points = (view.points - middle) @ spin.T * (1 + rng.normal(0, 0.025)) + middle + rng.normal(0, 0.012 * length, 2)
    return View(view.name, decode(encoded).astype(np.float32), points, own.astype(np.float32), truth)


def samples(view: View, rng: np.random.Generator) -> tuple[Floats, np.ndarray] | None:
    """Features and classes of some pixels of a view, more of them near borders."""
    seen = measured(clipped_oklab(Encoded(encode(view.linear))), view.points, view.own)
    if seen is None:
        return None
    size = seen.there.shape[::-1]
    masks = np.stack([cv2.resize(view.truth[name], size, interpolation=cv2.INTER_AREA) for name in CLASSES])
    kind, sure = masks.argmax(0), masks.max(0)
    edge = cv2.dilate((sure < 0.98).astype(np.uint8), np.ones((7, 7))) > 0
    weight = np.where(sure < 0.6, 0, np.where(edge, 3.0, 1.0))[seen.there]
    if weight.sum() == 0:
        return None
    count = min(PIXELS, int((weight > 0).sum()))
    chosen = rng.choice(len(weight), count, replace=False, p=weight / weight.sum())
    return seen.values[chosen], kind[seen.there][chosen]


def lesson(label: Path, versions: int) -> list[tuple[Floats, np.ndarray]]:
    """Samples of everybody on a picture: as it is, and changed; by chance of its own."""
    name = zlib.crc32(label.stem.encode())
    # Where is looked is another chance than what is changed: networks are taught by the same pictures.
    changes, places = (np.random.default_rng(key) for key in ([SEED, name], [SEED, name, 1]))
    all_views = [changed(view, changes) if n else view for view in views(label) for n in range(versions)]
    return [got for view in all_views if (got := samples(view, places)) is not None]


def left_out(label: Path) -> bool:
    """Whether nothing is learnt from a picture."""
    number = re.fullmatch(r"(?:Hard|Rehearsal) (\d+)", label.stem)
    return label.stem in UNTAUGHT or bool(number and int(number[1]) % ASIDE == 0)


def main() -> None:
    """Teach, say how well it holds on sitters that were left out, and write the model."""
    parser = argparse.ArgumentParser(prog="python -m demo.teach")
    parser.add_argument("--small", type=Path, nargs="+", required=True, help="folders of demo.sitters.rehearsal")
    parser.add_argument("--versions", type=int, default=7)
    parser.add_argument("--into", type=Path, default=MODEL)
    options = parser.parse_args()
    begin(MODEL, len(CLASSES))
    taught, others = [], []
    labels = [p for folder in (*options.small, DEMO) for p in sorted((folder / "labels").glob("*.json"))]
    with ProcessPoolExecutor(PROCESSES) as pool:
        for path, got in zip(labels, pool.map(partial(lesson, versions=options.versions), labels), strict=True):
            if left_out(path):
                others += got[:1]
            else:
                taught += got
            print(path.stem, flush=True)
    x, y = (np.concatenate(part) for part in zip(*taught, strict=True))
    trees = fitted(x, y, ROUNDS, 0.14, 80)
    values, truth = (np.concatenate(part) for part in zip(*others, strict=True))
    guess = trees.likely(values).argmax(1)
    for number, name in enumerate(CLASSES):
        a, b = guess == number, truth == number
        print(f"{name}: {(a & b).sum() / max((a | b).sum(), 1):.3f} of the samples of who was left out")
    trees.save(options.into)


def begin(model: Path, classes: int) -> None:
    """Faces and people are found first, and finding wants a model: one that knows nothing, if there is none."""
    if not model.exists():
        none = np.zeros(1, np.int32)
        Trees(np.zeros(classes), np.zeros((classes, 1), int), none - 1, none * 0.0, none, none).save(model)


def fitted(x: Floats, y: np.ndarray, rounds: int, rate: float, least: int) -> Trees:
    """Trees for the features ``x`` (n × f) of pixels of the classes ``y``, each leaf of ``least`` pixels or more."""
    model = HistGradientBoostingClassifier(
        max_iter=rounds, learning_rate=rate, max_leaf_nodes=24, min_samples_leaf=least, l2_regularization=5.0,
        max_features=0.4, early_stopping=False, random_state=7,
    ).fit(x, y)  # fmt: skip
    trees = _as_trees(model)
    worst = float(np.abs(trees.likely(x[:2000]) - model.predict_proba(x[:2000])).max())
    print(f"{len(x)} pixels; the plain evaluator differs by {worst:.1e}")
    return trees


def _as_trees(model: HistGradientBoostingClassifier) -> Trees:
    """The plain lists of a taught model."""
    rounds = model._predictors
    roots = np.zeros((len(rounds[0]), len(rounds)), np.int32)
    parts = {name: [] for name in ("feature", "limit", "below", "over")}
    count = 0
    for r, by_class in enumerate(rounds):
        for c, predictor in enumerate(by_class):
            nodes = predictor.nodes
            leaf = nodes["is_leaf"].astype(bool)
            roots[c, r] = count
            parts["feature"].append(np.where(leaf, -1, nodes["feature_idx"]).astype(np.int16))
            parts["limit"].append(np.where(leaf, nodes["value"], nodes["num_threshold"]).astype(np.float32))
            parts["below"].append((nodes["left"].astype(np.int32) + count) * ~leaf)
            parts["over"].append((nodes["right"].astype(np.int32) + count) * ~leaf)
            count += len(nodes)
    start = np.asarray(model._baseline_prediction, np.float32).ravel()
    return Trees(start, roots, **{name: np.concatenate(rows) for name, rows in parts.items()})


if __name__ == "__main__":
    main()
