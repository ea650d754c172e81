"""Find faces, people and their parts on one picture, once."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Protocol

import cv2
import numpy as np

from retouch.colour.icc import SRGB_PROFILE
from retouch.colour.tones import clipped_oklab
from retouch.faces import mesh
from retouch.faces.brows import brows
from retouch.faces.eyes import eyes
from retouch.faces.found import Face, Found, Map, Regions
from retouch.faces.look import Look, laid, looked, parts
from retouch.faces.models import Box, Models, resized, turned, turned_back
from retouch.faces.mouth import mouth
from retouch.faces.owners import owners
from retouch.faces.person import cut_out
from retouch.faces.skin_hair import face as face_of
from retouch.frame import Frame, resample
from retouch.segment.cells import regions
from retouch.segment.guided import Read
from retouch.segment.matte import HAIR_BAND, matte
from retouch.types import Bytes, Encoded, Floats

UNIT = 1000
"""Pixels on the long side of the map of people and of skin."""
FIRST_UNIT = 500
"""Of the map on which skin is known at first."""
LOOK_UNIT = 1920
"""Of the picture on which faces are looked for, in tiles too."""
SURE = 0.5, 0.65
"""How sure the detector must be on the whole frame, and on a tile of it."""
FACE_SIDE, EYES_SIDE, MOUTH_SIDE = 700, 480, 400
"""Pixels across the maps of a head, of the two eyes, and of a mouth, where the picture has as many."""


class Subject(Protocol):
    """What is looked at: the picture's name for caches, its upright size, and how its colours are read."""

    key: str
    width: int
    height: int

    def read(self, frame: Frame) -> Encoded:
        """Encoded working colours on a frame no larger than the picture."""
        ...


@dataclass
class _Source:
    """The picture, at the scales that finding works at."""

    read: Read
    width: int
    height: int

    @property
    def unit(self) -> int:
        return max(self.width, self.height)

    def whole(self, unit: float) -> Frame:
        """The whole picture at ``unit`` pixels on its long side, or at its own size."""
        share = min(1.0, unit / self.unit)
        return Frame.whole(max(1, round(self.width * share)), max(1, round(self.height * share)))

    def around(self, middle: Floats, half: float, side: int) -> Frame:
        """A square round a place (all in long sides) with ``side`` pixels across, or as many as there are."""
        whole = self.whole(side / (2 * half))
        x, y = middle * whole.unit
        reach = half * whole.unit
        x0, y0 = max(0, round(x - reach)), max(0, round(y - reach))
        x1, y1 = min(whole.width, round(x + reach)), min(whole.height, round(y + reach))
        return Frame(whole.width, whole.height, x0, y0, max(1, x1 - x0), max(1, y1 - y0))

    def rgb(self, frame: Frame) -> Bytes:
        """8-bit sRGB, as the models know pictures."""
        return SRGB_PROFILE.eight_from_working(self.read(frame))


def find(
    picture: Subject,
    progress: Callable[[float], None] = lambda share: None,
    first: Callable[[Found], None] | None = None,
) -> Found:
    """Everything that the program finds by itself on a picture.

    ``progress`` is told the finished share 0…1; what it raises ends the work. ``first`` is given people, faces, skin
    and hair as soon as they are known roughly, after about a third of the work. No face or nobody there is an answer.
    """
    read, key = picture.read, picture.key
    source = _Source(read, picture.width, picture.height)
    progress(0.0)
    with Models() as models:
        progress(0.05)
        quarters, boxes = _boxes(models, source.rgb(source.whole(LOOK_UNIT)))
        progress(0.1)
        heads = [_face(models, source, box, quarters) for box in boxes]
        faces = _distinct(heads)
        progress(0.15)
        frame = source.whole(UNIT)
        likely = _likely(models, source, frame, faces, quarters)
    progress(0.2)
    colours = read(frame)
    lab = clipped_oklab(colours)
    meshes = [np.array(face.landmarks).reshape(-1, 2) * frame.unit for face in faces]
    boxes_there = [tuple(v * frame.unit for v in face.box) for face in faces]
    whose = owners(lab, likely, meshes, boxes_there)
    looks = [_looked(source, face, frame, likely * (whose == n)) for n, face in enumerate(faces, 1)]
    if first is not None:
        few = source.whole(FIRST_UNIT)
        maps = {"person": Map(frame, _bytes(likely), 2)}
        for number, (face, look) in enumerate(zip(faces, looks, strict=True), 1):
            own = likely * (whose == number)
            maps[f"person-{number}"] = Map(frame, _bytes(own), 2)
            if look is not None:
                there = resample(colours, frame, few), resample(own, frame, few)
                rough = _large_parts(source, face, few, Encoded(there[0]), there[1], look, fine=False)
                maps |= _numbered(rough, number)
        first(Found(f"{key} first", tuple(faces), maps))
    progress(0.4)
    person = matte(colours, cut_out(lab, likely), HAIR_BAND * frame.unit)
    maps = {"person": Map(frame, _bytes(person), 2)}
    progress(0.6)
    whose = owners(lab, person, meshes, boxes_there)
    for number, (face, look) in enumerate(zip(faces, looks, strict=True), 1):
        own = person * (whose == number)
        maps[f"person-{number}"] = Map(frame, _bytes(own), 2)
        if look is not None:
            large = _large_parts(source, face, frame, colours, own, look, fine=True)
            maps |= _numbered(large | _small_parts(source, face), number)
        progress(0.6 + 0.3 * number / len(faces))
    return Found(key, tuple(faces), maps, _regions(lab, frame, maps, whose, len(faces)))


