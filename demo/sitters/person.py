"""One sitter on the stage: body, eyes, teeth, hair."""

from collections.abc import Callable

import numpy as np

from demo.sitters import dress, shape, skin, teeth, wear
from demo.sitters import hair as growth
from demo.sitters.cast import CLASSES, Sitter
from demo.sitters.noise import noise
from demo.sitters.solid import (
    Indices,
    Stage,
    Values,
    curves,
    flat,
    mesh,
    normals_of,
    painted,
    triangles_of,
)

LANDMARKS = {
    "nose-tip": (0.0, 6.93, 1.72), "mouth-left": (0.22, 6.6, 1.4), "mouth-right": (-0.22, 6.6, 1.4),
    "chin": (0.0, 6.12, 1.35), "brow-left": (0.3, 7.5, 1.4), "brow-right": (-0.3, 7.5, 1.4),
}  # fmt: skip
"""Places at rest, of which the nearest vertex is followed; the irises are added from the eyes."""
IRIS, PUPIL = 23.0, 8.0
SLENDER = {"neck-scale-horiz-decr": 0.45, "neck-scale-depth-decr": 0.2, "torso-scale-horiz-decr": 0.3}
"""The mesh's neck and shoulders are broader than most people's."""


def put(stage: Stage, sitter: Sitter, number: int) -> None:
    """Model, paint and dress ``sitter`` as person ``number`` of the stage."""
    rng = np.random.default_rng(sitter.seed)
    weights = (
        shape.people(sitter.ancestry, sitter.female, sitter.old, sitter.child)
        | SLENDER
        | sitter.features
        | sitter.expression
    )
    points = _posed(sitter, shape.morphed(weights), shape.base()[0])
    groups = shape.base()[1]
    own = f"{number}-"

    body = groups["body"][shape.base()[0][groups["body"]][:, :, 1].min(1) > 3.4]
    made = shape.mesh(points, body, sitter.levels)
    at = skin.regions(made.rest)
    triangles = triangles_of(made.faces)
    normals = normals_of(made.points, triangles)
    surface = made.points + normals * skin.relief(sitter, made.rest, at)[:, None]
    bsdf = {
        "type": "principled", "base_color": painted(), "roughness": painted("rough"), "specular": sitter.shine,
        "flatness": 0.6, "sheen": 0.15,
    }  # fmt: skip
    # Ears are thin: what falls on one side of them comes out of the other, reddened by its way through.
    thin = {"type": "principledthin", "base_color": painted("through"), "roughness": 0.5, "diff_trans": 1.5}
    bsdf = {"type": "blendbsdf", "weight": painted("thin"), "a": {"type": "twosided", "s": bsdf}, "b": thin}
    x, y, z = made.rest.T
    inside = (np.abs(x) < 0.22) & (np.abs(y - 6.6) < 0.12) & (z > 0.7) & (z < 1.36)
    kinds = np.full(len(surface), CLASSES.index("skin"))
    kinds[(at.face > 0.5)] = CLASSES.index("face-skin")
    kinds[at.lips > 0.5] = CLASSES.index("lips")
    kinds[inside] = CLASSES.index("mouth")
    colour = skin.albedo(sitter, made.rest, at)
    more = {
        "rough": skin.roughness(sitter, made.rest), "thin": 0.75 * at.ears, "through": colour * [1.0, 0.55, 0.45],
    }  # fmt: skip
    solid = mesh(own + "body", surface, triangles, bsdf, colour, more)
    stage.put(own + "body", number, solid, _of(kinds, triangles))

    marks = {}
    for name, rest in LANDMARKS.items():
        marks[name] = surface[np.argmin(((made.rest - np.array(rest)) ** 2).sum(1))]
    for side, word in (("l", "left"), ("r", "right")):
        centre = _eye(stage, sitter, number, points, groups[f"helper-{side}-eye"], side, rng)
        marks[f"iris-{word}"] = centre
        for row, count in ((1, 38), (2, 110)):
            strip = growth.lashes(points, groups[f"helper-{side}-eyelashes-{row}"], centre, count, rng)
            _hairs(stage, f"{own}lashes-{side}{row}", number, strip, (0.014, 0.010, 0.008), "lashes")
    stage.marks.append(marks)
    enamel = {"type": "principled", "base_color": painted(), "roughness": 0.22, "specular": 0.5}
    for name, upper in (("helper-upper-teeth", True), ("helper-lower-teeth", False)):
        part = shape.mesh(points, groups[name], 5)
        corners = triangles_of(part.faces)
        out, tint = teeth.row(part.rest, sitter.teeth, upper)
        front = part.points + out[:, None] * normals_of(part.points, corners)
        stage.put(own + name, number, mesh(own + name, front, corners, enamel, tint), "teeth")
    name = "helper-tongue"
    part = shape.mesh(points, groups[name], 2)
    bsdf = {"type": "principled", "base_color": flat((0.35, 0.10, 0.09)), "roughness": 0.22, "specular": 0.5}
    stage.put(own + name, number, mesh(own + name, part.points, triangles_of(part.faces), bsdf), "mouth")

    scalp = growth.Scalp(triangles, surface, made.rest, normals)
    if sitter.strands:
        strands = growth.hair(sitter, scalp, rng)
        # No two hairs have the same colour, and locks lie lighter and darker as a whole: five shares of them.
        root = strands.points[:, 0]
        shade = 0.9 * noise(root, 6, sitter.seed + 21, 3) + 0.22 * rng.standard_normal(len(root))
        share = np.digitize(shade, (-0.45, -0.15, 0.15, 0.45))
        for tone, factor in enumerate((0.5, 0.75, 1.0, 1.3, 1.7)):
            some = growth.Strands(strands.points[share == tone], strands.radii[share == tone])
            if len(some.points):
                _hairs(
                    stage, f"{own}hair-{tone}", number, some, tuple(min(factor * c, 0.92) for c in sitter.hair), "hair"
                )
    if sitter.beard:
        _hairs(stage, own + "beard", number, growth.beard(sitter, scalp, at.beard, rng), sitter.hair, "hair")
    brow = tuple(0.85 * c + 0.008 for c in sitter.hair)
    _hairs(stage, own + "brows", number, growth.brows(sitter, scalp, rng), brow, "brows")

    def posed(place: Values) -> Values:
        return _posed(sitter, place, place)

    dress.top(stage, sitter, number, points)
    if sitter.glasses:
        # The eyes before the pose: the frame is put before them and follows the head.
        plain = shape.morphed(weights)
        eyes = [plain[np.unique(groups[f"helper-{side}-eye"])] for side in "lr"]
        dress.glasses(stage, sitter.glasses, number, [(e.min(0) + e.max(0)) / 2 for e in eyes], posed)
    if sitter.clamp:
        dress.clamp(stage, number, posed)
    plain, rest = shape.morphed(weights), shape.base()[0]
    crown = np.flatnonzero(rest[: shape.BODY_VERTICES, 1] > 6.9)
    head = (plain[crown] - rest[crown]).mean(0)
    wear.put(stage, sitter, number, points, head, posed)
    if sitter.hand:
        lifted, there = wear.hand(plain, head, posed)
        tint = skin.albedo(sitter, lifted.rest, skin.regions(lifted.rest))
        palm = {"type": "principled", "base_color": painted(), "roughness": sitter.roughness, "specular": sitter.shine}
        solid = mesh(own + "hand", there, triangles_of(lifted.faces), {"type": "twosided", "b": palm}, tint)
        stage.put(own + "hand", number, solid, "skin")


