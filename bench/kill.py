"""What a house loses when its parts are killed: ``python -m bench.kill [--rounds 200]``; see docs/reliability.md.

A house of its own is started in a folder of its own. Edits go to one sheet without a pause, uploads come and are
deleted again, and in every round the server, the worker, the database or the whole start is ended by SIGKILL (the
latter is then started anew). An edit that was acknowledged must be there afterwards, none may be there twice, and no
file may be left of what was deleted. *Back* is the first edit that is acknowledged afterwards; of a start, once it says
that it is ready again; of a worker, which no edit needs, once another one is there.
"""

import argparse
import random
import statistics
import sys
import tempfile
import time
import urllib.error
from pathlib import Path

from bench.house import Away, House

PARTS = ("server", "worker", "database", "start")


def main() -> None:
    """Kill, and count."""
    parser = argparse.ArgumentParser(prog="python -m bench.kill")
    parser.add_argument("--rounds", type=int, default=200)
    options = parser.parse_args()
    rng = random.Random(15)
    with tempfile.TemporaryDirectory(dir="/var/tmp") as folder:
        house = House(Path(folder))
        house.start()
        try:
            told = _rounds(house, rng, options.rounds)
            said = house.stop()
            # Another start sweeps; only what deleted portraits left would be there to sweep.
            house.start()
            house.patiently("GET", "/session")
            said = house.stop()[len(said) :]
        finally:
            if house.process.poll() is None:
                house.process.terminate()
                house.process.wait(60)
    swept = [line.strip() for line in said.splitlines() if "Removed" in line]
    print(told + f"\nSwept at the next start: {swept[0] if swept else 'nothing'}")


def _rounds(house: House, rng: random.Random, rounds: int) -> str:
    sitting = house.entered("Kill")
    portrait = house.upload(sitting, "Alto 1.png")
    house.until_prepared(portrait)
    touch = {"id": "t", "kind": "exposure", "settings": {"ev": 0.0}}
    revision = house.patiently("POST", f"/portraits/{portrait}/edits", {
        "revision": 0, "words": "start", "operations": [{"op": "insert", "path": ["touches"], "item": touch}],
    })["revision"]  # fmt: skip
    acknowledged, lost, twice, uploads, lost_uploads = 1, 0, 0, 0, 0
    back: dict[str, list[float]] = {part: [] for part in PARTS}
    kept: list[str] = []
    for number in range(rounds):
        part = PARTS[number % 4] if number < 4 else rng.choice(PARTS)
        if number % 4 == 1:
            try:
                fresh = house.upload(sitting, f"Tenor {number}.png")
                uploads += 1
                if rng.random() < 0.5:
                    house.ask("DELETE", f"/portraits/{fresh}")
                else:
                    kept.append(fresh)
            except Away:
                pass
        started, killed = time.monotonic(), False
        at, before = rng.uniform(0, 0.6), ""
        while True:
            if not killed and time.monotonic() - started > at:
                before = house.signs(part)
                house.kill(part)
                killed, gone = True, time.monotonic()
            value = round((revision + 1) / 1000, 3)
            change = {"op": "put", "path": ["touches", "t", "settings", "ev"], "value": min(5.0, value)}
            body = {"revision": revision, "words": f"edit {revision + 1}", "operations": [change]}
            try:
                answer = house.ask("POST", f"/portraits/{portrait}/edits", body)["revision"]
                acknowledged += 1
                revision = answer
                again = part in ("server", "database") or (killed and house.signs(part) not in ("", before))
                if killed and again and time.monotonic() - gone > 0.2:
                    back[part].append(time.monotonic() - gone)
                    break
            except Away:
                time.sleep(0.05)
            except urllib.error.HTTPError:
                # It had been committed, and the answer was lost on the way: then it is there once.
                stands = house.patiently("GET", f"/portraits/{portrait}/sheet")["revision"]
                twice += stands > revision + 1
                lost += stands < revision
                revision = stands
        stands = house.patiently("GET", f"/portraits/{portrait}/sheet")["revision"]
        lost += stands < revision
        twice += stands > revision
        print(
            f"{number + 1}: {part}, back after {back[part][-1]:.1f} s, {acknowledged} edits",
            file=sys.stderr,
            flush=True,
        )
    for key in kept:
        lost_uploads += house.patiently("GET", f"/portraits/{key}")["state"] == "failed"
    lines = [
        f"{rounds} kills, {acknowledged} edits acknowledged: {lost} lost, {twice} twice; "
        f"{uploads} uploads, {lost_uploads} lost.",
        "", "| killed | times | back after, median | longest |", "|---|---|---|---|",
    ]  # fmt: skip
    for part, times in back.items():
        if times:
            lines.append(f"| {part} | {len(times)} | {statistics.median(times):.1f} s | {max(times):.1f} s |")
    return "\n".join(lines)


if __name__ == "__main__":
    main()
