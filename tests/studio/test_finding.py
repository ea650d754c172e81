"""The search for faces and people as a job, what it answers, and mask pictures in and out."""

import io
import json
import os
import signal
import subprocess
import sys
import time
from threading import Event

import cv2
import numpy as np
import pytest
from django.core.files.storage import default_storage
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.utils import timezone
from PIL import Image
from procrastinate.contrib.django.models import ProcrastinateJob

from retouch.faces.found import Face, Found, Map, Regions
from retouch.frame import Frame
from studio import jobs, viewing
from studio.models import Portrait
from studio.storage import found_place
from tests.pictures import bytes_of
from tests.studio.talk import edit, insert, look, now_instead_of_later, upload, work

WHERE = Frame.whole(80, 100)
HALF = np.zeros((100, 80), np.uint8)
HALF[:, :40] = 255
ONE_FACE = Found(
    "made up",
    (Face((0.2, 0.2, 0.3, 0.3), 0.9, ((0.3, 0.3),) * 478, (1,), True),),
    {"person": Map(WHERE, HALF), "person-1": Map(WHERE, HALF), "skin-1": Map(WHERE, HALF)},
    Regions(WHERE, (HALF // 255).astype(np.uint16) + 300, (HALF // 255).astype(np.uint16)),
)


def found(client, portrait):
    return client.get(f"/api/portraits/{portrait.pk}/found").json()


@pytest.fixture
def searched(client, portrait, monkeypatch):
    monkeypatch.setattr(jobs, "find", lambda *_: ONE_FACE)
    work("search")
    return portrait


def test_a_prepared_portrait_waits_for_its_search_and_then_says_what_was_found(client, portrait, monkeypatch):
    assert found(client, portrait)["search"] == "waiting"
    shares = []

    def find(picture, progress, first):
        progress(0.4)
        shares.append(found(client, portrait))
        # Skin and the person are handed out as soon as they are known roughly, and are no file's business yet.
        first(ONE_FACE)
        shares.append(found(client, portrait))
        assert viewing.found(str(portrait.pk)) is None
        return ONE_FACE

    monkeypatch.setattr(jobs, "find", find)
    work("search")
    assert [(s["search"], s["progress"], s["person"]) for s in shares] == [("running", 0.4, p) for p in (False, True)]
    assert shares[1]["faces"][0]["parts"] == ["skin", "under-eyes"]
    answer = found(client, portrait)
    assert (answer["search"], answer["person"]) == ("ready", True)
    [face] = answer["faces"]
    assert (face["number"], face["closed"], face["mouth_open"], face["parts"]) == (
        1,
        ["left"],
        True,
        ["skin", "under-eyes"],
    )


def test_the_real_search_finds_nobody_on_a_gradient(client, portrait):
    work("search")
    answer = found(client, portrait)
    assert (answer["search"], answer["person"], answer["faces"]) == ("ready", False, [])


def test_a_search_that_breaks_is_said_and_done_again_when_asked(client, portrait, monkeypatch):
    monkeypatch.setattr(jobs, "find", lambda *a: 1 / 0)
    work("search")
    assert found(client, portrait)["search"] == "failed"
    monkeypatch.setattr(jobs, "find", lambda *_: ONE_FACE)
    assert client.post(f"/api/portraits/{portrait.pk}/found").json()["search"] == "waiting"
    work("search")
    assert found(client, portrait)["search"] == "ready"


def test_a_lost_or_never_made_search_is_said_and_made_when_asked(client, searched, settings):
    def asked():
        # Looking changes nothing; asking does.
        assert found(client, searched)["search"] == "none"
        return client.post(f"/api/portraits/{searched.pk}/found").json()["search"]

    # Lost here, it comes from the storage; lost there as well, it is made anew.
    here = settings.LEVELS_ROOT / str(searched.pk) / "found.npz"
    here.unlink()
    assert found(client, searched)["search"] == "ready"
    here.unlink()
    default_storage.delete(found_place(str(searched.pk)))
    assert asked() == "waiting"
    work("search")
    Portrait.objects.update(search="none")
    assert asked() == "waiting"


def test_what_waits_and_has_no_job_gets_one(client, portrait, monkeypatch):
    monkeypatch.setattr(jobs, "find", lambda *_: ONE_FACE)
    ProcrastinateJob.objects.all()._raw_delete("default")
    assert found(client, portrait)["search"] == "waiting"
    assert [jobs.queue_lost(), jobs.queue_lost()] == [1, 0]
    work("search")
    assert found(client, portrait)["search"] == "ready"
    # Somebody who asks does not have to wait for the sweep.
    Portrait.objects.update(search="running")
    client.post(f"/api/portraits/{portrait.pk}/found")
    work("search")
    assert found(client, portrait)["search"] == "ready"


def test_a_search_whose_portrait_is_not_ready_yet_is_tried_again(client, portrait, monkeypatch):
    monkeypatch.setattr(jobs, "find", lambda *_: ONE_FACE)
    Portrait.objects.update(state="preparing")
    work("search")
    assert found(client, portrait)["search"] == "waiting"
    Portrait.objects.update(state="ready")
    [job] = ProcrastinateJob.objects.filter(task_name="search")
    assert (job.status, job.attempts, job.scheduled_at > timezone.now()) == ("todo", 1, True)
    now_instead_of_later()
    work("search")
    assert found(client, portrait)["search"] == "ready"


def test_a_found_area_covers_and_the_regions_are_handed_out(client, searched):
    part = {"source": "face-part", "part": "skin", "of": 1}
    edit(client, searched, 0, insert(["areas"], {"id": "a", "name": "skin", "parts": [part]}))
    answer = look(client, searched, 1, "coverage", area="a")
    assert float(answer["X-Share"]) == pytest.approx(0.5, abs=0.01)
    png = client.get(f"/api/portraits/{searched.pk}/regions").content
    red, green, blue = np.asarray(Image.open(io.BytesIO(png)))[50, [10, 70]].T
    assert (red + 256 * green.astype(int)).tolist() == [301, 300]
    assert blue.tolist() == [1, 0]


def test_what_was_found_is_its_owners_alone(client, searched, django_user_model):
    client.force_login(
        django_user_model.objects.create_user("eve@choir.example", password="x"),
        backend="django.contrib.auth.backends.ModelBackend",
    )
    for path in ("found", "regions"):
        assert client.get(f"/api/portraits/{searched.pk}/{path}").status_code == 404
    assert client.post(f"/api/portraits/{searched.pk}/found").status_code == 404
    assert mask_in(client, searched, bytes_of("PNG", 80, 100)).status_code == 404


def mask_in(client, portrait, data, name="mask.png"):
    return client.post(f"/api/portraits/{portrait.pk}/masks", {"file": SimpleUploadedFile(name, data)})


@pytest.mark.parametrize("bits", [8, 16])
def test_a_mask_picture_goes_in_and_comes_out(client, portrait, bits):
    ramp = np.linspace(0, 2**bits - 1, 300).round().astype(np.uint8 if bits == 8 else np.uint16)
    png = cv2.imencode(".png", np.tile(ramp, (375, 1)))[1].tobytes()
    mask = mask_in(client, portrait, png).json()
    assert mask["name"] == "mask.png"
    area = {"id": "a", "name": "Half", "parts": [{"source": "file", **mask}]}
    assert edit(client, portrait, 0, insert(["areas"], area)).status_code == 200
    body = json.dumps({"revision": 1, "area": "a", "bits": bits})
    answer = client.post(f"/api/portraits/{portrait.pk}/mask", body, "application/json")
    assert "Tenor 1 Half.png" in answer["Content-Disposition"]
    out = cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_UNCHANGED)
    assert out.shape == (750, 600)
    assert out.dtype == ramp.dtype
    assert out[400, ::60] / (2**bits - 1) == pytest.approx(np.arange(0, 600, 60) / 599, abs=0.006)


def test_a_mask_of_other_proportions_or_no_picture_is_refused_in_a_sentence(client, portrait):
    answer = mask_in(client, portrait, bytes_of("PNG", 400, 300))
    assert answer.status_code == 422
    assert "other proportions (400 × 300)" in answer.json()["detail"]
    assert mask_in(client, portrait, b"no picture", "mask.png").status_code == 422
    body = json.dumps({"revision": 0, "area": "gone"})
    answer = client.post(f"/api/portraits/{portrait.pk}/mask", body, "application/json")
    assert answer.json()["detail"] == "This area is no longer there."


def test_a_drawing_goes_into_an_outline_and_comes_out(client, portrait):
    def drawing_in(data):
        return client.post(f"/api/portraits/{portrait.pk}/outlines", {"file": SimpleUploadedFile("lips.svg", data)})

    def drawing_out(part):
        body = json.dumps({"revision": 1, "area": "a", "part": part})
        return client.post(f"/api/portraits/{portrait.pk}/outline", body, "application/json")

    page = '<svg xmlns="http://www.w3.org/2000/svg" width="300" height="375">{}</svg>'
    drawn = drawing_in(page.format('<path d="M75 75h150v75z"/>').encode()).json()
    assert drawn["shapes"] == [{"path": "M0.20000 0.20000L0.60000 0.20000L0.60000 0.40000Z", "take": False}]
    area = {"id": "a", "name": "Lips", "parts": [{"id": "p", "source": "outline", **drawn}]}
    assert edit(client, portrait, 0, insert(["areas"], area)).status_code == 200
    out = drawing_out("p")
    assert "Tenor 1 outline.svg" in out["Content-Disposition"]
    assert drawing_in(out.content).json() == drawn
    assert drawing_out("gone").json()["detail"] == "This outline is no longer there."
    refused = drawing_in(b"no drawing")
    assert refused.status_code == 422
    assert "not an SVG drawing" in refused.json()["detail"]


def test_numbers_and_tones_of_what_an_area_sees_below(client, portrait):
    area = {"id": "a", "name": "Bright", "parts": [{"source": "tones", "of": "below"}]}
    touches = [
        {"id": "t", "kind": "exposure", "settings": {"ev": 2}},
        {"id": "u", "kind": "exposure", "settings": {"ev": -2}, "area": "a"},
    ]
    edit(client, portrait, 0, insert(["areas"], area), *(insert(["touches"], t) for t in touches))

    def ask(path, **more):
        body = json.dumps({"revision": 1, **more})
        return client.post(f"/api/portraits/{portrait.pk}/{path}", body, "application/json")

    place = {"x": 0.3, "y": 0.3}
    plain, below = ask("numbers", **place).json(), ask("numbers", **place, area="a").json()
    assert below["before"]["lightness"] > plain["before"]["lightness"] + 10
    assert ask("numbers", **place, area="gone").status_code == 422
    assert ask("tones", area="a").json() != ask("tones", original=True).json()


def test_a_view_tells_while_hairs_are_worked_out_and_shows_them_afterwards(client, portrait):
    pool = {"source": "pool", "centre": [0.4, 0.5], "radii": [0.2, 0.2]}
    area = {"id": "a", "name": "Hair", "parts": [pool], "refine": "hair"}
    touch = {"id": "t", "kind": "exposure", "settings": {"ev": 2}, "area": "a"}
    edit(client, portrait, 0, insert(["areas"], area), insert(["touches"], touch))
    frame = {"width": 300, "height": 375, "x": 0, "y": 0, "w": 300, "h": 375}

    def view():
        body = json.dumps({"revision": 1, "frame": frame})
        return client.post(f"/api/portraits/{portrait.pk}/view", body, "application/json")

    assert view()["X-Waiting"] == "hair"
    deadline = time.monotonic() + 60
    while "X-Waiting" in view():
        assert time.monotonic() < deadline
        time.sleep(0.1)
    assert view().content == view().content


def test_work_in_the_background_is_done_once_and_not_again_when_it_failed(caplog):
    background, done = viewing.Background(), []
    gate = Event()

    def work():
        gate.wait(10)
        done.append(1)
        raise RuntimeError("no")

    assert background("a", work)
    assert background("a", work)
    gate.set()
    background.close()
    assert done == [1]
    assert not background("a", work)
    assert "failed" in caplog.text


def test_a_ready_touch_waits_for_the_search_and_then_has_its_place(client, portrait, monkeypatch):
    def start(**more):
        body = {"kind": "even", "title": "Even the skin"} | more
        return client.post(f"/api/portraits/{portrait.pk}/starts", body, "application/json")

    assert start().status_code == 425
    assert start(placed=True).json()["parts"] == []
    monkeypatch.setattr(jobs, "find", lambda *_: ONE_FACE)
    work("search")
    ready = start().json()
    assert (ready["area_name"], [p["part"] for p in ready["parts"]]) == ("the skin", ["skin"])
    eyes = start(kind="detail", title="Crisp irises")
    assert eyes.status_code == 422
    assert "Not found on this picture" in eyes.json()["detail"]
    use = client.get("/api/sharpening", {"pixels": 1000, "medium": "matt paper"}).json()
    assert use["radius"] == 0.0005


@pytest.mark.slow
def test_of_a_hundred_uploads_with_workers_beside_a_hundred_are_searched(client, sitting, settings):
    """A worker and a finder in processes of their own, as in the house."""
    environment = os.environ | {
        "NEEDLEPOINT_DB_NAME": connection.settings_dict["NAME"],
        "TEST_MEDIA": str(settings.MEDIA_ROOT),
        "TEST_LEVELS": str(settings.LEVELS_ROOT),
    }
    workers = [
        subprocess.Popen([sys.executable, "-c", WORKER, queue], env=environment, start_new_session=True)
        for queue in ("studio", "search")
    ]
    try:
        for number in range(100):
            assert upload(client, sitting, f"Alto {number}.png", bytes_of("PNG", 60, 80)).status_code == 201
        deadline = time.monotonic() + 240
        while Portrait.objects.exclude(search="ready").exists():
            assert time.monotonic() < deadline, list(Portrait.objects.values_list("state", "search").distinct())
            time.sleep(0.2)
    finally:
        for worker in workers:
            os.killpg(worker.pid, signal.SIGKILL)
            worker.wait()
    assert Portrait.objects.filter(state="ready", search="ready").count() == 100


WORKER = """
import os
import sys
from pathlib import Path
from django.conf import settings
import django
django.setup()
from django.core.management import call_command
from studio import carrying, jobs
from retouch.faces import Found
settings.MEDIA_ROOT, settings.LEVELS_ROOT = Path(os.environ["TEST_MEDIA"]), Path(os.environ["TEST_LEVELS"])
jobs.find = lambda *_: Found("nobody", (), {})
# Nothing is to be mended by the sweep here.
jobs.queue_lost = carrying.queue_lost_carrying = lambda: 0
# One person's are prepared one after the other: each is looked for as soon as the last has ended.
poll = ("--fetch-job-polling-interval", "0.05")
call_command("procrastinate", "worker", "--queues", sys.argv[1], "--concurrency", "2", *poll)
"""
