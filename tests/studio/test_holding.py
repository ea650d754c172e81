"""It holds: bodies that cannot be kept, a database that is away, what nobody expected, and files that are nobody's."""

import json
import logging
import os
import time
from errno import ENOSPC
from pathlib import Path
from threading import Event, Thread

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from PIL import Image
from psycopg_pool import PoolTimeout

from retouch.render.cache import Cache
from retouch.types import PictureError
from studio import jobs, levels, owned, storage, viewing
from studio.apart import Apart, store_levels
from studio.models import Portrait, Sitting, User
from studio.seats import Seats
from studio.storage import sweep
from tests.pictures import file_of
from tests.studio.hostile import by_name
from tests.studio.talk import JSON, edit, exposure, frame, insert, look, upload, work
from tests.studio.test_sittings import bytes_of


@pytest.mark.parametrize(
    "name", ['"a\\u0000b"', '"\\ud800"', '"a\x00b"', "[" * 20_000 + "]" * 20_000, '{"name"', '["a", "list"]']
)
def test_what_cannot_be_kept_gets_a_sentence(client, sitting, name):
    for path in ("/api/sittings", "/api/session"):
        answer = client.post(path, f'{{"name": {name}, "email": {name}, "password": "x"}}', JSON)
        assert answer.status_code in (400, 422), answer.content
        assert len(answer.json()["detail"]) > 10
    assert client.post("/api/sittings", json.dumps({"name": "Nürn–berg \u2013"}), JSON).status_code == 201


def test_what_nobody_expected_is_a_number_that_stands_in_the_log(client, portrait, monkeypatch, caplog):
    def broken(*_):
        raise ZeroDivisionError("a secret of ours")

    monkeypatch.setattr(owned, "portraits", broken)
    with caplog.at_level(logging.ERROR, "studio.api"):
        answer = client.get(f"/api/portraits/{portrait.pk}")
    said = answer.json()["detail"]
    assert answer.status_code == 500
    assert "secret" not in said
    assert said.split("no. ")[1].split(")")[0] in caplog.text


@pytest.mark.parametrize("method", ["get", "post", "put", "delete", "options"])
def test_what_no_route_answers_is_json_with_a_sentence_too(client, method):
    for path, more, status in (("/api/nothing", {}, 404), ("/api/session", {"HTTP_HOST": "elsewhere.example"}, 400)):
        answer = getattr(client, method)(path, **more)
        assert answer.status_code == status
        assert len(answer.json()["detail"]) > 10
        assert answer["Cache-Control"] == "no-store"


def test_while_the_database_is_away_one_is_asked_to_come_again(client, portrait, monkeypatch):
    def away(*_):
        raise PoolTimeout("no connection within 5 s")

    monkeypatch.setattr(owned, "portraits", away)
    answer = client.get(f"/api/portraits/{portrait.pk}")
    assert (answer.status_code, answer["Retry-After"]) == (503, "1")
    assert "One moment" in answer.json()["detail"]


def test_a_portrait_that_is_deleted_while_it_is_prepared_leaves_nothing(client, sitting, settings, monkeypatch):
    def deleted_meanwhile(original, part, tell):
        store_levels(original, part, lambda share: None)
        Portrait.objects.all().delete()

    upload(client, sitting, "Alto 1.png", bytes_of("PNG"))
    monkeypatch.setattr(levels, "store_levels", deleted_meanwhile)
    work()
    assert not list(settings.LEVELS_ROOT.iterdir())
    assert not [p for p in (settings.MEDIA_ROOT / "thumbnails").rglob("*") if p.is_file()]


def test_what_belongs_to_nobody_is_swept_once_it_is_old(portrait, settings, tmp_path):
    settings.FILE_UPLOAD_TEMP_DIR = tmp_path / "tmp"
    strays = [
        settings.LEVELS_ROOT / "2b1e" / "level",
        settings.LEVELS_ROOT / f"{portrait.pk}.part" / "level",
        settings.MEDIA_ROOT / "exports" / "9c" / "file",
        settings.FILE_UPLOAD_TEMP_DIR / "killed" / "result",
    ]
    for path in strays:
        path.parent.mkdir(parents=True)
        path.write_bytes(bytes(1000))
    young = settings.LEVELS_ROOT / "young"
    young.mkdir()
    for path in strays:
        for one in (path, path.parent):
            os.utime(one, (time.time() - 7200,) * 2)
    assert sweep(3600) == 4000
    assert not any(path.parent.exists() for path in strays)
    assert young.exists()
    assert (settings.LEVELS_ROOT / str(portrait.pk)).exists()
    assert os.path.exists(portrait.original.path)


