"""Exports: a job with progress that can be cancelled and outlives its worker."""

import io
import os
import signal
import subprocess
import sys
import time

import numpy as np
import pytest
from asgiref.sync import async_to_sync
from django.db import connection
from PIL import Image

from retouch.faces import Found
from retouch.types import PictureError
from studio import jobs, making
from studio.logs import About
from studio.models import Export, Portrait
from studio.retrying import MOST_ATTEMPTS
from tests.pictures import bytes_of
from tests.studio.talk import JSON, content, edit, exposure, insert, now_instead_of_later, upload, work


def order(client, portrait, **options):
    return client.post(f"/api/portraits/{portrait.pk}/exports", {"revision": portrait.revision, **options}, JSON)


@pytest.mark.parametrize(
    ("options", "form", "suffix"),
    [
        ({}, "JPEG", "jpg"),
        ({"form": "png", "bits": 16, "into": "display-p3"}, "PNG", "png"),
        ({"form": "tiff", "bits": 16, "into": "original"}, "TIFF", "tif"),
    ],
)
def test_a_finished_file_is_made_and_fetched(client, portrait, options, form, suffix):
    edit(client, portrait, 0, insert(["touches"], exposure(ev=1)))
    portrait.refresh_from_db()
    key = order(client, portrait, **options).json()["id"]
    work()
    state = client.get(f"/api/exports/{key}").json()
    assert (state["state"], state["progress"], state["file_name"]) == ("ready", 1, f"Tenor 1.{suffix}")
    answer = client.get(f"/api/exports/{key}/file")
    assert f"Tenor 1.{suffix}" in answer["Content-Disposition"]
    image = Image.open(io.BytesIO(content(answer)))
    assert (image.format, image.size) == (form, (600, 750))


def test_the_file_is_of_the_sheet_as_it_stood(client, portrait):
    key = order(client, portrait, form="png").json()["id"]
    edit(client, portrait, 0, insert(["touches"], exposure(ev=-3)))
    work()
    data = content(client.get(f"/api/exports/{key}/file"))
    original = np.asarray(Image.open(portrait.original.path)).astype(int)
    assert np.abs(np.asarray(Image.open(io.BytesIO(data))).astype(int) - original).max() <= 1


def test_an_impossible_order_is_refused(client, portrait):
    assert "8 bits" in order(client, portrait, form="jpeg", bits=16).json()["detail"]
    assert order(client, portrait, quality=0).status_code == 422
    assert not Export.objects.exists()


def test_a_cancelled_export_never_runs(client, portrait):
    key = order(client, portrait).json()["id"]
    assert client.delete(f"/api/exports/{key}").json()["state"] == "cancelled"
    work()
    assert client.get(f"/api/exports/{key}").json()["state"] == "cancelled"
    assert client.get(f"/api/exports/{key}/file").status_code == 404


def test_an_export_is_cancelled_in_the_middle(client, portrait, monkeypatch):
    key = order(client, portrait, form="png").json()["id"]
    seen = []

    def cancel_then_go_on(original, sheet, wanted, path, progress, found, press):
        progress(0.5)
        seen.append(Export.objects.get(pk=key).progress)
        Export.objects.filter(pk=key).update(state=Export.State.CANCELLED)
        progress(1.0)
        pytest.fail("it went on after it was cancelled")

    monkeypatch.setattr(making, "export", cancel_then_go_on)
    work()
    assert seen == [0.5]
    assert client.get(f"/api/exports/{key}").json()["state"] == "cancelled"


def test_an_error_of_ours_is_a_sentence_and_the_sheet_is_kept(client, portrait, monkeypatch):
    key = order(client, portrait).json()["id"]
    monkeypatch.setattr(making, "export", lambda *a: 1 / 0)
    work()
    state = client.get(f"/api/exports/{key}").json()
    assert state["state"] == "failed"
    assert state["problem"] == jobs.SORRY


FACE = {"id": "a", "name": "the face", "parts": [{"id": "p", "source": "face-part", "part": "face"}]}


@pytest.mark.parametrize("search", ["none", "running", "failed"])
def test_a_file_that_rests_on_what_is_found_waits_for_it_or_looks_for_it(client, portrait, monkeypatch, search):
    edit(client, portrait, 0, insert(["areas"], FACE), insert(["touches"], exposure(ev=2, area="a")))
    Portrait.objects.update(search=search)
    asked = []
    monkeypatch.setattr(jobs, "find", lambda picture, *_: asked.append(picture) or Found("k", (), {}))
    portrait.refresh_from_db()
    key = order(client, portrait).json()["id"]
    work()
    assert client.get(f"/api/exports/{key}").json()["state"] == "ready"
    assert len(asked) == 1
    assert Portrait.objects.get().search == "ready"


