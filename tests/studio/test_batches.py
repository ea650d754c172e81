"""Files of a whole sitting: named, made, paused, made again after a kill, and fetched as one ZIP."""

import json
import zipfile
from io import BytesIO
from itertools import chain

import numpy as np
import pytest
from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image
from pypdf import PdfReader

from demo.press import PLACE
from retouch.files.naming import Names, name_by
from retouch.types import PictureError
from studio import jobs, making
from studio.models import Export, Portrait
from tests.pictures import bytes_of
from tests.studio.talk import JSON, content, edit, exposure, insert, upload, work

WEB = {
    "name": "web",
    "form": "webp",
    "by": "long",
    "amount": 200,
    "sharpen": "screen",
    "pattern": "web/{number} {name}",
}
PRINT = {"name": "print", "form": "tiff", "bits": 16, "pattern": "{order}/{name}"}
FIELDS = dict.fromkeys(("name", "sitting", "sitter", "number", "date", "file", "order"), "x")


@pytest.fixture
def sitters(client, sitting) -> list[Portrait]:
    for name in ("Alto 1.jpg", "Alto 2.jpg", "Alto 1.png"):
        upload(client, sitting, name, bytes_of("JPEG" if name.endswith("jpg") else "PNG", 400, 500))
    work()
    return list(Portrait.objects.all())


def order(client, sitting, to, *orders, what="batches"):
    body = {"to": [str(p.pk) for p in to], "orders": list(orders)}
    return client.post(f"/api/sittings/{sitting.pk}/{what}", body, JSON)


def page(client, batch):
    return client.get(f"/api/batches/{batch['id']}").json()


def unpacked(client, batch):
    return zipfile.ZipFile(BytesIO(content(client.get(f"/api/batches/{batch['id']}/zip"))))


def test_two_orders_of_a_sitting_come_as_one_zip_that_another_program_opens(client, sitting, sitters):
    edit(client, sitters[0], 0, insert(["touches"], exposure("t", 1.0)))
    shown = order(client, sitting, sitters, WEB, PRINT, what="names").json()
    assert shown["count"] == 6
    assert shown["names"][0] == ["web/001 Alto 1.webp", "web/002 Alto 2.webp", "web/003 Alto 1.webp"]
    # No two files have one name, whatever is ordered.
    assert shown["names"][1] == ["print/Alto 1.tif", "print/Alto 2.tif", "print/Alto 1 (2).tif"]
    batch = order(client, sitting, sitters, WEB, PRINT).json()
    assert client.get(f"/api/batches/{batch['id']}/zip").status_code == 422
    work()
    now = page(client, batch)
    assert (now["ready"], now["failed"], now["count"]) == (6, 0, 6)
    with unpacked(client, batch) as files:
        assert files.testzip() is None
        assert sorted(files.namelist()) == sorted(chain(*shown["names"]))
        small = Image.open(BytesIO(files.read("web/001 Alto 1.webp")))
        assert (small.format, small.size) == ("WEBP", (160, 200))
        assert Image.open(BytesIO(files.read("print/Alto 1.tif"))).size == (400, 500)
        retouched, untouched = (files.read(f"web/00{n} Alto {n}.webp") for n in (1, 2))
    assert Image.open(BytesIO(retouched)).getpixel((80, 100)) > Image.open(BytesIO(untouched)).getpixel((80, 100))
    # Files of a batch are not among the portrait's own, and go with it.
    assert client.get(f"/api/portraits/{sitters[0].pk}/exports").json() == []
    assert client.delete(f"/api/batches/{batch['id']}").status_code == 204
    assert not [p for p in (settings.MEDIA_ROOT / "exports").rglob("*") if p.is_file()]


def test_a_batch_pauses_ends_begins_again_and_a_kill_makes_nothing_twice(client, sitting, sitters, monkeypatch):
    batch = order(client, sitting, sitters, WEB).json()
    steer = lambda state: client.patch(f"/api/batches/{batch['id']}", {"state": state}, JSON)  # noqa: E731
    steer("paused")
    work()
    assert page(client, batch)["ready"] == 0
    steer("going")
    # The worker dies in the middle of a file: nothing is half there, and the file is made when the job comes again.
    first = Export.objects.order_by("path").first()
    monkeypatch.setattr(making, "export", lambda *a: (_ for _ in ()).throw(KeyboardInterrupt))
    with pytest.raises(KeyboardInterrupt):
        jobs.make_export(str(first.pk))
    monkeypatch.undo()
    assert not Export.objects.get(pk=first.pk).result
    steer("cancelled")
    work()
    assert {f["state"] for f in page(client, batch)["files"]} == {"cancelled"}
    steer("going")
    work()
    assert page(client, batch)["ready"] == 3
    made = [p for p in (settings.MEDIA_ROOT / "exports").rglob("*") if p.is_file()]
    assert len(made) == 3


def test_what_cannot_be_ordered_gets_a_sentence_and_orders_nothing(client, sitting, sitters, settings):
    for bad, said in (
        (WEB | {"pattern": "{who}"}, "no field {who}"),
        (WEB | {"pattern": "web/"}, "no name"),
        (WEB | {"bits": 16}, "holds 8 bits"),
        (WEB | {"amount": 0}, "above 0"),
    ):
        answer = order(client, sitting, sitters, bad)
        assert answer.status_code == 422
        assert said in answer.json()["detail"]
    settings.MOST_IN_HAND = 5
    assert "5 is the most" in order(client, sitting, sitters, WEB, PRINT).json()["detail"]
    assert not Export.objects.exists()


