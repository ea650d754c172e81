"""What was found on a picture: faces with their landmarks, and small coverages that are refined where they are used."""

import io
import json
from dataclasses import dataclass, field
from pathlib import Path
from threading import Lock
from typing import Any

import numpy as np

from retouch.faces.drawn import DRAWN, drawn, height
from retouch.faces.mesh import CHIN, IRISES, TOP
from retouch.frame import Frame
from retouch.segment.guided import Read, follow, guided
from retouch.types import Bytes, Coverage, Floats, PictureError

VERSION = 3
FACE_PARTS = ("face", "skin", "eye-whites", "irises", "pupils", "lips", "teeth", "brows", "hair", *DRAWN)
NAMES = ("person", "backdrop", *FACE_PARTS)


@dataclass(frozen=True)
class Face:
    """One face: its box (x, y, w, h), how sure the detector is, and the mesh; lengths in long sides.

    ``landmarks`` is empty where the face is too turned, small or cut for the mesh, and ``depths`` is how far each lies
    behind the middle of the head (less than 0: before it); ``closed`` are the eyes that are shut (0: the right one,
    as the sitter has it, 1: the left).
    """

    box: tuple[float, float, float, float]
    score: float
    landmarks: tuple[tuple[float, float], ...] = ()
    closed: tuple[int, ...] = ()
    mouth_open: bool = False
    depths: tuple[float, ...] = ()

    def irises(self) -> list[tuple[float, float, float]]:
        """Middle and radius of the irises of open eyes, in long sides; none without landmarks."""
        out = []
        for eye, ring in enumerate(IRISES if self.landmarks else ()):
            if eye not in self.closed:
                x, y = np.array([self.landmarks[i] for i in ring]).T
                out.append((float(x.mean()), float(y.mean()), float(max(np.ptp(x), np.ptp(y))) / 2))
        return out

    def eyes(self) -> list[tuple[float, float, float, float]]:
        """The boxes of the two eyes, in long sides, about three irises wide; none without landmarks."""
        boxes = []
        for ring in IRISES if self.landmarks else ():
            x, y = np.array([self.landmarks[i] for i in ring]).T
            half = 1.6 * float(max(np.ptp(x), np.ptp(y)))
            boxes.append((float(x.mean()) - half, float(y.mean()) - half, 2 * half, 2 * half))
        return boxes


@dataclass(frozen=True)
class Map:
    """A coverage of one thing on a small frame, and the window (in its pixels; 0: none) by which it follows edges.

    ``sure`` is False where much of it might as well be something else.
    """

    frame: Frame
    coverage: Bytes
    window: int = 0
    sure: bool = True


@dataclass(frozen=True)
class Regions:
    """Numbers of the regions at each pixel of a small frame, at two levels (uint16)."""

    frame: Frame
    parts: np.ndarray[Any, Any]
    wholes: np.ndarray[Any, Any]


