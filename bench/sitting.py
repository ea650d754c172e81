"""A whole sitting at once: ``python -m bench.sitting [--portraits 40]``; see docs/sitting.md.

A house of its own with portraits of 12 million pixels, searched. Touches are carried over to all of them by one worker
of ours, then by two: told is how the time until the last preview compares with the processor time that the workers
took, how much quicker two are than one, and how much longer a dab takes meanwhile. What finding takes comes first. What
workers take until they are there, and to end, is measured without work and left out.
"""

import argparse
import os
import resource
import signal
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path
from statistics import quantiles

import cv2

from bench.crowd import Somebody, waits
from bench.house import House
from retouch.files.reading import read

ROOT = Path(__file__).resolve().parents[1]
PICTURE = ROOT / "demo" / "pictures" / "Alto 1.jpg"
SIZE = (3098, 3873)
SKIN = {"id": "skin", "name": "the skin", "parts": [{"id": "p", "source": "face-part", "part": "skin"}]}
EYES = {"id": "eyes", "name": "the irises", "parts": [{"id": "p", "source": "face-part", "part": "irises"}]}
TOUCHES = (
    ("white-balance", {"warmth": 8}, None), ("exposure", {"ev": 0.2}, None), ("zones", {"shadow": 0.4}, None),
    ("even", {}, "skin"), ("detail", {"medium": -0.2, "medium_size": 0.01}, "skin"), ("exposure", {"ev": 0.3}, "eyes"),
    ("saturation", {"amount": 0.1}, None), ("sharpen", {"amount": 0.5, "radius": 0.0005}, None),
)  # fmt: skip


class Workers:
    """Workers of ours on the house's queues, in place of its own, which stands still meanwhile."""

    def __init__(self, house: House):
        self.environment = os.environ | {"NEEDLEPOINT_VAR": str(house.folder)}

    def run(self, many: int, queue: str) -> tuple[float, float]:
        """Work until nothing is left; seconds that went by, and seconds of processor time."""
        began, before = time.monotonic(), resource.getrusage(resource.RUSAGE_CHILDREN)
        command = [sys.executable, "-m", "studio.command", "serve-worker", "--queues", queue, "--at-once", "1"]
        running = [
            subprocess.Popen([*command, "--until-done"], env=self.environment, stdout=subprocess.DEVNULL)
            for _ in range(many)
        ]
        for one in running:
            one.wait()
        after = resource.getrusage(resource.RUSAGE_CHILDREN)
        took = after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime
        return time.monotonic() - began, took


def halt(house: House, number: signal.Signals) -> None:
    """Stop the house's own workers, or let them go on."""
    for part in ("worker", "finder"):
        os.kill(int((house.folder / "run" / f"{part}.pid").read_text()), number)


def main() -> None:
    """Measure, and print the ratios."""
    parser = argparse.ArgumentParser(prog="python -m bench.sitting")
    parser.add_argument("--portraits", type=int, default=40)
    options = parser.parse_args()
    with tempfile.TemporaryDirectory(prefix="np-sitting-", dir="/var/tmp") as folder:
        Path(folder).chmod(0o755)
        house = House(Path(folder))
        house.start()
        try:
            measure(house, options.portraits)
        finally:
            house.stop()


def measure(house: House, count: int) -> None:
    """One house, once up."""
    data = cv2.imencode(".jpg", cv2.resize(read(PICTURE).raw, SIZE)[..., ::-1])[1].tobytes()
    house.patiently("GET", "/session")
    hand = Somebody(house, "hand@choir.example", data, 1)
    house.until_idle()
    sitting = house.patiently("POST", "/sittings", {"name": "Forty"})["id"]
    halt(house, signal.SIGSTOP)
    workers = Workers(house)
    keys = [house.upload(sitting, f"Alto {n}.jpg", data) for n in range(1, count + 1)]
    workers.run(2, "studio")
    _, took = workers.run(1, "search")
    empty = {many: workers.run(many, "studio") for many in (1, 2)}
    took -= empty[1][1]
    print(f"finding: {took / count:.1f} s of processor time a portrait")
    first = keys[0]
    operations = [{"op": "insert", "path": ["areas"], "item": one} for one in (SKIN, EYES)]
    operations += [
        {"op": "insert", "path": ["touches"],
         "item": {"id": f"t{n}", "kind": kind, "settings": settings} | ({"area": area} if area else {})}
        for n, (kind, settings, area) in enumerate(TOUCHES)
    ]  # fmt: skip
    house.patiently("POST", f"/portraits/{first}/edits", {"revision": 0, "words": "x", "operations": operations})
    # Each time to others: what lies on a sheet already would be drawn as well.
    third = (count - 1) // 3
    parts = iter([keys[1 + n * third : 1 + (n + 1) * third] for n in range(3)])
    body = {"portrait": first, "revision": 1, "touches": [f"t{n}" for n in range(len(TOUCHES))]}
    idle = waits(hand, 60)["small dab"]
    times = {}
    for many in (1, 2):
        house.patiently("POST", f"/sittings/{sitting}/carry-overs", body | {"to": next(parts)})
        times[many] = tuple(took - none for took, none in zip(workers.run(many, "studio"), empty[many], strict=True))
    busy: list[float] = []
    house.patiently("POST", f"/sittings/{sitting}/carry-overs", body | {"to": next(parts)})
    beside = threading.Thread(target=workers.run, args=(1, "studio"))
    beside.start()
    while beside.is_alive():
        busy += waits(hand, 10)["small dab"]
    halt(house, signal.SIGCONT)
    one, two = times[1], times[2]
    print(f"carried over to {third}: {one[0] / one[1]:.2f} × the processor time of one worker")
    print(f"two workers: {one[0] / two[0]:.2f} times as quick ({one[0]:.0f} and {two[0]:.0f} s here)")
    quick, slow = (quantiles(values, n=20)[18] for values in (idle, busy))
    print(f"a dab meanwhile, 95th: {slow / quick:.1f} × ({1000 * quick:.0f} and {1000 * slow:.0f} ms here)")


if __name__ == "__main__":
    main()
