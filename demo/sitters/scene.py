"""The sitters before a backdrop, lit, photographed, and labelled by the same camera."""

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from demo.sitters import person, studio
from demo.sitters.cast import CLASSES, Sitter
from demo.sitters.solid import Stage, T, Values, mi

LABEL_RAYS = 16


def build(sitter: Sitter) -> Stage:
    """Model, paint, dress and light a sitter, and who stands beside."""
    stage = Stage()
    for number, who in enumerate((sitter, *sitter.beside)):
        person.put(stage, who, number)
    studio.light(stage, sitter)
    return stage


Crop = tuple[int, int, int, int]
"""Left, top, width and height in pixels of the whole picture."""


def camera(
    stage: Stage, sitter: Sitter, width: int, height: int, rays: int, crop: Crop | None = None
) -> dict[str, Any]:
    """The camera: an upright portrait from the chest up, from a little to one side; ``crop`` is all that it takes."""
    x, y, w, h = crop or (0, 0, width, height)
    look = np.array([stage.eyes[0], stage.eyes[1] + sitter.above, stage.eyes[2] - 1.0])
    origin = look + sitter.distance * np.array([np.sin(sitter.turn), 0.035, np.cos(sitter.turn)])
    return {
        "type": "perspective",
        "fov": sitter.field,
        "fov_axis": "y",
        "to_world": T().look_at(origin=origin.tolist(), target=look.tolist(), up=[0, 1, 0]),
        # A box filter: the denoiser expects that neighbouring pixels do not share their noise.
        "film": {"type": "hdrfilm", "width": width, "height": height, "pixel_format": "rgb",
                 "crop_offset_x": x, "crop_offset_y": y, "crop_width": w, "crop_height": h,
                 "rfilter": {"type": "box"}},
        "sampler": {"type": "independent", "sample_count": rays, "seed": sitter.seed},
    }  # fmt: skip


def photograph(
    stage: Stage, sitter: Sitter, width: int, height: int, rays: int, face: NDArray[np.uint8]
) -> NDArray[np.float32]:
    """Linear sRGB (height × width × 3), denoised but for some grain, at the sitter's exposure and cast.

    ``face`` is the coverage of the first sitter's face, at any size: its median luminance is set to 0.035 + 0.74 × that
    of the skin's albedo, so that dark skin stays dark, before the sitter's exposure is added.
    """
    picture, colour = exposed(stage, sitter, width, height, rays)
    picture *= np.float32(gain(picture, colour, face) * 2.0**sitter.exposure)
    picture *= np.array(sitter.cast, np.float32)
    return picture * np.float32(1 - sitter.haze) + np.float32(0.5 * sitter.haze)


def exposed(
    stage: Stage, sitter: Sitter, width: int, height: int, rays: int, crop: Crop | None = None
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Linear light as it falls on the film, denoised but for some grain, and the albedo there (both h × w × 3)."""
    shown = stage.shapes | {"sensor": camera(stage, sitter, width, height, rays, crop)}
    aov = {"type": "aov", "aovs": "albedo:albedo,normal:sh_normal", "inner": {"type": "path", "max_depth": 6}}
    scene = mi.load_dict(shown | {"integrator": aov})
    layers = np.zeros((*((height, width) if crop is None else crop[:1:-1]), 9), np.float32)
    for number in range(rays):
        # One ray a pixel at a time: more at once crash the renderer where there is long hair.
        layers += np.array(mi.render(scene, seed=97 * sitter.seed + number, spp=1))[..., :9] / np.float32(rays)
    # Single rays that met a lamp by chance: no pixel may be far brighter than what is around it.
    around = cv2.blur(cv2.medianBlur(np.ascontiguousarray(layers[..., :3]), 5), (3, 3))
    layers[..., :3] = np.minimum(layers[..., :3], 4 * around + 0.25 * np.median(around))
    return (1 - sitter.grain) * _denoised(layers) + sitter.grain * layers[..., :3], layers[..., 3:6]


def gain(picture: NDArray[np.float32], colour: NDArray[np.float32], face: NDArray[np.uint8]) -> float:
    """What brings the face's median luminance to what its albedo ``colour`` asks for; see :func:`photograph`."""
    luminance = np.array([0.2126, 0.7152, 0.0722], np.float32)
    small, skin = (cv2.resize(v, face.shape[::-1], interpolation=cv2.INTER_AREA) @ luminance for v in (picture, colour))
    return float((0.035 + 0.74 * np.median(skin[face > 250])) / np.median(small[face > 250]))


def _denoised(layers: NDArray[np.float32]) -> NDArray[np.float32]:
    import mitsuba_oidn

    return np.asarray(mitsuba_oidn.denoise(layers[..., :3], layers[..., 3:6], layers[..., 6:9]), np.float32)


def labels(
    stage: Stage, sitter: Sitter, width: int, height: int, crop: Crop | None = None, rays: int = LABEL_RAYS
) -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
    """Coverage 0…255 of every class (classes × height × width), and of every person, by jittered rays of the camera."""
    shown = stage.shapes | {"sensor": camera(stage, sitter, width, height, 1, crop)}
    scene = mi.load_dict(shown | {"integrator": {"type": "aov", "aovs": "s:shape_index,t:prim_index"}})
    named = [s.id() for s in scene.shapes()]
    height, width = (height, width) if crop is None else crop[:1:-1]
    classes = np.zeros((len(CLASSES), height, width), np.float32)
    people = np.zeros((1 + len(stage.marks), height, width), np.float32)
    rows, columns = np.mgrid[:height, :width]
    for seed in range(rays):
        # Shapes count from 1, 0 being nothing; triangles from 0.
        hit = np.array(mi.render(scene, seed=1000 + seed)).round().astype(np.int64)[..., -2:]
        kind, whose = np.zeros((2, height, width), np.int64)
        for number, name in enumerate(named, 1):
            mine = hit[..., 0] == number
            kinds = stage.classes.get(name)
            if kinds is not None and mine.any():
                kind[mine] = kinds[hit[..., 1][mine]] if len(kinds) > 1 else kinds[0]
                whose[mine] = 1 + stage.owners[name]
        classes[kind, rows, columns] += 1
        people[whose, rows, columns] += 1
    share = 255 / rays
    return (classes * share + 0.5).astype(np.uint8), (people[1:] * share + 0.5).astype(np.uint8)


def project(stage: Stage, sitter: Sitter, width: int, height: int) -> list[dict[str, tuple[float, float]]]:
    """Each person's landmarks in the picture, in units of its long side from the top left."""
    sensor = mi.load_dict(camera(stage, sitter, width, height, 1))
    from_world = np.linalg.inv(np.array(sensor.world_transform().matrix).reshape(4, 4))
    scale = height / (2 * np.tan(np.radians(sitter.field) / 2))
    long_side = max(width, height)

    def seen(point: Values) -> tuple[float, float]:
        x, y, z, _ = from_world @ np.append(point, 1)
        return float((width / 2 - scale * x / z) / long_side), float((height / 2 - scale * y / z) / long_side)

    return [{name: seen(point) for name, point in marks.items()} for marks in stage.marks]
