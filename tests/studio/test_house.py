"""The house: its database comes up again after anything, and leftovers of a killed start are ended."""

import os
import signal
import socket
import subprocess
import sys
import threading
import time
from types import SimpleNamespace

import psycopg
import pytest

from retouch.files.reading import look
from studio import demo, house
from studio.cluster import Cluster, ClusterError
from studio.models import Portrait, Sitting, User
from tests.pictures import file_of
from tests.studio.talk import work


@pytest.fixture
def cluster(tmp_path_factory):
    """A database server of its own, in a folder that its account can reach."""
    made = Cluster(tmp_path_factory.mktemp("far") / "pg")
    yield made
    made.stop()


def connected(cluster):
    """A connection to its database, as the studio makes one."""
    said = cluster.environment()
    return psycopg.connect(
        host="127.0.0.1",
        port=cluster.port,
        user=said["NEEDLEPOINT_DB_USER"],
        password=said["NEEDLEPOINT_DB_PASSWORD"],
        dbname="needlepoint",
    )


def answers(cluster):
    with connected(cluster) as db:
        return db.execute("SELECT 6 * 7").fetchone() == (42,)


def pid_of(cluster):
    return int((cluster.data / "postmaster.pid").read_text().split()[0])


def test_a_database_comes_up_once_and_stays(cluster):
    cluster.ensure()
    first = pid_of(cluster)
    cluster.ensure()
    assert pid_of(cluster) == first
    assert answers(cluster)
    cluster.stop()
    assert not cluster.running()
    cluster.stop()


def test_a_database_comes_up_again_after_a_kill(cluster):
    cluster.ensure()
    os.kill(pid_of(cluster), signal.SIGKILL)
    cluster.ensure()
    assert answers(cluster)


def test_a_database_that_dies_is_brought_back_by_the_house(cluster):
    cluster.ensure()
    kept = house.House("127.0.0.1", 0)
    kept.watch_database(cluster)
    first = pid_of(cluster)
    os.kill(first, signal.SIGKILL)
    # Its port may answer until its children have noticed.
    deadline = time.monotonic() + 60
    while cluster.running() and time.monotonic() < deadline:
        time.sleep(0.05)
    kept.watch_database(cluster)
    assert answers(cluster)
    assert pid_of(cluster) != first


def test_a_stale_pid_file_of_somebody_elses_process_is_not_believed(cluster):
    cluster.ensure()
    cluster.stop()
    # The number now belongs to this very test.
    (cluster.data / "postmaster.pid").write_text(f"{os.getpid()}\n{cluster.data}\n")
    assert not cluster.running()


def test_a_half_made_database_is_made_anew(cluster):
    cluster.ensure()
    cluster.stop()
    (cluster.home / "made").unlink()
    (cluster.data / "PG_VERSION").unlink()
    cluster.ensure()
    assert answers(cluster)


def test_the_studio_owns_its_database_and_nothing_else(cluster):
    cluster.ensure()
    with connected(cluster) as db:
        assert db.execute("SELECT rolsuper, rolcreatedb, rolcreaterole FROM pg_roles WHERE rolname = current_user") \
            .fetchone() == (False, False, False)  # fmt: skip
    for user, password in (("studio", "guessed"), ("needlepoint", "")):
        with pytest.raises(psycopg.OperationalError):
            psycopg.connect(host="127.0.0.1", port=cluster.port, user=user, password=password, dbname="needlepoint")


def test_a_database_of_the_time_before_roles_is_handed_over_with_all_that_is_in_it(cluster):
    cluster.ensure()
    cluster._psql("needlepoint", """CREATE TYPE state AS ENUM ('new', 'done'); CREATE TABLE old (id serial, at state);
        CREATE FUNCTION six() RETURNS int LANGUAGE sql AS 'SELECT 6'; INSERT INTO old (at) VALUES ('new');
        ALTER DATABASE needlepoint OWNER TO needlepoint""")  # fmt: skip
    cluster.stop()
    cluster.password_file.unlink()
    (cluster.data / "pg_hba.conf").write_text("host all all 127.0.0.1/32 trust\n")
    cluster.ensure()
    with connected(cluster) as db:
        db.execute("ALTER TABLE old ADD more int; INSERT INTO old (at) VALUES ('done'); ALTER TYPE state ADD VALUE 'x'")
        db.execute("CREATE OR REPLACE FUNCTION six() RETURNS int LANGUAGE sql AS 'SELECT 6 + 0'; CREATE TABLE new ()")
        assert db.execute("SELECT count(*) FROM old").fetchone() == (2,)