def test_a_file_is_not_handed_out_without_what_was_to_be_found(client, portrait, monkeypatch):
    edit(client, portrait, 0, insert(["areas"], FACE), insert(["touches"], exposure(ev=2, area="a")))
    monkeypatch.setattr(jobs, "find", lambda *a: 1 / 0)
    portrait.refresh_from_db()
    key = order(client, portrait).json()["id"]
    work()
    state = client.get(f"/api/exports/{key}").json()
    assert state["state"] == "failed"
    assert "looking for them in this picture failed" in state["problem"]


def test_a_mask_that_rests_on_what_is_found_waits_for_it(client, portrait):
    edit(client, portrait, 0, insert(["areas"], FACE))
    body = {"revision": 1, "area": "a"}
    Portrait.objects.update(search="running")
    assert client.post(f"/api/portraits/{portrait.pk}/mask", body, JSON).status_code == 425
    Portrait.objects.update(search="failed")
    answer = client.post(f"/api/portraits/{portrait.pk}/mask", body, JSON)
    assert (answer.status_code, "failed" in answer.json()["detail"]) == (422, True)


@pytest.mark.parametrize("ends", ["finished", "failed"])
def test_a_cancel_that_meets_the_end_leaves_nothing_and_stays_a_cancel(client, portrait, monkeypatch, settings, ends):
    key = order(client, portrait).json()["id"]
    real = making.export

    def cancelled_at_the_end(*arguments):
        real(*arguments)
        Export.objects.update(state=Export.State.CANCELLED)
        if ends == "failed":
            raise PictureError("the disk is full")

    monkeypatch.setattr(making, "export", cancelled_at_the_end)
    work()
    state = client.get(f"/api/exports/{key}").json()
    assert (state["state"], state["problem"]) == ("cancelled", "")
    assert not [p for p in settings.MEDIA_ROOT.rglob("exports/**/*") if p.is_file()]


def test_what_is_swallowed_is_logged_with_the_portrait(client, sitting, caplog, monkeypatch):
    caplog.handler.addFilter(About())
    monkeypatch.setattr(Image.Exif, "get_ifd", lambda *a: 1 / 0)
    answer = upload(client, sitting, "Bass 1.jpg", bytes_of("JPEG")).json()
    said = [r for r in caplog.records if "EXIF" in r.getMessage()]
    assert answer["state"] == "waiting"
    assert {r.about for r in said} == {f"portrait {answer['id']}"}


@pytest.mark.slow
def test_a_worker_killed_in_the_middle_of_an_export_loses_nothing(client, sitting, settings):
    """A real worker process, stopped with kill -9 between two bands; another one finishes the job."""
    card = upload(client, sitting, "Bass 4.png", bytes_of("PNG", 3000, 3600)).json()
    work()
    portrait = Portrait.objects.get(pk=card["id"])
    key = order(client, portrait, form="png", bits=16).json()["id"]
    environment = os.environ | {
        "NEEDLEPOINT_DB_NAME": connection.settings_dict["NAME"],
        "TEST_MEDIA": str(settings.MEDIA_ROOT),
        "TEST_LEVELS": str(settings.LEVELS_ROOT),
    }
    worker = subprocess.Popen([sys.executable, "-c", WORKER], env=environment, start_new_session=True)
    deadline = time.monotonic() + 60
    while not 0 < (share := Export.objects.get(pk=key).progress) < 0.9:
        assert time.monotonic() < deadline, share
        time.sleep(0.02)
    os.killpg(worker.pid, signal.SIGKILL)
    worker.wait()
    assert Export.objects.get(pk=key).state == "running"
    assert async_to_sync(jobs.requeue)(0) == 1
    work()
    assert Export.objects.get(pk=key).state == "ready"
    data = content(client.get(f"/api/exports/{key}/file"))
    assert Image.open(io.BytesIO(data)).size == (3000, 3600)


@pytest.mark.parametrize("returns", [True, False])
def test_a_store_that_is_away_for_a_moment_fails_no_file(client, portrait, monkeypatch, returns):
    made, tries = making.export, []

    def away(*arguments):
        tries.append(1)
        if len(tries) < 3 or not returns:
            raise ConnectionResetError("the bucket is away")
        return made(*arguments)

    monkeypatch.setattr(making, "export", away)
    key = order(client, portrait).json()["id"]
    for _ in range(8):
        work()
        if client.get(f"/api/exports/{key}").json()["state"] != "waiting":
            break
        now_instead_of_later()
    answer = client.get(f"/api/exports/{key}").json()
    if returns:
        assert (answer["state"], len(tries)) == ("ready", 3)
    else:
        # It is not tried for ever, and then said in a sentence.
        assert (answer["state"], answer["problem"], len(tries)) == ("failed", jobs.SORRY, 1 + MOST_ATTEMPTS)


WORKER = """
import os
from pathlib import Path
from django.conf import settings
import django
django.setup()
import studio.jobs
settings.MEDIA_ROOT, settings.LEVELS_ROOT = Path(os.environ["TEST_MEDIA"]), Path(os.environ["TEST_LEVELS"])
from tests.studio.talk import work
work()
"""
