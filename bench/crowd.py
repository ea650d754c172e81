"""How long a hand waits while others work: ``python -m bench.crowd``; see docs/reliability.md.

Two people in a house of its own. One paints: a small dab on a view of 1280 × 1000, again and again, and looks at small
views. First alone; then while the other one asks for three views of 15 million pixels at once, orders three files and
has three mattes of hair worked out, all without a pause. Told is how long the answers take, and how much longer than
alone (medians, and the 95th of 100).
"""

import argparse
import itertools
import json
import random
import sys
import tempfile
import threading
import time
import urllib.error
from collections.abc import Callable
from pathlib import Path
from statistics import median, quantiles
from typing import Any

import cv2

from bench.house import ACCOUNT, House, Memory
from retouch.files.reading import read

ROOT = Path(__file__).resolve().parents[1]
PICTURE = ROOT / "demo" / "pictures" / "Alto 2.jpg"
WIDTH, HEIGHT = 3464, 4330
VIEW = {"width": 1024, "height": 1280, "x": 0, "y": 0, "w": 1024, "h": 1280}
SMALL = {"width": 640, "height": 800, "x": 0, "y": 0, "w": 640, "h": 800}
LARGE = {"width": WIDTH, "height": HEIGHT, "x": 0, "y": 0, "w": WIDTH, "h": HEIGHT}


class Somebody:
    """Somebody with a portrait of 15 million pixels and a sheet."""

    def __init__(self, house: House, email: str, picture: bytes, portraits: int):
        self.house = house
        house.patiently("POST", "/accounts", ACCOUNT | {"email": email})
        sitting = house.patiently("POST", "/sittings", {"name": "Crowd"})["id"]
        self.portraits = [house.upload(sitting, f"Alto {n}.jpg", picture) for n in range(1, portraits + 1)]
        for key in self.portraits:
            house.until_prepared(key)
        strokes = [{"size": 0.02, "points": [[0.3, 0.3, 1], [0.5, 0.5, 1]]}]
        hair = {"source": "face-part", "part": "hair"}
        spot = {"source": "pool", "centre": [0.4, 0.2], "radii": [0.01, 0.01]}
        self.operations: list[dict[str, Any]] = [
            {"op": "insert", "path": ["areas"], "item": item}
            for item in (
                {"id": "painted", "parts": [{"source": "strokes", "strokes": strokes}]},
                {"id": "hair", "refine": "hair", "parts": [hair, spot]},
            )
        ]
        kinds: list[tuple[str, dict[str, Any]]] = [
            ("exposure", {"ev": 0.3}), ("zones", {"shadow": 0.4}), ("detail", {"medium": -0.3, "medium_size": 0.02}),
            ("sharpen", {"amount": 0.6, "radius": 0.0006}), ("curve", {}),
        ]  # fmt: skip
        self.operations += [
            {"op": "insert", "path": ["touches"], "item": {"id": f"t{n}", "kind": kind, "settings": settings} | (
                {"area": "painted"} if n == 0 else {})}
            for n, (kind, settings) in enumerate(kinds)
        ]  # fmt: skip
        for key in self.portraits:
            edit = {"revision": 0, "words": "begin", "operations": self.operations}
            house.patiently("POST", f"/portraits/{key}/edits", edit)

    def post(self, portrait: int, what: str, body: dict[str, Any]) -> bytes:
        """Ask something about a portrait as it stands."""
        return self.house.raw(
            "POST", f"/portraits/{self.portraits[portrait]}/{what}", {"revision": 1, **body}, wait=300
        )

    def searched(self) -> None:
        """Wait until hair was found on all portraits."""
        for key in self.portraits:
            while True:
                try:
                    self.house.raw("POST", f"/portraits/{key}/mask", {"revision": 1, "area": "hair"}, wait=300)
                    break
                except urllib.error.HTTPError as error:
                    if error.code != 425:
                        raise
                    time.sleep(0.5)


