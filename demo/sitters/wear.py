"""What sitters wear on their heads and necks, hold, and carry: caps, hats, scarves, straps, microphones, hands."""

from collections.abc import Callable

import numpy as np

from demo.sitters import shape
from demo.sitters.cast import Colour, Sitter
from demo.sitters.dress import Pose, cut
from demo.sitters.noise import noise
from demo.sitters.solid import Indices, Stage, Values, flat, mesh, mi, normals_of, painted, triangles_of


def _cap(at: Values) -> Values:
    return 7.40 + 0.24 * at[:, 2] - at[:, 1]


def _headscarf(at: Values) -> Values:
    x, y, z = at.T
    opening = 1 - (x / 0.66) ** 2 - ((y - 6.98) / 0.95) ** 2
    return np.maximum(5.75 - y, np.where(z > 0.35, 0.5 * opening, -1.0))


def _scarf(at: Values) -> Values:
    x, y, z = at.T
    return np.maximum(np.maximum(y - 6.02 - 0.12 * z, 5.35 - y), np.hypot(x, z - 0.2) - 1.05)


LINES: dict[str, Callable[[Values], Values]] = {
    "cap": _cap, "hat": _cap, "headscarf": _headscarf, "scarf": _scarf,
}  # fmt: skip
"""For each thing of cloth, where on the body (at rest, n × 3) it ends: negative where it lies."""


def put(stage: Stage, sitter: Sitter, number: int, points: Values, head: Values, posed: Pose) -> None:
    """Everything that the sitter wears and holds besides a top; ``head``: how far this head is from the base's."""

    def placed(at: Values) -> Values:
        return posed(at + head)

    for what in sitter.wears:
        body = shape.base()[1]["body"]
        made = shape.mesh(points, body[shape.base()[0][body][:, :, 1].min(1) > 5.0], 3)
        loose = 0.14 if what == "scarf" else 0.12 + sitter.volume
        surface, rest, triangles, inside = cut(made.points, made.rest, triangles_of(made.faces), LINES[what](made.rest))
        normals = normals_of(surface, triangles)
        folds = 0.25 * loose * noise(rest * [1.0, 2.2, 1.0], 2.2, sitter.seed + 31, 2)
        grown = folds + loose * (0.8 + 0.2 * np.clip(inside / 0.25, 0, 1))
        if what == "scarf":
            grown = grown + 0.05 * np.sin(14 * inside)
        cloth(stage, f"{number}-{what}", number, surface + grown[:, None] * normals, triangles, sitter.wool, "clothing")
        if what == "hat":
            _brim(stage, sitter, number, placed)
    if sitter.strap:
        _strap(stage, sitter, number, points)
    if sitter.microphone:
        _microphone(stage, number, placed)


def cloth(stage: Stage, name: str, number: int, surface: Values, triangles: Indices, colour: Colour, kind: str) -> None:
    """A piece of one colour, rough as wool."""
    wool = {"type": "principled", "base_color": painted(), "roughness": 0.9, "specular": 0.1, "sheen": 0.5}
    weave = 0.9 + 0.10 * noise(surface, 45, 5, 2)
    stage.put(
        name, number, mesh(name, surface, triangles, {"type": "twosided", "b": wool}, np.outer(weave, colour)), kind
    )


def _brim(stage: Stage, sitter: Sitter, number: int, posed: Pose) -> None:
    turn, out = (
        v.ravel() for v in np.meshgrid(np.linspace(0, 2 * np.pi, 97), np.linspace(0.95, 1.65, 12), indexing="ij")
    )
    x, z = (0.92 + sitter.volume) * out * np.sin(turn), 0.32 + (1.08 + sitter.volume) * out * np.cos(turn)
    y = 7.47 + 0.24 * z + 0.10 * np.abs(np.sin(turn)) * (out - 0.9)
    index = np.arange(97 * 12).reshape(97, 12)
    faces = np.stack([index[:-1, :-1], index[1:, :-1], index[1:, 1:], index[:-1, 1:]], axis=-1).reshape(-1, 4)
    surface = posed(np.stack([x, y, z], axis=1))
    cloth(stage, f"{number}-brim", number, surface, triangles_of(faces), sitter.wool, "clothing")


def _strap(stage: Stage, sitter: Sitter, number: int, points: Values) -> None:
    tights = shape.base()[1]["helper-tights"]
    made = shape.mesh(points, tights[shape.base()[0][tights][:, :, 1].min(1) > 1.5], 3)
    x, y, _ = made.rest.T
    line = np.maximum(np.abs(0.78 * x + 0.62 * (y - 5.0)) - 0.16, np.abs(x) - 1.4)
    surface, _, triangles, _ = cut(made.points, made.rest, triangles_of(made.faces), line)
    surface = surface + 0.075 * normals_of(surface, triangles)
    cloth(stage, f"{number}-strap", number, surface, triangles, (0.20, 0.09, 0.04), "things")


def _microphone(stage: Stage, number: int, posed: Pose) -> None:
    head, end = posed(np.array([[0.30, 6.05, 2.05], [0.55, 3.6, 2.9]]))
    steel = {"type": "principled", "base_color": flat((0.10, 0.10, 0.11)), "metallic": 0.8, "roughness": 0.35}
    for name, solid in (
        ("ball", {"type": "sphere", "center": head.tolist(), "radius": 0.26}),
        ("shaft", {"type": "cylinder", "p0": head.tolist(), "p1": end.tolist(), "radius": 0.12}),
    ):
        name = f"{number}-microphone-{name}"
        stage.put(name, number, mi.load_dict(solid | {"id": name, "bsdf": {"type": "twosided", "b": steel}}), "things")


def hand(points: Values, head: Values, posed: Pose) -> tuple[shape.Mesh, Values]:
    """A left hand that was lifted to the cheek of a ``head``: its mesh, and its vertices where they are now."""
    body = shape.base()[1]["body"]
    rest = shape.base()[0]
    made = shape.mesh(points, body[rest[body][:, :, 0].min(1) > 3.3], 2)
    wrist, tips = np.array([4.31, 2.45, 1.75]), np.array([4.75, 1.45, 3.0])
    along = (tips - wrist) / np.linalg.norm(tips - wrist)
    # Palm to the cheek, fingers up and a little back.
    up = np.array([-0.32, 1.0, -0.25]) / np.linalg.norm([-0.32, 1.0, -0.25])
    palm = np.array([1.0, 0.1, -0.4])
    frame_then, frame_now = (_frame(along, np.array([-0.75, -0.2, 0.15])), _frame(up, -palm))
    moved = (made.points - wrist) @ frame_then @ frame_now.T + np.array([1.22, 5.35, 1.15])
    moved = moved + head
    return made, posed(moved)


def _frame(along: Values, across: Values) -> Values:
    side = across - along * (across @ along)
    side /= np.linalg.norm(side)
    return np.stack([along, side, np.cross(along, side)], axis=1)
