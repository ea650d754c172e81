"""A PostgreSQL of our own on a loopback port, from Debian's server, under a folder of ours.

Uses only the standard library, so that it runs before anything else is set up.
"""

import fcntl
import hashlib
import os
import pwd
import secrets
import shutil
import socket
import subprocess
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

NAME = "needlepoint"
"""The database; also the cluster's own role, which only the account that runs the cluster may take, by its socket."""
ROLE = "studio"
"""The role that the studio works as: it owns the database and nothing else."""
MAY_ENTER = f"""local all {NAME} peer map=keeper
host {NAME},postgres {ROLE} 127.0.0.1/32 scram-sha-256
"""
MAY_ENTER_ANY = f"""local all {NAME} peer map=keeper
host all {ROLE} 127.0.0.1/32 scram-sha-256
"""
"""Where tests make databases of their own."""
HAND_OVER = f"""BEGIN;
DO $$
DECLARE one record;
BEGIN
  FOR one IN SELECT format('%I.%I', n.nspname, c.relname) AS name FROM pg_class c
    JOIN pg_namespace n ON n.oid = c.relnamespace WHERE n.nspname = 'public' AND c.relkind IN ('r', 'v', 'm')
  LOOP EXECUTE 'ALTER TABLE ' || one.name || ' OWNER TO {ROLE}'; END LOOP;
  FOR one IN SELECT format('%I.%I', n.nspname, c.relname) AS name FROM pg_class c
    JOIN pg_namespace n ON n.oid = c.relnamespace WHERE n.nspname = 'public' AND c.relkind = 'S'
    AND NOT EXISTS (SELECT FROM pg_depend d WHERE d.objid = c.oid AND d.deptype IN ('a', 'i'))
  LOOP EXECUTE 'ALTER SEQUENCE ' || one.name || ' OWNER TO {ROLE}'; END LOOP;
  FOR one IN SELECT p.oid::regprocedure AS name FROM pg_proc p
    JOIN pg_namespace n ON n.oid = p.pronamespace WHERE n.nspname = 'public'
  LOOP EXECUTE 'ALTER ROUTINE ' || one.name || ' OWNER TO {ROLE}'; END LOOP;
  FOR one IN SELECT format('%I.%I', n.nspname, t.typname) AS name FROM pg_type t
    JOIN pg_namespace n ON n.oid = t.typnamespace LEFT JOIN pg_class c ON c.oid = t.typrelid
    WHERE n.nspname = 'public' AND (t.typtype IN ('e', 'd') OR c.relkind = 'c')
  LOOP EXECUTE 'ALTER TYPE ' || one.name || ' OWNER TO {ROLE}'; END LOOP;
END $$;
ALTER DATABASE {NAME} OWNER TO {ROLE};
COMMIT;"""  # noqa: S608
"""A database that the cluster's own role had made, and everything in it, for ROLE."""
START_TRIES, PORT_TRIES = 30, 8
MOST_CONNECTIONS = 150


class ClusterError(Exception):
    """The database cannot be brought up; says why and what to do."""


