"""A PostgreSQL of our own on a loopback port, from Debian's server, under a folder of ours.

Uses only the standard library, so that it runs before anything else is set up.
"""

import fcntl
import hashlib
import os
import pwd
import shutil
import socket
import subprocess
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

NAME = "needlepoint"
START_TRIES, PORT_TRIES = 30, 8


class ClusterError(Exception):
    """The database cannot be brought up; says why and what to do."""


class Cluster:
    """The cluster under ``folder`` (or, if its account cannot enter that, under ``/var/tmp``)."""

    def __init__(self, folder: Path):
        self.account = pwd.getpwnam("postgres") if os.getuid() == 0 else pwd.getpwuid(os.getuid())
        self.home = folder if self._reachable(folder) else _elsewhere(folder)
        self.data = self.home / "data"
        self.port_file = self.home / "port"
        self.log = self.home / "log"

    @property
    def port(self) -> int:
        """The loopback port it listens on."""
        return int(self.port_file.read_text())

    def environment(self) -> dict[str, str]:
        """What the settings read."""
        return {"NEEDLEPOINT_DB_HOST": "127.0.0.1", "NEEDLEPOINT_DB_PORT": str(self.port)}

    def ensure(self) -> None:
        """Bring the server up with our role and database; does nothing to one that runs.

        Raises
        ------
        ClusterError
            If it cannot be made or started.
        """
        self._make_home()
        with self._locked():
            if not (self.home / "made").exists():
                self._make()
            for last_try in (False, False, False, True):
                if not self.running():
                    self._start()
                try:
                    self._role_and_database()
                    return
                except ClusterError:
                    # A server that was just killed seems to listen until its children have noticed.
                    if last_try:
                        raise
                    time.sleep(0.5)

    def stop(self) -> None:
        """Stop the server; does nothing if it does not run."""
        if self.running():
            self._run("pg_ctl", "-D", str(self.data), "-m", "fast", "-w", "-t", "30", "stop", check=False)

    def running(self) -> bool:
        """Whether it is there and answers."""
        return self.alive() and self._answers()

    def alive(self) -> bool:
        """Whether the process of our PID file is a postgres of this folder (a PID may have been reused)."""
        try:
            pid = int((self.data / "postmaster.pid").read_text().split()[0])
            command = Path(f"/proc/{pid}/cmdline").read_bytes().split(b"\0")
        except (OSError, ValueError, IndexError):
            return False
        return str(self.data).encode() in command

    def _answers(self) -> bool:
        try:
            with socket.create_connection(("127.0.0.1", self.port), timeout=1):
                return True
        except OSError:
            return False

    def _make_home(self) -> None:
        self.home.mkdir(parents=True, exist_ok=True)
        if os.getuid() == 0:
            os.chown(self.home, self.account.pw_uid, self.account.pw_gid)

    @contextmanager
    def _locked(self) -> Iterator[None]:
        with (self.home / "lock").open("w") as file:
            fcntl.flock(file, fcntl.LOCK_EX)
            yield

    def _make(self) -> None:
        # Without the mark an earlier initdb was cut short: what it left holds nothing of anybody's.
        shutil.rmtree(self.data, ignore_errors=True)
        self._run("initdb", "-D", str(self.data), "-U", NAME, "-A", "trust", "-E", "UTF8", "--locale=C.UTF-8")
        (self.home / "made").touch()

    def _start(self) -> None:
        sockets = Path(tempfile.gettempdir()) / f"np-{hashlib.sha256(str(self.data).encode()).hexdigest()[:12]}"
        sockets.mkdir(exist_ok=True, mode=0o700)
        if os.getuid() == 0:
            os.chown(sockets, self.account.pw_uid, self.account.pw_gid)
        for attempt in range(START_TRIES):
            # Another port only if somebody else has ours for good: whoever works with this server knows that one.
            port = self._port(fresh=attempt > PORT_TRIES and self._answers())
            options = f"-p {port} -h 127.0.0.1 -k {sockets} -c max_connections=60"
            done = self._run(
                "pg_ctl", "-D", str(self.data), "-l", str(self.log), "-o", options, "-w", "-t", "60", "start",
                check=False,
            )  # fmt: skip
            if done.returncode == 0 and self._answers():
                return
            # After a kill -9 its shared memory stays "in use" for a few seconds.
            time.sleep(0.5)
        raise ClusterError(f"PostgreSQL does not start. Its log is {self.log}.")

    def _port(self, fresh: bool) -> int:
        if fresh or not self.port_file.exists():
            with socket.socket() as probe:
                probe.bind(("127.0.0.1", 0))
                self.port_file.write_text(str(probe.getsockname()[1]))
        return self.port

    def _role_and_database(self) -> None:
        if NAME not in self._psql("postgres", "SELECT datname FROM pg_database").split():
            self._psql("postgres", f"CREATE DATABASE {NAME}")

    def _psql(self, database: str, statement: str) -> str:
        command = ["-h", "127.0.0.1", "-p", str(self.port), "-U", NAME, "-d", database, "-Atc", statement]
        return self._run("psql", *command).stdout

    def _run(self, program: str, *arguments: str, check: bool = True) -> subprocess.CompletedProcess[str]:
        command = [_binary(program), *arguments]
        if os.getuid() == 0:
            command = ["runuser", "-u", "postgres", "--", *command]
        # The server must not inherit our pipes, or reading them would wait for its end.
        with tempfile.TemporaryFile("w+") as out:
            done = subprocess.run(command, cwd="/", stdin=subprocess.DEVNULL, stdout=out, stderr=out, check=False)
            out.seek(0)
            text = out.read()
        if check and done.returncode:
            raise ClusterError(f"{program} failed: {text.strip()[-400:]}")
        return subprocess.CompletedProcess(command, done.returncode, text)

    def _reachable(self, folder: Path) -> bool:
        """Whether the account may enter every folder on the way."""
        if os.getuid() != 0:
            return True
        return all(_may_enter(p, self.account) for p in folder.absolute().parents)


def _may_enter(folder: Path, account: pwd.struct_passwd) -> bool:
    try:
        status = folder.stat()
    except FileNotFoundError:
        return True
    if status.st_uid == account.pw_uid:
        return bool(status.st_mode & 0o100)
    return bool(status.st_mode & (0o010 if status.st_gid == account.pw_gid else 0o001))


def _elsewhere(folder: Path) -> Path:
    return Path("/var/tmp") / f"needlepoint-{hashlib.sha256(str(folder.absolute()).encode()).hexdigest()[:12]}"  # noqa: S108


def _binary(program: str) -> str:
    versions = sorted(Path("/usr/lib/postgresql").glob(f"*/bin/{program}"), key=lambda p: int(p.parts[4]))
    found = str(versions[-1]) if versions else shutil.which(program)
    if not found:
        raise ClusterError("PostgreSQL's server is not installed: apt-get install postgresql")
    return found