def _numbered(parts: dict[str, Map], number: int) -> dict[str, Map]:
    return {f"{name}-{number}": one for name, one in parts.items()}


def _regions(lab: Floats, frame: Frame, maps: dict[str, Map], whose: np.ndarray, count: int) -> Regions:
    """The picture in regions: the backdrop, each person's face, skin and hair, and what they wear and hold."""
    classes = np.where(maps["person"].coverage > 127, 1, 0)
    one, holds = set(), set()
    for number in range(1, count + 1):
        base = 4 * number - 2
        classes[whose == number] = base
        for step, name in enumerate(("skin", "hair", "face"), 1):
            if (there := maps.get(f"{name}-{number}")) is not None:
                covered = laid(there.coverage.astype(np.float32), there.frame, frame) > 127
                classes[covered & (whose == number)] = base + step
        one |= {base + 2, base + 3}
        holds.add(base + 1)
    return Regions(frame, *regions(lab, classes, one, holds))


def _near(source: _Source, face: Face, points: tuple[int, ...], spread: float, side: int) -> tuple[Frame, Floats]:
    """The frame round some points of a face, and the mesh in its pixels."""
    marks = np.array(face.landmarks)
    there = marks[list(points)]
    half = spread * float(np.ptp(there, axis=0).max()) / 2
    at = source.around((there.min(0) + there.max(0)) / 2, half, side)
    return at, marks * at.unit - np.array([at.x, at.y])


def _looked(source: _Source, face: Face, frame: Frame, own: Floats) -> Look | None:
    """What a face's person may be made of; None where the face has no mesh."""
    if not face.landmarks:
        return None
    return looked(source.read, source.width, source.height, np.array(face.landmarks), frame, own)


def _large_parts(
    source: _Source, face: Face, frame: Frame, colours: Encoded, own: Floats, look: Look, fine: bool
) -> dict[str, Map]:
    """Skin, hair and the face."""
    skin, hair, other = parts(look, np.array(face.landmarks), frame, colours, own, fine)
    out = {
        "skin": Map(frame, _bytes(skin), 2, look.sure[0]),
        "hair": Map(frame, _bytes(hair), 2, look.sure[1]),
    }
    at, points = _near(source, face, mesh.OVAL, 1.5, FACE_SIDE)
    own, skin, hair, other = (resample(v.astype(np.float32), frame, at) for v in (own, skin, hair, other))
    return out | {"face": Map(at, _bytes(face_of(points, own, skin, hair, other)))}


def _small_parts(source: _Source, face: Face) -> dict[str, Map]:
    """Brows, eyes and mouth."""
    out: dict[str, Map] = {}
    at, points = _near(source, face, mesh.OVAL, 1.5, FACE_SIDE)
    out["brows"] = Map(at, _bytes(brows(clipped_oklab(source.read(at)), points)))
    at, points = _near(source, face, mesh.EYES[0] + mesh.EYES[1], 1.4, EYES_SIDE)
    there = clipped_oklab(source.read(at))
    whites, irises, pupils = eyes(there, points, [eye for eye in (0, 1) if eye not in face.closed])
    out["eye-whites"], out["irises"], out["pupils"] = (Map(at, _bytes(v)) for v in (whites, irises, pupils))
    at, points = _near(source, face, mesh.LIPS, 1.5, MOUTH_SIDE)
    lips, teeth = mouth(clipped_oklab(source.read(at)), points)
    out["lips"], out["teeth"] = Map(at, _bytes(lips)), Map(at, _bytes(teeth))
    return out


def _boxes(models: Models, rgb: Bytes) -> tuple[int, list[Box]]:
    """How far the picture must be turned for its faces to stand, and the faces on the turned one (x, y from there).

    The boxes are in shares of the turned picture's long side.
    """
    small, _ = resized(rgb, 1280)
    answers = [models.faces(turned(small, quarters)) for quarters in range(4)]
    best = [max((box.score for box in boxes), default=0.0) for boxes in answers]
    # A turn must be clearly better than the picture as it stands.
    quarters = 0 if best[0] >= max(best) - 0.05 else int(np.argmax(best))
    upright = turned(rgb, quarters)
    unit = max(upright.shape[:2])
    found = [_scaled(box, 1 / max(small.shape[:2])) for box in answers[quarters] if box.score >= SURE[0]]
    for tiles in (2, 3):
        for y, x, tile in _tiles(upright, tiles):
            for box in models.faces(tile):
                if box.score >= SURE[1]:
                    found.append(_scaled(Box(box.x + x, box.y + y, box.w, box.h, box.score), 1 / unit))
    found.sort(key=lambda box: -box.score)
    kept: list[Box] = []
    for box in found:
        if all(_shared(box, other) < 0.3 for other in kept):
            kept.append(box)
    return quarters, kept


