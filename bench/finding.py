"""How well what the program finds agrees with the exact labels: ``uv run python -m bench.finding``.

Prints one table of intersection over union by skin group, and writes it into ``docs/finding.md``. Labels are 1000
pixels on the long side; an area and its label are cut at one half.
"""

import json
import sys
from collections import defaultdict
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from retouch.faces.finding import find
from retouch.faces.found import Found
from retouch.files.reading import read
from retouch.frame import Frame
from retouch.render.picture import Decoded
from retouch.render.plan import Renderer
from retouch.sheet import read_sheet

DEMO = Path(__file__).parents[1] / "demo"
DOCS = Path(__file__).parents[1] / "docs" / "finding.md"
HEAD = """# How well the program finds

Intersection over union of what the program finds with the exact labels of the choir's pictures, by skin group (ITA°),
both cut at one half on a map of 1000 pixels. Printed by `uv run python -m bench.finding`, which writes this page.

"""
GROUPS = ("very light", "light", "intermediate", "tan", "brown", "dark")
TRUTH = {
    "person": (),
    "skin": ("skin", "face-skin"),
    "face": ("face-skin", "lips", "teeth", "mouth", "eye-whites", "irises", "pupils", "brows", "lashes"),
    "lips": ("lips",),
    "irises": ("irises",),
    "pupils": ("pupils",),
    "eye-whites": ("eye-whites",),
    "teeth": ("teeth",),
    "hair": ("hair",),
    "brows": ("brows",),
}
GOALS = {"person": 0.96, "skin": 0.88, "face": 0.90, "lips": 0.85, "irises": 0.80, "pupils": None, "eye-whites": 0.70,
         "teeth": 0.75, "hair": 0.80, "brows": 0.60}  # fmt: skip

BOXES = {
    "Alto 3": (("things", 1),),
    "Alto 1": (("clothing", 1),),
    "Mezzo 1": (("clothing", 1),),
    "Soprano 2": (("clothing", 1),),
    "Soprano 1": (("person", 1),),
    "Mezzo 2 and Bass 3": (("person", 2),),
    "Baritone 1": (("person", 1),),
    "Bass 2": (("face", 1),),
}
"""Eight things with a box drawn round each."""


def truth_of(labels: Any, name: str, number: int) -> np.ndarray:
    """Where something of a person is, boolean."""
    own = labels[f"person-{number}"].astype(int)
    if name == "person":
        return np.asarray(own > 127)
    whole = sum(labels[kind].astype(int) for kind in TRUTH[name])
    return np.asarray((whole > 127) & (own > 127))


def overlap(a: np.ndarray, b: np.ndarray) -> float:
    """Intersection over union; 1 where both are empty."""
    union = (a | b).sum()
    return float((a & b).sum() / union) if union else 1.0


def edge_error(a: np.ndarray, b: np.ndarray) -> float:
    """Mean distance between two outlines, both ways, in long sides; the picture's own border is no outline."""

    def outline(m: np.ndarray) -> np.ndarray:
        eroded = cv2.erode(m.astype(np.uint8), np.ones((3, 3), np.uint8), borderType=cv2.BORDER_REPLICATE)
        return np.asarray(m & (eroded == 0))

    ways = []
    for one, other in ((a, b), (b, a)):
        away = cv2.distanceTransform((~outline(other)).astype(np.uint8), cv2.DIST_L2, 5)
        ways.append(float(away[outline(one)].mean()))
    return max(np.mean(ways), 0.0) / max(a.shape)


def box_truth(labels: Any, kind: str, number: int) -> np.ndarray:
    """The largest piece of something of a person, boolean."""
    if kind in TRUTH:
        truth = truth_of(labels, kind, number)
    else:
        truth = (labels[kind] > 127) & (labels[f"person-{number}"] > 127)
    _, pieces, stats, _ = cv2.connectedComponentsWithStats(truth.astype(np.uint8))
    return np.asarray(pieces == 1 + stats[1:, cv2.CC_STAT_AREA].argmax())


def _boxed(picture: Decoded, found: Found, truth: np.ndarray) -> np.ndarray:
    """What a box drawn closely round the truth takes."""
    height, width = truth.shape
    (ys, xs), unit = np.nonzero(truth), max(truth.shape)
    box = [(xs.min() - 3) / unit, (ys.min() - 3) / unit, (xs.max() + 4) / unit, (ys.max() + 4) / unit]
    area = {"id": "a", "parts": [{"source": "thing", "box": box}]}
    sheet = read_sheet({"format": "needlepoint-sheet", "version": 1, "areas": [area]})
    return Renderer(picture, sheet, found=lambda: found).area("a", Frame.whole(width, height)) > 0.5