def test_a_log_that_is_large_begins_anew_and_the_oldest_falls_away(tmp_path, monkeypatch):
    monkeypatch.setattr(house, "MOST_LOG", 10)
    log = tmp_path / "server.log"
    with log.open("ab", buffering=0) as writer:
        for number in range(6):
            writer.write(b"line %d, and more\n" % number)
            house.rotate(log)
        writer.write(b"short\n")
        house.rotate(log)
    assert log.read_bytes() == b"short\n"
    assert sorted(p.name for p in tmp_path.iterdir()) == ["server.log", *(f"server.log.{n}" for n in (1, 2, 3))]
    assert (tmp_path / "server.log.3").read_bytes() == b"line 3, and more\n"


def test_leftovers_of_a_killed_start_are_ended_and_strangers_are_not(tmp_path, monkeypatch):
    monkeypatch.setattr(house, "RUN", tmp_path)
    ours = subprocess.Popen([sys.executable, "-c", "import time; time.sleep(60)", "studio.something"])
    stranger = subprocess.Popen([sys.executable, "-c", "import time; time.sleep(60)"])
    (tmp_path / "worker.pid").write_text(str(ours.pid))
    (tmp_path / "server.pid").write_text(str(stranger.pid))
    (tmp_path / "other.pid").write_text("not a number")
    # Somebody must collect the ended child, or it stays in /proc as a zombie.
    collector = threading.Thread(target=ours.wait, daemon=True)
    collector.start()
    house.stop_leftovers()
    collector.join(timeout=60)
    assert ours.returncode is not None
    assert stranger.poll() is None
    assert list(tmp_path.glob("*.pid")) == []
    stranger.kill()
    stranger.wait()


def test_a_port_in_use_is_a_sentence():
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        with pytest.raises(ClusterError, match=r"in use.*--port"):
            house._check_port("127.0.0.1", taken.getsockname()[1])


def test_the_demo_is_loaded_once_and_left_alone_afterwards(database, tmp_path):
    folder = tmp_path / "pictures"
    folder.mkdir()
    file_of(folder / "Alto 2.jpg", "JPEG")
    file_of(folder / "Tenor 1.png", "PNG")
    demo.load(folder)
    work()
    assert list(Portrait.objects.values_list("name", "state")) == [("Alto 2", "ready"), ("Tenor 1", "ready")]
    assert User.objects.get().check_password(house.DEMO_PASSWORD)
    Sitting.objects.update(name="Mine now")
    demo.load(folder)
    assert list(Sitting.objects.values_list("name", flat=True)) == ["Mine now"]


def test_the_demo_pictures_that_ship_can_be_opened():
    facts = [look(path) for path in sorted(demo.PICTURES.iterdir())]
    assert len(facts) >= 1
    assert {f.bits for f in facts} == {8, 16}


def test_a_server_that_is_killed_while_it_warms_is_started_again_and_one_that_gives_up_is_not(monkeypatch):
    kept, started = house.House("127.0.0.1", 0), []
    monkeypatch.setattr(kept, "_start", started.append)
    kept.started = {"server": 0.0}
    kept.processes = {"server": SimpleNamespace(poll=lambda: -9, returncode=-9)}
    kept._watch()
    assert started == ["server"]
    kept.processes = {"server": SimpleNamespace(poll=lambda: 1, returncode=1)}
    with pytest.raises(ClusterError, match="did not start"):
        kept._watch()
    # Once it has answered it is started again whatever ended it.
    kept.ready = True
    kept._watch()
    assert started == ["server", "server"]


def test_a_leftover_that_ends_by_itself_meanwhile_is_no_error(tmp_path, monkeypatch):
    monkeypatch.setattr(house, "RUN", tmp_path)
    (tmp_path / "server.pid").write_text("123456789")
    looked = iter([True])
    monkeypatch.setattr(house, "_is_ours", lambda pid: next(looked, False))
    # It was there when it was looked at, and is not any more.
    house.stop_leftovers()
    assert not list(tmp_path.iterdir())
