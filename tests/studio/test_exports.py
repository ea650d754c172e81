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

from studio import jobs
from studio.models import Export, Portrait
from tests.pictures import bytes_of
from tests.studio.talk import JSON, content, edit, exposure, insert, upload, work


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

    def cancel_then_go_on(original, sheet, wanted, path, progress, found):
        progress(0.5)
        seen.append(Export.objects.get(pk=key).progress)
        Export.objects.filter(pk=key).update(state=Export.State.CANCELLED)
        progress(1.0)
        pytest.fail("it went on after it was cancelled")

    monkeypatch.setattr(jobs, "export", cancel_then_go_on)
    work()
    assert seen == [0.5]
    assert client.get(f"/api/exports/{key}").json()["state"] == "cancelled"


def test_an_error_of_ours_is_a_sentence_and_the_sheet_is_kept(client, portrait, monkeypatch):
    key = order(client, portrait).json()["id"]
    monkeypatch.setattr(jobs, "export", lambda *a: 1 / 0)
    work()
    state = client.get(f"/api/exports/{key}").json()
    assert state["state"] == "failed"
    assert state["problem"] == jobs.SORRY


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