Pose = Callable[[Values], Values]


def _posed(sitter: Sitter, points: Values, rest: Values) -> Values:
    """The head turned on its neck, the body turned on its feet, the person put in place."""
    share = skin.smooth(5.6, 6.6, rest[:, 1])[:, None]
    out = points.astype(np.float64, copy=True)
    for axes, angle in (((0, 1), sitter.tilt), ((2, 1), sitter.nod), ((2, 0), sitter.twist)):
        out = _turned(out, share * angle, axes, np.array([0.0, 6.0, 0.2]))
    return _turned(out, np.full((1, 1), sitter.body), (2, 0), np.array([0.0, 0.0, 0.2])) + sitter.place


def _turned(points: Values, angle: Values, axes: tuple[int, int], about: Values) -> Values:
    """Points turned in the plane of two axes, from the first to the second."""
    out = points - about
    a, b = (out[:, i : i + 1].copy() for i in axes)
    out[:, axes[0]] = (np.cos(angle) * a - np.sin(angle) * b)[:, 0]
    out[:, axes[1]] = (np.sin(angle) * a + np.cos(angle) * b)[:, 0]
    return out + about


def _of(kinds: Indices, triangles: Indices) -> Indices:
    """The class of each triangle: the middle one of its corners'."""
    return np.sort(kinds[triangles], axis=1)[:, 1]