def test_a_full_disk_is_told_nothing_is_lost_and_work_goes_on_when_there_is_room(client, portrait, monkeypatch):
    nearly = type("Usage", (), {"free": 10 * 2**20})
    with monkeypatch.context() as full:
        full.setattr(storage.shutil, "disk_usage", lambda _: nearly)
        for answer in (
            upload(client, portrait.sitting, "Alto 1.png", bytes_of("PNG")),
            edit(client, portrait, 0, insert(["touches"], exposure())),
        ):
            assert answer.status_code == 507
            assert "disk is full" in answer.json()["detail"]
        wanted = client.post(f"/api/portraits/{portrait.pk}/exports", {"revision": 0}, JSON).json()["id"]
        work()
    assert Portrait.objects.count() == 1
    export = client.get(f"/api/exports/{wanted}").json()
    assert export["state"] == "failed"
    assert "disk is full" in export["problem"]
    assert edit(client, portrait, 0, insert(["touches"], exposure())).status_code == 200


def test_a_disk_that_fills_up_in_preparation_keeps_the_picture_and_no_parts(client, sitting, settings, monkeypatch):
    def fills(original, part, tell):
        part.mkdir(parents=True)
        (part / "level-0.npy").write_bytes(b"half")
        raise OSError(ENOSPC, "No space left on device")

    key = upload(client, sitting, "Alto 1.png", bytes_of("PNG")).json()["id"]
    with monkeypatch.context() as full:
        full.setattr(levels, "store_levels", fills)
        work()
    card = client.get(f"/api/portraits/{key}").json()
    assert (card["state"], "disk is full" in card["problem"]) == ("failed", True)
    assert not list(settings.LEVELS_ROOT.iterdir())
    client.post(f"/api/portraits/{key}/preparation")
    work()
    assert client.get(f"/api/portraits/{key}").json()["state"] == "ready"


def test_a_file_that_takes_the_house_down_ends_alone(tmp_path):
    apart, told = Apart(by_name, 2**30, 2.0), []
    try:
        for name, words in (("hungry", "more memory"), ("deadly", "more memory"), ("broken", "breaks off")):
            with pytest.raises(PictureError, match=words):
                apart.run(Path(name), tmp_path / name, told.append)
        with pytest.raises(OSError, match="No space") as caught:
            apart.run(Path("full"), tmp_path / "full", told.append)
        assert storage.is_full(caught.value)
        with pytest.raises(PictureError, match="too long"):
            apart.run(Path("endless"), tmp_path / "endless", told.append)
        with pytest.raises(jobs.Cancelled):
            apart.run(Path("good"), tmp_path / "given up", cancel)
        # Whatever came before it, the next one is opened.
        apart = Apart(store_levels, 2**31, 600)
        file_of(tmp_path / "picture", "PNG")
        apart.run(tmp_path / "picture", tmp_path / "levels", told.append)
        assert (tmp_path / "levels" / "level-0.npy").exists()
        assert told[-1] == 1
    finally:
        apart.end()


def cancel(share):
    raise jobs.Cancelled


def test_a_mask_picture_larger_than_any_edge_needs_is_not_decoded(client, portrait, tmp_path):
    wide, high = portrait.facts["width"], portrait.facts["height"]
    side = 1 + int((16e6 / (wide * high)) ** 0.5)
    path = tmp_path / "large.png"
    Image.fromarray(np.zeros((side * high, side * wide), bool)).save(path)
    file = SimpleUploadedFile("large.png", path.read_bytes())
    answer = client.post(f"/api/portraits/{portrait.pk}/masks", {"file": file})
    assert answer.status_code == 422
    assert "larger than the portrait" in answer.json()["detail"]


class Hands:
    """Wishes for places, each in a thread that keeps its place until it is let go."""

    def __init__(self, seats):
        self.seats, self.order, self.threads = seats, [], []

    def wish(self, person, name, long=False):
        go = Event()

        def work():
            with self.seats.place(person, long):
                self.order.append(name)
                go.wait(60)

        before = self.came()
        self.threads.append(thread := Thread(target=work, daemon=True))
        thread.start()
        while self.came() <= before:
            thread.join(0.001)
        return go

    def came(self):
        """How many wishes there have been: those that were given, and those that wait."""
        with self.seats._changed:
            return self.seats._given + len(self.seats._waiting)

    def until(self, many):
        """Wait until so many places have been given."""
        while len(self.order) < many:
            self.threads[-1].join(0.001)


