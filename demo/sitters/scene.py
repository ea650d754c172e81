"""The studio: the sitter before a backdrop, lit, photographed, and labelled by the same camera.

Everything that Mitsuba is asked for stands here.
"""

import os
import tempfile
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

os.environ.setdefault("DRJIT_LIBLLVM_PATH", "/usr/lib/x86_64-linux-gnu/libLLVM.so.19.1")

import mitsuba as mi

mi.set_variant("llvm_ad_rgb")

from demo.sitters import hair as growth  # noqa: E402
from demo.sitters import shape, skin  # noqa: E402
from demo.sitters.cast import Sitter  # noqa: E402

Values = NDArray[np.float64]
T = mi.ScalarTransform4f

LEVELS = 3
NECKLINE = 5.80
CLASSES = (
    "backdrop", "clothing", "skin", "face-skin", "lips", "teeth", "mouth", "eye-whites", "irises", "pupils", "brows",
    "lashes", "hair",
)  # fmt: skip
LABEL_RAYS = 16
PASS = 4
LANDMARKS = {
    "nose-tip": (0.0, 6.93, 1.72), "mouth-left": (0.22, 6.6, 1.4), "mouth-right": (-0.22, 6.6, 1.4),
    "chin": (0.0, 6.12, 1.35), "brow-left": (0.3, 7.5, 1.4), "brow-right": (-0.3, 7.5, 1.4),
}  # fmt: skip
"""Places at rest, of which the nearest vertex is followed; the irises are added from the eyes."""
IRIS, PUPIL = 22.0, 8.0
GRAIN = 0.4
"""Share of the picture that is not denoised: few rays denoised wholly look brushed, and lose the pores."""
FIELD = 17.2
"""Height of the picture, in degrees."""


@dataclass
class Stage:
    """A scene ready to be photographed, with what its shapes' triangles are."""

    shapes: dict[str, Any]
    classes: dict[str, NDArray[np.int64]]
    """For each shape: the class of every triangle, or one for all."""
    marks: dict[str, Values]
    """Landmarks in space."""
    eyes: Values
    """The point between the eyes."""


def build(sitter: Sitter) -> Stage:
    """Model, paint and light a sitter."""
    rng = np.random.default_rng(sitter.seed)
    weights = shape.people(sitter.ancestry, sitter.female, sitter.old) | sitter.features | sitter.expression
    weights = {"eyeWideLeft": 0.25, "eyeWideRight": 0.25} | weights
    points = shape.morphed(weights)
    groups = shape.base()[1]
    stage = Stage({"type": "scene"}, {}, {}, np.zeros(3))

    body = groups["body"][points[groups["body"]][:, :, 1].min(1) > 3.4]
    made = shape.mesh(points, body, LEVELS)
    at = skin.regions(made.rest)
    triangles = _triangles(made.faces)
    normals = _normals(made.points, triangles)
    surface = made.points + normals * skin.relief(sitter, made.rest, at)[:, None]
    bsdf = {"type": "principled", "base_color": _painted(), "roughness": sitter.roughness, "specular": sitter.shine}
    stage.shapes["body"] = _mesh("body", surface, triangles, bsdf, skin.albedo(sitter, made.rest, at))
    x, y, z = made.rest.T
    inside = (np.abs(x) < 0.22) & (np.abs(y - 6.6) < 0.12) & (z > 0.7) & (z < 1.36)
    kinds = np.full(len(surface), CLASSES.index("skin"))
    kinds[(at.face > 0.5)] = CLASSES.index("face-skin")
    kinds[at.lips > 0.5] = CLASSES.index("lips")
    kinds[inside] = CLASSES.index("mouth")
    stage.classes["body"] = np.sort(kinds[triangles], axis=1)[:, 1]

    scalp = growth.Scalp(triangles, surface, made.rest, normals)
    centres = []
    for side in "lr":
        centres.append(_eye(stage, sitter, points, groups[f"helper-{side}-eye"], side, rng))
        cards = np.concatenate([points[groups[f"helper-{side}-eyelashes-{n}"]] for n in (1, 2)])
        _curves(stage, f"lashes-{side}", growth.lashes(cards, centres[-1], rng), (0.012, 0.009, 0.008), "lashes")
    for name, kind, colour in (
        ("helper-upper-teeth", "teeth", sitter.teeth),
        ("helper-lower-teeth", "teeth", sitter.teeth),
        ("helper-tongue", "mouth", (0.35, 0.10, 0.09)),
    ):
        part = shape.mesh(points, groups[name], 2)
        bsdf = {"type": "principled", "base_color": _flat(colour), "roughness": 0.22, "specular": 0.5}
        stage.shapes[name] = _mesh(name, part.points, _triangles(part.faces), bsdf)
        stage.classes[name] = np.array([CLASSES.index(kind)])
    _curves(stage, "hair", growth.hair(sitter, scalp, rng), sitter.hair, "hair")
    brow = tuple(0.75 * c + 0.004 for c in sitter.hair)
    _curves(stage, "brows", growth.brows(sitter, scalp, rng), brow, "brows")
    _clothes(stage, sitter, points, groups["helper-tights"])
    stage.eyes = np.mean(centres, axis=0)
    _light(stage, sitter)
    stage.marks = {"iris-left": centres[0], "iris-right": centres[1]}
    for name, rest in LANDMARKS.items():
        nearest = np.argmin(((made.rest - np.array(rest)) ** 2).sum(1))
        stage.marks[name] = surface[nearest]
    return stage


