"""What a house loses when its parts are killed: ``python -m bench.kill [--rounds 200]``; see docs/reliability.md.

A house of its own is started in a folder of its own. Edits go to one sheet without a pause, uploads come and are
deleted again, and in every round the server, the worker, the database or the whole start is ended by SIGKILL (the
latter is then started anew). An edit that was acknowledged must be there afterwards, none may be there twice, and no
file may be left of what was deleted. *Back* is the first edit that is acknowledged afterwards; of a start, once it says
that it is ready again; of a worker, which no edit needs, once another one is there.
"""

import argparse
import json
import os
import random
import signal
import socket
import statistics
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.request
from http.cookiejar import CookieJar
from pathlib import Path
from typing import Any

from studio.cluster import Cluster
from tests.pictures import bytes_of

ROOT = Path(__file__).resolve().parents[1]
PARTS = ("server", "worker", "database", "start")
PATIENCE = 600.0
ACCOUNT = {"email": "kill@choir.example", "password": "oystercatchers-over-mud"}


class Away(Exception):
    """The house did not answer, or said that it could not."""


class House:
    """A house under ``folder``, and somebody signed in to it."""

    def __init__(self, folder: Path):
        self.folder = folder
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self.jar = CookieJar()
        self.opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self.jar))

    def start(self) -> None:
        """Run ./start, and come back at once."""
        out = (self.folder / "start.log").open("ab")
        self.process = subprocess.Popen(
            [ROOT / "start", "--port", str(self.port)], stdout=out, stderr=out, start_new_session=True,
            env=os.environ | {"NEEDLEPOINT_VAR": str(self.folder)},
        )  # fmt: skip

    def kill(self, part: str) -> None:
        """End a part by SIGKILL."""
        if part == "database":
            pid = int((Cluster(self.folder / "pg").data / "postmaster.pid").read_text().split()[0])
        elif part == "start":
            # ./start becomes the house.
            pid = self.process.pid
        else:
            pid = int((self.folder / "run" / f"{part}.pid").read_text())
        os.kill(pid, signal.SIGKILL)
        if part == "start":
            self.process.wait()
            self.start()

    def signs(self, part: str) -> str:
        """What is different once a part that was killed is there again."""
        if part == "start":
            return str((self.folder / "start.log").read_text().count("is ready"))
        path = self.folder / "run" / "worker.pid"
        return path.read_text() if part == "worker" and path.exists() else ""

    def stop(self) -> str:
        """Stop it in order; what it had said."""
        self.process.terminate()
        self.process.wait(60)
        return (self.folder / "start.log").read_text()

    def ask(self, method: str, path: str, body: Any = None, kind: str = "application/json") -> Any:
        """The answer's JSON; Away if there is none."""
        data = body if isinstance(body, bytes) or body is None else json.dumps(body).encode()
        token = next((c.value for c in self.jar if c.name == "csrftoken"), "") or ""
        headers = {"Content-Type": kind, "X-CSRFToken": token}
        request = urllib.request.Request(f"http://127.0.0.1:{self.port}/api{path}", data, headers, method=method)
        try:
            with self.opener.open(request, timeout=20) as answer:
                text = answer.read()
        except urllib.error.HTTPError as error:
            if error.code in (409, 404):
                raise
            raise Away(f"{error.code} {error.read()[:200]!r}") from error
        except OSError as error:
            raise Away(str(error)) from error
        return json.loads(text) if text else None

    def patiently(self, *asked: Any, **more: Any) -> Any:
        """The same, asked until it is answered."""
        until = time.monotonic() + PATIENCE
        while True:
            try:
                return self.ask(*asked, **more)
            except Away:
                if time.monotonic() > until:
                    raise
                time.sleep(0.1)

    def upload(self, sitting: str, name: str) -> str:
        """Send a small picture; its id."""
        edge = "needlepoint-bench"
        head = f'--{edge}\r\nContent-Disposition: form-data; name="file"; filename="{name}"\r\n\r\n'
        body = head.encode() + bytes_of("PNG") + f"\r\n--{edge}--\r\n".encode()
        kind = f"multipart/form-data; boundary={edge}"
        return str(self.ask("POST", f"/sittings/{sitting}/portraits", body, kind=kind)["id"])


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
    house.patiently("GET", "/session")
    house.patiently("POST", "/accounts", ACCOUNT)
    sitting = house.patiently("POST", "/sittings", {"name": "Kill"})["id"]
    portrait = house.upload(sitting, "Alto 1.png")
    until = time.monotonic() + PATIENCE
    while house.patiently("GET", f"/portraits/{portrait}")["state"] != "ready" and time.monotonic() < until:
        time.sleep(0.2)
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
