"""Meshes and curves as the renderer wants them, and the stage that gathers them."""

import os
import tempfile
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

os.environ.setdefault("DRJIT_LIBLLVM_PATH", "/usr/lib/x86_64-linux-gnu/libLLVM.so.19.1")

import mitsuba as mi

from demo.sitters.cast import CLASSES

mi.set_variant("llvm_ad_rgb")

Values = NDArray[np.float64]
Indices = NDArray[np.int64]
T = mi.ScalarTransform4f


@dataclass
class Stage:
    """A scene ready to be photographed, with what its shapes' triangles are."""

    shapes: dict[str, Any] = field(default_factory=lambda: {"type": "scene"})
    classes: dict[str, Indices] = field(default_factory=dict)
    """For each shape: the class of every triangle, or one for all."""
    owners: dict[str, int] = field(default_factory=dict)
    """For each shape: whose it is, counted from 0."""
    marks: list[dict[str, Values]] = field(default_factory=list)
    """For each person: landmarks in space."""

    def put(self, name: str, owner: int, shape: Any, classes: str | Indices) -> None:
        """Put a shape of a person on the stage; ``shape`` carries the same name."""
        self.shapes[name] = shape
        self.owners[name] = owner
        self.classes[name] = np.array([CLASSES.index(classes)]) if isinstance(classes, str) else classes

    @property
    def eyes(self) -> Values:
        """The point in the middle of all eyes."""
        return np.mean([m[side] for m in self.marks for side in ("iris-left", "iris-right")], axis=0)


def flat(colour: tuple[float, ...]) -> dict[str, Any]:
    """One colour, linear sRGB."""
    return {"type": "rgb", "value": list(colour)}


def painted(name: str = "color") -> dict[str, Any]:
    """The colours of the vertices, or other colours or numbers that they carry by ``name``."""
    return {"type": "mesh_attribute", "name": f"vertex_{name}"}


def triangles_of(faces: Indices) -> Indices:
    """Quads (m × 4) as triangles (2m × 3)."""
    return np.concatenate([faces[:, [0, 1, 2]], faces[:, [0, 2, 3]]])


def normals_of(points: Values, triangles: Indices) -> Values:
    """Unit normals (n × 3) of the vertices."""
    corner = points[triangles]
    across = np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])
    out = np.zeros_like(points)
    for i in range(3):
        np.add.at(out, triangles[:, i], across)
    return out / (np.linalg.norm(out, axis=1, keepdims=True) + 1e-12)


def mesh(
    name: str, points: Values, triangles: Indices, bsdf: Any, colour: Values | None = None,
    more: dict[str, Values] | None = None,
) -> Any:  # fmt: skip
    """A mesh for the renderer, with ``colour`` (n × 3) at its vertices if it is painted, and ``more`` (n, or n × 3)."""
    properties = mi.Properties()
    properties["bsdf"] = mi.load_dict(bsdf)
    made = mi.Mesh(name, len(points), len(triangles), has_vertex_normals=True, props=properties)
    for word, values in ({} if colour is None else {"color": colour} | (more or {})).items():
        made.add_attribute(f"vertex_{word}", values[0].size, values.astype(np.float32).ravel())
    parameters = mi.traverse(made)
    parameters["vertex_positions"] = points.astype(np.float32).ravel()
    parameters["vertex_normals"] = normals_of(points, triangles).astype(np.float32).ravel()
    parameters["faces"] = triangles.astype(np.uint32).ravel()
    parameters.update()
    return made


def curves(name: str, points: Values, radii: Values, bsdf: Any) -> Any:
    """Curves through knots (n × k × 3) with ``radii`` (n × k): cubic B-splines, as chains of round cones.

    The renderer's own splines crash it on rare rays.
    """
    rows = np.concatenate([points, radii[..., None]], axis=2)
    # One step of subdivision of the cubic B-spline; the ends stay.
    fine = np.empty((rows.shape[0], 2 * rows.shape[1] - 1, 4))
    fine[:, 0::2], fine[:, 1::2] = rows, (rows[:, :-1] + rows[:, 1:]) / 2
    fine[:, 2:-1:2] = (rows[:, :-2] + 6 * rows[:, 1:-1] + rows[:, 2:]) / 8
    form = "%.5f %.5f %.5f %.5f\n" * fine.shape[1] + "\n"
    with tempfile.NamedTemporaryFile("w", suffix=".txt", delete=False) as file:
        for line in fine.reshape(len(fine), -1):
            file.write(form % tuple(line))
    try:
        return mi.load_dict({"type": "linearcurve", "id": name, "filename": file.name, "bsdf": bsdf})
    finally:
        Path(file.name).unlink()
