"""What is found on the tests' pictures, looked for once and kept by the picture, the code that finds and its models."""

import fcntl
import hashlib
import importlib.metadata
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np

import retouch
from retouch.faces import Found
from retouch.faces.finding import find
from retouch.frame import Frame
from tests.plugin import RUN

KEPT = RUN / "found"
FINDS = ("faces", "segment", "colour", "areas")
"""Rooms of the core on which it depends what is found."""


@cache
def _finder() -> str:
    """A name for the code and the models that find."""
    digest = hashlib.sha256(importlib.metadata.version("mediapipe").encode())
    home = Path(retouch.__file__).parent
    for path in sorted(p for room in FINDS for p in (home / room).rglob("*") if p.suffix in (".py", ".npz")):
        digest.update(path.name.encode() + path.read_bytes())
    return digest.hexdigest()


def find_kept(
    picture: Any, progress: Callable[[float], None] | None = None, first: Callable[[Found], None] = lambda rough: None
) -> Found:
    """As :func:`retouch.faces.finding.find`, at once where it was looked for before; ``first`` is told the same."""
    colours = np.ascontiguousarray(picture.read(Frame.whole(picture.width, picture.height)))
    name = hashlib.sha256(_finder().encode() + str(colours.shape).encode() + colours.tobytes()).hexdigest()[:32]
    KEPT.mkdir(parents=True, exist_ok=True)
    rough, whole = KEPT / f"{name}-first.npz", KEPT / f"{name}.npz"
    # Several workers may want the same: one looks, the others wait.
    with (KEPT / f"{name}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not whole.exists():
            part = whole.with_suffix(".part")
            find(picture, first=lambda found: found.save(rough)).save(part)
            part.replace(whole)
    if rough.exists():
        first(Found.load(rough))
    if progress is not None:
        progress(1.0)
    return Found.load(whole)
