"""Sittings and uploads: what comes in, what is said of it, and what goes with it."""

import io

import numpy as np
import pytest
import tifffile
from PIL import Image

from retouch.colour.icc import profile_bytes
from retouch.colour.spaces import DISPLAY_P3
from studio import asgi
from studio.models import Portrait, Sitting
from tests.core.test_files import broken
from tests.pictures import bytes_of, smooth
from tests.studio.talk import JSON, content, upload, work


def tiff(bits, **options):
    out = io.BytesIO()
    values = (smooth(200, 160) * (255 if bits == 8 else 65535)).astype(np.uint8 if bits == 8 else np.uint16)
    tifffile.imwrite(out, values, photometric="rgb", **options)
    return out.getvalue()


def test_a_sitting_is_made_renamed_listed_and_deleted(client):
    made = client.post("/api/sittings", {"name": "  Spring programme "}, JSON)
    assert made.status_code == 201
    key = made.json()["id"]
    client.patch(f"/api/sittings/{key}", {"name": "Summer programme"}, JSON)
    assert [(s["name"], s["count"]) for s in client.get("/api/sittings").json()] == [("Summer programme", 0)]
    assert client.delete(f"/api/sittings/{key}").status_code == 204
    assert client.get(f"/api/sittings/{key}").status_code == 404


@pytest.mark.parametrize("name", ["", "   ", "x" * 121])
def test_a_sitting_needs_a_name(client, name):
    assert client.post("/api/sittings", {"name": name}, JSON).status_code == 422
    assert not Sitting.objects.exists()


@pytest.mark.parametrize(
    ("name", "data", "facts"),
    [
        ("Bass 1.jpg", bytes_of("JPEG"), ("JPEG", 240, 300, 8)),
        ("Bass 2.png", bytes_of("PNG", icc_profile=profile_bytes(DISPLAY_P3)), ("PNG", 240, 300, 8)),
        ("Bass 3.tif", tiff(16), ("TIFF", 200, 160, 16)),
        ("Bass 4.tif", tiff(8, compression="zlib"), ("TIFF", 200, 160, 8)),
    ],
)
def test_a_picture_is_taken_in_prepared_and_described(client, sitting, name, data, facts):
    card = upload(client, sitting, name, data).json()
    assert card["state"] == "waiting"
    assert card["name"] == name.split(".")[0]
    work()
    card = client.get(f"/api/portraits/{card['id']}").json()
    assert (card["state"], card["progress"]) == ("ready", 1)
    assert tuple(card["facts"][k] for k in ("format", "width", "height", "bits")) == facts
    thumbnail = Image.open(io.BytesIO(content(client.get(f"/api/portraits/{card['id']}/thumbnail"))))
    assert thumbnail.format == "JPEG"
    # The original is never written to: it goes out as it came.
    assert content(client.get(f"/api/portraits/{card['id']}/original")) == data


def test_an_oriented_picture_is_shown_upright(client, sitting):
    block = Image.Exif()
    block[0x0112] = 6
    card = upload(client, sitting, "turned.jpg", bytes_of("JPEG", 240, 300, exif=block.tobytes())).json()
    assert (card["facts"]["width"], card["facts"]["height"]) == (300, 240)


@pytest.mark.parametrize(
    ("name", "words"),
    [
        ("empty", "0 bytes"),
        ("text", "not a JPEG, PNG, TIFF, HEIC, AVIF, WebP or raw picture"),
        ("too many pixels", "million pixels"),
        ("cmyk jpeg", "CMYK"),
        ("float tiff", "another kind"),
    ],
)
def test_what_cannot_be_read_gets_a_sentence_on_its_card(client, sitting, tmp_path, name, words):
    answer = upload(client, sitting, "Alto 9.jpg", broken(tmp_path / "file", name).read_bytes())
    assert answer.status_code == 201
    card = answer.json()
    assert card["state"] == "failed"
    assert words in card["problem"]
    assert not Portrait.objects.get().original


def test_a_file_that_breaks_off_fails_in_preparation_and_says_so(client, sitting, tmp_path):
    card = upload(client, sitting, "cut.png", broken(tmp_path / "file", "cut short png").read_bytes()).json()
    work()
    card = client.get(f"/api/portraits/{card['id']}").json()
    assert card["state"] == "failed"
    assert "breaks off" in card["problem"]
    assert client.post(f"/api/portraits/{card['id']}/preparation").json()["state"] == "waiting"


def test_a_hostile_file_name_never_becomes_a_path(client, sitting, settings):
    card = upload(client, sitting, "../../../etc/cron.d/x.png", bytes_of("PNG")).json()
    path = Portrait.objects.get(pk=card["id"]).original.path
    assert path.startswith(str(settings.MEDIA_ROOT))
    assert "cron" not in path


def test_deleting_a_portrait_takes_its_files_along(client, portrait, settings):
    paths = [portrait.original.path, portrait.thumbnail.path]
    levels = settings.LEVELS_ROOT / str(portrait.pk)
    assert levels.exists()
    assert client.delete(f"/api/portraits/{portrait.pk}").status_code == 204
    assert not levels.exists()
    from pathlib import Path

    assert not any(Path(p).exists() for p in paths)


class Wire:
    """The ASGI server's side of one request."""

    def __init__(self, method="POST", **headers):
        self.scope = {
            "type": "http",
            "method": method,
            "headers": [(k.encode(), v.encode()) for k, v in headers.items()],
        }
        self.sent = []

    async def receive(self):
        pytest.fail("the body was read")

    async def send(self, message):
        self.sent.append(message)


@pytest.mark.parametrize("method", ["POST", "PUT", "DELETE", "GET"])
@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({"content-length": str(2**40)}, 413),
        ({"transfer-encoding": "chunked"}, 411),
        ({"content-length": "many"}, 411),
        ({"content-length": "1000000"}, 401),
        ({"content-length": "1000000", "cookie": "sessionid=invented"}, 401),
    ],
)
def test_a_body_too_large_or_without_a_size_or_a_person_is_refused_unread(database, method, headers, status):
    import asyncio

    wire = Wire(method, **headers)
    asyncio.run(asgi.application(wire.scope, wire.receive, wire.send))
    assert wire.sent[0]["status"] == status
    assert b"othing was taken in" in wire.sent[1]["body"]


def test_a_portrait_is_flagged_without_being_renamed(client, portrait):
    where = f"/api/portraits/{portrait.pk}"
    assert client.patch(where, {"flag": "keep"}, JSON).json()["flag"] == "keep"
    assert client.patch(where, {"name": "Tenor 7"}, JSON).json()["flag"] == "keep"
    assert client.patch(where, {"flag": ""}, JSON).json() | {"name": "Tenor 7"} == client.get(where).json()
    assert client.patch(where, {"flag": "five stars"}, JSON).status_code == 422
