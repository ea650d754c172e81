"""Teach the finder what an eye's white, iris and pupil are: ``python -m demo.teach_eyes --small DIR …``.

Its pictures are the choir and sitters by chance (``demo.sitters.rehearsal``), at several sizes, each many times: by
their exact labels irises, skin, whites and pupils change their colours, pupils their size, and the light, the camera,
the file and the mesh are changed by chance. The guests are never looked at. The seed is fixed.
"""

import argparse
import json
import zlib
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path

import cv2
import numpy as np

from demo.teach import DEMO, PROCESSES, begin, fitted
from retouch.colour.encoding import decode, encode
from retouch.colour.tones import clipped_oklab
from retouch.faces import eye_parts as parts
from retouch.faces import mesh
from retouch.faces.eyes import guessed
from retouch.faces.finding import EYES_SIDE, find
from retouch.faces.upright import moved
from retouch.files.reading import read
from retouch.frame import Frame, resample
from retouch.render.picture import Decoded
from retouch.types import Encoded, Floats

KINDS = ("eye-whites", "irises", "pupils")
SIZES = (700, 1000, 1600, 2600)
"""Long sides of the pictures on which eyes are seen, as far as the files have them."""
PIXELS = 700
"""Of one version of an eye."""
ROUNDS = 70
SEED = 20261127
ASIDE = 4
"""Of the hard sitters every so many-th is left out of teaching, with those of the choir that are named here."""
UNTAUGHT = ("Bass 2", "Tenor 1")


@dataclass
class View:
    """Both eyes of one person: linear colours (h × w × 3), the mesh in its pixels, closed eyes, coverages by labels."""

    linear: Floats
    points: Floats
    closed: tuple[int, ...]
    truth: dict[str, Floats]


def views(
    label: Path,
    kinds: tuple[str, ...] = (*KINDS, "lashes", "skin"),
    near: tuple[int, ...] = (*mesh.EYES[0], *mesh.EYES[1]),
    most: int = EYES_SIDE,
) -> Iterator[View]:
    """Everybody on the picture that a file of labels is about, at several sizes, cut out round points of the mesh."""
    picture = Decoded(read(next((label.parents[1] / "pictures").glob(f"{label.stem}.*"))))
    found = find(picture)
    with np.load(label.with_suffix(".npz")) as masks:
        masks = {name: masks[name].astype(np.float32)[..., None] / 255 for name in kinds}
    whole = Frame.whole(*next(iter(masks.values())).shape[1::-1])
    long = max(picture.width, picture.height)
    for person in json.loads(label.read_text())["people"]:
        nose = np.array(person["landmarks"]["nose-tip"])
        for face in found.faces:
            marks = np.array(face.landmarks)
            if not len(marks) or np.hypot(*(marks[mesh.NOSE[0]] - nose)) > 0.05:
                continue
            there = marks[list(near)]
            middle, half = (there.min(0) + there.max(0)) / 2, 0.7 * float(np.ptp(there, axis=0).max())
            for size in sorted({min(size, long) for size in SIZES}):
                share = min(size / long, most / (2 * half * long))
                at = Frame.whole(round(picture.width * share), round(picture.height * share))
                at = at.within(*(middle - half), *(middle + half)) or at
                yield View(
                    decode(picture.read(at)).astype(np.float32), marks * at.unit - [at.x, at.y], face.closed,
                    {name: resample(mask, whole, at)[..., 0] for name, mask in masks.items()},
                )  # fmt: skip


def with_pupils(view: View, rng: np.random.Generator) -> View:
    """The same eyes with narrower or wider pupils, as the light might have had them."""
    out, truth = view.linear.copy(), {name: mask.copy() for name, mask in view.truth.items()}
    for ring in mesh.IRISES:
        middle = view.points[ring[0]]
        reach = 2 * float(np.mean(np.hypot(*(view.points[list(ring[1:])] - middle).T)))
        y, x = np.mgrid[: out.shape[0], : out.shape[1]] + 0.5
        here = np.hypot(x - middle[0], y - middle[1]) < reach
        pupil, iris = truth["pupils"] * here, truth["irises"] * here
        if (pupil > 0.8).sum() < 3 or (iris > 0.8).sum() < 3:
            continue
        centre = np.array([(pupil * x).sum(), (pupil * y).sum()]) / pupil.sum()
        eye, size = pupil + iris, float(np.sqrt(pupil.sum() / np.pi)) * rng.uniform(0.6, 1.7)
        new = np.clip(size + 0.5 - np.hypot(x - centre[0], y - centre[1]), 0, 1).astype(np.float32) * eye
        dark, own = (np.median(out[mask > 0.8], axis=0) for mask in (pupil, iris))
        wider, narrower = np.maximum(new - pupil, 0)[..., None], np.maximum(pupil - new, 0)[..., None]
        out = (out + wider * (dark - out) + narrower * (own - out)).astype(np.float32)
        truth["pupils"] += np.where(here, new - pupil, 0)
        truth["irises"] -= np.where(here, new - pupil, 0)
    return replace(view, linear=out, truth=truth)