@dataclass(frozen=True)
class Found:
    """Faces from left to right, and the maps: ``person``, and ``skin-1`` … for the face with that number."""

    key: str
    faces: tuple[Face, ...]
    maps: dict[str, Map]
    regions: Regions | None = None
    _lines: dict[str, Floats] = field(default_factory=dict, repr=False, compare=False)
    _lock: Any = field(default_factory=Lock, repr=False, compare=False)

    def has(self, name: str, of: int = 0) -> bool:
        """Whether there is anything of this name, of one face or (0) of any."""
        if name == "backdrop":
            return self.has("person")
        if name in DRAWN:
            return any(face.landmarks for face in self._of(of))
        return any(m in self.maps and self.maps[m].coverage.any() for m in self._names(name, of))

    def _of(self, of: int) -> tuple[Face, ...]:
        """The face with this number, or (0) all."""
        return self.faces[of - 1 : of] if of else self.faces

    def face_height(self, of: int = 0) -> float | None:
        """From chin to the top of the forehead, in long sides, of one face or the largest; None if none has a mesh."""
        return max((height(face.landmarks) for face in self._of(of) if face.landmarks), default=None)

    def coverage(self, name: str, of: int, frame: Frame, read: Read) -> Coverage:
        """Coverage of something on ``frame``, float32 0…1; ``read`` gives the original's encoded working colours.

        Parameters
        ----------
        name
            One of NAMES; ``backdrop`` is what no person covers.
        of
            The number of the face, from 1; 0 is everybody.
        """
        if name == "backdrop":
            return Coverage(1 - self.coverage("person", 0, frame, read))
        out = np.zeros(frame.shape, np.float32)
        if name in DRAWN:
            for face in self._of(of):
                if face.landmarks:
                    np.maximum(out, drawn(name, face.landmarks, frame), out=out)
            return Coverage(out)
        for key in self._names(name, of):
            if key in self.maps:
                np.maximum(out, self._at(key, frame, read), out=out)
        return Coverage(out)

    def _names(self, name: str, of: int) -> list[str]:
        if name in ("person", "backdrop") and not of:
            return ["person"]
        return [f"{name}-{n}" for n in ([of] if of else range(1, len(self.faces) + 1))]

    def _at(self, key: str, frame: Frame, read: Read) -> Coverage:
        one = self.maps[key]
        if not one.window:
            return follow(one.coverage[..., None] / np.float32(255), one.frame, frame, read)
        with self._lock:
            line = self._lines.get(key)
            if line is None:
                line = self._lines[key] = guided(read(one.frame), one.coverage / np.float32(255), one.window)
        return follow(line, one.frame, frame, read)

    def _unsure(self, name: str, number: int) -> bool:
        one = self.maps.get(f"{name}-{number}")
        return one is not None and not one.sure and bool(one.coverage.any())

    def summary(self) -> dict[str, Any]:
        """What was found, as JSON."""
        return {
            "version": VERSION,
            "faces": [
                {
                    "number": number,
                    "box": [round(v, 5) for v in face.box],
                    "score": round(face.score, 3),
                    "eyes": [[round(v, 5) for v in box] for box in face.eyes()],
                    "axis": [[round(v, 5) for v in face.landmarks[n]] for n in (TOP, CHIN) if face.landmarks],
                    "landmarks": [[round(x, 5), round(y, 5)] for x, y in face.landmarks],
                    "closed": [("right", "left")[eye] for eye in face.closed],
                    "mouth_open": face.mouth_open,
                    "parts": [p for p in FACE_PARTS if self.has(p, number)],
                    "unsure": [p for p in FACE_PARTS if self._unsure(p, number)],
                }
                for number, face in enumerate(self.faces, 1)
            ],
            "person": self.has("person"),
        }

    def save(self, path: Path) -> None:
        """Write everything into one file."""
        faces = [face.__dict__ for face in self.faces]
        head: dict[str, Any] = {"version": VERSION, "key": self.key, "faces": faces, "maps": {}}
        arrays: dict[str, np.ndarray[Any, Any]] = {}
        for number, (name, one) in enumerate(self.maps.items()):
            f = one.frame
            head["maps"][name] = [f"m{number}", one.window, f.width, f.height, f.x, f.y, f.w, f.h]
            arrays[f"m{number}"] = one.coverage
        head["unsure"] = [name for name, one in self.maps.items() if not one.sure]
        if self.regions is not None:
            f = self.regions.frame
            head["regions"] = [f.width, f.height, f.x, f.y, f.w, f.h]
            arrays["parts"], arrays["wholes"] = self.regions.parts, self.regions.wholes
        buffer = io.BytesIO()
        np.savez_compressed(buffer, head=np.frombuffer(json.dumps(head).encode(), np.uint8), **arrays)  # type: ignore[arg-type]
        path.write_bytes(buffer.getvalue())

    @staticmethod
    def load(path: Path) -> "Found":
        """What :meth:`save` wrote; PictureError if it is of another version."""
        with np.load(path, allow_pickle=False) as stored:
            head = json.loads(stored["head"].tobytes())
            if head["version"] != VERSION:
                raise PictureError("What was found on this picture is of another version: it is looked for again.")
            maps = {
                name: Map(Frame(*frame), stored[entry], window, name not in head["unsure"])
                for name, (entry, window, *frame) in head["maps"].items()
            }
            there = head.get("regions")
            regions = None if there is None else Regions(Frame(*there), stored["parts"], stored["wholes"])
        faces = tuple(
            Face(
                tuple(f["box"]),
                f["score"],
                tuple(map(tuple, f["landmarks"])),
                tuple(f["closed"]),
                f["mouth_open"],
                tuple(f.get("depths", ())),
            )
            for f in head["faces"]
        )
        return Found(head["key"], faces, maps, regions)