def measure(names: list[str]) -> dict[str, list[tuple[str, str, float]]]:
    """For each area: (picture, skin group, IoU) of every sitter."""
    out: dict[str, list[tuple[str, str, float]]] = defaultdict(list)
    for path in sorted((DEMO / "pictures").iterdir()):
        if names and path.stem not in names:
            continue
        picture = Decoded(read(path))
        found = find(picture)
        with np.load(DEMO / "labels" / f"{path.stem}.npz") as stored:
            labels = {kind: stored[kind] for kind in stored}
        people = json.loads((DEMO / "labels" / f"{path.stem}.json").read_text())["people"]
        height, width = labels["skin"].shape
        frame = Frame.whole(width, height)
        for kind, number in BOXES.get(path.stem, ()):
            value = overlap(_boxed(picture, found, box_truth(labels, kind, number)), box_truth(labels, kind, number))
            out["boxes"].append((f"{path.stem}: {kind}", people[number - 1]["skin group"], value))
        whole = found.coverage("person", 0, frame, picture.read) > 0.5
        there = np.any([truth_of(labels, "person", n) for n in range(1, len(people) + 1)], axis=0)
        out["edge of the person"].append((path.stem, people[0]["skin group"], edge_error(whole, there)))
        for number, person in enumerate(people, 1):
            of = _nearest(found, person["landmarks"]["nose-tip"])
            for name in TRUTH:
                truth = truth_of(labels, name, number)
                if name == "teeth" and truth.mean() < 1e-4:
                    truth[:] = False
                answer = found.coverage(name, of, frame, picture.read) > 0.5 if of else np.zeros_like(truth)
                closed = name == "teeth" and not truth.any()
                out["closed lips" if closed else name].append(
                    (person["name"], person["skin group"], overlap(answer, truth))
                )
    return out


def _nearest(found: Found, nose: list[float]) -> int:
    away = [np.hypot(f.box[0] + f.box[2] / 2 - nose[0], f.box[1] + f.box[3] / 2 - nose[1]) for f in found.faces]
    return int(np.argmin(away)) + 1 if away and min(away) < 0.2 else 0


def main() -> None:
    """Print and write the table."""
    names = sys.argv[1:]
    results = measure(names)
    head = ["area", *GROUPS, "all", "goal"]
    lines = ["| " + " | ".join(head) + " |", "|" + "---|" * len(head)]
    for name in TRUTH:
        rows = results[name]
        cells = []
        for group in GROUPS:
            own = [v for _, g, v in rows if g == group]
            cells.append(f"{np.mean(own):.3f}" if own else "–")
        goal = GOALS[name]
        cells += [f"{np.mean([v for *_, v in rows]):.3f}", f"≥ {goal:.2f}" if goal else ""]
        lines.append(f"| {name} | " + " | ".join(cells) + " |")
    edges = results["edge of the person"]
    cells = []
    for group in GROUPS:
        own = [v for _, g, v in edges if g == group]
        cells.append(f"{100 * np.mean(own):.3f} %" if own else "–")
    cells += [f"{100 * np.mean([v for *_, v in edges]):.3f} %", "≤ 0.15 %"]
    lines.append("| edge of the person | " + " | ".join(cells) + " |")
    boxes, closed = results.pop("boxes", []), results.pop("closed lips", [])
    none = sum(value == 1 for *_, value in closed)
    lines += ["", f"Closed lips without teeth: {none} of {len(closed)}."]
    if boxes:
        lines += ["", "| box round a thing | IoU |", "|---|---|"]
        lines += [f"| {name} | {value:.3f} |" for name, _, value in boxes]
        lines.append(f"| mean (goal ≥ 0.90 each) | {np.mean([v for *_, v in boxes]):.3f} |")
    print("\n".join(lines))
    if not names:
        DOCS.write_text(HEAD + "\n".join(lines) + "\n")
    for name, rows in results.items():
        worst = sorted(rows, key=lambda row: row[2], reverse=name.startswith("edge"))[:4]
        print(
            name
            + ": "
            + ", ".join(f"{who} {value:.3f}" if value > 0.01 else f"{who} {value:.5f}" for who, _, value in worst)
        )


if __name__ == "__main__":
    main()
