"""The models that find faces and people, behind three questions; nothing else in the house knows which they are.

Face detection: V. Bazarevsky et al., "BlazeFace" (2019). Mesh: Y. Kartynnik et al., "Real-time facial surface geometry
from monocular video on mobile GPUs" (2019); I. Grishchenko et al., "Attention mesh" (2020). Both, and the person, come
with the wheel of mediapipe (Apache-2.0). Importing it takes seconds, so that it happens when the first model is made.
"""

import os
from dataclasses import dataclass
from threading import Lock
from types import TracebackType
from typing import Any, ClassVar

import cv2
import numpy as np

from retouch.types import Bytes, Floats

PRESENT = 0.5
"""How sure the mesh must be that there is a face, for its landmarks to be believed."""
_one_at_a_time = Lock()


@dataclass(frozen=True)
class Box:
    """A detected face in pixels of the picture that was asked about, and how sure the detector is, 0…1."""

    x: float
    y: float
    w: float
    h: float
    score: float


class Models:
    """The loaded models, used as ``with Models() as models``; they are not thread-safe: one at a time in a process.

    Loading them takes seconds: a process does it once, and keeps them.
    """

    _kept: ClassVar["Models | None"] = None

    def __enter__(self) -> "Models":
        _one_at_a_time.acquire()
        try:
            if Models._kept is None:
                self._load()
                Models._kept = self
        except BaseException:
            _one_at_a_time.release()
            raise
        return Models._kept

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        _one_at_a_time.release()

    def _load(self) -> None:
        # Its native code writes notes for its own makers to the terminal.
        os.environ.setdefault("GLOG_minloglevel", "3")
        os.environ.setdefault("TF_CPP_MIN_LOG_LEVEL", "3")
        from mediapipe.python.solutions import face_detection, face_mesh, selfie_segmentation

        self._detectors = [face_detection.FaceDetection(0.3, model_selection=m) for m in (0, 1)]
        self._mesh = face_mesh.FaceMesh(True, 2, True, PRESENT)
        self._person = selfie_segmentation.SelfieSegmentation(0)

    def faces(self, rgb: Bytes) -> list[Box]:
        """Faces in an sRGB picture h × w × 3, upright ones best; a near and a far detector both answer."""
        height, width = rgb.shape[:2]
        found = []
        for detector in self._detectors:
            for detection in detector.process(rgb).detections or ():
                box = detection.location_data.relative_bounding_box
                found.append(
                    Box(box.xmin * width, box.ymin * height, box.width * width, box.height * height, detection.score[0])
                )
        return found

    def mesh(self, rgb: Bytes) -> Floats | None:
        """478 landmarks (x, y in pixels, depth) of the face nearest to the middle of an sRGB crop; None: no face."""
        height, width = rgb.shape[:2]
        faces = self._mesh.process(rgb).multi_face_landmarks or ()
        meshes = [np.array([(p.x * width, p.y * height, p.z * width) for p in face.landmark]) for face in faces]
        middle = np.array([width / 2, height / 2])
        return min(meshes, key=lambda m: float(np.hypot(*(m[:, :2].mean(0) - middle))), default=None)

    def person(self, rgb: Bytes) -> Floats:
        """How likely each pixel of an sRGB picture h × w × 3 is a person's, float32 0…1."""
        mask: Any = self._person.process(rgb).segmentation_mask
        return np.asarray(mask, np.float32).copy()


def turned(rgb: Bytes, quarters: int) -> Bytes:
    """The picture turned by quarters of a circle, counter-clockwise."""
    return np.ascontiguousarray(np.rot90(rgb, quarters))


def turned_back(points: Floats, quarters: int, width: int, height: int) -> Floats:
    """Points (n, 2+) of a picture turned by ``quarters``, in pixels of the unturned one (``width`` × ``height``)."""
    out = np.array(points, np.float64)
    x, y = points[:, 0], points[:, 1]
    if quarters % 4 == 1:
        out[:, 0], out[:, 1] = width - y, x
    elif quarters % 4 == 2:
        out[:, 0], out[:, 1] = width - x, height - y
    elif quarters % 4 == 3:
        out[:, 0], out[:, 1] = y, height - x
    return out


def resized(rgb: Bytes, side: int) -> tuple[Bytes, float]:
    """The picture with ``side`` pixels on its long side at most, and its scale."""
    scale = min(1.0, side / max(rgb.shape[:2]))
    if scale == 1.0:
        return rgb, 1.0
    size = (max(1, round(rgb.shape[1] * scale)), max(1, round(rgb.shape[0] * scale)))
    return np.asarray(cv2.resize(rgb, size, interpolation=cv2.INTER_AREA), np.uint8), scale
