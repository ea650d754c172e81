"""Nobody sees another person's pictures: a walk over every route that the API has."""

import json

import pytest
from django.test import Client

from studio.api import api
from studio.models import (
    Batch,
    CarriedTo,
    CarryOver,
    Export,
    Face,
    Mark,
    Portrait,
    Preset,
    PressProfile,
    Sitter,
    Sitting,
    Take,
    User,
    Visit,
)
from tests.studio.talk import JSON, frame

OPEN = {
    ("GET", "/session"),
    ("POST", "/session"),
    ("POST", "/session/code"),
    ("POST", "/accounts"),
    ("POST", "/links"),
    ("POST", "/links/password"),
}
MINE = {
    ("GET", "/detail"),
    ("GET", "/sharpening"),
    ("GET", "/presets"),
    ("GET", "/presses"),
    ("POST", "/presses"),
    ("POST", "/presets"),
    ("DELETE", "/session"),
    ("GET", "/sittings"),
    ("POST", "/sittings"),
    ("GET", "/catalogue"),
    ("GET", "/account"),
    ("POST", "/account/key"),
    ("POST", "/account/second-step"),
    ("POST", "/account/one-step"),
    ("POST", "/account/password"),
    ("POST", "/account/deletion"),
}


def routes() -> list[tuple[str, str]]:
    """Every method and path of the API, from its own description."""
    return [
        (method.upper(), path.removeprefix("/api"))
        for path, methods in api.get_openapi_schema()["paths"].items()
        for method in methods
    ]


BODIES = {
    "POST /portraits/{portrait_id}/edits": {"revision": 0, "words": "x", "operations": [
        {"op": "put", "path": ["version"], "value": 1}]},
    "POST /portraits/{portrait_id}/view": {"revision": 0, "frame": frame(9, 9)},
}  # fmt: skip
PLACE = {"revision": 0, "x": 0.4, "y": 0.4}
BODIES["POST /portraits/{portrait_id}/point"] = PLACE | {"touch": "t", "pick": "neutral"}
BODIES["POST /portraits/{portrait_id}/numbers"] = PLACE
BODIES["POST /portraits/{portrait_id}/starts"] = {"kind": "even", "title": "Even the skin"}
BODIES["POST /portraits/{portrait_id}/wishes"] = {"text": "whiten teeth"}
BODIES["POST /portraits/{portrait_id}/mask"] = {"revision": 0, "area": "a"}
BODIES["POST /portraits/{portrait_id}/saved"] = {"revision": 0, "touches": ["t"], "name": "Evening"}
BODIES["POST /portraits/{portrait_id}/presets"] = {"preset": 1}
BODIES["POST /sittings/{sitting_id}/carry-overs"] = {"preset": 1, "to": ["00000000-0000-4000-8000-000000000000"]}
BODIES["POST /sittings/{sitting_id}/names"] = {"to": ["00000000-0000-4000-8000-000000000000"], "orders": [{}]}
BODIES["POST /sittings/{sitting_id}/batches"] = BODIES["POST /sittings/{sitting_id}/names"]
NOBODY = "00000000-0000-4000-8000-000000000000"
BODIES["POST /sittings/{sitting_id}/flags"] = {"to": [NOBODY], "flag": "keep"}
BODIES["POST /sittings/{sitting_id}/turns"] = {"to": [NOBODY], "by": 1}
BODIES["POST /sittings/{sitting_id}/faces"] = {"faces": [1], "new": True}
for what in ("drifts", "same-light"):
    BODIES[f"POST /sittings/{{sitting_id}}/{what}"] = {"like": NOBODY, "to": [NOBODY]}