def test_places_are_shared_between_people_and_what_takes_long_never_has_them_all():
    hands = Hands(Seats(2))
    first = hands.wish("ada", "ada's large view", long=True)
    waiting = [hands.wish("ada", "another", long=True), hands.wish("bo", "bo's large view", long=True)]
    small = hands.wish("bo", "bo's dab")
    # The large ones wait although they came first: one place is for what a hand waits for.
    assert hands.order == ["ada's large view", "bo's dab"]
    more = [hands.wish("ada", "ada's dab"), hands.wish("cy", "cy's dab")]
    small.set()
    hands.threads[3].join(60)
    hands.until(3)
    # Who has no place comes before who has one.
    assert hands.order[2] == "cy's dab"
    for go in (*more, first, *waiting):
        go.set()
    for thread in hands.threads:
        thread.join(60)
    assert len(hands.order) == 6


def test_everybodys_turn_comes():
    hands = Hands(Seats(1))
    last = hands.wish("ada", "ada 0")
    hands.wish("bo", "bo's large view", long=True).set()
    for number in range(1, 7):
        following = hands.wish("ada", f"ada {number}")
        last.set()
        hands.until(number + 1)
        last = following
    last.set()
    for thread in hands.threads:
        thread.join(60)
    assert "bo's large view" in hands.order[:5]


def test_a_large_view_is_the_same_in_pieces(client, portrait, monkeypatch):
    touches = [exposure(), {"id": "s", "kind": "sharpen", "settings": {"amount": 1, "radius": 0.004}}]
    for number, touch in enumerate(touches):
        edit(client, portrait, number, insert(["touches"], touch))
    asked = {"frame": frame(600, 750, x=30, y=40, w=500, h=610)}
    whole = look(client, portrait, 2, **asked).content
    viewing.VIEWS.clear()
    monkeypatch.setattr(viewing, "LONG_VIEW", 10_000)
    monkeypatch.setattr(viewing, "PIECE", 20_000)
    monkeypatch.setattr(viewing, "CACHE", Cache(2**26))
    assert look(client, portrait, 2, **asked).content == whole


def test_a_share_that_is_used_up_says_how_much_it_is_and_what_is_deleted_makes_room(client, portrait, settings):
    wanted = client.post(f"/api/portraits/{portrait.pk}/exports", {"revision": 0}, JSON).json()["id"]
    work()
    taken = client.get("/api/account").json()["bytes"]
    file = client.get(f"/api/exports/{wanted}").json()["bytes"]
    assert file > 1000
    settings.QUOTA_BYTES = taken
    refused = upload(client, portrait.sitting, "Alto 1.png", bytes_of("PNG"))
    assert refused.status_code == 507
    assert f"take {storage.told(taken)} of the {storage.told(taken)}" in refused.json()["detail"]
    assert client.delete(f"/api/exports/{wanted}").status_code == 204
    assert client.get("/api/account").json()["bytes"] == taken - file
    assert not [p for p in (settings.MEDIA_ROOT / "exports").rglob("*") if p.is_file()]
    settings.QUOTA_BYTES = 0
    assert upload(client, portrait.sitting, "Alto 1.png", bytes_of("PNG")).status_code == 201


def test_who_has_much_in_hand_comes_after_who_has_little(client, sitting, settings):
    for number in range(3):
        upload(client, sitting, f"Alto {number}.png", bytes_of("PNG"))
    other = Sitting.objects.create(owner=User.objects.create_user("cy"), name="Theirs")
    theirs = Client()
    theirs.force_login(other.owner, backend="django.contrib.auth.backends.ModelBackend")
    upload(theirs, other, "Bass 1.png", bytes_of("PNG"))
    turns = []
    with pytest.MonkeyPatch.context() as noted:
        # What is let go of in the middle would be queued again by the sweep.
        noted.setattr(jobs, "queue_lost", lambda: 0)
        noted.setattr(
            levels, "store_levels", lambda original, part, tell: turns.append(original.parent.name) or cancel(0)
        )
        work()
    names = {str(p.pk): p.name for p in Portrait.objects.all()}
    assert [names[key] for key in turns] == ["Alto 0", "Bass 1", "Alto 1", "Alto 2"]
    settings.MOST_IN_HAND = 3
    refused = upload(client, sitting, "Alto 9.png", bytes_of("PNG"))
    assert (refused.status_code, "still in hand" in refused.json()["detail"]) == (422, True)
