"""How near the skin touches' starts come to the truth, by skin group; writes docs/skin.md: ``python -m bench.skin``.

The truth are the pairs of `demo/pairs`: the same face with and without what is taken away. ΔE is the distance in OKLab,
× 100; pores are the high-pass of lightness below 1/150 of the face's height.
"""

import base64
import json
from pathlib import Path

import cv2
import numpy as np

from retouch.colour.oklab import to_oklab
from retouch.files.reading import read
from retouch.frame import Frame
from retouch.render.picture import Decoded
from retouch.render.plan import Renderer
from retouch.sheet import read_sheet
from retouch.sheet.starting import FACE
from retouch.touches import KINDS

ROOT = Path(__file__).resolve().parents[1]
PAIRS = Path("/tmp/pairs")
FACE_PIXELS = 1000
"""Height of the faces on the pairs, in pixels: 800 of them are on the crop."""
STARTS = (
    ("shine", "Calm the shine", "shine", "matt"),
    ("even", "Even the skin", "blotches", "plain"),
    ("detail", "Soften the skin", "blemishes", "plain"),
)


def main() -> None:
    """Measure every pair and write the table."""
    rows = []
    for kind, title, problem, truth in STARTS:
        for path in sorted(PAIRS.glob(f"*-{problem}.jpg")):
            who = path.stem.removesuffix(f"-{problem}")
            rows.append((kind, who, *measured(kind, title, path, PAIRS / f"{who}-{truth}.jpg")))
            print(*rows[-1], flush=True)


def measured(kind: str, title: str, path: Path, truth: Path) -> tuple[float, ...]:
    """ΔE before and after, the share of the distance, pores kept, and blemish contrast kept."""
    before, wanted = (Decoded(read(p)) for p in (path, truth))
    who = path.stem.rpartition("-")[0]
    whole = Frame.whole(before.width, before.height)
    start = next(s for s in KINDS[kind].starts if s.title == title)
    settings = dict(start.settings)
    scale = FACE_PIXELS / max(before.width, before.height) / FACE
    for name, field in KINDS[kind].model_fields.items():
        extra = field.json_schema_extra
        if isinstance(extra, dict) and extra.get("length") not in (None, "pixel"):
            settings[name] = settings.get(name, field.default) * scale
    mask = cv2.imread(str(PAIRS / f"{who}-skin.png"), cv2.IMREAD_GRAYSCALE)
    area = {
        "id": "a",
        "feather": 0.003,
        "parts": [{"source": "file", "png": base64.b64encode(cv2.imencode(".png", mask)[1].tobytes()).decode()}],
    }
    touch = {"id": "t", "kind": kind, "settings": settings, "strength": start.strength, "area": "a"}
    sheet = {"format": "needlepoint-sheet", "version": 1, "areas": [area], "touches": [touch]}
    out = Renderer(before, read_sheet(json.dumps(sheet))).draw(whole)
    a, b, t = (to_oklab(np.clip(p, 0, 1)) for p in (before.read(whole), out, wanted.read(whole)))
    skin = cv2.erode(mask, np.ones((9, 9), np.uint8)) > 250
    if kind == "shine":
        # Where light is mirrored: elsewhere there is nothing to take back.
        skin &= np.linalg.norm(a - t, axis=-1) > 0.02
    off = [100 * float(np.linalg.norm(p - t, axis=-1)[skin].mean()) for p in (a, b)]
    fine = [_rms(_high(p[..., 0]), skin) for p in (a, b, t)]
    spots = [_rms(_middle(p[..., 0] - t[..., 0]), skin) for p in (a, b)]
    return (
        *off,
        100 * (1 - off[1] / off[0]),
        100 * fine[1] / fine[0],
        100 * fine[1] / fine[2],
        100 * spots[1] / spots[0],
    )


def _high(light):
    return light - cv2.GaussianBlur(light, (0, 0), FACE_PIXELS / 400)


def _middle(light):
    return cv2.GaussianBlur(light, (0, 0), FACE_PIXELS / 400) - cv2.GaussianBlur(light, (0, 0), FACE_PIXELS / 60)


def _rms(values, where):
    return float(np.sqrt((values[where] ** 2).mean()))


if __name__ == "__main__":
    main()