def waits(somebody: Somebody, many: int) -> dict[str, list[float]]:
    """Seconds that somebody waits for small dabs and small views."""
    rng = random.Random(4)
    # As a page does that has the portrait open.
    somebody.post(0, "view", {"frame": VIEW, "keep": "t0"})
    out: dict[str, list[float]] = {"small dab": [], "small view": []}
    for number in range(many):
        name, x, y = f"s{time.time_ns()}", rng.uniform(0.2, 0.6), rng.uniform(0.2, 0.7)
        for start in range(3):
            point = [[x + 0.01 * start, y, 1]]
            dab = {
                "area": "painted", "part": 0, "name": name, "start": start, "keep": "t0",
                "stroke": {"size": 0.02, "points": point}, "frame": VIEW,
            }  # fmt: skip
            began = time.monotonic()
            somebody.post(0, "dabs", dab)
            out["small dab"].append(time.monotonic() - began)
        trial = [{"op": "put", "path": ["touches", "t0", "settings", "ev"], "value": 0.3 + number / 1e4}]
        began = time.monotonic()
        somebody.post(0, "view", {"frame": SMALL, "trial": trial, "draft": True, "keep": "t0"})
        out["small view"].append(time.monotonic() - began)
    return out


def without_pause(work: Callable[[int], None], over: threading.Event) -> threading.Thread:
    """Do it again and again until it is over."""

    def run() -> None:
        for number in itertools.count():
            if over.is_set():
                return
            work(number)

    thread = threading.Thread(target=run, daemon=True)
    thread.start()
    return thread


def heavy(other: Somebody, over: threading.Event, done: dict[str, int]) -> list[threading.Thread]:
    """Three large views, three files and three mattes, each again as soon as it is there."""

    def view(which: int) -> Callable[[int], None]:
        def ask(number: int) -> None:
            ev = round(0.5 + which + number / 1000, 4)
            trial = [{"op": "put", "path": ["touches", "t0", "settings", "ev"], "value": ev}]
            other.post(which, "view", {"frame": LARGE, "trial": trial})
            done["large views"] += 1

        return ask

    def matte(which: int) -> Callable[[int], None]:
        def ask(number: int) -> None:
            # Another hair each time: what is kept is not worked out again.
            place = [round(0.3 + number / 1e4, 4), 0.2]
            moved = {"op": "put", "path": ["areas", "hair", "parts", 1, "centre"], "value": place}
            other.post(which, "mask", {"area": "hair", "trial": [moved]})
            done["mattes"] += 1

        return ask

    def file(which: int) -> Callable[[int], None]:
        def ask(number: int) -> None:
            key = json.loads(other.post(which, "exports", {"form": "jpeg"}))["id"]
            while json.loads(other.house.raw("GET", f"/exports/{key}"))["state"] in ("waiting", "running"):
                if over.wait(0.2):
                    return
            done["files"] += 1

        return ask

    return [without_pause(make(which), over) for make in (view, matte, file) for which in range(3)]


def main() -> None:
    """Measure."""
    parser = argparse.ArgumentParser(prog="python -m bench.crowd")
    parser.add_argument("--times", type=int, default=60)
    options = parser.parse_args()
    size = (WIDTH, HEIGHT)
    large = cv2.resize(read(PICTURE).raw, size, interpolation=cv2.INTER_CUBIC)
    picture = cv2.imencode(".jpg", large[..., ::-1])[1].tobytes()
    with tempfile.TemporaryDirectory(dir="/var/tmp") as folder:
        house = House(Path(folder))
        house.start()
        try:
            house.patiently("GET", "/session")
            hand = Somebody(house, "hand@choir.example", picture, 1)
            busy = House(Path(folder))
            busy.port, busy.process = house.port, house.process
            busy.patiently("GET", "/session")
            other = Somebody(busy, "busy@choir.example", picture, 3)
            print("searching", file=sys.stderr)
            other.searched()
            house.until_idle()
            waits(hand, 10)
            alone = waits(hand, options.times)
            watch = Memory(house)
            watch.start()
            over, done = threading.Event(), {"large views": 0, "files": 0, "mattes": 0}
            threads = heavy(other, over, done)
            time.sleep(3)
            began = time.monotonic()
            beside = waits(hand, options.times)
            took = time.monotonic() - began
            over.set()
            for thread in threads:
                thread.join(300)
            peak = watch.of("server")
        finally:
            house.stop()
    print(
        f"Beside: {', '.join(f'{many} {what}' for what, many in done.items())} in {took:.0f} s; "
        f"the server's peak is {peak / 2**20:.0f} MB.\n"
    )
    print("| | alone, median | 95th | beside, median | 95th | × median | × 95th |\n|---|---|---|---|---|---|---|")
    for what in alone:
        quiet, loud = ((median(s), quantiles(s, n=20)[-1]) for s in (alone[what], beside[what]))
        cells = " | ".join(f"{1000 * s:.0f} ms" for s in (*quiet, *loud))
        print(f"| {what} | {cells} | {loud[0] / quiet[0]:.1f} | {loud[1] / quiet[1]:.1f} |")


if __name__ == "__main__":
    main()
