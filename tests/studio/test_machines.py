"""One machine or several: a shared store, what a machine lacks, backup and restore."""

import os
import subprocess
import sys

import psycopg
import pytest
from django.conf import settings as django_settings
from django.db import connection

from retouch.faces import Face, Found
from retouch.types import PictureError
from studio import command, levels, storage, viewing
from studio import settings as settings_module
from studio.backup import backup, restore
from studio.models import Export, Portrait
from tests.pictures import bytes_of
from tests.studio.bucket import bucket
from tests.studio.talk import content, edit, exposure, insert, upload, work
from tests.studio.test_exports import order
from tests.studio.test_looking import look, pixels


def to(address: str) -> dict[str, str]:
    """What the environment says to use the bucket at an address."""
    return {
        "NEEDLEPOINT_BUCKET": "pictures", "NEEDLEPOINT_BUCKET_URL": address, "NEEDLEPOINT_BUCKET_KEY": "key",
        "NEEDLEPOINT_BUCKET_SECRET": "secret", "NEEDLEPOINT_BUCKET_REGION": "marsh",
    }  # fmt: skip


@pytest.fixture(params=["folders", "bucket"])
def store(request, settings, monkeypatch):
    """Where the studio keeps its files; gives what lies there."""
    if request.param == "folders":
        yield lambda: [p for p in settings.MEDIA_ROOT.rglob("*") if p.is_file()]
        return
    with bucket() as (address, kept):
        for name, value in to(address).items():
            monkeypatch.setenv(name, value)
        settings.STORAGES = settings_module.storages()
        yield lambda: list(kept)


def test_a_portrait_goes_its_whole_way_in_every_store(client, sitting, store):
    data = bytes_of("JPEG", 600, 750)
    portrait = Portrait.objects.get(pk=upload(client, sitting, "Tenor 1.jpg", data).json()["id"])
    work()
    portrait.refresh_from_db()
    assert portrait.state == "ready"
    assert content(client.get(f"/api/portraits/{portrait.pk}/original")) == data
    assert content(client.get(f"/api/portraits/{portrait.pk}/thumbnail"))[:2] == b"\xff\xd8"
    edit(client, portrait, 0, insert(["touches"], exposure()))
    key = order(client, portrait, revision=1).json()["id"]
    work()
    assert content(client.get(f"/api/exports/{key}/file"))[:2] == b"\xff\xd8"
    viewing.keep_found(str(portrait.pk), Found("k", (), {}))
    assert len(store()) == 4
    # What belongs to a row stays, whatever its age.
    assert storage.sweep(0) == 0
    client.delete(f"/api/portraits/{portrait.pk}")
    assert not store()


def test_what_nobody_owns_is_swept_from_every_store(portrait, store):
    with open(__file__, "rb") as file:
        storage.replace("exports/0b2e/left", file)
    size = os.path.getsize(__file__)
    assert storage.sweep(3600) == 0
    assert storage.sweep(0) in (size, 1)
    assert not [name for name in store() if "0b2e" in str(name)]


def test_a_machine_that_lacks_levels_and_what_was_found_gets_them(client, portrait, settings, tmp_path):
    viewing.keep_found(str(portrait.pk), Found("k", (Face((0.1, 0.1, 0.2, 0.2), 0.9),), {}))
    before = pixels(look(client, portrait, 0))
    settings.LEVELS_ROOT = tmp_path / "another machine"
    levels.pyramid.cache_clear()
    (there,) = viewing.found(str(portrait.pk)).faces
    assert there.score == 0.9
    assert (pixels(look(client, portrait, 0)) == before).all()


def test_a_backup_brings_everything_back(client, portrait, settings, tmp_path):
    edit(client, portrait, 0, insert(["touches"], exposure()))
    key = order(client, portrait, revision=1).json()["id"]
    work()
    kept = tmp_path / "kept"
    assert backup(kept) == 3
    with pytest.raises(PictureError, match="not empty"):
        backup(kept)
    files = {p.relative_to(settings.MEDIA_ROOT): p.read_bytes() for p in settings.MEDIA_ROOT.rglob("*") if p.is_file()}
    with pytest.raises(PictureError, match="not empty"):
        restore(kept)
    # The server of the tests has an empty database besides, as a new machine's has.
    mine = django_settings.DATABASES["default"]
    where = {"host": mine["HOST"], "port": mine["PORT"], "user": mine["USER"], "password": mine["PASSWORD"]}
    settings.MEDIA_ROOT = tmp_path / "new media"
    with psycopg.connect(dbname="needlepoint", autocommit=True, **where) as restored:
        here, mine["NAME"] = mine["NAME"], "needlepoint"
        try:
            assert restore(kept) == 3
            rows = restored.execute("SELECT head_id IS NOT NULL, original FROM studio_portrait").fetchall()
            assert rows == [(True, portrait.original.name)]
            (result,) = restored.execute("SELECT result FROM studio_export").fetchone()
            assert result == Export.objects.get(pk=key).result.name
        finally:
            mine["NAME"] = here
            restored.execute("DROP SCHEMA public CASCADE")
            restored.execute("CREATE SCHEMA public")
    new = {p.relative_to(settings.MEDIA_ROOT): p.read_bytes() for p in settings.MEDIA_ROOT.rglob("*") if p.is_file()}
    assert new == files


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["serve-worker", "--queues", "studio,exports"], "no queue “exports”"),
        (["serve-worker", "--at-once", "0"], "At least one job"),
        (["restore", "nowhere"], "not a backup"),
        (["render"], "the following arguments are required"),
    ],
)
def test_the_command_says_what_it_does_not_understand(database, arguments, said, capsys):
    try:
        code = command.main(arguments)
    except SystemExit as error:
        code = error.code
    assert code
    assert said in capsys.readouterr().err


@pytest.mark.slow
@pytest.mark.parametrize("store", ["bucket"], indirect=True)
def test_a_worker_with_folders_of_its_own_and_this_one_share_database_and_bucket(client, sitting, store, tmp_path):
    key = upload(client, sitting, "Bass 2.png", bytes_of("PNG", 600, 750)).json()["id"]
    asked = ["serve-worker", "--at-once", "1", "--until-done"]
    worker = f"import sys, studio.command; sys.exit(studio.command.main({asked}))"
    elsewhere = {"NEEDLEPOINT_DB_NAME": connection.settings_dict["NAME"], "NEEDLEPOINT_VAR": str(tmp_path / "worker")}
    done = subprocess.run(
        [sys.executable, "-c", worker], env=os.environ | elsewhere, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr
    portrait = Portrait.objects.get()
    assert (portrait.state, portrait.search) == ("ready", "ready")
    assert content(client.get(f"/api/portraits/{key}/thumbnail"))[:2] == b"\xff\xd8"
    # The levels are made here, of the original in the bucket; what was found there is found here.
    assert pixels(look(client, portrait, 0)).std() > 5
    assert viewing.found(key) is not None