BODIES["PATCH /batches/{batch_id}"] = {"state": "paused"}
BODIES["PATCH /carry-overs/{carry_over_id}"] = {"state": "paused"}
BODIES["POST /carried/{carried_id}/verdict"] = {"verdict": "fits"}
BODIES["POST /portraits/{portrait_id}/outline"] = {"revision": 0, "area": "a", "part": "p"}
BODIES["POST /portraits/{portrait_id}/coverage"] = BODIES["POST /portraits/{portrait_id}/view"] | {"area": "a"}
BODIES["POST /portraits/{portrait_id}/silhouettes"] = {
    "revision": 0, "wanted": [{"area": "a", "frame": BODIES["POST /portraits/{portrait_id}/view"]["frame"]}],
}  # fmt: skip
BODIES["POST /portraits/{portrait_id}/dabs"] = BODIES["POST /portraits/{portrait_id}/view"] | {
    "area": "a", "part": "p", "name": "s", "start": 0, "stroke": {"size": 0.1, "points": [[0.5, 0.5, 1]]}
}  # fmt: skip
STROKE = BODIES["POST /portraits/{portrait_id}/dabs"]["stroke"]
BODIES["POST /portraits/{portrait_id}/fillings"] = {"revision": 0, "touch": "r", "area": "a"}
BODIES["POST /portraits/{portrait_id}/patch-outlines"] = {"revision": 0, "touch": "r", "area": "a"}
BODIES["POST /portraits/{portrait_id}/sources"] = {
    "revision": 0, "touch": "r", "patch": {"id": "p", "way": "heal", "strokes": [STROKE]}
}  # fmt: skip


@pytest.fixture
def theirs(database) -> dict[str, str]:
    other = User.objects.create_user("other@choir.example", "other@choir.example", "somebody-else-here")
    sitting = Sitting.objects.create(owner=other, name="Theirs")
    facts = {"width": 600, "height": 750}
    portrait = Portrait.objects.create(sitting=sitting, name="Alto 2", file_name="a.jpg", state="ready", facts=facts)
    export = Export.objects.create(portrait=portrait, document={}, order={}, file_name="a.jpg", state="ready")
    preset = Preset.objects.create(owner=other, name="Evening", document={})
    over = CarryOver.objects.create(sitting=sitting, name="Evening", document={})
    mark, take = (m.objects.create(portrait=portrait, name="Warm") for m in (Mark, Take))
    return {
        "visit_id": str(Visit.objects.create(user=other, session="theirs").pk),
        "name": "f1",
        "batch_id": str(Batch.objects.create(sitting=sitting, orders=[]).pk),
        "preset_id": str(preset.pk),
        "carry_over_id": str(over.pk),
        "carried_id": str(CarriedTo.objects.create(carry_over=over, portrait=portrait).pk),
        "which": "after",
        "press_id": str(PressProfile.objects.create(owner=other, name="Theirs", data=b"x").pk),
        "sitter_id": str(Sitter.objects.create(sitting=sitting).pk),
        "face_id": str(Face.objects.create(portrait=portrait, number=1, box=[0, 0, 1, 1], traits=[]).pk),
        "mark_id": str(mark.pk),
        "take_id": str(take.pk),
        "sitting_id": str(sitting.pk),
        "portrait_id": str(portrait.pk),
        "export_id": str(export.pk),
    }


def ask(client: Client, method: str, path: str, ids: dict[str, str]) -> tuple[int, bytes]:
    body = BODIES.get(f"{method} {path}", {"revision": 0, "name": "x", "form": "png"})
    if path.endswith(("/portraits", "/masks", "/outlines", "/sheets")) and method == "POST":
        from django.core.files.uploadedfile import SimpleUploadedFile

        answer = client.post(f"/api{path.format(**ids)}", {"file": SimpleUploadedFile("a.jpg", b"x")})
    else:
        answer = client.generic(method, f"/api{path.format(**ids)}", json.dumps(body), JSON)
    return answer.status_code, answer.content


def test_the_walk_covers_the_api():
    assert len(routes()) > 20
    assert set(routes()) >= OPEN | MINE


@pytest.mark.parametrize(("method", "path"), [r for r in routes() if r not in OPEN | MINE], ids=lambda v: v)
def test_anothers_object_answers_exactly_like_a_missing_one(client, theirs, method, path):
    nobody = "00000000-0000-4000-8000-000000000000"
    missing = {k: v if k == "which" else "0" if v.isdigit() else nobody for k, v in theirs.items()}
    assert ask(client, method, path, theirs) == ask(client, method, path, missing)
    assert ask(client, method, path, theirs)[0] == 404
    assert Sitting.objects.filter(pk=theirs["sitting_id"], name="Theirs").exists()
    assert Portrait.objects.filter(pk=theirs["portrait_id"], revision=0, name="Alto 2").exists()
    assert Export.objects.filter(pk=theirs["export_id"], state="ready").exists()


@pytest.mark.parametrize(("method", "path"), [r for r in routes() if r not in OPEN], ids=lambda v: v)
def test_nothing_answers_without_a_sign_in(theirs, method, path):
    status, content = ask(Client(), method, path, theirs)
    assert status == 401
    assert b"sign in" in content