def camera(stage: Stage, sitter: Sitter, width: int, height: int, rays: int) -> dict[str, Any]:
    """The camera: an upright portrait from the chest up, from a little to one side."""
    look = np.array([0.0, stage.eyes[1] - 0.22, stage.eyes[2] - 1.0])
    origin = look + 14.5 * np.array([np.sin(sitter.turn), 0.035, np.cos(sitter.turn)])
    return {
        "type": "perspective",
        "fov": FIELD,
        "fov_axis": "y",
        "to_world": T().look_at(origin=origin.tolist(), target=look.tolist(), up=[0, 1, 0]),
        # A box filter: the denoiser expects that neighbouring pixels do not share their noise.
        "film": {"type": "hdrfilm", "width": width, "height": height, "pixel_format": "rgb",
                 "rfilter": {"type": "box"}},
        "sampler": {"type": "independent", "sample_count": rays, "seed": sitter.seed},
    }  # fmt: skip


def photograph(stage: Stage, sitter: Sitter, width: int, height: int, rays: int) -> Values:
    """Linear sRGB (height × width × 3), denoised but for some grain, at the sitter's exposure and cast."""
    shown = stage.shapes | {"sensor": camera(stage, sitter, width, height, rays)}
    aov = {"type": "aov", "aovs": "albedo:albedo,normal:sh_normal", "inner": {"type": "path", "max_depth": 6}}
    scene = mi.load_dict(shown | {"integrator": aov})
    # In passes: one pass of all rays at once is more than the renderer can hold.
    passes = [np.array(mi.render(scene, seed=97 * sitter.seed + n, spp=PASS)) for n in range(-(-rays // PASS))]
    layers = np.mean(passes, axis=0, dtype=np.float32)
    picture = (1 - GRAIN) * _denoised(layers) + GRAIN * layers[..., :3]
    picture = picture * 2.0**sitter.exposure * np.array(sitter.cast)
    return picture * (1 - sitter.haze) + 0.5 * sitter.haze


def _denoised(layers: Values) -> Values:
    import mitsuba_oidn

    return mitsuba_oidn.denoise(layers[..., :3], layers[..., 3:6], layers[..., 6:9])


def labels(stage: Stage, sitter: Sitter, width: int, height: int) -> NDArray[np.uint8]:
    """Coverage 0…255 of every class (classes × height × width) by jittered primary rays of the same camera."""
    shown = stage.shapes | {"sensor": camera(stage, sitter, width, height, 1)}
    scene = mi.load_dict(shown | {"integrator": {"type": "aov", "aovs": "s:shape_index,t:prim_index"}})
    named = [s.id() for s in scene.shapes()]
    sums = np.zeros((len(CLASSES), height, width), np.float32)
    rows, columns = np.mgrid[:height, :width]
    for seed in range(LABEL_RAYS):
        # Shapes count from 1, 0 being nothing; triangles from 0.
        hit = np.array(mi.render(scene, seed=1000 + seed)).round().astype(np.int64)[..., -2:]
        kind = np.zeros((height, width), np.int64)
        for number, name in enumerate(named, 1):
            mine = hit[..., 0] == number
            kinds = stage.classes.get(name)
            if kinds is not None and mine.any():
                kind[mine] = kinds[hit[..., 1][mine]] if len(kinds) > 1 else kinds[0]
        sums[kind, rows, columns] += 1
    return (sums * (255 / LABEL_RAYS) + 0.5).astype(np.uint8)


def project(stage: Stage, sitter: Sitter, width: int, height: int) -> dict[str, tuple[float, float]]:
    """The landmarks in the picture, in units of its long side from the top left."""
    sensor = mi.load_dict(camera(stage, sitter, width, height, 1))
    to_world = np.array(sensor.world_transform().matrix).reshape(4, 4)
    scale = height / (2 * np.tan(np.radians(FIELD) / 2))
    out = {}
    for name, point in stage.marks.items():
        x, y, z, _ = np.linalg.inv(to_world) @ np.append(point, 1)
        long_side = max(width, height)
        out[name] = (float((width / 2 - scale * x / z) / long_side), float((height / 2 - scale * y / z) / long_side))
    return out


def _eye(stage: Stage, sitter: Sitter, points: Values, faces: NDArray[np.int64], side: str, rng: Any) -> Values:
    """A sphere of its own, with iris, pupil and veins by angle; returns its middle."""
    made = shape.mesh(points, faces, 4)
    low, high = made.points.min(0), made.points.max(0)
    centre, radius = (low + high) / 2, (high[0] - low[0]) / 2
    out = (made.points - centre) / np.linalg.norm(made.points - centre, axis=1, keepdims=True)
    gaze = np.array([np.sin(0.6 * sitter.turn), 0.0, np.cos(0.6 * sitter.turn)])
    angle = np.degrees(np.arccos(np.clip(out @ gaze, -1, 1)))
    turn = np.arctan2(out[:, 1], out[:, 0])
    colour = np.tile([0.56, 0.52, 0.48], (len(out), 1))
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
    fibres = 0.72 + 0.28 * np.sin(37 * turn + 3 * np.sin(11 * turn))
    iris = angle < IRIS
    colour[iris] = (np.array(sitter.iris) * fibres[:, None])[iris]
    colour[np.abs(angle - IRIS + 0.5) < 2.2] *= 0.45
    colour[angle < PUPIL] = sitter.pupil
    bsdf = {"type": "principled", "base_color": _painted(), "roughness": 0.06, "specular": 0.55, "clearcoat": 1.0}
    triangles = _triangles(made.faces)
    stage.shapes[f"eye-{side}"] = _mesh(f"eye-{side}", centre + radius * out, triangles, bsdf, colour)
    kinds = np.full(len(out), CLASSES.index("eye-whites"))
    kinds[angle < IRIS] = CLASSES.index("irises")
    kinds[angle < PUPIL] = CLASSES.index("pupils")
    stage.classes[f"eye-{side}"] = np.sort(kinds[triangles], axis=1)[:, 1]
    return centre


def _clothes(stage: Stage, sitter: Sitter, points: Values, tights: NDArray[np.int64]) -> None:
    """A plain top: the mesh's own second skin, cut at the neck."""
    rest = shape.base()[0][tights]
    kept = tights[(rest[:, :, 1].max(1) < NECKLINE) & (rest[:, :, 1].min(1) > 1.5)]
    made = shape.mesh(points, kept, 3)
    triangles = _triangles(made.faces)
    surface = made.points + 0.03 * _normals(made.points, triangles)
    weave = 0.9 + 0.1 * np.sin(90 * made.rest[:, 0]) * np.sin(90 * made.rest[:, 1])
    bsdf = {
        "type": "twosided",
        "b": {"type": "principled", "base_color": _painted(), "roughness": 0.9, "specular": 0.1},
    }
    colour = np.outer(weave, sitter.cloth)
    stage.shapes["clothing"] = _mesh("clothing", surface, triangles, bsdf, colour)
    stage.classes["clothing"] = np.array([CLASSES.index("clothing")])


def _light(stage: Stage, sitter: Sitter) -> None:
    eyes = stage.eyes
    for number, light in enumerate(sitter.lights):
        place = T().look_at(origin=(eyes + light.at).tolist(), target=(eyes - [0, 0.4, 0]).tolist(), up=[0, 1, 0])
        radiance = _flat(tuple(light.power * c for c in light.colour))
        stage.shapes[f"light-{number}"] = {
            "type": "rectangle",
            "to_world": place @ T().scale(light.size),
            "emitter": {"type": "area", "radiance": radiance},
        }
    stage.shapes["ambient"] = {"type": "constant", "radiance": _flat((sitter.ambient,) * 3)}
    wall: dict[str, Any] = {
        "type": "rectangle",
        "to_world": T().translate([0, 6, -7]) @ T().scale(18),
        "bsdf": {"type": "diffuse", "reflectance": _flat(sitter.backdrop)},
    }
    if sitter.window:
        wall["emitter"] = {"type": "area", "radiance": _flat((sitter.window, sitter.window, 1.06 * sitter.window))}
    stage.shapes["backdrop"] = wall


def _flat(colour: tuple[float, ...]) -> dict[str, Any]:
    return {"type": "rgb", "value": list(colour)}


def _painted() -> dict[str, Any]:
    return {"type": "mesh_attribute", "name": "vertex_color"}


def _triangles(faces: NDArray[np.int64]) -> NDArray[np.int64]:
    return np.concatenate([faces[:, [0, 1, 2]], faces[:, [0, 2, 3]]])


def _normals(points: Values, triangles: NDArray[np.int64]) -> Values:
    corner = points[triangles]
    across = np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])
    out = np.zeros_like(points)
    for i in range(3):
        np.add.at(out, triangles[:, i], across)
    return out / (np.linalg.norm(out, axis=1, keepdims=True) + 1e-12)


def _mesh(name: str, points: Values, triangles: NDArray[np.int64], bsdf: Any, colour: Values | None = None) -> Any:
    properties = mi.Properties()
    properties["bsdf"] = mi.load_dict(bsdf)
    mesh = mi.Mesh(name, len(points), len(triangles), has_vertex_normals=True, props=properties)
    if colour is not None:
        mesh.add_attribute("vertex_color", 3, colour.astype(np.float32).ravel())
    parameters = mi.traverse(mesh)
    parameters["vertex_positions"] = points.astype(np.float32).ravel()
    parameters["vertex_normals"] = _normals(points, triangles).astype(np.float32).ravel()
    parameters["faces"] = triangles.astype(np.uint32).ravel()
    parameters.update()
    return mesh


def _curves(stage: Stage, name: str, strands: growth.Strands, colour: tuple[float, ...], kind: str) -> None:
    with tempfile.NamedTemporaryFile("w", suffix=".txt", delete=False) as file:
        for line, radii in zip(strands.points, strands.radii, strict=True):
            file.writelines("{:.5f} {:.5f} {:.5f} {:.5f}\n".format(*p, r) for p, r in zip(line, radii, strict=True))
            file.write("\n")
    bsdf = {"type": "principled", "base_color": _flat(colour), "roughness": 0.36, "specular": 0.55}
    stage.shapes[name] = mi.load_dict({"type": "bsplinecurve", "id": name, "filename": file.name, "bsdf": bsdf})
    stage.classes[name] = np.array([CLASSES.index(kind)])
    Path(file.name).unlink()