class Cluster:
    """The cluster under ``folder`` (or, if its account cannot enter that, under ``/var/tmp``).

    ``makes``: the studio's role may make databases of its own, as tests do.
    """

    def __init__(self, folder: Path, makes: bool = False):
        self.makes = makes
        self.account = pwd.getpwnam("postgres") if os.getuid() == 0 else pwd.getpwuid(os.getuid())
        self.home = folder if self._reachable(folder) else _elsewhere(folder)
        self.data = self.home / "data"
        self.port_file = self.home / "port"
        self.log = self.home / "log"
        self.password_file = self.home / "password"
        self.sockets = Path(tempfile.gettempdir()) / f"np-{hashlib.sha256(str(self.data).encode()).hexdigest()[:12]}"

    @property
    def port(self) -> int:
        """The loopback port it listens on."""
        return int(self.port_file.read_text())

    def environment(self) -> dict[str, str]:
        """What the settings read."""
        return {
            "NEEDLEPOINT_DB_HOST": "127.0.0.1",
            "NEEDLEPOINT_DB_PORT": str(self.port),
            "NEEDLEPOINT_DB_USER": ROLE,
            "NEEDLEPOINT_DB_PASSWORD": self.password_file.read_text(),
        }

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
            self._guard()
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
        self._run("initdb", "-D", str(self.data), "-U", NAME, "-A", "peer", "-E", "UTF8", "--locale=C.UTF-8")
        (self.home / "made").touch()

    def _guard(self) -> None:
        """Say who may enter, and with which password; a server that ran with other rules reads them anew."""
        if not self.password_file.exists():
            self.password_file.touch(mode=0o600)
        if not self.password_file.read_text():
            self.password_file.write_text(secrets.token_urlsafe(32))
        rules = {
            "pg_hba.conf": MAY_ENTER_ANY if self.makes else MAY_ENTER,
            "pg_ident.conf": f"keeper {self.account.pw_name} {NAME}\n",
        }
        stale = [name for name, text in rules.items() if (self.data / name).read_text() != text]
        for name in stale:
            (self.data / name).write_text(rules[name])
        if stale and self.running():
            self._run("pg_ctl", "-D", str(self.data), "reload")

    def _start(self) -> None:
        self.sockets.mkdir(exist_ok=True, mode=0o700)
        if os.getuid() == 0:
            os.chown(self.sockets, self.account.pw_uid, self.account.pw_gid)
        for attempt in range(START_TRIES):
            # Another port only if somebody else has ours for good: whoever works with this server knows that one.
            port = self._port(fresh=attempt > PORT_TRIES and self._answers())
            options = f"-p {port} -h 127.0.0.1 -k {self.sockets} -c max_connections={MOST_CONNECTIONS}"
            if self.makes:
                # What tests write need not outlive a loss of power.
                options += " -c fsync=off -c synchronous_commit=off -c full_page_writes=off"
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
        """The role with its password and the database that it owns, whatever was there before."""
        may = "CREATEDB" if self.makes else "NOCREATEDB"
        if ROLE not in self._psql("postgres", "SELECT rolname FROM pg_roles").split():
            self._psql("postgres", f"CREATE ROLE {ROLE}")
        # What it is made of is ours: letters, digits, - and _. By the input, because arguments can be seen.
        password = self.password_file.read_text()
        self._psql("postgres", f"ALTER ROLE {ROLE} LOGIN NOSUPERUSER {may} PASSWORD '{password}'")
        owners = self._psql("postgres", "SELECT datname, pg_get_userbyid(datdba) FROM pg_database").splitlines()
        owner = dict(line.split("|") for line in owners).get(NAME)
        if owner is None:
            self._psql("postgres", f"CREATE DATABASE {NAME} OWNER {ROLE}")
        elif owner != ROLE:
            self._psql(NAME, HAND_OVER)

    def _psql(self, database: str, statements: str) -> str:
        command = ["-h", str(self.sockets), "-p", str(self.port), "-U", NAME, "-d", database, "-AtqX"]
        return self._run("psql", *command, "-v", "ON_ERROR_STOP=1", said=statements).stdout

    def _run(
        self, program: str, *arguments: str, check: bool = True, said: str = ""
    ) -> subprocess.CompletedProcess[str]:
        command = [binary(program), *arguments]
        if os.getuid() == 0:
            command = ["runuser", "-u", "postgres", "--", *command]
        # The server must not inherit our pipes, or reading them would wait for its end.
        with tempfile.TemporaryFile("w+") as out:
            done = subprocess.run(command, cwd="/", input=said, text=True, stdout=out, stderr=out, check=False)
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


def binary(program: str) -> str:
    versions = sorted(Path("/usr/lib/postgresql").glob(f"*/bin/{program}"), key=lambda p: int(p.parts[4]))
    found = str(versions[-1]) if versions else shutil.which(program)
    if not found:
        raise ClusterError("PostgreSQL's server is not installed: apt-get install postgresql")
    return found
