"""A house of its own for a bench: in a folder of its own, with somebody signed in to it."""

import json
import os
import signal
import socket
import subprocess
import threading
import time
import urllib.error
import urllib.request
from http.cookiejar import CookieJar
from pathlib import Path
from typing import Any

from studio.cluster import Cluster
from tests.pictures import bytes_of

ROOT = Path(__file__).resolve().parents[1]
PATIENCE = 600.0
ACCOUNT = {"email": "bench@choir.example", "password": "oystercatchers-over-mud"}


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

    def raw(self, method: str, path: str, body: Any = None, kind: str = "application/json", wait: float = 20) -> bytes:
        """The answer's body; urllib's errors if there is none."""
        data = body if isinstance(body, bytes) or body is None else json.dumps(body).encode()
        token = next((c.value for c in self.jar if c.name == "csrftoken"), "") or ""
        headers = {"Content-Type": kind, "X-CSRFToken": token}
        request = urllib.request.Request(f"http://127.0.0.1:{self.port}/api{path}", data, headers, method=method)
        with self.opener.open(request, timeout=wait) as answer:
            content: bytes = answer.read()
        return content

    def ask(self, *asked: Any, **more: Any) -> Any:
        """The answer's JSON; Away if there is none."""
        try:
            text = self.raw(*asked, **more)
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

    def entered(self, sitting: str) -> str:
        """Wait until it answers, make an account and a sitting; the sitting's id."""
        self.patiently("GET", "/session")
        self.patiently("POST", "/accounts", ACCOUNT)
        return str(self.patiently("POST", "/sittings", {"name": sitting})["id"])

    def until_prepared(self, portrait: str) -> str:
        """Wait until a portrait is prepared, or cannot be; which of the two."""
        until = time.monotonic() + PATIENCE
        while (state := self.patiently("GET", f"/portraits/{portrait}")["state"]) not in ("ready", "failed"):
            if time.monotonic() > until:
                raise Away(f"{portrait} stays {state}")
            time.sleep(0.05)
        return str(state)

    def until_idle(self) -> None:
        """Wait until the finder has had nothing to do for a while: the demo is searched too."""
        quiet, last = 0, ""
        while quiet < 6:
            pid = (self.folder / "run" / "finder.pid").read_text()
            fields = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()
            # User and system time, in hundredths of a second.
            now = int(fields[11]) + int(fields[12])
            quiet = quiet + 1 if last and now - int(last) < 8 else 0
            last = str(now)
            time.sleep(0.5)

    def upload(self, sitting: str, name: str, data: bytes | None = None) -> str:
        """Send a picture, a small one if none is given; its id."""
        body, kind = form_of(name, bytes_of("PNG") if data is None else data)
        return str(self.ask("POST", f"/sittings/{sitting}/portraits", body, kind=kind)["id"])


def form_of(name: str, data: bytes) -> tuple[bytes, str]:
    """A file as the body of a form, and that body's type."""
    edge = "needlepoint-bench"
    head = f'--{edge}\r\nContent-Disposition: form-data; name="file"; filename="{name}"\r\n\r\n'
    return head.encode() + data + f"\r\n--{edge}--\r\n".encode(), f"multipart/form-data; boundary={edge}"


class Memory(threading.Thread):
    """The largest peak of any process of the house, looked at all the time."""

    def __init__(self, house: House):
        super().__init__(daemon=True)
        self.house, self.over = house, threading.Event()
        self.peaks: dict[int, int] = {}

    def run(self) -> None:
        """Look, until it is over."""
        while not self.over.wait(0.05):
            parents = {}
            for entry in Path("/proc").iterdir():
                if entry.name.isdigit():
                    try:
                        stat = (entry / "stat").read_text()
                        parents[int(entry.name)] = int(stat.rsplit(")", 1)[1].split()[1])
                    except OSError:
                        continue
            ours = {self.house.process.pid}
            while more := {pid for pid, parent in parents.items() if parent in ours} - ours:
                ours |= more
            for pid in ours - {self.house.process.pid}:
                try:
                    status = Path(f"/proc/{pid}/status").read_text()
                except OSError:
                    continue
                if "VmHWM:" in status:
                    peak = 1024 * int(status.split("VmHWM:")[1].split()[0])
                    self.peaks[pid] = max(self.peaks.get(pid, 0), peak)

    @property
    def peak(self) -> int:
        """Bytes."""
        return max(self.peaks.values())

    def of(self, part: str) -> int:
        """Bytes of a part that still runs."""
        return self.peaks[int((self.house.folder / "run" / f"{part}.pid").read_text())]