def changed(view: View, rng: np.random.Generator) -> tuple[View, Encoded, Floats]:
    """Another picture of the same eyes, whose truth is as exact, and a mesh as it might lie on it."""
    if rng.random() < 0.5:
        view = with_pupils(view, rng)
    out, truth = view.linear.copy(), view.truth
    wide = float(np.mean([np.hypot(*(view.points[a] - view.points[b])) for a, b in mesh.CORNERS]))
    eye = np.clip(sum(truth[kind] for kind in KINDS), 0, 1)

    def by(mask: Floats, gain: Floats) -> None:
        nonlocal out
        out = out * (1 + mask[..., None] * (gain - 1)).astype(np.float32)

    if rng.random() < 0.6:
        there = truth["irises"] > 0.8
        now = np.median(out[there], axis=0) if there.sum() > 3 else np.full(3, 0.05)
        new = np.exp(rng.uniform(np.log(0.012), np.log(0.3))) * rng.uniform(0.6, 1.5, 3)
        by(truth["irises"], new / np.maximum(now, 1e-3))
    if rng.random() < 0.6:
        by(np.clip(1 - eye - truth["lashes"], 0, 1), np.exp(rng.normal(0, 0.5) + rng.normal(0, [0.06, 0.12, 0.16])))
    if rng.random() < 0.15:
        flash = np.array([0.5, 0.03, 0.02]) * np.exp(rng.normal(0, 0.4))
        out += truth["pupils"][..., None] * (flash - out).astype(np.float32)
    if rng.random() < 0.3:
        by(truth["eye-whites"], np.exp(rng.normal(-0.2, 0.3) + rng.normal(0, [0.03, 0.05, 0.05])))
    encoded = taken(out, [view.points[list(lids)].mean(0) for lids in mesh.EYES], wide, rng)
    points = jittered(view.points, wide, rng)
    for lids, iris in zip(mesh.EYES, mesh.IRISES, strict=True):
        points[[*lids, *iris]] += rng.normal(0, 0.02 * wide, 2)
        points[list(iris)] += rng.normal(0, 0.02 * wide, 2)
    return view, encoded, points


def taken(out: Floats, middles: list[Floats], wide: float, rng: np.random.Generator) -> Encoded:
    """As light, a camera and a file may make it; ``wide``: pixels of a feature, ``middles``: where it may be."""
    if rng.random() < 0.35:
        # A shadow's edge across.
        y, x = np.mgrid[: out.shape[0], : out.shape[1]]
        middle, turn = middles[rng.integers(len(middles))], rng.uniform(0, 2 * np.pi)
        far = (x - middle[0]) * np.cos(turn) + (y - middle[1]) * np.sin(turn) + rng.normal(0, 0.3) * wide
        dark = rng.uniform(0.2, 0.8) / (1 + np.exp(-far / (rng.uniform(0.05, 0.4) * wide)))
        out = out * (1 - dark[..., None]).astype(np.float32)
    out = out * 2.0 ** rng.normal(0, 0.6) * rng.uniform(0.8, 1.25, 3)
    out = out + (rng.uniform(0, 0.03) if rng.random() < 0.3 else 0)
    if rng.random() < 0.4:
        out = cv2.GaussianBlur(out, (0, 0), rng.uniform(0.3, 0.02 * wide + 0.3))
    out = out + rng.uniform(0, 0.012) * np.sqrt(np.maximum(out, 1e-4)) * rng.standard_normal(out.shape)
    encoded = np.clip(encode(out.astype(np.float64)), 0, 1)
    if rng.random() < 0.4:
        quality = [cv2.IMWRITE_JPEG_QUALITY, int(rng.integers(55, 95))]
        _, data = cv2.imencode(".jpg", (encoded * 255).astype(np.uint8), quality)
        encoded = cv2.imdecode(data, cv2.IMREAD_COLOR) / 255.0
    return Encoded(encoded.astype(np.float32))


