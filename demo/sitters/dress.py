"""What the sitters wear: a top, glasses, and the clamp that someone forgot."""

from collections.abc import Callable
from typing import Any

import numpy as np

from demo.sitters import shape
from demo.sitters.cast import Colour, Sitter
from demo.sitters.noise import noise
from demo.sitters.solid import Stage, T, Values, curves, flat, mesh, mi, normals_of, painted, triangles_of

Pose = Callable[[Values], Values]


def top(stage: Stage, sitter: Sitter, number: int, points: Values) -> None:
    """A top: the mesh's own second skin, cut at the neck, with a hem and some folds; plain or in stripes."""
    if sitter.neckline == "bare":
        return
    tights = shape.base()[1]["helper-tights"]
    kept = tights[shape.base()[0][tights][:, :, 1].min(1) > 1.5]
    made = shape.mesh(points, kept, 4)
    x, y, z = made.rest.T
    line = {
        "crew": np.full_like(x, 5.84),
        "v": 5.84 - 0.95 * np.maximum(1 - np.abs(x) / 0.75, 0) * (z > 0.3),
        "boat": 5.62 + 0.30 * np.maximum(np.abs(x) - 0.3, 0),
        "straps": 4.75 + 1.4 * np.exp(-(((np.abs(x) - 0.78) / 0.13) ** 4)),
        "high": np.full_like(x, 6.02),
    }[sitter.neckline]
    surface, rest, triangles, below = cut(made.points, made.rest, triangles_of(made.faces), y - line)
    hem = np.clip(below / 0.03, 0, 1) * (0.012 + 0.020 * np.exp(-((below / 0.14) ** 4)))
    seam = -0.012 * np.exp(-(((below - 0.15) / 0.012) ** 2))
    folds = 0.045 * noise(rest * [1.0, 0.55, 1.0], 1.1, sitter.seed + 5, 2) * np.clip(below / 0.8, 0, 1)
    surface = surface + (0.014 + hem + seam + folds)[:, None] * normals_of(surface, triangles)
    weave = 0.92 + 0.05 * np.sin(140 * rest[:, 0]) + 0.05 * noise(rest, 40, sitter.seed + 6, 2)
    cloth = {"type": "principled", "base_color": painted(), "roughness": 0.9, "specular": 0.1, "sheen": 0.4}
    name = f"{number}-clothing"
    colour = np.outer(weave, sitter.cloth)
    if sitter.stripes:
        other = np.sin(2 * np.pi * rest[:, 1] / 0.32 + 0.6 * noise(rest, 3, sitter.seed + 8, 2)) > 0.2
        colour[other] = np.outer(weave, sitter.stripes)[other]
    made_up = mesh(name, surface, triangles, {"type": "twosided", "b": cloth}, colour)
    stage.put(name, number, made_up, "clothing")


def cut(points: Values, rest: Values, triangles: Any, above: Values) -> tuple[Values, Values, Any, Values]:
    """Keep what lies below a line: vertices past it move along their edges onto it, so that the edge is smooth.

    ``above`` is positive past the line. Returns points, rest positions, triangles, and how far below the line (≥ 0).
    """
    triangles = triangles[above[triangles].min(1) < 0]
    edges = np.concatenate([triangles[:, [i, (i + 1) % 3]] for i in range(3)])
    edges = np.concatenate([edges, edges[:, ::-1]])
    edges = edges[(above[edges[:, 0]] > 0) & (above[edges[:, 1]] <= 0)]
    share = (above[edges[:, 0]] / (above[edges[:, 0]] - above[edges[:, 1]]))[:, None]
    count = np.maximum(np.bincount(edges[:, 0], minlength=len(points)), 1)[:, None]
    moved = []
    for values in (points, rest):
        move = np.zeros_like(values)
        np.add.at(move, edges[:, 0], share * (values[edges[:, 1]] - values[edges[:, 0]]))
        moved.append(values + move / count)
    used, index = np.unique(triangles, return_inverse=True)
    return moved[0][used], moved[1][used], index.reshape(triangles.shape), np.maximum(-above[used], 0)


def glasses(stage: Stage, colour: Colour, number: int, eyes: list[Values], posed: Pose) -> None:
    """A frame before the eyes: two rims, a bridge, and temples to the ears; lenses so clear that they do not show."""
    t = np.linspace(0, 2 * np.pi, 64)
    lines = []
    for eye in eyes:
        sign = np.sign(eye[0])
        rim = np.abs(np.stack([np.cos(t), np.sin(t)], axis=1)) ** 0.62 * np.sign(np.stack([np.cos(t), np.sin(t)], 1))
        front = eye[2] + 0.30 - 0.10 * (rim[:, 0] * sign > 0) * rim[:, 0] ** 2
        lines.append(np.stack([eye[0] + 0.02 * sign + 0.215 * rim[:, 0], eye[1] - 0.02 + 0.165 * rim[:, 1], front], 1))
        hinge = np.array([eye[0] + 0.235 * sign, eye[1] + 0.06, eye[2] + 0.20])
        ear = np.array([sign * 0.80, eye[1] + 0.12, 0.30])
        s = np.linspace(0, 1, 64)[:, None]
        lines.append(hinge + s * (ear - hinge) + np.array([sign * 0.10, 0, 0]) * np.sin(np.pi * s))
    inner = [np.array([e[0] - 0.195 * np.sign(e[0]), e[1] + 0.05, e[2] + 0.30]) for e in eyes]
    s = np.linspace(0, 1, 64)[:, None]
    lines.append(inner[0] + s * (inner[1] - inner[0]) + np.array([0, 0.03, 0.05]) * np.sin(np.pi * s))
    points = np.stack([posed(line) for line in lines])
    radii = np.full(points.shape[:2], 0.016)
    bsdf = {"type": "principled", "base_color": flat(colour), "roughness": 0.15, "specular": 0.6, "clearcoat": 1.0}
    name = f"{number}-glasses"
    stage.put(name, number, curves(name, points, radii, bsdf), "things")


def clamp(stage: Stage, number: int, posed: Pose) -> None:
    """A spring clamp that takes in the top behind the neck; its two handles stand out beside it."""
    middle = posed(np.array([[1.0, 5.32, -0.2]]))[0]
    steel = {"type": "principled", "base_color": flat((0.35, 0.36, 0.38)), "metallic": 1.0, "roughness": 0.25}
    tip = {"type": "principled", "base_color": flat((0.75, 0.16, 0.02)), "roughness": 0.4, "specular": 0.4}
    for side, lean in (("a", -62.0), ("b", -28.0)):
        arm = T().translate(middle.tolist()) @ T().rotate([0, 0, 1], lean) @ T().rotate([0, 1, 0], 25)
        for part, at, half, bsdf in (
            ("handle", (0.0, 0.20, 0.0), (0.028, 0.22, 0.055), steel),
            ("tip", (0.0, 0.42, 0.0), (0.040, 0.11, 0.068), tip),
        ):
            name = f"{number}-clamp-{side}-{part}"
            to_world = arm @ T().translate(list(at)) @ T().scale(list(half))
            solid = mi.load_dict({"type": "cube", "id": name, "to_world": to_world, "bsdf": bsdf})
            stage.put(name, number, solid, "things")