def _eye(
    stage: Stage, sitter: Sitter, number: int, points: Values, faces: Indices, side: str, rng: np.random.Generator
) -> Values:
    """A sphere of its own, with iris, pupil and veins by angle; returns its middle."""
    made = shape.mesh(points, faces, 4)
    base = points[np.unique(faces)]
    centre, radius = (base.min(0) + base.max(0)) / 2, 0.138
    out = (made.points - centre) / np.linalg.norm(made.points - centre, axis=1, keepdims=True)
    gaze = np.array([14.5 * np.sin(sitter.turn) - 0.4 * sitter.place[0], 0.35, 14.5 * np.cos(sitter.turn)])
    gaze /= np.linalg.norm(gaze)
    aside = np.cross([0.0, 1.0, 0.0], gaze)
    angle = np.degrees(np.arccos(np.clip(out @ gaze, -1, 1)))
    turn = np.arctan2(out[:, 1], out @ aside)
    colour = np.tile([0.50, 0.455, 0.42], (len(out), 1))
    # Pinker towards the corners and the lids.
    colour *= 1 - np.outer(np.clip((angle - 34) / 30, 0, 1), [0.10, 0.30, 0.28])
    vein = np.zeros(len(out))
    for _ in range(int(40 * sitter.veins)):
        # A walk from a corner of the eye towards the iris.
        where, heading = np.radians(rng.choice([0.0, 180.0])) + rng.normal(0, 0.45), 68.0
        while heading > IRIS + rng.uniform(2, 14):
            distance = np.hypot(angle - heading, heading * np.angle(np.exp(1j * (turn - where))))
            vein = np.maximum(vein, np.exp(-((distance / 0.9) ** 2)))
            heading -= 1.2
            where += rng.normal(0, 0.035)
    colour *= 1 - np.outer(0.75 * vein + 0.12 * sitter.veins, [0.15, 0.9, 0.85])
    pupil = PUPIL * sitter.wide_pupil
    out_from = np.clip((angle - pupil) / (IRIS - pupil), 0, 1)
    fibres = 1 + 0.30 * np.sin(41 * turn + 4 * np.sin(13 * turn)) * np.sin(9 * out_from + 3 * np.sin(7 * turn))
    shade = (0.75 + 0.7 * np.sin(np.pi * out_from)) * fibres
    iris = angle < IRIS
    colour[iris] = (np.array(sitter.iris) * shade[:, None])[iris]
    colour *= 1 - 0.6 * np.exp(-(((angle - IRIS + 0.6) / 1.5) ** 2))[:, None]
    colour[angle < pupil] = sitter.pupil
    bsdf = {"type": "principled", "base_color": painted(), "roughness": 0.06, "specular": 0.55, "clearcoat": 1.0}
    triangles = triangles_of(made.faces)
    name = f"{number}-eye-{side}"
    kinds = np.full(len(out), CLASSES.index("eye-whites"))
    kinds[iris] = CLASSES.index("irises")
    kinds[angle < pupil] = CLASSES.index("pupils")
    stage.put(name, number, mesh(name, centre + radius * out, triangles, bsdf, colour), _of(kinds, triangles))
    return centre


def _hairs(stage: Stage, name: str, number: int, strands: growth.Strands, colour: tuple[float, ...], kind: str) -> None:
    bsdf = {"type": "principled", "base_color": flat(colour), "roughness": 0.38, "specular": 0.5}
    stage.put(name, number, curves(name, strands.points, strands.radii, bsdf), kind)
