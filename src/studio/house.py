"""Run the house: database, migrations, worker, finder, server; stopped together, restarted when one of them dies.

``python -m studio.house`` is what ``./start`` ends in.
"""

import argparse
import contextlib
import os
import shutil
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path

from studio.cluster import Cluster, ClusterError

ROOT = Path(__file__).resolve().parents[2]
VAR = Path(os.environ.get("NEEDLEPOINT_VAR", ROOT / "var"))
RUN = VAR / "run"
DEMO_EMAIL, DEMO_PASSWORD = "demo@needlepoint.example", "saltmarsh-choir"
QUICK_DEATH = 5.0
PATIENCE = 600.0
"""Seconds in which a server that lives must have answered: it compiles its kernels first, beside all else that runs."""
SPARING = {"MALLOC_ARENA_MAX": "2"}
"""Every request has a thread; with a store of freed memory for each of them a server of 2 GB grows to 5."""
OURS = ("media", "levels", "tmp", "run", "mail")
MOST_LOG, LOGS_KEPT = 8 * 2**20, 3
"""Bytes of a log after which it begins anew, and how many older ones are kept."""
LOOK_AT_LOGS = 60.0


class House:
    """The processes of one house and how to end them."""

    def __init__(self, host: str, port: int):
        self.host, self.port = host, port
        # What a hand waits for goes before what it ordered; what is ordered never waits for a search.
        works = ["nice", "-n", "10", sys.executable, "-m", "studio.manage", "procrastinate", "worker"]
        # One person's pictures are prepared one after the other: the next is looked for soon after the last has ended.
        works += ["--fetch-job-polling-interval", "0.5"]
        self.commands = {
            "worker": [*works, "--queues", "studio", "--concurrency", "2"],
            "finder": [*works, "--queues", "search", "--concurrency", "1"],
            "server": [
                sys.executable, "-m", "uvicorn", "studio.asgi:application", "--host", host, "--port", str(port),
                "--lifespan", "off", "--log-level", "warning", "--no-server-header", "--timeout-graceful-shutdown", "3",
                *proxy(),
            ],
        }  # fmt: skip
        self.processes: dict[str, subprocess.Popen[bytes]] = {}
        self.started: dict[str, float] = {}
        self.ready = self.ending = False

    def run(self) -> int:
        """Bring everything up, say where it is, and stay until told to stop."""
        for number in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
            signal.signal(number, self._end)
        keep_private(VAR)
        RUN.mkdir(parents=True, exist_ok=True)
        stop_leftovers()
        (RUN / "warm").unlink(missing_ok=True)
        cluster = Cluster(VAR / "pg")
        cluster.ensure()
        os.environ.update(cluster.environment())
        try:
            _check_port(self.host, self.port)
            _manage("migrate", "--verbosity", "0")
            _manage("settle")
            for name in self.commands:
                self._start(name)
            looked, deadline = 0.0, time.monotonic() + PATIENCE
            while not self.ending:
                self.watch_database(cluster)
                self._watch()
                if not self.ready and self._answers():
                    self.ready = True
                    self._announce()
                if not self.ready and time.monotonic() > deadline:
                    raise ClusterError(f"The server did not answer; see {VAR / 'server.log'}")
                if time.monotonic() - looked > LOOK_AT_LOGS:
                    looked = time.monotonic()
                    for log in (*(VAR / f"{name}.log" for name in self.commands), cluster.log):
                        rotate(log)
                time.sleep(0.3 if self.ready else 0.1)
        finally:
            self._stop()
            cluster.stop()
        return 0

    def _start(self, name: str) -> None:
        log = (VAR / f"{name}.log").open("ab")
        self.processes[name] = subprocess.Popen(
            self.commands[name], stdout=log, stderr=log, start_new_session=True, env=os.environ | SPARING
        )
        self.started[name] = time.monotonic()
        (RUN / f"{name}.pid").write_text(str(self.processes[name].pid))

    def watch_database(self, cluster: Cluster) -> None:
        """Bring the database up again if it has died; who works with it is started anew only if its port is another."""
        # Only its process is looked at: a connection three times a second would be a process each.
        if self.ending or cluster.alive():
            return
        print(f"The database ended and is started again; see {cluster.log}", flush=True)
        was = cluster.environment()
        try:
            cluster.ensure()
        except ClusterError as error:
            # The next round tries again; what the pages hold waits there meanwhile.
            print(f"The database does not come up yet: {error}", flush=True)
            time.sleep(2)
            return
        if cluster.environment() != was:
            os.environ.update(cluster.environment())
            for process in self.processes.values():
                process.terminate()

    def _watch(self) -> None:
        for name, process in self.processes.items():
            if process.poll() is not None and not self.ending:
                if name == "server" and not self.ready and process.returncode >= 0:
                    # It gave up by itself before it ever answered, and would again.
                    raise ClusterError(f"The server did not start; see {VAR / 'server.log'}")
                print(f"The {name} ended ({process.returncode}) and is started again; see {VAR / name}.log", flush=True)
                if time.monotonic() - self.started[name] < QUICK_DEATH:
                    time.sleep(2)
                self._start(name)

    def _answers(self) -> bool:
        """Whether the server takes requests and has its kernels."""
        try:
            with socket.create_connection((self.host, self.port), timeout=1):
                return (RUN / "warm").exists()
        except OSError:
            return False

    def _announce(self) -> None:
        print(f"\n  Needlepoint is ready:  http://{self.host}:{self.port}/", flush=True)
        print(f"  Demo sign-in:          {DEMO_EMAIL}  ·  {DEMO_PASSWORD}\n", flush=True)

    def _end(self, number: int, frame: object) -> None:
        self.ending = True

    def _stop(self) -> None:
        for process in self.processes.values():
            process.terminate()
        for name, process in self.processes.items():
            try:
                process.wait(8)
            except subprocess.TimeoutExpired:
                process.kill()
            (RUN / f"{name}.pid").unlink(missing_ok=True)