def _tiles(rgb: Bytes, count: int) -> Iterator[tuple[int, int, Bytes]]:
    """Tiles that overlap by a third of their own side."""
    height, width = rgb.shape[:2]
    h, w = round(height / (count - (count - 1) / 3)), round(width / (count - (count - 1) / 3))
    for y in np.linspace(0, height - h, count).round().astype(int):
        for x in np.linspace(0, width - w, count).round().astype(int):
            yield y, x, np.ascontiguousarray(rgb[y : y + h, x : x + w])


def _scaled(box: Box, by: float) -> Box:
    return Box(box.x * by, box.y * by, box.w * by, box.h * by, box.score)


def _shared(a: Box, b: Box) -> float:
    """How much of the smaller box lies in the other."""
    w = min(a.x + a.w, b.x + b.w) - max(a.x, b.x)
    h = min(a.y + a.h, b.y + b.h) - max(a.y, b.y)
    return max(w, 0) * max(h, 0) / max(min(a.w * a.h, b.w * b.h), 1e-9)


def _face(models: Models, source: _Source, box: Box, quarters: int) -> Face:
    """The face of a box on the turned picture, in the unturned one, with its mesh if it has one."""
    whole = source.whole(source.unit)
    corners = np.array([[box.x, box.y], [box.x + box.w, box.y + box.h]]) * source.unit
    there = turned_back(corners, quarters, whole.width, whole.height) / source.unit
    low, high = there.min(0), there.max(0)
    place = (float(low[0]), float(low[1]), float(high[0] - low[0]), float(high[1] - low[1]))
    at = source.around((low + high) / 2, 1.1 * float((high - low).max()), 640)
    upright = turned(source.rgb(at), quarters)
    points = models.mesh(upright)
    if points is None:
        return Face(place, box.score)
    marks = (turned_back(points[:, :2], quarters, at.w, at.h) + np.array([at.x, at.y])) / at.unit
    closed = tuple(eye for eye in (0, 1) if mesh.eye_openness(marks, eye) < mesh.CLOSED)
    return Face(
        place, box.score, tuple((float(x), float(y)) for x, y in marks), closed,
        mesh.mouth_openness(marks) > mesh.OPEN_MOUTH, tuple(float(z) for z in points[:, 2] / at.unit),
    )  # fmt: skip


def _distinct(faces: list[Face]) -> list[Face]:
    """Each face once, from left to right: two boxes may have led to the same mesh, and one box to none."""
    kept: list[Face] = []
    for face in sorted(faces, key=lambda f: (not f.landmarks, -f.score)):
        if not face.landmarks and face.score < SURE[1]:
            continue
        middle, side = _middle(face), max(face.box[2:])
        if all(np.hypot(*(middle - _middle(other))) > 0.5 * min(side, max(other.box[2:])) for other in kept):
            kept.append(face)
    return sorted(kept, key=lambda f: _middle(f)[0])


def _middle(face: Face) -> Floats:
    if face.landmarks:
        return np.asarray(np.array(face.landmarks).mean(0))
    x, y, w, h = face.box
    return np.array([x + w / 2, y + h / 2])


def _likely(models: Models, source: _Source, frame: Frame, faces: list[Face], quarters: int) -> Floats:
    """How likely each pixel of ``frame`` is a person's: asked of the whole frame, and again of each head."""

    def asked(at: Frame) -> Floats:
        answer = models.person(turned(source.rgb(at), quarters))
        return np.ascontiguousarray(np.rot90(answer, -quarters))

    likely = asked(frame)
    for face in faces:
        half = 1.3 * max(face.box[2:])
        at = source.around(_middle(face), half, 512)
        # Only where the frame itself is no finer than the model's own picture of the head.
        if at.unit < 1.2 * frame.unit * 256 / 512:
            continue
        own = asked(at)
        low = Frame(frame.width, frame.height, *_box_in(at, frame))
        near = cv2.resize(own, (low.w, low.h), interpolation=cv2.INTER_AREA)
        y, x = np.mgrid[-1 : 1 : complex(low.h), -1 : 1 : complex(low.w)]
        weight = np.clip((0.95 - np.maximum(np.abs(x), np.abs(y))) / 0.25, 0, 1)
        rows, columns = low.slices_in(frame)
        likely[rows, columns] += (weight * (near - likely[rows, columns])).astype(np.float32)
    return np.clip(likely, 0, 1)


def _box_in(at: Frame, frame: Frame) -> tuple[int, int, int, int]:
    scale = frame.unit / at.unit
    x0, y0 = max(0, round(at.x * scale)), max(0, round(at.y * scale))
    x1, y1 = min(frame.width, round((at.x + at.w) * scale)), min(frame.height, round((at.y + at.h) * scale))
    return x0, y0, max(1, x1 - x0), max(1, y1 - y0)


def _bytes(coverage: Floats) -> Bytes:
    return np.asarray(np.clip(coverage, 0, 1) * 255 + 0.5).astype(np.uint8)
