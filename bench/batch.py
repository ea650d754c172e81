"""Whether a batch holds when its worker is killed: ``python -m bench.batch [--kills 30]``; see docs/reliability.md.

A house of its own with a few portraits. Touches are carried over to them and their files are ordered as a batch,
again and again; meanwhile the worker is ended by SIGKILL, each time a moment after a file was seen to go forwards;
told is how many kills left a file half made. Afterwards every portrait must have each carry-over once in its history,
every path must be in the ZIP once, every file must open whole, what was also made undisturbed must be the same, and
nothing else may lie in the folder of finished files.
"""

import argparse
import io
import random
import tempfile
import time
import zipfile
from collections import Counter
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from PIL import Image

from bench.house import House
from tests.pictures import smooth

PORTRAITS, SIZE = 12, (4000, 3200)
ORDERS = [
    {"form": "jpeg", "name": "web", "by": "long", "amount": 2000, "pattern": "web/{name}"},
    {"form": "tiff", "name": "print", "pattern": "print/{name}"},
]


def main() -> None:
    """Kill, and compare."""
    parser = argparse.ArgumentParser(prog="python -m bench.batch")
    parser.add_argument("--kills", type=int, default=30)
    options = parser.parse_args()
    with tempfile.TemporaryDirectory(dir="/var/tmp") as folder:
        Path(folder).chmod(0o755)
        house = House(Path(folder))
        house.start()
        try:
            print(_rounds(house, options.kills, random.Random(18)))
        finally:
            house.stop()


def _rounds(house: House, kills: int, rng: random.Random) -> str:
    sitting = house.entered("Batch")
    house.until_idle()
    keys = []
    for number in range(PORTRAITS):
        picture = (255 * smooth(*SIZE, number)).astype(np.uint8)
        keys.append(house.upload(sitting, f"Alto {number}.png", cv2.imencode(".png", picture)[1].tobytes()))
    for key in keys:
        house.until_prepared(key)
    first, others = keys[0], keys[1:]
    touch = {"id": "t", "kind": "exposure", "settings": {"ev": 0.01}}
    house.patiently("POST", f"/portraits/{first}/edits", {
        "revision": 0, "words": "start", "operations": [{"op": "insert", "path": ["touches"], "item": touch}],
    })  # fmt: skip
    ordered = {"to": [first], "orders": ORDERS}
    undisturbed, _ = _fetched(
        house, _until_done(house, house.patiently("POST", f"/sittings/{sitting}/batches", ordered))
    )
    done, batches, told = 0, 0, Counter[str]()
    while done < kills:
        carried = house.patiently("POST", f"/sittings/{sitting}/carry-overs", {
            "portrait": first, "revision": 1, "touches": ["t"], "to": others,
        })  # fmt: skip
        row = house.patiently("POST", f"/sittings/{sitting}/batches", {"to": keys, "orders": ORDERS})
        batches += 1
        stood = _running(house, row)
        while done < kills and _going(house, row, carried):
            if not set(_running(house, row).items()) - set(stood.items()):
                time.sleep(0.02)
                continue
            time.sleep(rng.uniform(0, 0.4))
            before = house.signs("worker")
            house.kill("worker")
            done += 1
            now = _running(house, row)
            # What an earlier kill left stands there too, until it is begun again.
            half = set(now.items()) - set(stood.items())
            stood = now
            told["met"] += bool(half)
            told["half made"] += len(half)
            while house.signs("worker") in ("", before):
                time.sleep(0.02)
        _until_done(house, row)
        while _going(house, row, carried):
            time.sleep(0.2)
        files, doubled = _fetched(house, row)
        told["files"] += len(files)
        told["lost"] += len({path for path in _paths(keys, house)} - set(files))
        told["twice"] += doubled
        told["broken"] += sum(not _whole(data) for data in files.values())
        told["changed"] += sum(files[path] != data for path, data in undisturbed.items())
        for key in others:
            told["edits"] += 1
            stands = house.patiently("GET", f"/portraits/{key}/sheet")["revision"]
            told["edits lost"] += stands < batches
            told["edits twice"] += stands > batches
        house.patiently("DELETE", f"/batches/{row['id']}")
    left = [path for path in (house.folder / "media").rglob("*") if path.is_file() and "export" in str(path)]
    of_first = len(undisturbed)
    return (
        f"{done} kills in {batches} batches, {told['met']} of them met files under way ({told['half made']} in all): "
        f"{told['files']} files, {told['lost']} lost, {told['twice']} twice, "
        f"{told['broken']} broken, {told['changed']} changed; {told['edits']} edits, {told['edits lost']} lost, "
        f"{told['edits twice']} twice; {len(left) - of_first} files left behind."
    )


def _going(house: House, batch: Any, carried: Any) -> bool:
    paths = f"/batches/{batch['id']}", f"/carry-overs/{carried['id']}"
    files, edits = (house.patiently("GET", path) for path in paths)
    return files["ready"] + files["failed"] < files["count"] or edits["done"] + edits["failed"] < edits["count"]


def _running(house: House, batch: Any) -> dict[str, float]:
    """The files of a batch that are being made, or were when their worker was killed: how far they are."""
    files = house.patiently("GET", f"/batches/{batch['id']}")["files"]
    return {one["id"]: one["progress"] for one in files if one["state"] == "running"}


def _until_done(house: House, batch: Any) -> Any:
    while True:
        row = house.patiently("GET", f"/batches/{batch['id']}")
        if row["ready"] + row["failed"] == row["count"]:
            return row
        time.sleep(0.2)


def _paths(keys: list[str], house: House) -> list[str]:
    names = [house.patiently("GET", f"/portraits/{key}")["name"] for key in keys]
    return [f"{folder}/{name}.{suffix}" for folder, suffix in (("web", "jpg"), ("print", "tif")) for name in names]


def _fetched(house: House, batch: Any) -> tuple[dict[str, bytes], int]:
    """The files of a batch under their paths, and how many paths stand there more than once."""
    with zipfile.ZipFile(io.BytesIO(house.raw("GET", f"/batches/{batch['id']}/zip", wait=120))) as opened:
        names = opened.namelist()
        return {name: opened.read(name) for name in names}, len(names) - len(set(names))


def _whole(data: bytes) -> bool:
    try:
        with Image.open(io.BytesIO(data)) as picture:
            picture.load()
    except (OSError, SyntaxError):
        return False
    return True


if __name__ == "__main__":
    main()