def proxy() -> list[str]:
    """Whose word on the visitor's address is believed: that of the proxy that was set, else nobody's."""
    proxy = os.environ.get("NEEDLEPOINT_PROXY")
    return ["--proxy-headers", "--forwarded-allow-ips", proxy] if proxy else ["--no-proxy-headers"]


def keep_private(folder: Path) -> None:
    """Nobody else on this machine reads what the house keeps or will write.

    The database's account must be able to pass through to its own folder where that is another than ours.
    """
    os.umask(0o077)
    folder.mkdir(parents=True, exist_ok=True)
    folder.chmod(0o711 if os.getuid() == 0 else 0o700)
    for path in folder.iterdir():
        if path.name in OURS:
            path.chmod(0o700)
        elif path.suffix == ".log":
            path.chmod(0o600)


def rotate(log: Path) -> None:
    """Put a log aside once it is large, the oldest falls away; whoever writes it goes on at its beginning."""
    try:
        if log.stat().st_size < MOST_LOG:
            return
    except FileNotFoundError:
        return
    for number in range(LOGS_KEPT - 1, 0, -1):
        older = log.with_name(f"{log.name}.{number}")
        if older.exists():
            older.replace(log.with_name(f"{log.name}.{number + 1}"))
    # It is open elsewhere, for appending: it is emptied, not moved.
    shutil.copyfile(log, log.with_name(f"{log.name}.1"))
    os.truncate(log, 0)


def stop_leftovers() -> None:
    """End the processes that a killed house left running, all at once."""
    paths = list(RUN.glob("*.pid"))
    left = [int(text) for path in paths if (text := path.read_text()).isdigit()]
    for number, patience in ((signal.SIGTERM, 8.0), (signal.SIGKILL, 2.0)):
        deadline = time.monotonic() + patience
        for pid in filter(_is_ours, left):
            # It may end by itself at this very moment.
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, number)
        while any(map(_is_ours, left)) and time.monotonic() < deadline:
            time.sleep(0.05)
    for path in paths:
        path.unlink(missing_ok=True)


def _is_ours(pid: int) -> bool:
    """Whether a process runs and its command is ours: a PID may have been given to another, or wait to be collected."""
    try:
        return b"studio." in Path(f"/proc/{pid}/cmdline").read_bytes()
    except OSError:
        return False


def _check_port(host: str, port: int) -> None:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError as error:
            message = f"Port {port} is in use. Stop what uses it, or choose another: ./start --port 8801"
            raise ClusterError(message) from error


def _manage(*arguments: str) -> None:
    done = subprocess.run([sys.executable, "-m", "studio.manage", *arguments], check=False)
    if done.returncode:
        raise ClusterError(f"“{' '.join(arguments)}” failed.")


def main() -> int:
    """The command."""
    parser = argparse.ArgumentParser(prog="./start", description="Run Needlepoint on this machine.")
    parser.add_argument("--host", default="127.0.0.1")
    parser.add_argument("--port", type=int, default=8800)
    options = parser.parse_args()
    try:
        return House(options.host, options.port).run()
    except ClusterError as error:
        print(f"start: {error}", file=sys.stderr)
        return 1


if __name__ == "__main__":
    sys.exit(main())