@given(st.text(max_size=30), st.text(max_size=30))
def test_whatever_a_portrait_is_called_its_file_stays_in_its_folder(name, sitting):
    fields = FIELDS | {"name": name, "sitting": sitting}
    try:
        path = name_by("{sitting}/{name}", fields, ".jpg")
    except PictureError:
        return
    parts = path.split("/")
    assert 1 <= len(parts) <= 2
    assert all(part and part not in (".jpg", ".", "..") and not part.startswith(".") for part in parts)
    names = Names()
    assert len({names.free(path).casefold() for _ in range(3)}) == 3


def test_masks_sheets_and_papers_are_handed_over_with_the_credits(client, sitting, sitters):
    area = {"id": "a", "name": "the face", "parts": [{"id": "p", "source": "pool", "centre": [0.4, 0.5]}]}
    edit(client, sitters[0], 0, insert(["areas"], area), insert(["touches"], exposure("t", area="a")))
    said = {"title": "{sitting}: {name}", "creator": "Ada", "rights": "© Ada"}
    assert client.patch(f"/api/sittings/{sitting.pk}", {"credits": said}, JSON).status_code == 200
    orders = [
        {"what": "masks", "pattern": "masks/{name}"}, {"what": "sheet", "pattern": "{name}"},
        {"what": "contact sheet", "name": "all of them"}, {"what": "work report"},
        {"form": "jpeg", "pattern": "{name}", "with_sheet": True},
    ]  # fmt: skip
    batch = order(client, sitting, sitters[:2], *orders).json()
    work()
    assert page(client, batch)["failed"] == 0
    with unpacked(client, batch) as files:
        names = [f"Evening rehearsal/{one}.pdf" for one in ("all of them", "work report")]
        pictures = ["Alto 1.jpg", "Alto 1.json", "Alto 2.jpg", "Alto 2.json"]
        assert sorted(files.namelist()) == sorted([*pictures, *names, "masks/Alto 1 - the face.png"])
        mask = np.asarray(Image.open(BytesIO(files.read("masks/Alto 1 - the face.png"))))
        assert (mask.shape, mask.dtype.itemsize >= 2, mask.max() > 60_000) == ((500, 400), True, True)
        told = json.loads(files.read("Alto 1.json"))
        assert [t["id"] for t in told["touches"]] == ["t"]
        finished = Image.open(BytesIO(files.read("Alto 1.jpg")))
        assert b"Evening rehearsal: Alto 1" in finished.info["xmp"]
        # Brought in again, out of the picture or by its own file, it is the same; a picture without one says so.
        for name in ("Alto 1.jpg", "Alto 1.json"):
            path = f"/api/portraits/{sitters[1].pk}/sheets"
            laid = client.post(path, {"file": SimpleUploadedFile(name, files.read(name))}).json()
            [touch] = [o["item"] for o in laid["operations"] if o["path"] == ["touches"]]
            assert (touch["settings"], laid["needs_look"]) == ({"ev": 1.0}, ["the face"])
        none = client.post(path, {"file": SimpleUploadedFile("x.jpg", bytes_of("JPEG"))})
        assert (none.status_code, "There is no sheet" in none.json()["detail"]) == (422, True)
        contact, report = (PdfReader(BytesIO(files.read(name))) for name in names)
        assert len(contact.pages[0].images) == 2
        assert "Brighten the face by +1.00 EV" in report.pages[0].extract_text()
        assert "Nothing was done" in report.pages[1].extract_text()


def test_a_press_is_brought_in_ordered_into_and_seen_beforehand(client, sitting, sitters):
    profile = PLACE.read_bytes()
    refused = client.post("/api/presses", {"file": SimpleUploadedFile("x.icc", b"no profile")})
    assert (refused.status_code, "not an ICC profile" in refused.json()["detail"]) == (422, True)
    press = client.post("/api/presses", {"file": SimpleUploadedFile("x.icc", profile)}).json()
    assert client.get("/api/presses").json() == [press]
    inks = {"form": "tiff", "into": "press", "press": press["id"], "pattern": "{name}"}
    batch = order(client, sitting, sitters[:1], inks).json()
    work()
    with unpacked(client, batch) as files:
        image = Image.open(BytesIO(files.read("Alto 1.tif")))
        assert (image.mode, image.info["icc_profile"] == profile) == ("CMYK", True)
    frame = {"width": 400, "height": 500, "x": 0, "y": 0, "w": 400, "h": 500}
    look = {"revision": 0, "frame": frame, "look": "proof"}
    plain, paper = (
        client.post(f"/api/portraits/{sitters[0].pk}/view", look | more, JSON).content
        for more in ({}, {"press": press["id"]})
    )
    assert plain != paper
    # What is ordered into a press that is deleted before its turn is not made, and says so.
    late = order(client, sitting, sitters[:1], inks).json()
    client.delete(f"/api/presses/{press['id']}")
    work()
    assert "no longer there" in page(client, late)["files"][0]["problem"]
    assert order(client, sitting, sitters[:1], inks).status_code == 422