def jittered(points: Floats, wide: float, rng: np.random.Generator) -> Floats:
    """A mesh as it might lie."""
    middle, turn = points.mean(0), rng.normal(0, 0.03)
    spin = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    out = (points - middle) @ spin.T * (1 + rng.normal(0, 0.03)) + middle + rng.normal(0, 0.025 * wide, 2)
    return np.asarray(out)


def samples(
    view: View, colours: Encoded, points: Floats, rng: np.random.Generator
) -> Iterator[tuple[Floats, np.ndarray]]:
    """Features and classes of some pixels of each open eye, more of them near borders."""
    lab = clipped_oklab(colours)
    for eye in (0, 1):
        if eye in view.closed:
            continue
        way = parts.upright(points, eye)
        there, own = parts.MAP.onto(lab, way), moved(points, way)
        values = parts.measured(there, own, eye, guessed(there, own, eye))
        yield from some(values, [parts.MAP.onto(view.truth[kind], way) for kind in KINDS], PIXELS, rng)


def some(
    values: Floats, truth: list[Floats], most: int, rng: np.random.Generator
) -> Iterator[tuple[Floats, np.ndarray]]:
    """Features and classes of some pixels of a map, the first class being none of ``truth``; nothing if none shows."""
    masks = np.stack([1 - np.sum(truth, axis=0), *truth])
    kind, sure = masks.argmax(0), masks.max(0)
    near = cv2.dilate((kind > 0).astype(np.uint8), np.ones((17, 17))) > 0
    edge = cv2.dilate((sure < 0.95).astype(np.uint8), np.ones((5, 5))) > 0
    weight = np.where(sure < 0.5, 0, np.where(near, np.where(edge, 2.0, 1.0), 0.15)).ravel()
    if (kind > 0).sum() >= 6:
        count = min(most, int((weight > 0).sum()))
        chosen = rng.choice(len(weight), count, replace=False, p=weight / weight.sum())
        yield values.reshape(-1, values.shape[-1])[chosen], kind.ravel()[chosen]


def lesson(label: Path, versions: int) -> list[tuple[Floats, np.ndarray]]:
    """Samples of everybody on a picture: as it is, and changed; by chance of its own."""
    rng = np.random.default_rng([SEED, zlib.crc32(label.stem.encode())])
    out: list[tuple[Floats, np.ndarray]] = []
    for view in views(label):
        out += samples(view, Encoded(np.clip(encode(view.linear.astype(np.float64)), 0, 1)), view.points, rng)
        for _ in range(1, versions):
            out += samples(*changed(view, rng), rng)
    return out


def left_out(label: Path) -> bool:
    """Whether nothing is taught by this picture, so that one can see how well the rest taught."""
    words = label.stem.split()
    return label.stem in UNTAUGHT or (words[0] == "Hard" and int(words[-1]) % ASIDE == 3)


def teach(
    model: Path, classes: int, lesson: Callable[..., list[tuple[Floats, np.ndarray]]], module: str, rounds: int
) -> None:
    """Teach by the pictures that are named on the command line, and write the model."""
    parser = argparse.ArgumentParser(prog=f"python -m {module}")
    parser.add_argument("--small", type=Path, nargs="+", required=True, help="folders of demo.sitters.rehearsal")
    parser.add_argument("--versions", type=int, default=8)
    parser.add_argument("--into", type=Path, default=model)
    options = parser.parse_args()
    begin(model, classes)
    labels = [p for folder in (*options.small, DEMO) for p in sorted((folder / "labels").glob("*.json"))]
    labels = [label for label in labels if not left_out(label)]
    values, kinds = [], []
    with ProcessPoolExecutor(PROCESSES) as pool:
        for path, got in zip(labels, pool.map(partial(lesson, versions=options.versions), labels), strict=True):
            values += [v for v, _ in got]
            kinds += [k for _, k in got]
            print(path.stem, flush=True)
    fitted(np.concatenate(values), np.concatenate(kinds), rounds, 0.12, 60).save(options.into)


if __name__ == "__main__":
    teach(parts.MODEL, 1 + len(KINDS), lesson, "demo.teach_eyes", ROUNDS)
