"""A whole sitting at once: ``python -m bench.sitting [--portraits 51]``; see docs/sitting.md.

A house of its own with portraits of 12 million pixels, searched. Touches are carried over to all of them by one worker
of ours, then by two: told is how the time until the last preview compares with the processor time that the workers
took, how much quicker two are than one, and how much longer a dab takes meanwhile. One worker has all processors first,
as it comes; then each has one of its own. What finding takes comes first. What workers take until they are there, and
to end, is measured without work and left out. Beside each stands what the host took away meanwhile, and how much of the
time somebody waited for the disk.
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
from statistics import median, quantiles

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

    def run(self, many: int, queue: str, each: int = 0) -> tuple[float, float]:
        """Work until nothing is left; seconds that went by, and seconds of processor time.

        ``each``: how many processors every worker has for its own; 0: all have all.
        """
        began, before = time.monotonic(), resource.getrusage(resource.RUSAGE_CHILDREN)
        command = [sys.executable, "-m", "studio.command", "serve-worker", "--queues", queue, "--at-once", "1"]
        mine = [["taskset", "-c", f"{n * each}-{(n + 1) * each - 1}"] if each else [] for n in range(many)]
        running = [
            subprocess.Popen([*own, *command, "--until-done"], env=self.environment, stdout=subprocess.DEVNULL)
            for own in mine
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
    parser.add_argument("--portraits", type=int, default=51)
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
    watched = Watched()
    _, took = workers.run(1, "search")
    ways = [(1, 0), (2, 0), (1, 1), (2, 1)]
    empty = {way: workers.run(way[0], "studio", way[1]) for way in ways}
    took -= empty[1, 0][1]
    print(f"finding: {took / count:.1f} s of processor time a portrait; {watched}")
    first = keys[0]
    operations = [{"op": "insert", "path": ["areas"], "item": one} for one in (SKIN, EYES)]
    operations += [
        {"op": "insert", "path": ["touches"],
         "item": {"id": f"t{n}", "kind": kind, "settings": settings} | ({"area": area} if area else {})}
        for n, (kind, settings, area) in enumerate(TOUCHES)
    ]  # fmt: skip
    house.patiently("POST", f"/portraits/{first}/edits", {"revision": 0, "words": "x", "operations": operations})
    # Each time to others: what lies on a sheet already would be drawn as well.
    part = (count - 1) // (len(ways) + 1)
    parts = iter([keys[1 + n * part : 1 + (n + 1) * part] for n in range(len(ways) + 1)])
    body = {"portrait": first, "revision": 1, "touches": [f"t{n}" for n in range(len(TOUCHES))]}
    idle = waits(hand, 60)["small dab"]
    times = {}
    for many, each in ways:
        house.patiently("POST", f"/sittings/{sitting}/carry-overs", body | {"to": next(parts)})
        watched, began = Watched(), workers.run(many, "studio", each)
        wall, took = (took - none for took, none in zip(began, empty[many, each], strict=True))
        times[many, each] = wall
        own = "a processor each" if each else "all processors"
        print(f"{many} with {own}: {part} carried over in {wall:.0f} s, {wall / took:.2f} × what it took; {watched}")
    for each, own in ((0, "all processors"), (1, "a processor each")):
        print(f"two with {own}: {times[1, each] / times[2, each]:.2f} times as quick as one")
    busy: list[float] = []
    house.patiently("POST", f"/sittings/{sitting}/carry-overs", body | {"to": next(parts)})
    beside = threading.Thread(target=workers.run, args=(1, "studio"))
    watched = Watched()
    beside.start()
    while beside.is_alive():
        busy += waits(hand, 10)["small dab"]
    halt(house, signal.SIGCONT)
    quick, slow = (1000 * quantiles(values, n=20)[18] for values in (idle, busy))
    print(
        f"a dab meanwhile, 95th of {len(busy)}: {slow / quick:.1f} × ({quick:.0f} and {slow:.0f} ms here; "
        f"half in {1000 * median(busy):.0f}, longest {1000 * max(busy):.0f}); {watched}"
    )


class Watched:
    """What the host took away of this machine's processors since now, and how long somebody waited for the disk."""

    def __init__(self) -> None:
        self.began = self._now()

    @staticmethod
    def _now() -> tuple[float, float, float]:
        fields = [int(field) for field in Path("/proc/stat").read_text().split()[1:9]]
        waited = Path("/proc/pressure/io").read_text().split("total=")[1].split()[0]
        return sum(fields), fields[7], int(waited) / 1e6

    def __str__(self) -> str:
        every, stolen, waited = (now - then for now, then in zip(self._now(), self.began, strict=True))
        return f"{100 * stolen / every:.0f} % stolen, {waited:.1f} s on the disk"


if __name__ == "__main__":
    main()
